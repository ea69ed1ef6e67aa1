#pragma once
// JSON from outside: parsed within a depth, shown in messages.

#include <nlohmann/json.hpp>
#include <string>
#include <string_view>

#include "exchange/depth.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/text.hpp"

namespace inchtide::exchange {

inline std::string shown_json(const nlohmann::json& value) {
  return excerpt(value.dump(-1, ' ', false, nlohmann::json::error_handler_t::replace));
}

}  // namespace inchtide::exchange

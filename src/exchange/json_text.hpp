#pragma once
// JSON from outside: parsed within a depth, shown in messages.

#include <nlohmann/json.hpp>
#include <string>
#include <string_view>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/text.hpp"

namespace inchtide::exchange {

// More levels of lists and objects than any data have; what works through them would run out of its stack.
inline constexpr int deepest_level = 100;

// Whether lists and objects lie deeper within each other than that, whatever else is wrong with the text.
inline bool is_too_deep(std::string_view text) {
  int depth = 0;
  bool quoted = false;
  for (std::size_t i = 0; i < text.size(); ++i) {
    const char c = text[i];
    if (quoted && c == '\\') {
      ++i;
    } else if (c == '"') {
      quoted = !quoted;
    } else if (!quoted && (c == '[' || c == '{') && ++depth > deepest_level) {
      return true;
    } else if (!quoted && (c == ']' || c == '}')) {
      --depth;
    }
  }
  return false;
}

inline std::string shown_json(const nlohmann::json& value) {
  return excerpt(value.dump(-1, ' ', false, nlohmann::json::error_handler_t::replace));
}

}  // namespace inchtide::exchange

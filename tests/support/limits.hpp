#pragma once
// Limits of their texts.

#include <string>
#include <vector>

#include "inchtide/frontier/limits.hpp"

namespace inchtide::test {

inline Limits limits_of(const std::vector<std::string>& texts) {
  Limits limits;
  for (const auto& text : texts) limits.push_back(Limit::parse(text));
  return limits;
}

}  // namespace inchtide::test

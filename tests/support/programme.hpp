#pragma once
// Whether limits can hold, by a general linear-programming library in exact arithmetic, from the limits' own words:
// a yardstick that shares nothing with the library's own simplex.

#include <string>
#include <vector>

#include "inchtide/frontier/limits.hpp"

namespace inchtide::test {

// @param shorts_open weights may be negative
bool can_hold(const Limits& limits, const std::vector<std::string>& assets, const LimitFacts& facts, bool shorts_open);

}  // namespace inchtide::test

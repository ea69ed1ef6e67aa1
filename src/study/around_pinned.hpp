#pragma once
// Limits around what cannot be traded.

#include <string>
#include <vector>

#include "inchtide/frontier/limits.hpp"

namespace inchtide {

// Limits that the ranges and the sum of the weights leave no room for, now that some ranges are single weights that
// cannot be traded: totals, gross, turnover, averages, numbers of positions and their least size become as wide as it
// takes. Each is looked at by itself; those without room before keep their conflict, and ceilings on risk stay.
// @param before the bounds without what is pinned
// @returns the texts of those that were widened
std::vector<std::string> widen_around(Bounds& bounds, const Bounds& before, const std::vector<Eigen::Index>& pinned);

}  // namespace inchtide

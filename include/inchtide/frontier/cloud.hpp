#pragma once
/// Random portfolios within limits, as the backdrop of a chart: they show how much room there is, and find nothing.

#include <cstdint>

#include "inchtide/frontier/frontier.hpp"

namespace inchtide {

/// Weights of so many random portfolios within the frontier's ranges and rows, N x count: a walk that shifts weight
/// between two random assets at a time, as far as the limits allow, from a portfolio amid the frontier's.
/// Ceilings and numbers of positions are not looked at.
/// @throws InputError when the count is negative
[[nodiscard]] Eigen::MatrixXd random_portfolios(const Frontier& frontier, int count, std::uint64_t seed = 1);

}  // namespace inchtide

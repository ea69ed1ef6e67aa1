#pragma once
/// Random portfolios within limits, as the backdrop of a chart: they show how much room there is, and find nothing.
///
/// @code
/// #include <cassert>
/// inchtide::Estimate estimate;
/// estimate.assets = {"HOLLBOND", "HOLLBANK"};
/// estimate.expected_return = Eigen::Vector2d(0.03, 0.08);
/// estimate.covariance = inchtide::Covariance::dense(Eigen::Vector2d(0.0025, 0.04).asDiagonal());
/// const auto frontier = inchtide::trace_frontier(estimate, inchtide::Limits{});
/// const auto weights = inchtide::random_portfolios(frontier, 20);
/// assert(weights.cols() == 20 && (weights.colwise().sum().array() - 1).abs().maxCoeff() < 1e-12);
/// @endcode

#include <cstdint>

#include "inchtide/base/api.hpp"
#include "inchtide/frontier/frontier.hpp"

namespace inchtide {

/// Weights of so many random portfolios within the frontier's ranges and rows, N x count: a walk that shifts weight
/// between two random assets at a time, as far as the limits allow, from a portfolio amid the frontier's.
/// Ceilings and numbers of positions are not looked at.
/// @throws InputError when the count is negative
[[nodiscard]] INCHTIDE_API Eigen::MatrixXd random_portfolios(const Frontier& frontier, int count,
                                                             std::uint64_t seed = 1);

}  // namespace inchtide

#pragma once
/// The manager's room: how far each weight of a portfolio can move while hardly anything is given up.
///
/// @code
/// #include <cassert>
/// #include <cmath>
/// inchtide::Estimate estimate;
/// estimate.assets = {"HOLLBOND", "HOLLBANK"};
/// estimate.expected_return = Eigen::Vector2d(0.03, 0.08);
/// estimate.covariance = inchtide::Covariance::dense(Eigen::Vector2d(0.0025, 0.04).asDiagonal());
/// const auto bounds = inchtide::bounds_of({}, estimate.assets);
/// // Half of each: a tenth of a point less return is 2% of wealth moved to the bond, at less risk.
/// const auto room = inchtide::room_of(estimate, bounds, Eigen::Vector2d(0.5, 0.5), 0.001);
/// assert(std::abs(room[0]->most - 0.52) < 1e-6 && std::abs(room[0]->least - 0.5) < 1e-6);
/// @endcode

#include <optional>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/eigen.hpp"
#include "inchtide/base/executor.hpp"
#include "inchtide/estimate/estimate.hpp"
#include "inchtide/frontier/limits.hpp"

namespace inchtide {

struct INCHTIDE_API WeightRange {
  double least = 0, most = 0;  ///< fractions of wealth
};

/// The least and the most of each weight, the others free, over all portfolios within the bounds that have no more
/// risk than this one and at most `give_up` less expected return. Exact: an end is where the frontier of "return" 1 on
/// that asset alone reaches this portfolio's volatility, with the return as one more row. Ceilings on tracking error
/// and limits on positions are not looked at, nor costs.
/// @param weights within the bounds, an asset each
/// @param give_up fraction per year, from 0
/// @param watch asked before each asset, and told after it
/// @return one an asset; nothing where the answer has no certificate
/// @throws InputError for weights outside the bounds, or a figure that is no number
[[nodiscard]] INCHTIDE_API std::vector<std::optional<WeightRange>> room_of(
    const Estimate& estimate, const Bounds& bounds, const Eigen::VectorXd& weights, double give_up,
    const Executor& executor = Executor(), const Watch& watch = {});

}  // namespace inchtide

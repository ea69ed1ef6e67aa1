#pragma once
/// What is done to weights after they are chosen or given: moved inside limits, rounded, mixed by tag, swept from one
/// asset to another.
///
/// @code
/// #include <cassert>
/// #include <cmath>
/// const auto rounded = inchtide::rounded_to(Eigen::Vector3d(0.335, 0.333, 0.332), 0.01);
/// assert(std::abs(rounded.sum() - 1) < 1e-15 && std::abs(rounded[0] - 0.34) < 1e-15);
/// @endcode

#include <string>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/eigen.hpp"
#include "inchtide/base/tags.hpp"
#include "inchtide/frontier/frontier.hpp"

namespace inchtide {

/// The weights within the bounds that lie nearest: the least sum of squared changes, certified like any portfolio.
/// Ceilings and numbers of positions are not looked at.
/// @throws InfeasibleLimits when the bounds leave no weights at all
[[nodiscard]] INCHTIDE_API Eigen::VectorXd nearest_within(const Bounds& bounds, const Eigen::VectorXd& weights);

/// Weights in whole steps with the same sum (itself to the nearest step): rounded down, then the largest remainders get
/// the steps that are left, the first listed first among equals.
/// @param step above 0, such as 0.01
/// @throws InputError when the step isn't a positive figure of at most 1
[[nodiscard]] INCHTIDE_API Eigen::VectorXd rounded_to(const Eigen::VectorXd& weights, double step);

/// Weights such as 60/40, given by tag: `sector:bonds=40%, rest=60%`. Each part is shared equally among its assets;
/// `rest` stands for all that no other part names, and a part may be a single asset.
/// @throws InputError for a part that nobody has, an asset in two parts, or parts that don't sum to 100%
[[nodiscard]] INCHTIDE_API Eigen::VectorXd mixed_weights(const std::string& text,
                                                         const std::vector<std::string>& assets, const Tags& tags);

/// Two assets side by side.
struct INCHTIDE_API SweepPoint {
  double first = 0;            ///< weight of the first; the second has the rest
  double expected_return = 0;  ///< per year
  double volatility = 0;       ///< per year
  double sharpe = 0;           ///< 0 where volatility is 0
};

/// From all in the second asset to all in the first, in steps.
/// @throws InputError when the step isn't from 0.1% to 100%
[[nodiscard]] INCHTIDE_API std::vector<SweepPoint> sweep(const Estimate& estimate, Eigen::Index first,
                                                         Eigen::Index second, double step, double risk_free);

}  // namespace inchtide

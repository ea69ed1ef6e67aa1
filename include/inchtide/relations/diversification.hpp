#pragma once
/// What spreading over more assets does to risk: the volatility of an equally weighted portfolio of n of them.
///
/// @code
/// #include <cassert>
/// #include <cmath>
/// const auto covariance = inchtide::Covariance::dense(0.04 * Eigen::MatrixXd::Identity(4, 4));
/// const auto curve = inchtide::diversification_curve(covariance, 0, 1);
/// assert(std::abs(curve.expected[3] - 0.1) < 1e-15);  // unrelated: halved by four
/// @endcode

#include <cstdint>

#include "inchtide/base/api.hpp"
#include "inchtide/base/eigen.hpp"
#include "inchtide/estimate/covariance.hpp"

namespace inchtide {

/// For n = 1..N; all are volatilities per root year when the covariance is per year.
struct INCHTIDE_API DiversificationCurve {
  double average_variance = 0, average_covariance = 0;
  Eigen::VectorXd expected;   ///< root of v/n + (1 - 1/n) c, the mean variance over all subsets of n: exact
  double floor = 0;           ///< root of c, which it nears; 0 when c is negative
  int draws = 0;              ///< random subsets for each n
  Eigen::VectorXd mean;       ///< of the volatility over the draws; below `expected`, as the root bends
  Eigen::VectorXd low, high;  ///< the 5% and the 95% point of the draws
};

/// @param draws random subsets of each size, none for 0
/// @param seed of the draws
/// @throws InputError when draws is negative
[[nodiscard]] INCHTIDE_API DiversificationCurve diversification_curve(const Covariance& covariance, int draws,
                                                                      std::uint64_t seed);

}  // namespace inchtide

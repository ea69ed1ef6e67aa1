#pragma once
/// One portfolio without the rest of the frontier, from a good guess or from nothing.
///
/// @code
/// #include <cassert>
/// #include <cmath>
/// inchtide::Estimate estimate;
/// estimate.assets = {"HOLLBOND", "HOLLBANK"};
/// estimate.expected_return = Eigen::Vector2d(0.03, 0.08);
/// estimate.covariance = inchtide::Covariance::dense(Eigen::Vector2d(0.0025, 0.04).asDiagonal());
/// const auto least = inchtide::single_portfolio(estimate, inchtide::Bounds::long_only(2));
/// assert(std::abs(least.weights[0] - 0.04 / 0.0425) < 1e-12 && least.certificate.holds());
/// @endcode

#include "inchtide/base/api.hpp"
#include "inchtide/base/notice.hpp"
#include "inchtide/frontier/frontier.hpp"

namespace inchtide {

/// The least 1/2 w'Sw - lambda m'w (lambda = 0: the minimum variance), the same as the frontier's, faster: all weights
/// that stand on the wrong side of their optimality conditions change places at once (block principal pivoting: Judice
/// & Pires 1994, Computers & Operations Research 21), from the free weights of `near`. Where that doesn't settle, or
/// rows or singular matrices are in the way, the whole frontier is traced instead. What comes back is certified, and
/// where the covariance is positive definite it is unique: a warm start gives the cold answer.
/// @param near weights of a problem like this one, such as yesterday's answer; none for a cold start
/// @throws what `trace_frontier` and `Frontier::at_lambda` throw
[[nodiscard]] INCHTIDE_API Portfolio single_portfolio(const Estimate& estimate, const Bounds& bounds, double lambda = 0,
                                                      const Eigen::VectorXd& near = {});

/// The portfolio of highest Sharpe ratio, the same as the frontier's, faster: of the single portfolios it is the one
/// whose lambda is its variance over its return beyond the riskless one; between two corners that is straight in
/// lambda, so a few steps find it. Where they don't, or rows are in the way, the whole frontier is traced instead.
/// @param near as above
/// @throws what `trace_frontier` and `Frontier::maximum_sharpe` throw
[[nodiscard]] INCHTIDE_API Portfolio single_maximum_sharpe(const Estimate& estimate, const Bounds& bounds,
                                                           double risk_free, const Eigen::VectorXd& near = {});

}  // namespace inchtide

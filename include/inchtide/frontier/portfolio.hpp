#pragma once
/// A portfolio on the frontier, with the proof that it is optimal.
///
/// @code
/// #include <cassert>
/// #include <cmath>
/// inchtide::Estimate estimate;
/// estimate.assets = {"HOLLBOND", "HOLLBANK"};
/// estimate.expected_return = Eigen::Vector2d(0.03, 0.08);
/// estimate.covariance = inchtide::Covariance::dense(Eigen::Vector2d(0.0025, 0.04).asDiagonal());
/// const auto points = inchtide::risk_and_return(estimate, Eigen::Matrix2d::Identity());
/// assert(std::abs(points[1].volatility - 0.2) < 1e-15 && std::abs(points[1].sharpe - 0.4) < 1e-15);
/// @endcode

#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/eigen.hpp"
#include "inchtide/base/notice.hpp"
#include "inchtide/estimate/covariance.hpp"
#include "inchtide/estimate/estimate.hpp"
#include "inchtide/frontier/limits.hpp"

namespace inchtide {

/// How far weights w are from satisfying the conditions under which they minimise  1/2 w'Sw - lambda m'w  within their
/// limits (Karush-Kuhn-Tucker): with the gradient g = Sw - lambda m, a price y of the budget, a price e_r of each row
/// a_r and a price z_i of each bound, g = y 1 + sum e_r a_r + z, with z_i >= 0 only at a lower bound, z_i <= 0 only at
/// an upper bound, and e_r likewise at the ends of its row. Where rows or costs bend, the condition holds from both
/// sides. S being positive semidefinite, these conditions are enough, so small residuals prove the weights optimal.
struct INCHTIDE_API Certificate {
  double limit_violation = 0;  ///< worst breach of a bound, the budget (in weight) or a row (over its largest entry)
  double stationarity = 0;  ///< worst |g - y - sum e_r a_r - z|, relative to the largest entry of Sw and lambda m (or
                            ///< to 1e-4 of the terms that cancel in Sw, where a portfolio has next to no variance)
  double complementarity = 0;  ///< worst |z_i| x distance to its bound, relative likewise

  [[nodiscard]] double worst() const;
  /// True when all three are at most `tolerance`.
  [[nodiscard]] bool holds(double tolerance = 1e-9) const { return worst() <= tolerance; }
};

/// A portfolio that has the least variance for its expected return, within limits.
struct INCHTIDE_API Portfolio {
  Eigen::VectorXd weights;  ///< fractions of wealth, N, summing to the budget
  /// m'w, per year, less the cost of trading per year where there is one: of the weights, without what they leave (see
  /// `whole_return`)
  double expected_return = 0;
  double volatility = 0;       ///< sqrt(w'Sw), per year
  double lambda = 0;           ///< half the slope of variance against expected return: d(variance)/d(return) / 2
  Eigen::VectorXd row_prices;  ///< of the budget and of each row of the limits, where there are rows; else empty
  Certificate certificate;

  /// (expected return - risk-free) / volatility; what the weights leave of 1 earns the risk-free rate, what they exceed
  /// it by pays it.
  [[nodiscard]] double sharpe(double risk_free) const {
    return (expected_return - weights.sum() * risk_free) / volatility;
  }
};

/// A weight counts as held from here on: below it is rounding. One figure for every count, table and limit.
constexpr double held_above = 1e-9;
[[nodiscard]] inline bool is_held(double weight) {
  return weight > held_above || weight < -held_above;
}
[[nodiscard]] inline Eigen::Index held_count(const Eigen::VectorXd& weights) {
  return (weights.array().abs() > held_above).count();
}

/// The expected return of the whole wealth: that of the weights, and what they leave of wealth at the risk-free rate
/// (which they pay where they exceed it).
/// @param invested what is invested, with what was paid to trade: 1 where nothing is left
[[nodiscard]] inline double whole_return(double of_weights, double invested, double risk_free) {
  return of_weights + (1 - invested) * risk_free;
}

/// Where weights stand on a chart of return over risk, per year.
struct INCHTIDE_API RiskReturn {
  double expected_return = 0;  ///< of the whole wealth
  double volatility = 0;
  double sharpe = 0;  ///< 0 where volatility is 0
};
/// Of each column of weights, N x count. What the weights leave of 1 earns the estimate's risk-free rate.
[[nodiscard]] INCHTIDE_API std::vector<RiskReturn> risk_and_return(const Estimate& estimate,
                                                                   const Eigen::MatrixXd& weights);

/// m'w less what trading costs, spread over the years that the weights are to be held.
[[nodiscard]] INCHTIDE_API double return_of(const Eigen::VectorXd& expected_return, const Bounds& bounds,
                                            const Eigen::VectorXd& weights);

/// Prices of the budget and of the bounds at weights that are optimal for `lambda`.
struct INCHTIDE_API BoundPrices {
  double budget = 0;      ///< y, in variance / 2 per unit of weight
  Eigen::VectorXd row;    ///< e of each row of the limits: positive at its lower end, negative at its upper one
  Eigen::VectorXd bound;  ///< z: what loosening the bound that binds would take off variance / 2 - lambda m'w; 0 where
                          ///< none binds. Positive at a lower bound, negative at an upper one.
};

/// Bounds count as binding within 1e-9 of weight. Where every asset is at a bound (a vertex), the price of the budget
/// isn't unique: each bound's price is then the least one, which is what loosening that bound alone brings.
/// @param row_prices of the budget and each row, where the limits have rows: prices that prove the weights optimal
[[nodiscard]] INCHTIDE_API BoundPrices bound_prices(const Covariance& covariance,
                                                    const Eigen::VectorXd& expected_return, const Bounds& bounds,
                                                    const Eigen::VectorXd& weights, double lambda,
                                                    const Eigen::VectorXd& row_prices = {});

/// Measures the conditions afresh from weights, covariance and limits. Without rows it uses nothing that the solver
/// kept; with rows their prices are part of the proof, and any that satisfy the conditions prove it.
/// @param row_prices of the budget and each row, where the limits have rows
[[nodiscard]] INCHTIDE_API Certificate certify(const Covariance& covariance, const Eigen::VectorXd& expected_return,
                                               const Bounds& bounds, const Eigen::VectorXd& weights, double lambda,
                                               const Eigen::VectorXd& row_prices = {});

}  // namespace inchtide

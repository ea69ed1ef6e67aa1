#pragma once
// The last digits of a portfolio on the frontier.

#include <optional>

#include "inchtide/frontier/portfolio.hpp"

namespace inchtide {

/// The largest slope of a row, for scaling; never 0.
double row_size(const LimitRow& row);

/// The slopes of the return below the lowest bend of each weight: expected returns and what selling costs.
Eigen::VectorXd lowest_return_slopes(const Eigen::VectorXd& expected_return, const Bounds& bounds);

/// Weights, and prices of the budget and the rows.
struct Polished {
  Eigen::VectorXd weights, row_prices;
};

/// The solution of the conditions on the weights' own free set and the rows that they touch, by least squares where
/// that is singular: what rounding has gathered on the way goes. Nothing when all weights stand at bounds.
std::optional<Polished> polished(const Covariance& covariance, const Eigen::VectorXd& expected_return,
                                 const Bounds& bounds, const Eigen::VectorXd& weights, double lambda,
                                 const Eigen::VectorXd& row_prices);

}  // namespace inchtide

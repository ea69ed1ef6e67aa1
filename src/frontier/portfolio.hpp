#pragma once
// Where the weights of a portfolio stand, and its last digits.

#include <optional>
#include <vector>

#include "frontier/tolerances.hpp"
#include "inchtide/frontier/portfolio.hpp"

namespace inchtide {

enum class Place { lower, upper, free, fixed };
Place place_of(const Bounds& bounds, const Eigen::VectorXd& weights, Eigen::Index asset);

/// The slope of |w - at| from below or above w: -1 or 1, and at the bend one of each.
double slope_from(double weight, double at, bool above);

/// True where the slopes of some row or of the costs change.
bool at_bend(const std::vector<LimitRow>& rows, const Eigen::VectorXd& weights, Eigen::Index asset);

/// The largest slope of a row, for scaling; never 0.
double row_size(const LimitRow& row);

/// By how much ends of ranges and rows move with the figure of a limit, per unit of it.
double per_figure(const Bounds& bounds, int limit);

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

#include "frontier/portfolio.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <vector>

#include "base/dense.hpp"
#include "base/numbers.hpp"
#include "frontier/pieces.hpp"
#include "frontier/tolerances.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/range.hpp"

namespace inchtide {
namespace {

/// The gradient of 1/2 w'Sw - lambda x return from below and from above each weight (the same but where something
/// bends), and the size of its terms.
struct Gradient {
  Eigen::VectorXd below, above;
  double scale = 0;
};

Gradient gradient_of(const Covariance& covariance, const Eigen::VectorXd& expected_return, const Bounds& bounds,
                     const Eigen::VectorXd& weights, double lambda) {
  bounds.check(covariance.size());
  check_per_asset(weights, covariance.size(), "weights");
  check_per_asset(expected_return, covariance.size(), "expected returns");
  finite(lambda, "lambda");
  Gradient gradient;
  gradient.below = covariance.product(weights);
  gradient.scale = std::max({gradient.below.cwiseAbs().maxCoeff(), lambda * expected_return.cwiseAbs().maxCoeff(),
                             cancelled * covariance.variances().maxCoeff() * weights.cwiseAbs().sum()});
  gradient.below -= lambda * expected_return;
  gradient.above = gradient.below;
  if (!bounds.costs) return gradient;
  const auto& costs = *bounds.costs;
  for (Eigen::Index i = 0; i < weights.size(); ++i) {
    const auto cost = [&](bool above) {
      const bool buys = slope_from(weights[i], costs.current[i], above) > 0;
      return lambda / costs.years * (buys ? costs.rates.buy[i] : -costs.rates.sell[i]);
    };
    gradient.below[i] += cost(false);
    gradient.above[i] += cost(true);
  }
  return gradient;
}

/// Prices of the budget that fit every asset: a single value (up to rounding) when an asset is free, else an interval.
struct BudgetPrice {
  double least = -infinity;
  double most = infinity;

  double middle() const {
    if (std::isinf(least) && std::isinf(most)) return 0;
    if (std::isinf(least)) return most;
    if (std::isinf(most)) return least;
    return (least + most) / 2;
  }
};

BudgetPrice budget_price(const Gradient& gradient, const Bounds& bounds, const Eigen::VectorXd& weights) {
  BudgetPrice price;
  double least_free = infinity, most_free = -least_free;
  for (Eigen::Index i = 0; i < weights.size(); ++i) {
    const double g = gradient.below[i];
    switch (place_of(bounds, weights, i)) {
      case Place::free:
        least_free = std::min(least_free, g);
        most_free = std::max(most_free, g);
        break;
      case Place::lower: price.most = std::min(price.most, g); break;
      case Place::upper: price.least = std::max(price.least, g); break;
      case Place::fixed: break;
    }
  }
  if (least_free <= most_free) price.least = price.most = (least_free + most_free) / 2;
  return price;
}

/// Takes the rows' prices off the gradient: what is left is for the bounds.
void take_off_rows(Gradient& gradient, const Bounds& bounds, const Eigen::VectorXd& weights,
                   const Eigen::VectorXd& row_prices) {
  const auto rows = all_rows(bounds);
  for (std::size_t r = 0; r < rows.size(); ++r) {
    const auto& row = rows[r];
    const double price = row_prices[Eigen::Index(r)];
    gradient.below -= price * row.coefficients;
    gradient.above -= price * row.coefficients;
    for (Eigen::Index i = 0; i < row.bend.size(); ++i) {
      gradient.below[i] -= price * row.bend[i] * slope_from(weights[i], row.bend_at[i], false);
      gradient.above[i] -= price * row.bend[i] * slope_from(weights[i], row.bend_at[i], true);
    }
  }
}

void check_row_prices(const Bounds& bounds, const Eigen::VectorXd& row_prices) {
  if (row_prices.size() != Eigen::Index(bounds.rows.size()) + 1 || !row_prices.allFinite()) {
    throw InputError("row prices", fmt::format("{} for the budget and {} rows", row_prices.size(), bounds.rows.size()),
                     "Give those that the portfolio came with");
  }
}

}  // namespace

Place place_of(const Bounds& bounds, const Eigen::VectorXd& weights, Eigen::Index i) {
  const bool at_lower = weights[i] - bounds.lower[i] <= binding_within;
  const bool at_upper = bounds.upper[i] - weights[i] <= binding_within;
  if (at_lower && at_upper) return Place::fixed;
  return at_lower ? Place::lower : at_upper ? Place::upper : Place::free;
}

double slope_from(double weight, double at, bool above) {
  if (std::abs(weight - at) <= binding_within) return above ? 1 : -1;
  return weight > at ? 1 : -1;
}

bool at_bend(const std::vector<LimitRow>& rows, const Eigen::VectorXd& weights, Eigen::Index i) {
  return std::ranges::any_of(rows, [&](const LimitRow& row) {
    return row.bend.size() > 0 && row.bend[i] != 0 && std::abs(weights[i] - row.bend_at[i]) <= binding_within;
  });
}

double Certificate::worst() const {
  return std::max({limit_violation, stationarity, complementarity});
}

std::vector<RiskReturn> risk_and_return(const Estimate& estimate, const Eigen::MatrixXd& weights) {
  std::vector<RiskReturn> points;
  for (const auto& column : weights.colwise()) {
    const double whole = whole_return(estimate.expected_return.dot(column), column.sum(), estimate.risk_free);
    const double volatility = std::sqrt(estimate.covariance.portfolio_variance(column));
    points.push_back({whole, volatility, volatility > 0 ? (whole - estimate.risk_free) / volatility : 0});
  }
  return points;
}

double return_of(const Eigen::VectorXd& expected_return, const Bounds& bounds, const Eigen::VectorXd& weights) {
  const double plain = expected_return.dot(weights);
  return bounds.costs ? plain - bounds.costs->of(weights) / bounds.costs->years : plain;
}

Eigen::VectorXd lowest_return_slopes(const Eigen::VectorXd& expected_return, const Bounds& bounds) {
  Eigen::VectorXd slopes = expected_return;
  if (!bounds.costs) return slopes;
  const auto& costs = *bounds.costs;
  for (Eigen::Index i = 0; i < slopes.size(); ++i) {
    slopes[i] += (costs.current[i] > bounds.lower[i] ? costs.rates.sell[i] : -costs.rates.buy[i]) / costs.years;
  }
  return slopes;
}

double row_size(const LimitRow& row) {
  const double straight = row.coefficients.cwiseAbs().maxCoeff();
  return std::max(row.bend.size() == 0 ? straight : straight + row.bend.maxCoeff(), std::numeric_limits<double>::min());
}

double per_figure(const Bounds& bounds, int limit) {
  const auto& own = bounds.limits[std::size_t(limit)];
  if (own.kind == Limit::Kind::average) return bounds.budget;
  const bool single = own.kind == Limit::Kind::total && own.terms.size() == 1 && own.terms[0].tag.empty();
  return single ? 1 / own.terms[0].factor : 1;
}

BoundPrices bound_prices(const Covariance& covariance, const Eigen::VectorXd& expected_return, const Bounds& bounds,
                         const Eigen::VectorXd& weights, double lambda, const Eigen::VectorXd& row_prices) {
  auto gradient = gradient_of(covariance, expected_return, bounds, weights, lambda);
  BoundPrices prices{0, {}, Eigen::VectorXd::Zero(weights.size())};
  double least = 0, most = 0;
  if (bounds.ranges_only()) {
    const auto price = budget_price(gradient, bounds, weights);
    prices.budget = price.middle();
    least = std::isinf(price.least) ? prices.budget : price.least;
    most = std::isinf(price.most) ? prices.budget : price.most;
  } else {
    check_row_prices(bounds, row_prices);
    take_off_rows(gradient, bounds, weights, row_prices);
    prices.budget = row_prices[0];
    prices.row = row_prices.tail(row_prices.size() - 1);
  }
  for (Eigen::Index i = 0; i < weights.size(); ++i) {
    switch (place_of(bounds, weights, i)) {
      case Place::lower: prices.bound[i] = std::max(0.0, gradient.above[i] - most); break;
      case Place::upper: prices.bound[i] = std::min(0.0, gradient.below[i] - least); break;
      case Place::fixed: prices.bound[i] = gradient.below[i] - (bounds.ranges_only() ? prices.budget : 0); break;
      case Place::free: break;
    }
  }
  return prices;
}

Certificate certify(const Covariance& covariance, const Eigen::VectorXd& expected_return, const Bounds& bounds,
                    const Eigen::VectorXd& weights, double lambda, const Eigen::VectorXd& row_prices) {
  auto gradient = gradient_of(covariance, expected_return, bounds, weights, lambda);
  const double scale = std::max(gradient.scale, std::numeric_limits<double>::min());
  Certificate certificate;
  certificate.limit_violation = std::abs(budget_row(bounds).value(weights) - bounds.budget);
  double y = 0;
  if (bounds.ranges_only()) {
    y = budget_price(gradient, bounds, weights).middle();
  } else {
    check_row_prices(bounds, row_prices);
    take_off_rows(gradient, bounds, weights, row_prices);
    if (bounds.costs) {  // what bends counts the more the farther, or the conditions are not enough
      const double concave = row_prices[0] - lambda / bounds.costs->years;
      certificate.stationarity =
          std::max(0.0, concave) * (bounds.costs->rates.buy + bounds.costs->rates.sell).maxCoeff() / scale;
    }
    for (std::size_t r = 0; r < bounds.rows.size(); ++r) {
      const auto& row = bounds.rows[r];
      const double value = row.value(weights), price = row_prices[Eigen::Index(r) + 1];
      const double size = row_size(row);
      const double below = row.lower - value, above = value - row.upper;  // infinite where there is no end
      certificate.limit_violation = std::max({certificate.limit_violation, below / size, above / size});
      const double distance = price > 0 ? std::abs(below) : std::abs(above);
      if (std::isfinite(distance)) {
        certificate.complementarity = std::max(certificate.complementarity, std::abs(price) * distance / scale);
      } else {  // there is no such end: the price should be 0, and what it takes off the gradient is left over
        certificate.stationarity = std::max(certificate.stationarity, std::abs(price) * size / scale);
      }
    }
  }
  // Where something bends the weight must not gain on either side; a gain at an end of its range is that end's price.
  for (Eigen::Index i = 0; i < weights.size(); ++i) {
    const double below = bounds.lower[i] - weights[i], above = weights[i] - bounds.upper[i];
    certificate.limit_violation = std::max({certificate.limit_violation, below, above});
    const double down = gradient.below[i] - y, up = gradient.above[i] - y;  // prices of a lower and an upper end
    const auto place = place_of(bounds, weights, i);
    const auto judge = [&](double gain, bool has_end, double distance) {
      auto& residual = has_end ? certificate.complementarity : certificate.stationarity;
      residual = std::max(residual, gain * (has_end ? std::abs(distance) : 1) / scale);
    };
    judge(std::max(0.0, down), place == Place::lower || place == Place::fixed, below);
    judge(std::max(0.0, -up), place == Place::upper || place == Place::fixed, above);
  }
  return certificate;
}

std::optional<Polished> polished(const Covariance& covariance, const Eigen::VectorXd& expected_return,
                                 const Bounds& bounds, const Eigen::VectorXd& weights, double lambda,
                                 const Eigen::VectorXd& row_prices) {
  const auto rows = all_rows(bounds);
  std::vector<Eigen::Index> free;
  for (Eigen::Index i = 0; i < weights.size(); ++i) {
    if (place_of(bounds, weights, i) == Place::free && !at_bend(rows, weights, i)) free.push_back(i);
  }
  if (free.empty()) return std::nullopt;
  Polished result{weights, row_prices};
  auto gradient = gradient_of(covariance, expected_return, bounds, weights, lambda);
  if (bounds.ranges_only()) {
    result.row_prices = Eigen::VectorXd::Constant(1, budget_price(gradient, bounds, weights).middle());
  }
  take_off_rows(gradient, bounds, weights, result.row_prices);

  // The budget, and rows at an end: what each has to make up for.
  std::vector<std::pair<std::size_t, double>> active;
  for (std::size_t r = 0; r < rows.size(); ++r) {
    const auto& row = rows[r];
    const double value = row.value(weights), size = binding_within * std::max(1.0, row_size(row));
    if (std::abs(value - row.lower) <= size)
      active.emplace_back(r, row.lower - value);
    else if (std::abs(value - row.upper) <= size)
      active.emplace_back(r, row.upper - value);
  }
  const auto f = Eigen::Index(free.size()), k = Eigen::Index(active.size());
  Eigen::MatrixXd system = Eigen::MatrixXd::Zero(f + k, f + k);
  Eigen::VectorXd right(f + k);
  for (Eigen::Index a = 0; a < f; ++a) {
    const Eigen::VectorXd column = covariance.column(free[std::size_t(a)]);
    for (Eigen::Index b = 0; b < f; ++b) system(b, a) = column[free[std::size_t(b)]];
    right[a] = -gradient.below[free[std::size_t(a)]];
  }
  for (Eigen::Index r = 0; r < k; ++r) {
    const auto& [number, missing] = active[std::size_t(r)];
    for (Eigen::Index a = 0; a < f; ++a) {
      const auto& row = rows[number];
      const auto i = free[std::size_t(a)];
      double entry = row.coefficients[i];
      if (row.bend.size() > 0) entry += row.bend[i] * slope_from(weights[i], row.bend_at[i], true);
      system(f + r, a) = entry;
      system(a, f + r) = -entry;
    }
    right[f + r] = missing;
  }
  const Eigen::VectorXd change = dense::least_squares(system, right);
  for (Eigen::Index a = 0; a < f; ++a) result.weights[free[std::size_t(a)]] += change[a];
  for (Eigen::Index r = 0; r < k; ++r) result.row_prices[Eigen::Index(active[std::size_t(r)].first)] += change[f + r];
  return result;
}

}  // namespace inchtide

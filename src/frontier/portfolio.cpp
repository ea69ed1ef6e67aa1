#include "frontier/portfolio.hpp"

#include <Eigen/QR>
#include <algorithm>
#include <cmath>
#include <limits>
#include <stdexcept>
#include <vector>

namespace inchtide {
namespace {

constexpr double binding_within = 1e-9;
/// Sw is a sum of terms up to max(S_ii) sum|w|; where it cancels to less than this part of them (a portfolio without
/// variance), residuals are measured against this part instead: times 1e-9, a few hundred roundings.
constexpr double cancelled = 1e-4;

enum class Place { lower, upper, free, fixed };

Place place_of(const Bounds& bounds, const Eigen::VectorXd& weights, Eigen::Index i) {
  const bool at_lower = weights[i] - bounds.lower[i] <= binding_within;
  const bool at_upper = bounds.upper[i] - weights[i] <= binding_within;
  if (at_lower && at_upper) return Place::fixed;
  return at_lower ? Place::lower : at_upper ? Place::upper : Place::free;
}

/// The gradient of 1/2 w'Sw - lambda m'w, and the size of its terms.
struct Gradient {
  Eigen::VectorXd values;
  double scale = 0;
};

Gradient gradient_of(const Covariance& covariance, const Eigen::VectorXd& expected_return,
                     const Eigen::VectorXd& weights, double lambda) {
  Gradient gradient;
  gradient.values = covariance.product(weights);
  gradient.scale = std::max({gradient.values.cwiseAbs().maxCoeff(), lambda * expected_return.cwiseAbs().maxCoeff(),
                             cancelled * covariance.variances().maxCoeff() * weights.cwiseAbs().sum()});
  gradient.values -= lambda * expected_return;
  return gradient;
}

/// Prices of the budget that fit every asset: a single value (up to rounding) when an asset is free, else an interval.
struct BudgetPrice {
  double least = -std::numeric_limits<double>::infinity();
  double most = std::numeric_limits<double>::infinity();

  double middle() const {
    if (std::isinf(least) && std::isinf(most)) return 0;
    if (std::isinf(least)) return most;
    if (std::isinf(most)) return least;
    return (least + most) / 2;
  }
};

BudgetPrice budget_price(const Gradient& gradient, const Bounds& bounds, const Eigen::VectorXd& weights) {
  BudgetPrice price;
  double least_free = std::numeric_limits<double>::infinity(), most_free = -least_free;
  for (Eigen::Index i = 0; i < weights.size(); ++i) {
    const double g = gradient.values[i];
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

/// Takes the rows' prices off the gradient: what is left is for the bounds. The size of the terms may grow.
void take_off_rows(Gradient& gradient, const Bounds& bounds, const Eigen::VectorXd& row_prices) {
  gradient.values.array() -= row_prices[0];
  for (std::size_t r = 0; r < bounds.rows.size(); ++r) {
    gradient.values -= row_prices[Eigen::Index(r) + 1] * bounds.rows[r].coefficients;
  }
}

void check_row_prices(const Bounds& bounds, const Eigen::VectorXd& row_prices) {
  if (row_prices.size() != Eigen::Index(bounds.rows.size()) + 1) {
    throw std::logic_error("limits with rows need the prices of the budget and of each row");
  }
}

}  // namespace

double Certificate::worst() const {
  return std::max({limit_violation, stationarity, complementarity});
}

BoundPrices bound_prices(const Covariance& covariance, const Eigen::VectorXd& expected_return, const Bounds& bounds,
                         const Eigen::VectorXd& weights, double lambda, const Eigen::VectorXd& row_prices) {
  auto gradient = gradient_of(covariance, expected_return, weights, lambda);
  if (!bounds.rows.empty()) {
    check_row_prices(bounds, row_prices);
    take_off_rows(gradient, bounds, row_prices);
    BoundPrices prices{row_prices[0], row_prices.tail(row_prices.size() - 1), gradient.values};
    for (Eigen::Index i = 0; i < weights.size(); ++i) {
      double& z = prices.bound[i];
      switch (place_of(bounds, weights, i)) {
        case Place::lower: z = std::max(0.0, z); break;
        case Place::upper: z = std::min(0.0, z); break;
        case Place::free: z = 0; break;
        case Place::fixed: break;
      }
    }
    return prices;
  }
  const auto price = budget_price(gradient, bounds, weights);
  BoundPrices prices{price.middle(), {}, Eigen::VectorXd::Zero(weights.size())};
  for (Eigen::Index i = 0; i < weights.size(); ++i) {
    const double g = gradient.values[i];
    const double least = std::isinf(price.least) ? price.middle() : price.least;
    const double most = std::isinf(price.most) ? price.middle() : price.most;
    switch (place_of(bounds, weights, i)) {
      case Place::lower: prices.bound[i] = std::max(0.0, g - most); break;
      case Place::upper: prices.bound[i] = std::min(0.0, g - least); break;
      case Place::fixed: prices.bound[i] = g - prices.budget; break;
      case Place::free: break;
    }
  }
  return prices;
}

Certificate certify(const Covariance& covariance, const Eigen::VectorXd& expected_return, const Bounds& bounds,
                    const Eigen::VectorXd& weights, double lambda, const Eigen::VectorXd& row_prices) {
  auto gradient = gradient_of(covariance, expected_return, weights, lambda);
  const double scale = std::max(gradient.scale, std::numeric_limits<double>::min());
  Certificate certificate;
  certificate.limit_violation = std::abs(weights.sum() - 1);
  double y = 0;
  if (bounds.rows.empty()) {
    y = budget_price(gradient, bounds, weights).middle();
  } else {
    check_row_prices(bounds, row_prices);
    take_off_rows(gradient, bounds, row_prices);
    for (std::size_t r = 0; r < bounds.rows.size(); ++r) {
      const auto& row = bounds.rows[r];
      const double value = row.coefficients.dot(weights), price = row_prices[Eigen::Index(r) + 1];
      const double size = std::max(row.coefficients.cwiseAbs().maxCoeff(), std::numeric_limits<double>::min());
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
  for (Eigen::Index i = 0; i < weights.size(); ++i) {
    const double below = bounds.lower[i] - weights[i], above = weights[i] - bounds.upper[i];
    certificate.limit_violation = std::max({certificate.limit_violation, below, above});
    const double z = gradient.values[i] - y;
    const auto place = place_of(bounds, weights, i);
    const bool priced = place == Place::fixed || (place == Place::lower && z > 0) || (place == Place::upper && z < 0);
    if (priced) {
      const double distance = std::abs(z > 0 ? below : above);
      certificate.complementarity = std::max(certificate.complementarity, std::abs(z) * distance / scale);
    } else {
      certificate.stationarity = std::max(certificate.stationarity, std::abs(z) / scale);
    }
  }
  return certificate;
}

std::optional<Polished> polished(const Covariance& covariance, const Eigen::VectorXd& expected_return,
                                 const Bounds& bounds, const Eigen::VectorXd& weights, double lambda,
                                 const Eigen::VectorXd& row_prices) {
  std::vector<Eigen::Index> free;
  for (Eigen::Index i = 0; i < weights.size(); ++i) {
    if (place_of(bounds, weights, i) == Place::free) free.push_back(i);
  }
  if (free.empty()) return std::nullopt;
  Polished result{weights, row_prices};
  auto gradient = gradient_of(covariance, expected_return, weights, lambda);
  if (bounds.rows.empty()) {
    result.row_prices = Eigen::VectorXd::Constant(1, budget_price(gradient, bounds, weights).middle());
  }
  take_off_rows(gradient, bounds, result.row_prices);

  // The budget, and rows at an end: what each has to make up for.
  std::vector<std::pair<Eigen::Index, double>> active{{0, 1 - weights.sum()}};
  for (std::size_t r = 0; r < bounds.rows.size(); ++r) {
    const auto& row = bounds.rows[r];
    const double value = row.coefficients.dot(weights);
    const double size = binding_within * std::max(1.0, row.coefficients.cwiseAbs().maxCoeff());
    if (std::abs(value - row.lower) <= size)
      active.emplace_back(Eigen::Index(r) + 1, row.lower - value);
    else if (std::abs(value - row.upper) <= size)
      active.emplace_back(Eigen::Index(r) + 1, row.upper - value);
  }
  const auto f = Eigen::Index(free.size()), k = Eigen::Index(active.size());
  Eigen::MatrixXd system = Eigen::MatrixXd::Zero(f + k, f + k);
  Eigen::VectorXd right(f + k);
  for (Eigen::Index a = 0; a < f; ++a) {
    const Eigen::VectorXd column = covariance.column(free[std::size_t(a)]);
    for (Eigen::Index b = 0; b < f; ++b) system(b, a) = column[free[std::size_t(b)]];
    right[a] = -gradient.values[free[std::size_t(a)]];
  }
  for (Eigen::Index r = 0; r < k; ++r) {
    const auto& [number, missing] = active[std::size_t(r)];
    for (Eigen::Index a = 0; a < f; ++a) {
      const double entry = number == 0 ? 1 : bounds.rows[std::size_t(number - 1)].coefficients[free[std::size_t(a)]];
      system(f + r, a) = entry;
      system(a, f + r) = -entry;
    }
    right[f + r] = missing;
  }
  const Eigen::VectorXd change = system.completeOrthogonalDecomposition().solve(right);
  for (Eigen::Index a = 0; a < f; ++a) result.weights[free[std::size_t(a)]] += change[a];
  for (Eigen::Index r = 0; r < k; ++r) result.row_prices[active[std::size_t(r)].first] += change[f + r];
  return result;
}

}  // namespace inchtide

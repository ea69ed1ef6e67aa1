#include "inchtide/frontier/portfolio.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

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

}  // namespace

double Certificate::worst() const {
  return std::max({limit_violation, stationarity, complementarity});
}

BoundPrices bound_prices(const Covariance& covariance, const Eigen::VectorXd& expected_return, const Bounds& bounds,
                         const Eigen::VectorXd& weights, double lambda) {
  const auto gradient = gradient_of(covariance, expected_return, weights, lambda);
  const auto price = budget_price(gradient, bounds, weights);
  BoundPrices prices{price.middle(), Eigen::VectorXd::Zero(weights.size())};
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
                    const Eigen::VectorXd& weights, double lambda) {
  const auto gradient = gradient_of(covariance, expected_return, weights, lambda);
  const double y = budget_price(gradient, bounds, weights).middle();
  const double scale = std::max(gradient.scale, std::numeric_limits<double>::min());
  Certificate certificate;
  certificate.limit_violation = std::abs(weights.sum() - 1);
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

}  // namespace inchtide

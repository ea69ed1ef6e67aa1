// Weights that look at risk alone.

#include "inchtide/weights/allocation.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>

#include "frontier/portfolio.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/base/range.hpp"
#include "weights/positions.hpp"
#include "weights/solution.hpp"
#include "weights/tolerances.hpp"

namespace inchtide {

Eigen::VectorXd inverse_volatility_weights(const Estimate& estimate) {
  Eigen::VectorXd weights = estimate.volatilities();
  for (Eigen::Index i = 0; i < weights.size(); ++i) {
    if (!(weights[i] > 0)) {
      throw InputError("inverse-volatility",
                       fmt::format("{} has no volatility, so its weight has no end", estimate.assets[std::size_t(i)]),
                       {Means::assets, "Leave it out"});
    }
    weights[i] = 1 / weights[i];
  }
  return weights / weights.sum();
}

Eigen::VectorXd equal_risk_weights(const Estimate& estimate) {
  const auto n = estimate.size();
  const auto& covariance = estimate.covariance;
  const auto least = trace_frontier(estimate, Bounds::long_only(n)).minimum_variance();
  if (least.volatility * least.volatility <= no_variance * covariance.variances().maxCoeff()) {
    throw InputError("equal-risk-contribution", "a long-only mix of the assets has no variance, so no risk to share",
                     {Means::assets, "Leave riskless assets out"});
  }
  // One weight at a time to its own optimum: a quadratic equation. The objective falls each time and is strictly
  // convex.
  Eigen::VectorXd x = estimate.volatilities().cwiseInverse() / std::sqrt(double(n));
  Eigen::VectorXd risk = covariance.product(x);
  const double share = 1 / double(n);
  constexpr int most_rounds = 10000;
  for (int round = 0; round < most_rounds; ++round) {
    for (Eigen::Index i = 0; i < n; ++i) {
      const double own = covariance.variance(i), others = risk[i] - own * x[i];
      const double root = std::sqrt(others * others + 4 * own * share);
      const double next = others > 0 ? 2 * share / (others + root) : (root - others) / (2 * own);
      risk += (next - x[i]) * covariance.column(i);
      x[i] = next;
    }
    risk = covariance.product(x);
    if ((x.cwiseProduct(risk).array() - share).abs().maxCoeff() <= equal_risk * share) return x / x.sum();
  }
  throw UncertifiedAnswer("The weights of equal risk contribution could not be found to 1e-12");
}

}  // namespace inchtide

#pragma once
// Ceilings on volatility and tracking error beside an objective 1/2 w'Sw - lambda m'w: convex limits, one figure each.

#include <optional>
#include <vector>

#include "inchtide/frontier/frontier.hpp"

namespace inchtide {

/// w'Sw - 2 pull'w + constant <= most. For volatility pull and constant are 0.
struct Ceiling {
  Eigen::VectorXd pull;
  double constant = 0;
  double most = 0;

  double squared(const Covariance& covariance, const Eigen::VectorXd& weights) const {
    return covariance.portfolio_variance(weights) - 2 * pull.dot(weights) + constant;
  }
};

/// @throws InputError where the benchmark is not known
const BenchmarkRisk& benchmark_of(const std::optional<BenchmarkRisk>& benchmark);

/// @throws InputError for a ceiling on tracking error without a benchmark
std::vector<Ceiling> ceilings_of(const Bounds& bounds, const std::optional<BenchmarkRisk>& benchmark);

/// The least 1/2 w'Sw - lambda m'w within bounds and ceilings; none where they leave no weights.
/// @param bounds ranges, rows and the ceiling on volatility count; one on tracking error is that of `benchmark`
std::optional<Portfolio> least_within_ceilings(const Estimate& estimate, const Bounds& bounds, double lambda,
                                               const std::optional<BenchmarkRisk>& benchmark);

}  // namespace inchtide

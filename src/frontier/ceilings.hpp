#pragma once
// Ceilings on volatility and tracking error beside an objective 1/2 w'Sw - lambda m'w: convex limits, one figure each.

#include <optional>
#include <vector>

#include "inchtide/frontier/frontier.hpp"

namespace inchtide {

/// On the square of the tracking error; for volatility the benchmark is nothing at all.
struct Ceiling {
  BenchmarkRisk from;
  double most = 0;
};

/// @throws InputError where the benchmark is not known
/// @param what needs it
const BenchmarkRisk& known_benchmark(const std::optional<BenchmarkRisk>& benchmark,
                                     const Where& what = "tracking error");

/// @throws InputError for a ceiling on tracking error without a benchmark
std::vector<Ceiling> ceilings_of(const Bounds& bounds, const std::optional<BenchmarkRisk>& benchmark);

/// The least 1/2 w'Sw - lambda m'w within bounds and ceilings; none where they leave no weights.
/// @param bounds ranges, rows and the ceiling on volatility count; one on tracking error is that of `benchmark`
std::optional<Portfolio> least_within_ceilings(const Estimate& estimate, const Bounds& bounds, double lambda,
                                               const std::optional<BenchmarkRisk>& benchmark);

}  // namespace inchtide

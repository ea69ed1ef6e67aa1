#pragma once
// Branch and bound over choices of positions, for one quadratic objective.

#include <optional>

#include "inchtide/frontier/holdings.hpp"

namespace inchtide {

/// @param benchmark_variance where expected returns are the covariances with a benchmark and lambda is 1, so that the
///        objective is half the square of a tracking error: gaps are measured against that
HoldingsAnswer search_positions(const Estimate& estimate, const Bounds& bounds, const HoldingsOptions& options,
                                std::optional<double> benchmark_variance = {});

}  // namespace inchtide

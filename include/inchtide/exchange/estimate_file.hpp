#pragma once
/// The estimate file (JSON): expected returns and covariance, from this tool or from another program.

#include <filesystem>

#include "inchtide/estimate/estimate.hpp"

namespace inchtide::exchange {

/// Reads an estimate at the top level of the file or under `result`. Required: `assets`, `expected_return`, and either
/// `covariance` (a list of N lists) or `loadings` (N lists of K), `factor_covariance` (K lists of K) and
/// `specific_variance` (N). Optional: `returns` (must be "simple"), `denominator`, `periods_per_year`, `observations`,
/// `from`, `to`, `risk_free`.
/// @throws InputError naming the file and the field: bad JSON, a field that is missing or of the wrong size, a figure
///         that isn't a number, a covariance that isn't symmetric or not positive semidefinite, log returns
Estimate read_estimate(const std::filesystem::path& path);

}  // namespace inchtide::exchange

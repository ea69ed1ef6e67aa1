#pragma once
/// The tables of estimates, as values: each asset's figures with their uncertainty, and methods side by side.

#include <string>
#include <utility>
#include <vector>

#include "inchtide/estimate/bootstrap.hpp"
#include "inchtide/estimate/estimators.hpp"
#include "inchtide/report/table.hpp"

namespace inchtide::report {

/// Expected return, its standard error, volatility and Sharpe ratio of each asset; the manager's own figures are
/// marked.
/// @param bands from the bootstrap, or null
[[nodiscard]] Table estimate_table(const Estimated& estimated, const EstimateOptions& options,
                                   const BootstrapBands* bands, double coverage);

/// One row an asset, one column a method.
[[nodiscard]] Table expected_methods_table(const std::vector<std::pair<std::string, Estimated>>& methods);

/// One row a method: intensity, condition number, mean volatility and correlation.
[[nodiscard]] Table covariance_methods_table(const std::vector<std::pair<std::string, Estimated>>& methods);

}  // namespace inchtide::report

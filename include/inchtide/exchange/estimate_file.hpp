#pragma once
/// The estimate file: expected returns and covariance, from this tool or from another program; JSON, or CSV for people.
///
/// @code
/// #include <cassert>
/// #include <cmath>
/// #include <filesystem>
/// #include "inchtide/exchange/files.hpp"
/// const auto folder = std::filesystem::temp_directory_path() / "inchtide-snippet-estimate";
/// std::filesystem::create_directories(folder);
/// using namespace inchtide;
/// Estimate estimate;
/// estimate.assets = {"HOLLBOND", "HOLLBANK"};
/// estimate.expected_return = Eigen::Vector2d(0.03, 0.08);
/// estimate.covariance = Covariance::dense(Eigen::Vector2d(0.0025, 0.04).asDiagonal());
/// exchange::write_text_file(folder / "e.csv", exchange::estimate_sheet(estimate));
/// const auto back = exchange::read_estimate(folder / "e.csv");
/// assert(back.assets == estimate.assets && std::abs(back.covariance.variance(1) - 0.04) < 1e-15);
/// std::filesystem::remove_all(folder);
/// @endcode

#include <filesystem>
#include <string>

#include "inchtide/base/api.hpp"
#include "inchtide/estimate/estimate.hpp"

namespace inchtide::exchange {

/// Reads an estimate at the top level of the file or under `result`. Required: `assets`, `expected_return`, and either
/// `covariance` (a list of N lists) or `loadings` (N lists of K), `factor_covariance` (K lists of K) and
/// `specific_variance` (N). Optional: `returns` ("simple" or "log"), `denominator`, `periods_per_year`, `observations`,
/// `from`, `to`, `risk_free`.
///
/// A file whose name ends with .csv is a sheet instead: a row an asset with the columns `asset`, `expected return` and
/// `volatility` (percent per year), and a column with the name of each asset that holds correlations. Half of them is
/// enough; an empty cell is filled from across the diagonal.
/// @throws InputError naming the file and the field, or the line and the column: bad JSON, a field that is missing or
///         of the wrong size, a figure that isn't a number, a covariance that isn't symmetric or not positive
///         semidefinite
[[nodiscard]] INCHTIDE_API Estimate read_estimate(const std::filesystem::path& path);

/// An estimate as such a sheet, all of it filled. What it leaves out: days, observations, risk-free rate. Correlations
/// with an asset of no volatility are 0.
[[nodiscard]] INCHTIDE_API std::string estimate_sheet(const Estimate& estimate);

}  // namespace inchtide::exchange

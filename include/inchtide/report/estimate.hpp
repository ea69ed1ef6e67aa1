#pragma once
/// The chapter of estimates: each asset's figures with their uncertainty, and methods side by side.
///
/// @code
/// #include <cassert>
/// inchtide::Estimate estimate;
/// estimate.assets = {"HOLLBOND", "HOLLBANK"};
/// estimate.expected_return = Eigen::Vector2d(0.03, 0.08);
/// estimate.covariance = inchtide::Covariance::dense(Eigen::Vector2d(0.0025, 0.04).asDiagonal());
/// assert(inchtide::report::in_a_line(estimate) ==
///        "Estimate from a file, 2 assets; variances have the denominator T-1");
/// @endcode

#include <string>

#include "inchtide/base/api.hpp"
#include "inchtide/report/chapter.hpp"
#include "inchtide/study/estimation.hpp"

namespace inchtide::report {

/// Where an estimate comes from, in a line.
[[nodiscard]] INCHTIDE_API std::string in_a_line(const Estimate& estimate);
/// Its figures, an asset a row.
[[nodiscard]] INCHTIDE_API std::string in_full(const Estimated& estimated);

/// Tables: estimate, and where methods were compared expected-returns and covariances. Result: the fields that an
/// estimate file holds, what the estimate says of itself, and `bands` where there are any. Files: estimate-file.csv.
/// @param from with the day before which the estimate was made
[[nodiscard]] INCHTIDE_API Chapter estimate_chapter(const Estimation& estimation, const Universe& universe,
                                                    const Settings& settings, const Background& from);

}  // namespace inchtide::report

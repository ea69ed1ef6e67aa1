#pragma once
/// The chapter of estimates: each asset's figures with their uncertainty, and methods side by side.

#include <string>

#include "inchtide/report/chapter.hpp"
#include "inchtide/study/estimation.hpp"

namespace inchtide::report {

/// Where an estimate comes from, in a line.
[[nodiscard]] std::string in_a_line(const Estimate& estimate);
/// Its figures, an asset a row.
[[nodiscard]] std::string in_full(const Estimated& estimated);

/// Tables: estimate, and where methods were compared expected-returns and covariances. Result: the fields that an
/// estimate file holds, what the estimate says of itself, and `bands` where there are any. Files: estimate-file.csv.
/// @param from with the day before which the estimate was made
[[nodiscard]] Chapter estimate_chapter(const Estimation& estimation, const Universe& universe, const Settings& settings,
                                       const Background& from);

}  // namespace inchtide::report

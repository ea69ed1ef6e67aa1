#pragma once
/// The chapter of rehearsals.

#include <string>

#include "inchtide/report/chapter.hpp"
#include "inchtide/study/runs.hpp"

namespace inchtide::report {

/// What it delivered after costs.
[[nodiscard]] std::string in_a_line(const Rehearsal& run);
/// Its figures, a line each.
[[nodiscard]] std::string in_full(const Rehearsal& run);

/// Table: runs. Chart: wealth. Result: `runs`.
/// @param from with the day of the split
[[nodiscard]] Chapter rehearse_chapter(const Runs& runs, const Basis& basis, const Universe& universe,
                                       const Portfolios& portfolios, const Settings& settings, const Background& from);

}  // namespace inchtide::report

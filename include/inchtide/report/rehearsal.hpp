#pragma once
/// The chapter of rehearsals.
///
/// @code
/// #include <cassert>
/// inchtide::Rehearsal run;
/// run.name = "even, never";
/// run.growth_per_year = 0.05;
/// run.order_count = 2;
/// assert(inchtide::report::in_a_line(run) ==
///        "even, never: 5.00% a year after costs of 0.00% a year, deepest fall 0.00%, 2 orders");
/// @endcode

#include <optional>
#include <string>

#include "inchtide/base/api.hpp"
#include "inchtide/report/chapter.hpp"
#include "inchtide/study/cost_levels.hpp"
#include "inchtide/study/futures.hpp"
#include "inchtide/study/luck.hpp"
#include "inchtide/study/runs.hpp"

namespace inchtide::report {

/// What it delivered after costs.
[[nodiscard]] INCHTIDE_API std::string in_a_line(const Rehearsal& run);
/// Its figures, a line each.
[[nodiscard]] INCHTIDE_API std::string in_full(const Rehearsal& run);

/// What was asked besides the runs themselves.
struct INCHTIDE_API RehearsalAnswers {
  std::optional<StudyLuck> luck{};
  std::optional<CostLevels> levels{};
  std::optional<Futures> futures{};
};

/// Tables: runs, and what stands beside them. Charts: wealth and others. Result: `runs`, `luck`, `futures`, ...
/// @param from with the day of the split
/// @throws InputError without any run
[[nodiscard]] INCHTIDE_API Chapter rehearse_chapter(const Runs& runs, const Basis& basis, const Universe& universe,
                                                    const Portfolios& portfolios, const Settings& settings,
                                                    const Background& from, const RehearsalAnswers& answers = {});

}  // namespace inchtide::report

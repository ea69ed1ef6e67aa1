#pragma once
/// Many rehearsals told: what a grid came to, what a store holds, and what of it was luck.
///
/// @code
/// #include <cassert>
/// using namespace inchtide;
/// exchange::RunStore store;
/// GridRun run;
/// run.name = "equal, never";
/// run.key = "0123";
/// run.figures.assign(kept_figures().size(), 0.5);
/// store.put(run, "inputs");
/// const auto chapter = report::runs_chapter(store, {}, "many.runs");
/// assert(chapter.result["runs"][0]["sharpe"] == 0.5);
/// @endcode

#include <optional>
#include <string>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/exchange/run_store.hpp"
#include "inchtide/report/chapter.hpp"
#include "inchtide/study/luck.hpp"

namespace inchtide::report {

/// What was asked of a grid and became of it.
struct INCHTIDE_API GridAccount {
  std::string shape;                 ///< "8 schedules x 5 cost levels"
  std::size_t cells = 0, there = 0;  ///< those asked for; those that were in the store already
  std::string file;                  ///< of the store; empty where it isn't kept
};

/// Of the chosen runs of a store: the first by a figure, means along each axis, the best schedule at each level of
/// costs, and what was luck among those at one level.
[[nodiscard]] INCHTIDE_API Chapter grid_chapter(const exchange::RunStore& store, const GridAccount& account,
                                                const exchange::RunQuery& shown, const std::optional<CellLuck>& luck);

/// What a store holds, as far as a query asks for it.
[[nodiscard]] INCHTIDE_API Chapter runs_chapter(const exchange::RunStore& store, const exchange::RunQuery& query,
                                                const std::string& file);

/// Why no run fits a query: of each condition, how many it fits alone, and where that is none, what there is.
[[nodiscard]] INCHTIDE_API Notice why_none_fits(const exchange::RunStore& store, const exchange::RunQuery& query);

/// One run whole: its figures, years, costs, trades, log and wealth.
[[nodiscard]] INCHTIDE_API Chapter run_chapter(const Rehearsal& run, const GridRun& kept, const std::string& currency);

[[nodiscard]] INCHTIDE_API Chapter luck_chapter(const CellLuck& luck, const std::string& file);

}  // namespace inchtide::report

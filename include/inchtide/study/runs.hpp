#pragma once
/// The runs of a study: every portfolio rehearsed on every schedule, and the benchmark beside them.
///
/// @code
/// #include <cassert>
/// using namespace inchtide;
/// Sources sources;
/// for (const char* code : {"TIDEMILL", "KELPFARM", "HOLLBOND"}) {
///   BarHistory bars{code};
///   std::vector<Day> days;
///   for (int week = 0; week < 150; ++week) {
///     days.push_back(*parse_day("2021-01-08") + std::chrono::days{7 * week});
///     bars.of(PriceField::close).push_back(20 + week * code[1] % 7);
///   }
///   bars.days = DayList(std::move(days));
///   sources.bars.push_back(std::move(bars));
/// }
/// Settings settings;
/// settings.benchmark = "HOLLBOND";
/// settings.split = *parse_day("2023-01-01");
/// settings.aims = {Aim::parse("equal", "")};
/// settings.schedules = {Schedule::parse("never", ""), Schedule::parse("1m", "")};
/// const auto universe = universe_of(sources, settings);
/// const auto basis = basis_of(universe, sources, settings, settings.split);
/// const auto runs = runs_of(universe, basis, portfolios_of(basis, sources, settings), settings);
/// assert(runs.all.size() == 3);  // the benchmark's last
/// @endcode

#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/rehearsal/rehearsal.hpp"
#include "inchtide/study/portfolios.hpp"

namespace inchtide {

struct INCHTIDE_API Runs {
  std::vector<Rehearsal> all;    ///< portfolio by portfolio, schedule by schedule; then the benchmark's, without costs
  std::vector<Notice> warnings;  ///< days that are no part of the walk, borrowing, trading for free
};

/// The day from which a study rehearses.
/// @throws InputError without one: the weights would be chosen by the very prices they are tested on
[[nodiscard]] INCHTIDE_API Day split_of(const Settings& settings);

/// The prices to walk through: days on which every asset has one of its own (nothing is traded at a price that was
/// carried forward), from the last of them before the split, on which the first purchase is decided. The benchmark's
/// last price counts where it has none.
/// @throws InputError for a split that leaves no prices on one side of it
[[nodiscard]] INCHTIDE_API PriceTable walk_of(const Universe& universe, const Settings& settings,
                                              std::vector<Notice>& warnings);

/// @throws InputError as `split_of`, `walk_of` and `rehearse` do; Interrupted when stopped
[[nodiscard]] INCHTIDE_API Runs runs_of(const Universe& universe, const Basis& basis, const Portfolios& portfolios,
                                        const Settings& settings, const Watch& watch = {});

}  // namespace inchtide

#pragma once
/// What of a study's runs was luck: the best of them beside a baseline, and what the choice of the day alone does.
///
/// @code
/// #include <cassert>
/// using namespace inchtide;
/// Sources sources;
/// for (const char* code : {"TIDEMILL", "KELPFARM"}) {
///   BarHistory bars{code};
///   std::vector<Day> days;
///   for (int day = 0; day < 700; ++day) {
///     days.push_back(*parse_day("2021-01-08") + std::chrono::days{day});
///     bars.of(PriceField::close).push_back(20 + day * code[0] * 7 % 11);
///   }
///   bars.days = DayList(std::move(days));
///   sources.bars.push_back(std::move(bars));
/// }
/// Settings settings;
/// settings.split = *parse_day("2022-01-01");
/// settings.aims = {Aim::parse("equal", "")};
/// settings.schedules = {Schedule::parse("never", ""), Schedule::parse("1m", "")};
/// const auto universe = universe_of(sources, settings);
/// const auto basis = basis_of(universe, sources, settings, settings.split);
/// const auto portfolios = portfolios_of(basis, sources, settings);
/// const auto runs = runs_of(universe, basis, portfolios, sources, settings);
/// const auto luck = luck_among(runs, settings, basis.risk_free);
/// assert(luck.names[luck.baseline] == "equal, never" && luck.judged.distinct == 2);
/// @endcode

#include <string>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/rehearsal/luck.hpp"
#include "inchtide/study/grid.hpp"
#include "inchtide/study/runs.hpp"

namespace inchtide {

/// What the choice of the day alone does to a calendar: the same number of rows apart, from so many first rows.
struct INCHTIDE_API TimingLuck {
  std::string aim, schedule;
  int rows = 0;                    ///< from one look to the next: 5 of a week, 21 of a month, 63, 252
  int starts = 0;                  ///< evenly over those rows
  double lowest = 0, highest = 0;  ///< growth per year
};

/// The runs of a study but for the benchmark's, held against one of them.
struct INCHTIDE_API StudyLuck {
  std::vector<std::string> names;  ///< of all, in their order
  std::size_t baseline = 0;        ///< which of them
  Luck judged;                     ///< its runs are those but for the baseline, in order
  double rows_per_year = 252;      ///< makes ratios per row ones per year, by its root
  std::vector<TimingLuck> timing;  ///< of the calendars beside the one that stands out most, where it was asked

  /// Which of all a run that was judged is.
  [[nodiscard]] std::size_t of_all(std::size_t judged_run) const { return judged_run + (judged_run >= baseline); }
};

/// Which run the others are held against, by the settings' `baseline`: a run's name, that of a schedule, or of an aim
/// (its first run); the first run when it is empty.
/// @throws InputError for one that is none of them
[[nodiscard]] INCHTIDE_API std::size_t baseline_of(const Runs& runs, const Settings& settings);

/// Returns of all days that the runs share, from the row after the first trade's, less the risk-free rate.
/// @param settings its `tried` counts among the tries
/// @param options their `tried` is set from the settings
/// @throws InputError as `baseline_of` and `luck_of`, and for fewer than two runs
[[nodiscard]] INCHTIDE_API StudyLuck luck_among(const Runs& runs, const Settings& settings, double risk_free,
                                                LuckOptions options = {});

/// For each schedule that is a calendar alone. Not of weights that are chosen anew.
/// @param portfolio the aim whose weights they are
/// @throws InputError as `runs_of`; Interrupted when stopped
[[nodiscard]] INCHTIDE_API std::vector<TimingLuck> timing_of(const Universe& universe, const Basis& basis,
                                                             const Portfolios& portfolios, const Sources& sources,
                                                             const Settings& settings, const std::string& portfolio,
                                                             const LuckOptions& options = {});

/// Both: the timing is that of the aim which stands out most, else of the baseline's.
[[nodiscard]] INCHTIDE_API StudyLuck luck_with_timing(const Universe& universe, const Basis& basis,
                                                      const Portfolios& portfolios, const Sources& sources,
                                                      const Settings& settings, const Runs& runs,
                                                      const LuckOptions& options = {});

/// Cells of a grid held against one of them: each is run again, as only figures are kept. The timing is that of the
/// cell which stands out most, else of the baseline's, on its schedules.
struct INCHTIDE_API CellLuck {
  StudyLuck luck;
  std::vector<Rehearsal> runs;  ///< their figures; without days, trades and log
};

/// @param cells tries: at one level of costs, of one delay and from one start
/// @param baseline by a name, a schedule or an aim, as `baseline_of`
/// @throws InputError for cells that aren't walked over the same days, more of them than can be held at once, and as
///         `luck_of`
[[nodiscard]] INCHTIDE_API CellLuck luck_among_cells(const CellRunner& runner, const std::vector<GridRun>& cells,
                                                     const std::string& baseline, double tried,
                                                     LuckOptions options = {});

}  // namespace inchtide

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
/// const auto runs = runs_of(universe, basis, portfolios_of(basis, sources, settings), sources, settings);
/// assert(runs.all.size() == 3);  // the benchmark's last
/// @endcode

#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/rehearsal/rehearsal.hpp"
#include "inchtide/study/portfolios.hpp"

namespace inchtide {

/// What an estimate promised of the weights that it chose, and what the days until the next one brought after costs.
struct INCHTIDE_API Promise {
  std::string run;
  Day from{}, to{};  ///< the closes between which it was kept or not
  double expected_return = 0, volatility = 0, sharpe = 0;
  double delivered_return = 0, delivered_volatility = 0, delivered_sharpe = 0;  ///< per year; the return arithmetic
};

/// Over all estimates of a run.
struct INCHTIDE_API PromiseKept {
  std::string run;
  std::size_t estimates = 0;
  double volatility_ratio = 0;  ///< root of the sum of squared demeaned returns over the sum of promised variances
  double mean_difference = 0;   ///< of delivered and expected return, per year
  double difference_error = 0;  ///< its standard error; 0 of a single estimate
};

struct INCHTIDE_API FailedRun {
  std::string name;
  Notice why;
};

struct INCHTIDE_API Runs {
  std::vector<Rehearsal> all;  ///< portfolio by portfolio, schedule by schedule; then the benchmark's, without costs
  std::vector<AgainstBenchmark> against;  ///< of each run; empty without a benchmark
  std::vector<Promise> promised;
  std::vector<PromiseKept> kept;  ///< one a run that promised something
  std::vector<FailedRun> failed;  ///< runs that could not be made
  std::vector<Notice> warnings;   ///< days that are no part of the walk, borrowing, trading for free
};

/// The day from which a study rehearses.
/// @throws InputError without one: the weights would be chosen by the very prices they are tested on
[[nodiscard]] INCHTIDE_API Day split_of(const Settings& settings);

/// What a rehearsal begins with: estimates by the prices before the split, those of the settings' `estimate_over` where
/// it is given and weights aren't chosen anew on the way.
/// @throws InputError as `split_of` and `basis_of` do, and for a window that reaches before the prices or within which
///         an asset has none
[[nodiscard]] INCHTIDE_API Basis basis_before_split(const Universe& universe, const Sources& sources,
                                                    const Settings& settings);

/// The prices to walk through: days on which any asset has one of its own, with holes where an asset has none (nothing
/// is traded at a price that was carried forward), from the last of them before the split, on which the first purchase
/// is decided. The benchmark adds no day; its last price counts where it has none.
/// @throws InputError for a split that leaves no prices on one side of it
[[nodiscard]] INCHTIDE_API PriceTable walk_of(const Universe& universe, const Settings& settings,
                                              std::vector<Notice>& warnings);

/// A run that cannot be made costs no other, and is listed.
/// @throws InputError as `split_of` and `walk_of` do, and as `rehearse` where no run can be made; Interrupted when
/// stopped
[[nodiscard]] INCHTIDE_API Runs runs_of(const Universe& universe, const Basis& basis, const Portfolios& portfolios,
                                        const Sources& sources, const Settings& settings, const Watch& watch = {});

}  // namespace inchtide

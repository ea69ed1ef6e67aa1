#pragma once
/// Which schedule is best at which level of trading costs, and where two change places.
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
/// settings.costs = {CostClass::parse("10bp", "")};
/// const auto universe = universe_of(sources, settings);
/// const auto basis = basis_of(universe, sources, settings, settings.split);
/// const auto portfolios = portfolios_of(basis, sources, settings);
/// const auto levels = cost_levels_of(universe, basis, portfolios, sources, settings, "equal", "never");
/// assert(levels.levels.front() == 0 && levels.levels.back() == 10);
/// assert(levels.growth(0, 1) > levels.growth(levels.growth.rows() - 1, 1));  // dearer trades leave less
/// @endcode

#include <string>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/study/runs.hpp"

namespace inchtide {

/// A level at which a schedule and the baseline change places: between two that are no further apart than 1e-4 where
/// growth is even in costs; whole units, least and most and bands make it jump, anywhere between them.
struct INCHTIDE_API BreakEven {
  std::size_t schedule = 0;
  double low = 0, high = 0;   ///< times the study's costs
  bool better_below = false;  ///< it grows faster than the baseline below, slower above; else the other way round
};

/// One portfolio's schedules, with every part of trading costs multiplied and nothing else.
struct INCHTIDE_API CostLevels {
  std::string aim;
  std::vector<std::string> schedules;
  std::size_t baseline = 0;    ///< which of them
  std::vector<double> levels;  ///< times the study's costs: 0 to 10, ascending, 1 among them
  Eigen::MatrixXd growth;      ///< per year, levels x schedules; NaN where a run cannot be made
  /// The rest of what a schedule is judged by, of the same runs: per year, and the deepest fall.
  Eigen::MatrixXd volatility, sharpe, max_drawdown, cost_per_year, tracking_to_targets;
  std::vector<BreakEven> break_evens;  ///< by schedule, ascending
};

/// Of schedules whose trades go to the portfolio's fixed weights, or to bands of them; those that weigh costs anew, and
/// weights that are chosen anew, have no such line. Looked for at 64 steps even in ln(1 + level), then by halves.
/// @param portfolio, baseline names of one of each
/// @throws InputError for names that are none, without costs, with fewer than two such schedules, and as `runs_of`;
///         Interrupted when stopped
[[nodiscard]] INCHTIDE_API CostLevels cost_levels_of(const Universe& universe, const Basis& basis,
                                                     const Portfolios& portfolios, const Sources& sources,
                                                     const Settings& settings, const std::string& portfolio,
                                                     const std::string& baseline, int threads = 0,
                                                     const Watch& watch = {});

}  // namespace inchtide

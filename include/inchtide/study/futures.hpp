#pragma once
/// A study's portfolios and schedules on histories that did not happen: what else might have come of them.
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
/// settings.futures = 20;
/// const auto universe = universe_of(sources, settings);
/// const auto basis = basis_before_split(universe, sources, settings);
/// const auto portfolios = portfolios_of(basis, sources, settings);
/// const auto futures = futures_of(universe, basis, portfolios, sources, settings);
/// assert(futures.runs.size() == 2 && futures.runs[1].end_wealth.size() == 20);
/// @endcode

#include <cstdint>
#include <string>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/rehearsal/futures.hpp"
#include "inchtide/study/runs.hpp"

namespace inchtide {

struct INCHTIDE_API FutureOptions {
  double block = 0;  ///< mean length of a block in rows; as the assets' returns ask for when 0
  std::uint64_t seed = 1;
  int threads = 0;  ///< 0: as many as there are processors
  Watch watch = {};
};

/// One portfolio on one schedule, in every history; a figure a history.
struct INCHTIDE_API FutureRun {
  std::string name, schedule, aim;
  Eigen::VectorXd growth_per_year, max_drawdown, cost_per_year, end_wealth;
  Eigen::MatrixXd fan;  ///< wealth by day: rows as `fan_days`, columns as `told_quantiles`
};

struct INCHTIDE_API Futures {
  std::vector<FutureRun> runs;  ///< portfolio by portfolio, schedule by schedule
  std::size_t baseline = 0;     ///< which of them
  std::size_t histories = 0;
  double block = 0;  ///< in rows
  std::uint64_t seed = 1;
  Day from{}, to{};               ///< the days that are drawn from
  std::size_t rows = 0, cut = 0;  ///< how many they are, and how many between had no return of some asset
  std::vector<Day> fan_days;      ///< some hundred of the walk's, the first and the last among them
  std::vector<FailedRun> failed;  ///< runs that some history could not be made of, and its reason
};

/// Every portfolio on every schedule, in the same `settings.futures` histories: each begins at the prices of the first
/// row, on the days of the walk. Weights that are chosen anew are, in each history, by what is known there.
/// @throws InputError for no histories, prices whose actions or traded values matter and cannot be drawn, a price that
///         is missing on the first row, and as `runs_of`; Interrupted when stopped
[[nodiscard]] INCHTIDE_API Futures futures_of(const Universe& universe, const Basis& basis,
                                              const Portfolios& portfolios, const Sources& sources,
                                              const Settings& settings, const FutureOptions& options = {});

}  // namespace inchtide

#pragma once
/// The chapter of how assets move together.
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
/// const auto universe = universe_of(sources, settings);
/// const auto chapter = report::relate_chapter(relations_of(universe, settings), universe, settings, {});
/// assert(chapter.result["correlation"][0][0] == 1 && chapter.charts.front().name == "heat");
/// @endcode

#include "inchtide/base/api.hpp"
#include "inchtide/report/chapter.hpp"
#include "inchtide/study/relations.hpp"

namespace inchtide::report {

/// Tables: correlation, one for each window, averages, changes, negative-pairs, least-related, market-model,
/// components, stability, persistence, diversification, pairs, and for files covariance, loadings, rolling. Charts:
/// heat, heat-SPAN for each window, diversification, rolling.
[[nodiscard]] INCHTIDE_API Chapter relate_chapter(const Relations& relations, const Universe& universe,
                                                  const Settings& settings, const Background& from);

}  // namespace inchtide::report

#pragma once
/// The chapter of how each asset behaved.
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
/// const auto chapter = report::describe_chapter(description_of(universe, settings), universe, settings, {});
/// assert(chapter.result["assets"].size() == 2 && chapter.charts.front().name == "growth");
/// @endcode

#include "inchtide/base/api.hpp"
#include "inchtide/report/chapter.hpp"
#include "inchtide/study/description.hpp"

namespace inchtide::report {

/// Tables: return-and-risk, shape, extremes, and for files histograms. Charts: growth, bars, risk-and-return, histogram
/// (of the first asset), histogram-CODE. Result: `assets`, `benchmark` (null without one), `histograms` of all of them.
[[nodiscard]] INCHTIDE_API Chapter describe_chapter(const Description& description, const Universe& universe,
                                                    const Settings& settings, const Background& from);

}  // namespace inchtide::report

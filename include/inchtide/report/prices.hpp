#pragma once
/// The chapter of prices: what the histories hold, what stands out, and how they look over time.
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
/// const auto universe = universe_of(sources, settings, Purpose::looking);
/// const auto chapter = report::inspect_chapter(inspection_of(universe, settings), universe, settings, {});
/// assert(chapter.tables.front().name == "coverage" && chapter.charts.front().name == "rebased");
/// @endcode

#include "inchtide/base/api.hpp"
#include "inchtide/report/chapter.hpp"
#include "inchtide/study/inspection.hpp"

namespace inchtide::report {

/// How prices over time are written: a column an asset, or a row an asset and day. Holes are empty cells, or rows left
/// out.
enum class Shape { wide, long_rows };

/// Tables: coverage, findings, short-histories, fields, overlays, and for files prices, rebased, growth; or
/// prices-on-day. Charts: rebased, growth, prices, days (with and without prices), bars
/// (of a single asset).
[[nodiscard]] INCHTIDE_API Chapter inspect_chapter(const Inspection& inspection, const Universe& universe,
                                                   const Settings& settings, const Background& from,
                                                   Shape shape = Shape::wide);

}  // namespace inchtide::report

#pragma once
/// The chapter of prices: what the histories hold, what stands out, and how they look over time.

#include "inchtide/report/chapter.hpp"
#include "inchtide/study/inspection.hpp"

namespace inchtide::report {

/// How prices over time are written: a column an asset, or a row an asset and day. Holes are empty cells, or rows left
/// out.
enum class Shape { wide, long_rows };

/// Tables: coverage, findings, short-histories, fields, overlays, and for files prices, rebased, growth; or
/// prices-on-day. Charts: rebased, growth, prices, bars (of a single asset).
[[nodiscard]] Chapter inspect_chapter(const Inspection& inspection, const Universe& universe, const Settings& settings,
                                      const Background& from, Shape shape = Shape::wide);

}  // namespace inchtide::report

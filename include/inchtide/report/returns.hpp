#pragma once
/// The chapter of how each asset behaved.

#include "inchtide/report/chapter.hpp"
#include "inchtide/study/description.hpp"

namespace inchtide::report {

/// Tables: return-and-risk, shape, extremes, and for files histograms. Charts: growth, bars, histogram (of the first
/// asset), histogram-CODE. Result: `assets`, `benchmark` (null without one), `histograms` of all of them.
[[nodiscard]] Chapter describe_chapter(const Description& description, const Universe& universe,
                                       const Settings& settings, const Background& from);

}  // namespace inchtide::report

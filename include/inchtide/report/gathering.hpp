#pragma once
/// The chapter of gathering: what became of each asset.
///
/// @code
/// #include <cassert>
/// using namespace inchtide;
/// exchange::GatherReport report;
/// report.assets = {{"KELPFARM"}};
/// assert(report::gather_chapter(report).sentence == "1 of 1 assets gathered");
/// @endcode

#include "inchtide/base/api.hpp"
#include "inchtide/exchange/gather.hpp"
#include "inchtide/report/chapter.hpp"

namespace inchtide::report {

/// Tables: gathered, failures. Result: `assets` (null figures for one that the store hasn't got), in the order asked
/// for, and `interrupted`.
[[nodiscard]] INCHTIDE_API Chapter gather_chapter(const exchange::GatherReport& report, const SpeltMeans& spelt = {});

}  // namespace inchtide::report

#pragma once
/// The chapter of gathering: what became of each asset.

#include "inchtide/exchange/gather.hpp"
#include "inchtide/report/chapter.hpp"

namespace inchtide::report {

/// Tables: gathered, failures. Result: `assets` (null figures for one that the store hasn't got), in the order asked
/// for, and `interrupted`.
[[nodiscard]] Chapter gather_chapter(const exchange::GatherReport& report, const SpeltMeans& spelt = {});

}  // namespace inchtide::report

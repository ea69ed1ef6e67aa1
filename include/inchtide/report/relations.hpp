#pragma once
/// The chapter of how assets move together.

#include "inchtide/report/chapter.hpp"
#include "inchtide/study/relations.hpp"

namespace inchtide::report {

/// Tables: correlation, one for each window, averages, changes, negative-pairs, least-related, market-model,
/// components, stability, persistence, diversification, pairs, and for files covariance, loadings, rolling. Charts:
/// heat, heat-SPAN for each window, diversification, rolling.
[[nodiscard]] Chapter relate_chapter(const Relations& relations, const Universe& universe, const Settings& settings,
                                     const Background& from);

}  // namespace inchtide::report

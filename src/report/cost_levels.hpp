#pragma once
// Schedules at other levels of costs, as table, chart and JSON.

#include "inchtide/report/chart.hpp"
#include "inchtide/report/table.hpp"
#include "inchtide/study/cost_levels.hpp"
#include "json.hpp"

namespace inchtide::report {

Table cost_levels_table(const CostLevels& levels);
// What each grows by more than the baseline.
Chart cost_levels_chart(const CostLevels& levels);
Json cost_levels_json(const CostLevels& levels);

}  // namespace inchtide::report

#pragma once
// Runs of a store as tables, a chart and JSON.

#include <string>
#include <vector>

#include "inchtide/exchange/run_store.hpp"
#include "inchtide/report/chart.hpp"
#include "inchtide/report/table.hpp"
#include "json.hpp"

namespace inchtide::report {

// @param fitting how many there are, of which these are the first
Table kept_runs_table(const std::vector<GridRun>& runs, const exchange::RunQuery& query, std::size_t fitting);
Json runs_json(const std::vector<GridRun>& runs);

// Means by the values of each axis that has several.
Table axes_table(const exchange::RunStore& store, const exchange::RunQuery& query);

// Mean growth of schedules at each level of costs, over all that is varied besides.
struct LevelMeans {
  std::vector<double> levels;
  std::vector<std::string> schedules;
  std::vector<std::vector<double>> growth;  // of each schedule, at each level
};
LevelMeans levels_of(const exchange::RunStore& store, const exchange::RunQuery& query);
Table levels_table(const LevelMeans& means);
Chart levels_chart(const LevelMeans& means);

}  // namespace inchtide::report

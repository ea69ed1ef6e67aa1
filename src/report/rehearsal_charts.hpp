#pragma once
// The charts of rehearsals.

#include <vector>

#include "inchtide/rehearsal/rehearsal.hpp"
#include "inchtide/report/chart.hpp"

namespace inchtide::report {

// Wealth with its drawdown, a line a portfolio; for each portfolio its weights over time, its schedules beside the
// first, their turnover and their costs by part; drift against cost.
// @param benchmark the last run is its
std::vector<Chart> rehearsal_charts(const std::vector<Rehearsal>& runs, int delay, bool benchmark);

}  // namespace inchtide::report

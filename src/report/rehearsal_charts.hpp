#pragma once
// The charts of rehearsals.

#include <vector>

#include "inchtide/rehearsal/rehearsal.hpp"
#include "inchtide/report/chart.hpp"

namespace inchtide::report {

// Wealth and drawdown, a line a portfolio; for each portfolio its schedules beside the first; drift against cost.
std::vector<Chart> rehearsal_charts(const std::vector<Rehearsal>& runs, int delay);

}  // namespace inchtide::report

#pragma once
// The charts of frontiers.

#include "inchtide/report/chart.hpp"
#include "inchtide/study/tracing.hpp"

namespace inchtide::report {

/// Risk across, return up: the frontier, the assets, the named portfolios, and the capital market line where there is a
/// maximum-Sharpe portfolio; with what else was traced.
Chart frontier_chart(const Tracing& tracing, double risk_free);

/// The weights of every corner stacked over its expected return: exact in between, as both are straight lines there.
Chart transition_chart(const Frontier& frontier);

}  // namespace inchtide::report

#pragma once
// The charts of how assets move together.

#include <string>
#include <vector>

#include "inchtide/relations/correlation.hpp"
#include "inchtide/relations/diversification.hpp"
#include "inchtide/relations/stability.hpp"
#include "inchtide/report/chart.hpp"

namespace inchtide::report {

Chart heat_chart(const std::string& name, const Correlation& correlation, const std::string& title,
                 const std::string& subtitle);
Chart diversification_chart(const DiversificationCurve& curve);
Chart rolling_chart(const std::vector<RollingCorrelation>& pairs);

}  // namespace inchtide::report

#pragma once
// What loosening the limits that bind would bring.

#include <vector>

#include "inchtide/report/chart.hpp"
#include "inchtide/report/table.hpp"
#include "inchtide/weights/allocation.hpp"

namespace inchtide::report {

/// The limits that bind and what loosening each by a percentage point would bring.
Table binding_table(const std::vector<Allocation>& portfolios);

/// The same of one portfolio, as bars.
Chart limits_chart(const Allocation& portfolio);

}  // namespace inchtide::report

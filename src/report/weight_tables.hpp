#pragma once
// The tables of portfolios that several chapters have.

#include <vector>

#include "inchtide/report/table.hpp"
#include "inchtide/weights/allocation.hpp"

namespace inchtide::report {

/// A Sharpe ratio; none without volatility.
inline Cell sharpe_cell(double sharpe, double volatility) {
  return volatility > 0 ? Cell(sharpe) : Cell();
}

/// Portfolios side by side: figures, largest holdings. Aims without a portfolio have a row of their own, and the reason
/// below.
Table comparison_table(const std::vector<Allocation>& portfolios, const std::vector<Unanswered>& unanswered = {});
/// One row an asset, one column a portfolio; assets that none holds are left out and counted.
Table weights_table(const std::vector<Allocation>& portfolios);

/// The largest holdings, with their weights.
std::string largest_holdings(const Allocation& portfolio);

}  // namespace inchtide::report

#pragma once
/// The tables and charts that frontier, weights and rehearsal show, as values; writers draw them.

#include <string>
#include <vector>

#include "inchtide/base/notice.hpp"
#include "inchtide/frontier/frontier.hpp"
#include "inchtide/rehearsal/rehearsal.hpp"
#include "inchtide/report/chart.hpp"
#include "inchtide/report/documents.hpp"
#include "inchtide/report/table.hpp"
#include "inchtide/weights/adjust.hpp"
#include "inchtide/weights/allocation.hpp"

namespace inchtide::report {

/// Where an estimate comes from, in a sentence.
[[nodiscard]] std::string provenance(const Estimate& estimate);

/// The corners of a frontier, with what changes at each.
[[nodiscard]] Table corners_table(const Frontier& frontier, double risk_free);

/// Portfolios side by side: figures, largest holdings. Aims without a portfolio have a row of their own, and the reason
/// below.
[[nodiscard]] Table comparison_table(const std::vector<Allocation>& portfolios,
                                     const std::vector<Unanswered>& unanswered = {});
/// One row an asset, one column a portfolio; assets that none holds are left out and counted.
[[nodiscard]] Table weights_table(const std::vector<Allocation>& portfolios);
/// The share of the variance that comes from each holding.
[[nodiscard]] Table risk_table(const std::vector<Allocation>& portfolios);
/// What optimal portfolios leave out, and the return that it would need.
[[nodiscard]] Table left_out_table(const std::vector<Allocation>& portfolios);
/// The limits that bind and what loosening each by a percentage point would bring.
[[nodiscard]] Table binding_table(const std::vector<Allocation>& portfolios);

/// Two assets from all in one to all in the other.
[[nodiscard]] Table sweep_table(const std::vector<SweepPoint>& points, const std::string& first,
                                const std::string& second);

/// Expected return and volatility of each portfolio, as bars.
[[nodiscard]] Chart compared_chart(const std::vector<Allocation>& portfolios);
/// The share of each asset in each portfolio's variance, as bars.
[[nodiscard]] Chart risk_chart(const std::vector<Allocation>& portfolios);
/// What a percentage point more of each binding limit would bring, as bars.
[[nodiscard]] Chart prices_chart(const Allocation& portfolio);

/// Runs side by side.
[[nodiscard]] Table runs_table(const std::vector<Rehearsal>& runs, const std::string& currency);

/// Risk across, return up: the frontier, the assets, the portfolios, and the capital market line where there is a
/// maximum-Sharpe portfolio.
[[nodiscard]] Chart frontier_chart(const Frontier& frontier, double risk_free);

/// Adds the portfolios between two corners to a line over volatility, which bends there: neither end.
void add_between(Series& line, const Estimate& estimate, const Eigen::VectorXd& from, const Eigen::VectorXd& to);

/// The weights of every corner stacked over its expected return: exact in between, as both are straight lines there.
[[nodiscard]] Chart transition_chart(const Frontier& frontier);

/// The net wealth of each run over time, 100 at the start.
[[nodiscard]] Chart wealth_chart(const std::vector<Rehearsal>& runs);

}  // namespace inchtide::report

#pragma once
/// The tables and the heat map of how assets move together, as values.

#include <string>
#include <utility>
#include <vector>

#include "inchtide/relations/correlation.hpp"
#include "inchtide/relations/market_model.hpp"
#include "inchtide/report/chart.hpp"
#include "inchtide/report/table.hpp"

namespace inchtide::report {

/// The whole matrix, never half of it.
Table correlation_table(const Correlation& correlation, const std::string& adjective);

/// Every pair with its 95% interval, the lowest first.
Table pairs_table(const Correlation& correlation);

/// Averages of pairs, one column a window; the first is the whole.
Table averages_table(const std::vector<std::pair<std::string, std::vector<PairAverage>>>& windows);

/// Pairs below zero.
Table negative_table(const Correlation& correlation);

/// Each asset against the benchmark.
Table market_model_table(const std::vector<MarketModel>& models, const std::string& benchmark, double risk_free);

/// Shares of variance of the first components, with the assets that load most on each.
Table components_table(const PrincipalComponents& components, const std::vector<std::string>& assets);

Chart heat_chart(const Correlation& correlation, const std::string& title);

}  // namespace inchtide::report

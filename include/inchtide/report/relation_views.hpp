#pragma once
/// The tables and the heat map of how assets move together, as values.

#include <string>
#include <utility>
#include <vector>

#include "inchtide/estimate/bootstrap.hpp"
#include "inchtide/relations/correlation.hpp"
#include "inchtide/relations/diversification.hpp"
#include "inchtide/relations/market_model.hpp"
#include "inchtide/relations/stability.hpp"
#include "inchtide/relations/subset.hpp"
#include "inchtide/report/chart.hpp"
#include "inchtide/report/table.hpp"

namespace inchtide::report {

/// The whole matrix, never half of it.
[[nodiscard]] Table correlation_table(const Correlation& correlation, const std::string& adjective);

/// The same of covariances per year, for files: nobody reads them on a screen.
[[nodiscard]] Table covariance_table(const Correlation& correlation, Denominator denominator);

/// Every pair with its 95% interval, the lowest first.
/// @param bands of the assets in the order of `correlation`, or null
[[nodiscard]] Table pairs_table(const Correlation& correlation, const BootstrapBands* bands, double coverage);

/// Averages of pairs, one column a window; the first is the whole.
[[nodiscard]] Table averages_table(const std::vector<std::pair<std::string, std::vector<PairAverage>>>& windows);

/// The pairs whose correlation changed most from the first window to the last, in each of the windows.
[[nodiscard]] Table changes_table(const std::vector<std::pair<std::string, Correlation>>& windows);

/// Pairs below zero.
[[nodiscard]] Table negative_table(const Correlation& correlation);

/// Each asset against the benchmark.
[[nodiscard]] Table market_model_table(const std::vector<MarketModel>& models, const std::string& benchmark,
                                       double risk_free);

/// Shares of variance of the first components, with the assets that load most on each.
[[nodiscard]] Table components_table(const PrincipalComponents& components, const std::vector<std::string>& assets);

/// Every loading, a row an asset, for files.
[[nodiscard]] Table loadings_table(const PrincipalComponents& components, const std::vector<std::string>& assets);

/// The members of the least related subset, with their correlations among themselves.
[[nodiscard]] Table subset_table(const LeastRelated& subset, const Correlation& correlation, bool absolute);

/// Volatility by the number of assets; some of the numbers where there are many.
[[nodiscard]] Table diversification_table(const DiversificationCurve& curve);
[[nodiscard]] Chart diversification_chart(const DiversificationCurve& curve);

/// Each asset's figures in the first and the second part.
[[nodiscard]] Table stability_table(const Stability& stability);
/// How well the first part's figures foretold the second's.
[[nodiscard]] Table persistence_table(const Stability& stability);

/// Rolling correlations, a row a day and pair.
[[nodiscard]] Table rolling_table(const std::vector<RollingCorrelation>& pairs);
[[nodiscard]] Chart rolling_chart(const std::vector<RollingCorrelation>& pairs);

[[nodiscard]] Chart heat_chart(const Correlation& correlation, const std::string& title);

}  // namespace inchtide::report

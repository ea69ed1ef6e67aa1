#pragma once
/// What is added to a frontier's tables, chart and JSON: a ceiling on the tracking error, the lower half, bands over
/// bootstrap draws, a cloud of random portfolios.

#include <string>
#include <vector>

#include "inchtide/frontier/tracked.hpp"
#include "inchtide/report/chart.hpp"
#include "inchtide/report/documents.hpp"
#include "inchtide/report/table.hpp"
#include "inchtide/weights/sensitivity.hpp"

namespace inchtide::report {

/// Points within a ceiling on the tracking error, highest return first.
[[nodiscard]] Table tracked_table(const std::vector<TrackedPortfolio>& points, double risk_free);
void add_tracked(Chart& chart, const std::vector<TrackedPortfolio>& points, double risk_free);
/// Leaves the corners within the ceiling, adds the points, and names the portfolios that honour it.
void restrict_to_tracking_error(Json& result, const Frontier& frontier, const std::vector<TrackedPortfolio>& points,
                                const std::vector<Allocation>& chosen, const BenchmarkRisk& benchmark);

/// The inefficient half, from the minimum variance down.
[[nodiscard]] Table lower_half_table(const std::vector<Portfolio>& corners, double risk_free);
void add_lower_half(Json& result, Chart& chart, const Estimate& estimate, const std::vector<Portfolio>& corners);

/// Weights of one aim over the draws.
[[nodiscard]] Table weight_bands_table(const WeightBands& bands, const std::vector<std::string>& assets,
                                       const Sensitivity& drawn);
void add_band(Chart& chart, const Sensitivity& drawn);
[[nodiscard]] Json sensitivity_result(const Sensitivity& drawn, const std::vector<std::string>& assets);

/// Random portfolios, behind everything else.
void add_cloud(Chart& chart, const Estimate& estimate, const Eigen::MatrixXd& weights);

}  // namespace inchtide::report

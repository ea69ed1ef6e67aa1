#pragma once
/// The JSON that every command writes: an envelope that is the same for all, and each command's `result`.
///
/// Weights and returns are fractions of 1, per year unless the field says otherwise; weights of exactly 0 are left out;
/// drawdowns are negative; numbers have round-trip precision.

#include <nlohmann/json.hpp>
#include <string>
#include <vector>

#include "inchtide/estimate/bootstrap.hpp"
#include "inchtide/estimate/estimators.hpp"
#include "inchtide/exchange/gather.hpp"
#include "inchtide/frontier/frontier.hpp"
#include "inchtide/frontier/unsolved.hpp"
#include "inchtide/prices/findings.hpp"
#include "inchtide/prices/lookup.hpp"
#include "inchtide/prices/price_table.hpp"
#include "inchtide/rehearsal/rehearsal.hpp"
#include "inchtide/report/return_views.hpp"
#include "inchtide/returns/figures.hpp"
#include "inchtide/weights/allocation.hpp"

namespace inchtide::report {

using Json = nlohmann::ordered_json;

/// {"inchtide", "format", "command", "inputs", "warnings", "result"}, as text that ends its last line.
[[nodiscard]] std::string document(const std::string& command, const Json& inputs,
                                   const std::vector<std::string>& warnings, const Json& result);

/// `assets` (null figures for one that the store hasn't got), in the order asked for.
[[nodiscard]] Json gather_result(const exchange::GatherReport& report, const SpeltMeans& spelt = {});

/// `assets` and `findings`.
[[nodiscard]] Json inspect_result(const AlignedPrices& prices, const std::vector<Finding>& findings,
                                  const SpeltMeans& spelt = {});

/// The list that `prices` holds: `asset`, `day`, `price`.
[[nodiscard]] Json prices_on_json(const std::vector<PriceOnDay>& prices);

/// `assets`, `benchmark` (null without one), `histograms` of all of them.
/// @param assets at least one
[[nodiscard]] Json describe_result(const std::vector<AssetFigures>& assets, const AssetFigures* benchmark,
                                   const std::vector<NamedHistogram>& histograms);

/// The fields that an estimate file holds, and what the estimate says of itself; `bands` where there are any.
[[nodiscard]] Json estimate_result(const Estimated& estimated, const BootstrapBands* bands);

/// A problem whose answer could not be certified: the fields that an estimate file holds, `bounds` (ends that are
/// infinite null) and `lambda` (null for a whole frontier).
[[nodiscard]] Json unsolved_result(const Problem& problem);

/// {asset: weight}, weights of exactly 0 left out.
[[nodiscard]] Json weights_json(const std::vector<std::string>& assets, const Eigen::VectorXd& weights);

/// `corners`, `minimum_variance`, and `maximum_sharpe` (null where there is none).
[[nodiscard]] Json frontier_result(const Frontier& frontier, double risk_free);

/// `portfolios`.
[[nodiscard]] Json weigh_result(const std::vector<Allocation>& portfolios,
                                const std::vector<Unanswered>& unanswered = {}, const SpeltMeans& spelt = {});

/// `runs`.
[[nodiscard]] Json rehearse_result(const std::vector<Rehearsal>& runs);

}  // namespace inchtide::report

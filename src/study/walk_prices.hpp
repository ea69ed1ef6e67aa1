#pragma once
// The prices that a study's rehearsals walk through: raw ones with their splits and dividends where the study has
// actions.

#include <optional>
#include <vector>

#include "inchtide/base/costs.hpp"
#include "inchtide/prices/actions.hpp"
#include "inchtide/study/universe.hpp"

namespace inchtide {

// Whether splits and dividends were worked into an asset's closes, which are no prices of a unit then.
[[nodiscard]] bool had_actions(const Universe& universe, const std::string& asset);

// The universe's histories, the benchmark's last; those whose closes had actions worked in are the raw closes again.
[[nodiscard]] std::vector<PriceHistory> histories_to_walk(const Universe& universe, const Settings& settings);

// Splits and dividends of those; dividends on days of the walk are in the base currency.
// @throws InputError naming a dividend whose day has no rate
[[nodiscard]] std::vector<CorporateAction> actions_to_walk(const Universe& universe, const Sources& sources,
                                                           const PriceTable& walk);

// Money traded a row of the walk and asset, by close and volume; a hole where a day has none, or an asset no impact.
// @throws InputError naming an asset with impact and without volumes
[[nodiscard]] Eigen::MatrixXd traded_to_walk(const Universe& universe, const PriceTable& walk,
                                             const std::vector<AssetCosts>& costs);

// Says which orders from a row on cannot pay their impact, as nothing is known to have been traded for so long.
[[nodiscard]] std::optional<Notice> notice_of_unknown_impact(const PriceTable& walk, const Eigen::MatrixXd& traded,
                                                             const std::vector<AssetCosts>& costs,
                                                             std::size_t first_row);

// Closes without actions that move like a split would make or lose money that nobody did.
// @throws InputError naming the first, unless the settings say that its move is real
void check_for_splits(const Universe& universe, const Settings& settings, const PriceTable& walk);

}  // namespace inchtide

#pragma once
// Makers of plans.

#include <vector>

#include "inchtide/rehearsal/rehearsal.hpp"

namespace inchtide::test {

inline RehearsalPlan plan_of(const Eigen::VectorXd& weights, const char* schedule,
                             const std::vector<AssetCosts>& costs = {}) {
  RehearsalPlan plan{"test", "given", weights};
  plan.schedule = Schedule::parse(schedule, "test");
  plan.terms.costs = costs;
  return plan;
}

// The same rates for each asset.
inline std::vector<AssetCosts> rates(std::size_t assets, double buy_bps, double sell_bps) {
  AssetCosts costs;
  costs.buy.tiers = {{0, buy_bps * basis_point}};
  costs.sell.tiers = {{0, sell_bps * basis_point}};
  return std::vector<AssetCosts>(assets, costs);
}

}  // namespace inchtide::test

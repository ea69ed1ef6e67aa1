#include "inchtide/rehearsal/ledger.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/range.hpp"

namespace inchtide {
namespace {

/// Of the wealth: what is less is no order but rounding.
constexpr double smallest_order = 1e-9;

}  // namespace

Trade Ledger::trade_to(const Eigen::VectorXd& weights, const Eigen::VectorXd& prices, const CostRates& costs,
                       const std::vector<PricedAsset>& assets) {
  const Eigen::VectorXd holdings = units.cwiseProduct(prices);
  Trade trade;
  trade.wealth_before = holdings.sum() + cash;
  trade.wealth_after = wealth_after_costs(trade.wealth_before, holdings, weights, costs);
  const Eigen::VectorXd targets = trade.wealth_after * weights;
  trade.value = targets - holdings;
  for (Eigen::Index i = 0; i < trade.value.size(); ++i) {
    const double value = trade.value[i], cost = costs.of_trade(i, value);
    trade.cost += cost;
    if (std::abs(value) <= smallest_order * trade.wealth_before) continue;
    trade.orders.push_back({assets[std::size_t(i)].code, value / prices[i], prices[i], value, cost});
  }
  const double cash_after = cash - trade.value.sum() - trade.cost;
  const Eigen::VectorXd change = weights - holdings / trade.wealth_before;
  const double cash_change = cash_after / trade.wealth_after - cash / trade.wealth_before;
  trade.turnover = (change.cwiseAbs().sum() + std::abs(cash_change)) / 2;
  units = targets.cwiseQuotient(prices);
  cash = cash_after;
  return trade;
}

double wealth_after_costs(double wealth_before, const Eigen::VectorXd& holdings, const Eigen::VectorXd& weights,
                          const CostRates& costs) {
  const auto n = holdings.size();
  finite(wealth_before, "wealth before costs");
  check_per_asset(holdings, n, "holdings");
  check_per_asset(weights, n, "weights");
  costs.check(n);
  double slope_lost = 0;
  for (Eigen::Index i = 0; i < n; ++i) slope_lost += std::max(costs.buy[i], costs.sell[i]) * std::abs(weights[i]);
  if (!(slope_lost < 1)) throw InputError("costs", "they could eat all wealth", "Lower the rates");
  double wealth = wealth_before;
  for (;;) {
    double left = wealth, slope = 1;
    for (Eigen::Index i = 0; i < holdings.size(); ++i) {
      const double value = weights[i] * wealth - holdings[i];
      const double rate = value > 0 ? costs.buy[i] : -costs.sell[i];
      left += rate * value;
      slope += rate * weights[i];
    }
    const double next = wealth - (left - wealth_before) / slope;
    if (!(next < wealth)) return wealth;  // from above the steps only fall, until rounding is all that's left
    wealth = next;
  }
}

}  // namespace inchtide

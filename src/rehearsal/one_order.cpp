#include "rehearsal/one_order.hpp"

#include <cmath>
#include <map>
#include <utility>

namespace inchtide {

std::vector<double> pay_as_one(const std::vector<Trade*>& trades, const std::vector<AssetCosts>& costs) {
  std::vector<double> back(trades.size(), 0.0);
  if (costs.empty()) return back;
  struct Part {
    std::size_t trade;
    Order* order;
  };
  std::map<std::pair<Eigen::Index, bool>, std::vector<Part>> together;
  for (std::size_t k = 0; k < trades.size(); ++k) {
    for (auto& order : trades[k]->orders) together[{order.asset, order.value > 0}].push_back({k, &order});
  }
  for (const auto& [what, parts] : together) {
    if (parts.size() < 2) continue;
    double value = 0;
    for (const auto& [trade, order] : parts) value += std::abs(order->value);
    const auto& [buy, sell, custody, borrowing] = costs[std::size_t(what.first)];
    const auto whole = (what.second ? buy : sell).of(value);
    for (const auto& [trade, order] : parts) {
      for (auto part : {&OrderCost::fee, &OrderCost::commission, &OrderCost::other}) {
        const double more = order->cost.*part - std::abs(order->value) / value * whole.*part;
        order->cost.*part -= more;
        trades[trade]->cost.*part -= more;
        back[trade] += more;
      }
    }
  }
  for (std::size_t k = 0; k < trades.size(); ++k) trades[k]->wealth_after += back[k];
  return back;
}

}  // namespace inchtide

#include "inchtide/study/orders.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "inchtide/base/errors.hpp"
#include "inchtide/rehearsal/ledger.hpp"
#include "study/unit_price.hpp"

namespace inchtide {
OrderList orders_to(const Universe& universe, const Basis& basis, const Allocation& portfolio,
                    const Settings& settings) {
  const auto& assets = basis.estimate.assets;
  const Eigen::VectorXd& held = basis.facts.current;
  if (held.size() == 0) {
    throw InputError("orders", "what is held now isn't known", {{Means::current, "Give the weights"}});
  }
  const auto n = held.size();
  const double wealth = wealth_of(basis, settings);
  Ledger ledger{Eigen::VectorXd(n), wealth * (1 - held.sum())};
  TradingDay day;
  day.prices.resize(n);
  std::vector<Day> days;
  for (Eigen::Index i = 0; i < n; ++i) {
    const auto& asset = assets[std::size_t(i)];
    const auto last = unit_price(universe, asset, basis.known_to);
    if (last.adjusted && !settings.lots.empty()) {
      throw_no_unit_price(asset, "Give closes beside it, or leave the lots out");
    }
    day.prices[i] = last.price;
    days.push_back(last.day);
    ledger.units[i] = held[i] * wealth / last.price;
  }
  TradeTerms terms{
      asset_costs(settings.costs, assets, basis.facts.tags), settings.smallest_order, {}, settings.cash_floor};
  if (!settings.lots.empty()) terms.lots = by_class(settings.lots, assets, basis.facts.tags, 1);
  Destination there{portfolio.weights};
  const double most = 1 - settings.cash_floor, sum = there.weights.sum();
  if (settings.cash_floor > 0 && sum > most) there.weights *= most / sum;
  OrderList list;
  list.portfolio = portfolio.name;
  list.cash_before = ledger.cash;
  const auto trade = ledger.trade(there, day, terms);
  list.wealth_before = trade.wealth_before;
  list.wealth_after = trade.wealth_after;
  list.cash_after = ledger.cash;
  list.cost = trade.cost;
  list.turnover = trade.turnover;
  list.shrunk = trade.shrunk;
  list.shortfall = trade.shortfall;
  for (const auto& order : trade.orders) {
    const auto i = order.asset;
    list.orders.push_back({assets[std::size_t(i)], order.units, order.price, days[std::size_t(i)], order.value,
                           order.cost, held[i], ledger.units[i] * day.prices[i] / trade.wealth_after});
  }
  std::stable_partition(list.orders.begin(), list.orders.end(), [](const OrderLine& order) { return order.value < 0; });
  return list;
}

}  // namespace inchtide

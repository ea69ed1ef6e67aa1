#include "inchtide/study/orders.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "inchtide/base/errors.hpp"
#include "inchtide/rehearsal/ledger.hpp"

namespace inchtide {
namespace {

struct LastPrice {
  double price;
  Day day;
};

/// The last price up to the end of the window, of a unit where a close stands beside an adjusted one.
LastPrice last_price(const Universe& universe, const std::string& asset, const Settings& settings) {
  const auto history = std::ranges::find(universe.histories, asset, &PriceHistory::asset);
  std::size_t at = history->days.size();
  while (at > 0 && settings.to && history->days[at - 1] > *settings.to) --at;
  if (at == 0) {
    throw InputError(Where::of_asset(asset), "it has no price to trade at", {Means::window, "End the window later"});
  }
  const Day day = history->days[at - 1];
  double price = history->prices[at - 1];
  const bool adjusted = history->field == PriceField::adjusted_close;
  const auto bars = std::ranges::find(universe.bars, asset, &BarHistory::asset);
  const bool has_close = bars != universe.bars.end() && !bars->of(PriceField::close).empty();
  if (adjusted && has_close) {
    const auto row = std::size_t(std::ranges::lower_bound(bars->days, day) - bars->days.begin());
    const double close = bars->of(PriceField::close)[row], own = bars->of(PriceField::adjusted_close)[row];
    if (close > 0 && own > 0) price *= close / own;
  } else if (adjusted && !settings.lots.empty()) {
    throw InputError(Where::of_asset(asset), "there is only an adjusted close, which is no price of a unit",
                     "Give closes beside it, or leave the lots out");
  }
  return {price, day};
}

}  // namespace

OrderList orders_to(const Universe& universe, const Basis& basis, const Allocation& portfolio,
                    const Settings& settings) {
  const auto& assets = basis.estimate.assets;
  const Eigen::VectorXd& held = basis.facts.current;
  if (held.size() == 0) {
    throw InputError("orders", "what is held now isn't known", {{Means::current, "Give the weights"}});
  }
  const auto n = held.size();
  Ledger ledger{Eigen::VectorXd(n), settings.wealth * (1 - held.sum())};
  TradingDay day;
  day.prices.resize(n);
  std::vector<Day> days;
  for (Eigen::Index i = 0; i < n; ++i) {
    const auto last = last_price(universe, assets[std::size_t(i)], settings);
    day.prices[i] = last.price;
    days.push_back(last.day);
    ledger.units[i] = held[i] * settings.wealth / last.price;
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

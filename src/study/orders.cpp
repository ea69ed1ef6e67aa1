#include "inchtide/study/orders.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <optional>

#include "inchtide/base/errors.hpp"
#include "inchtide/rehearsal/ledger.hpp"
#include "rehearsal/cash_floor.hpp"
#include "rehearsal/market.hpp"
#include "rehearsal/tolerances.hpp"
#include "study/unit_price.hpp"
#include "study/walk_prices.hpp"

namespace inchtide {
namespace {

/// Of money by close and volume, up to the day that the prices are known to.
Eigen::VectorXd impact_now(const Universe& universe, const std::vector<std::string>& assets,
                           const std::vector<AssetCosts>& costs, std::optional<Day> to) {
  AlignPolicy any;
  any.kind = AlignPolicy::Kind::any;
  const auto days = align(universe.histories, any, universe.benchmark ? 1 : 0).table.between(std::nullopt, to);
  const auto rows = days.only(assets).between(days.days[days.rows() - std::min(days.rows(), trailing_rows)], to);
  const auto traded = traded_to_walk(universe, rows, costs);
  for (std::size_t i = 0; i < assets.size(); ++i) {
    if (!has_impact({costs[i]}) || (traded.col(Eigen::Index(i)).array() > 0).any()) continue;
    throw InputError(
        Where::of_asset(assets[i]),
        fmt::format("nothing is known to have been traded in the {} days up to {}, which its impact hangs on",
                    rows.rows(), to_string(rows.days.back())),
        {{Means::prices, "Give volumes"}, {Means::costs, "leave its impact out"}});
  }
  return impact_figures(rows, traded, rows.rows() - 1);
}

/// What is held came by its weight: units that are whole lots but for rounding are whole lots.
double whole_where_near(double units, double lot) {
  const double whole = lot * std::round(units / lot);
  return std::abs(units - whole) <= rounding_order * std::max(lot, std::abs(units)) ? whole : units;
}

}  // namespace

TradingNow trading_now(const Universe& universe, const Basis& basis, const Settings& settings) {
  const auto& assets = basis.estimate.assets;
  const Eigen::VectorXd& held = basis.facts.current;
  if (held.size() == 0) {
    throw InputError("orders", "what is held now isn't known", {{Means::current, "Give the weights"}});
  }
  const auto n = held.size();
  const double wealth = wealth_of(basis, settings);
  TradingNow now{assets, {Eigen::VectorXd(n), wealth * (1 - held.sum())}, {}, {}, {}};
  now.day.prices.resize(n);
  for (Eigen::Index i = 0; i < n; ++i) {
    const auto& asset = assets[std::size_t(i)];
    const auto last = unit_price(universe, asset, basis.known_to);
    if (last.adjusted && !settings.lots.empty()) {
      throw_no_unit_price(asset, "Give closes beside it, or leave the lots out");
    }
    now.day.prices[i] = last.price;
    now.price_days.push_back(last.day);
    now.held.units[i] = held[i] * wealth / last.price;
  }
  now.terms.costs = asset_costs(settings.costs, assets, basis.facts.tags);
  now.terms.smallest_order = settings.smallest_order;
  now.terms.cash_floor = settings.cash_floor;
  if (!settings.lots.empty()) {
    now.terms.lots = by_class(settings.lots, assets, basis.facts.tags, 1);
    for (Eigen::Index i = 0; i < n; ++i) {
      now.held.units[i] = whole_where_near(now.held.units[i], now.terms.lots[std::size_t(i)]);
    }
  }
  if (has_impact(now.terms.costs)) now.day.market = impact_now(universe, assets, now.terms.costs, basis.known_to);
  return now;
}

OrderList orders_to(const Universe& universe, const Basis& basis, const Allocation& portfolio,
                    const Settings& settings) {
  const auto now = trading_now(universe, basis, settings);
  const auto& prices = now.day.prices;
  OrderList list;
  list.scaled = scale_above_floor(portfolio.weights, settings.cash_floor);
  const Destination there{portfolio.weights * list.scaled};
  list.portfolio = portfolio.name;
  list.cash_before = now.held.cash;
  auto ledger = now.held;
  const auto trade = ledger.trade(there, now.day, now.terms);
  list.wealth_before = trade.wealth_before;
  list.wealth_after = trade.wealth_after;
  list.cash_after = ledger.cash;
  list.cost = trade.cost;
  list.turnover = trade.turnover;
  list.shrunk = trade.shrunk;
  list.shortfall = trade.shortfall;
  for (const auto& order : trade.orders) {
    const auto i = order.asset;
    list.orders.push_back({now.assets[std::size_t(i)], order.units, order.price, now.price_days[std::size_t(i)],
                           order.value, order.cost, basis.facts.current[i],
                           ledger.units[i] * prices[i] / trade.wealth_after});
  }
  std::stable_partition(list.orders.begin(), list.orders.end(), [](const OrderLine& order) { return order.value < 0; });
  return list;
}

}  // namespace inchtide

#include "orders.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <string>

#include "inchtide/base/percent.hpp"
#include "inchtide/report/weights.hpp"
#include "json.hpp"

namespace inchtide::report {
namespace {

Json side_json(const SideCosts& side) {
  auto tiers = Json::array();
  for (const auto& tier : side.tiers) tiers.push_back({tier.from, tier.rate});
  return {{"fee", side.fee},
          {"tiers", tiers},
          {"whole", side.whole},
          {"least", side.least},
          {"most", finite_or_null(side.most)},
          {"in_proportion", side.half_spread + side.stamp_duty + side.conversion},
          {"impact", side.impact}};
}

}  // namespace

Json orders_json(const OrderList& list) {
  auto orders = Json::array();
  for (const auto& order : list.orders) {
    orders.push_back({{"asset", order.asset},
                      {"side", order.value > 0 ? "buy" : "sell"},
                      {"units", std::abs(order.units)},
                      {"price", order.price},
                      {"price_day", to_string(order.price_day)},
                      {"value", std::abs(order.value)},
                      {"cost", order.cost.total()},
                      {"weight_before", order.weight_before},
                      {"weight_after", order.weight_after}});
  }
  return {{"portfolio", list.portfolio},
          {"orders", orders},
          {"wealth_before", list.wealth_before},
          {"wealth_after", list.wealth_after},
          {"cost", list.cost.total()},
          {"turnover", list.turnover},
          {"cash_before", list.cash_before},
          {"cash_after", list.cash_after},
          {"scaled", list.scaled},
          {"shrunk", list.shrunk},
          {"shortfall", list.shortfall}};
}

Table orders_table(const OrderList& list, const std::string& currency) {
  const bool whole =
      std::ranges::all_of(list.orders, [](const auto& order) { return order.units == std::round(order.units); });
  Table table{"orders",
              "Orders that lead to " + list.portfolio,
              {{"Asset"},
               {"Side"},
               {"Units", whole ? Format::count : Format::fine},
               {"Price", Format::fine, currency},
               {"Price of", Format::day},
               {"Value", Format::money, currency},
               {"Cost", Format::money, currency},
               {"Weight before", Format::percent},
               {"after", Format::percent}},
              {},
              {}};
  for (const auto& order : list.orders) {
    table.add({order.asset, order.value > 0 ? "buy" : "sell", std::abs(order.units), order.price, order.price_day,
               std::abs(order.value), order.cost.total(), order.weight_before, order.weight_after});
  }
  table.notes.emplace_back(fmt::format("They cost {}; cash goes from {} to {}; turnover {}",
                                       shown(list.cost.total(), Format::money), shown(list.cash_before, Format::money),
                                       shown(list.cash_after, Format::money), percent_text(list.turnover)));
  if (list.scaled < 1) {
    table.notes.emplace_back(
        fmt::format("The weights leave less than the floor of cash; they go to {} of what they are, in proportion",
                    percent_text(list.scaled)));
  }
  if (list.shrunk < 1) {
    table.notes.emplace_back(
        fmt::format("Purchases are {} of what the weights ask for, as cash would not last", percent_text(list.shrunk)));
  }
  if (list.shortfall > 0) {
    table.notes.emplace_back(fmt::format("Cash ends {} below its floor: nothing is bought that could be less",
                                         shown(list.shortfall, Format::money)));
  }
  return table;
}

Json trading_json(const TradingNow& now) {
  auto assets = Json::array();
  for (std::size_t k = 0; k < now.assets.size(); ++k) {
    const auto i = Eigen::Index(k);
    assets.push_back({{"asset", now.assets[k]},
                      {"units", now.held.units[i]},
                      {"price", now.day.prices[i]},
                      {"price_day", to_string(now.price_days[k])},
                      {"lot", now.terms.lots.empty() ? 0.0 : now.terms.lots[k]},
                      {"market", now.day.market.size() > 0 ? now.day.market[i] : 0.0},
                      {"buy", side_json(now.terms.costs[k].buy)},
                      {"sell", side_json(now.terms.costs[k].sell)}});
  }
  return {{"wealth", now.held.wealth(now.day.prices)},  {"cash", now.held.cash},
          {"smallest_order", now.terms.smallest_order}, {"cash_floor", now.terms.cash_floor},
          {"in_lots", !now.terms.lots.empty()},         {"assets", assets}};
}

}  // namespace inchtide::report

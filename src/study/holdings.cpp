#include "inchtide/study/holdings.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "study/unit_price.hpp"
#include "study/walk_prices.hpp"

namespace inchtide {

UnitPrice unit_price(const Universe& universe, const std::string& asset, std::optional<Day> to) {
  const auto history = std::ranges::find(universe.histories, asset, &PriceHistory::asset);
  std::size_t at = history->days.size();
  while (at > 0 && to && history->days[at - 1] > *to) --at;
  if (at == 0) {
    throw InputError(Where::of_asset(asset), "it has no price to trade at", {Means::window, "End the window later"});
  }
  const Day day = history->days[at - 1];
  const bool adjusted = history->field == PriceField::adjusted_close;
  if (!adjusted && !had_actions(universe, asset)) return {history->prices[at - 1], day, false};
  const auto bars = std::ranges::find(universe.bars, asset, &BarHistory::asset);
  if (bars == universe.bars.end() || bars->of(PriceField::close).empty()) return {history->prices[at - 1], day, true};
  const auto row = std::size_t(std::ranges::lower_bound(bars->days, day) - bars->days.begin());
  PriceHistory close{asset, universe.tags.value(asset, "currency").value_or("")};
  close.days = DayList(std::vector<Day>{day});
  close.prices = {bars->of(PriceField::close)[row]};
  if (!(close.prices[0] > 0)) return {history->prices[at - 1], day, true};
  return {universe.in_currency(std::move(close)).prices.front(), day, false};
}

void throw_no_unit_price(const std::string& asset, const std::string& remedy) {
  throw InputError(Where::of_asset(asset), "there is only an adjusted close, which is no price of a unit", remedy);
}

Where where_of(const HoldingList& holdings) {
  return holdings.source.empty() ? Where("holdings") : Where::in_file(holdings.source);
}

ValuedHoldings value_of(const HoldingList& holdings, const Universe& universe, std::optional<Day> to) {
  const auto where = where_of(holdings);
  if (holdings.assets.size() != holdings.units.size()) {
    throw InputError(where, fmt::format("{} units for {} codes", holdings.units.size(), holdings.assets.size()),
                     "Give one a code");
  }
  ValuedHoldings valued{{"held", {}, {}, holdings.source}, holdings.cash};
  for (std::size_t k = 0; k < holdings.assets.size(); ++k) {
    const auto found = find_name(holdings.assets[k], universe.assets);
    if (!found) {
      throw InputError(where, fmt::format("no asset of the study has the code '{}'", holdings.assets[k]),
                       did_you_mean(holdings.assets[k], universe.assets));
    }
    const auto& asset = universe.assets[*found];
    const auto unit = unit_price(universe, asset, to);
    if (unit.adjusted) throw_no_unit_price(asset, "Give closes beside it, or weights in place of units");
    valued.weights.assets.push_back(asset);
    valued.weights.weights.push_back(holdings.units[k] * unit.price);
    valued.wealth += valued.weights.weights.back();
  }
  if (!(valued.wealth > 0)) {
    throw InputError(where, fmt::format("what is held is worth {:.0f} in all", valued.wealth),
                     "Give units and cash that are worth something");
  }
  for (double& weight : valued.weights.weights) weight /= valued.wealth;
  return valued;
}

}  // namespace inchtide

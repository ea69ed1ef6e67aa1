#include "inchtide/prices/lookup.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "inchtide/base/errors.hpp"

namespace inchtide {

PriceOnDay price_on(const PriceHistory& history, Day day) {
  const auto after = std::ranges::upper_bound(history.days, day);
  if (after == history.days.begin()) {
    throw InputError(Where::of_asset(history.asset), fmt::format("it has no price on {} or before", to_string(day)),
                     history.days.empty() ? "Its history is empty"
                                          : fmt::format("Its prices begin on {}", to_string(history.days.front())));
  }
  const auto at = std::size_t(after - history.days.begin()) - 1;
  if (history.prices.size() != history.days.size() || !std::isfinite(history.prices[at])) {
    throw InputError(Where::of_asset(history.asset),
                     fmt::format("{} days but {} prices, or none on {}", history.days.size(), history.prices.size(),
                                 to_string(history.days[at])),
                     "Give one price a day");
  }
  return {history.asset, day, history.days[at], history.prices[at], history.field, history.currency};
}

PriceOnDay price_on(const BarHistory& bars, PriceField field, Day day) {
  return price_on(bars.history(field), day);
}

PriceTable rebased(const PriceTable& table) {
  table.check();
  Eigen::Index first = 0;
  while (first < table.prices.rows() && !table.prices.row(first).allFinite()) ++first;
  if (first == table.prices.rows()) {
    throw InputError("prices", "no day has a price of every asset", {Means::assets, "Leave an asset out"});
  }
  auto result = table.between(table.days[std::size_t(first)], std::nullopt);
  const Eigen::RowVectorXd start = result.prices.row(0);
  result.prices = 100 * (result.prices.array().rowwise() / start.array());
  return result;
}

PriceTable cumulative_growth(const PriceTable& table) {
  auto result = rebased(table);
  result.prices.array() = result.prices.array() / 100 - 1;
  return result;
}

}  // namespace inchtide

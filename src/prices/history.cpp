#include "inchtide/prices/history.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"

namespace inchtide {

std::string to_string(PriceField field) {
  constexpr const char* names[price_fields] = {"open", "high", "low", "close", "adjusted close", "volume", "price"};
  return names[std::size_t(field)];
}

std::optional<PriceField> field_named(std::string_view name) {
  const auto wanted = plain_name(name);
  if (wanted == "adjusted") return PriceField::adjusted_close;
  for (std::size_t k = 0; k < price_fields; ++k) {
    if (plain_name(to_string(PriceField(k))) == wanted) return PriceField(k);
  }
  return std::nullopt;
}

void PriceHistory::check(const std::string& source) const {
  if (days.size() != prices.size()) {
    throw InputError(source, fmt::format("{} days but {} prices", days.size(), prices.size()), "Give one price a day");
  }
  if (days.empty()) throw InputError(source, "no price at all", "Give at least two days with a price");
  for (std::size_t i = 0; i < days.size(); ++i) {
    if (!(prices[i] > 0) || !std::isfinite(prices[i])) {
      throw InputError(source, fmt::format("the price on {} is {}", to_string(days[i]), prices[i]),
                       "A price is a positive number; leave the row out where there is none");
    }
    if (i > 0 && days[i] <= days[i - 1]) {
      throw InputError(source,
                       days[i] == days[i - 1]
                           ? fmt::format("{} comes twice", to_string(days[i]))
                           : fmt::format("{} comes after {}", to_string(days[i]), to_string(days[i - 1])),
                       "Sort the rows by day and keep one row a day");
    }
  }
}

std::vector<Spike> find_spikes(const PriceHistory& history, double factor) {
  std::vector<Spike> spikes;
  const auto& p = history.prices;
  for (std::size_t i = 1; i + 1 < p.size(); ++i) {
    const bool up = p[i] >= factor * std::max(p[i - 1], p[i + 1]);
    const bool down = p[i] * factor <= std::min(p[i - 1], p[i + 1]);
    const double apart = std::max(p[i - 1], p[i + 1]) / std::min(p[i - 1], p[i + 1]);
    if ((up || down) && apart < factor / 2) spikes.push_back({history.days[i], p[i], p[i - 1], p[i + 1]});
  }
  return spikes;
}

std::vector<Spike> drop_spikes(PriceHistory& history, double factor) {
  const auto spikes = find_spikes(history, factor);
  for (const auto& spike : spikes) {
    const auto at = std::ranges::lower_bound(history.days, spike.day) - history.days.begin();
    auto& days = history.days.edit();
    days.erase(days.begin() + at);
    history.prices.erase(history.prices.begin() + at);
  }
  return spikes;
}

}  // namespace inchtide

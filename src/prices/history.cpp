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

bool are_neighbours(Day before, Day after) {
  return after - before <= std::chrono::days{5};
}

namespace {

/// How many rows from `first` on stand apart from both of their neighbours by the factor and on one level: 0 to 3.
std::size_t rows_apart(const PriceHistory& history, std::size_t first, double factor) {
  const auto& p = history.prices;
  const double near = 1 + (factor - 1) / 4;  // what counts as one level
  const bool up = p[first] >= factor * p[first - 1], down = p[first] * factor <= p[first - 1];
  if (!up && !down) return 0;
  bool close_by = are_neighbours(history.days[first - 1], history.days[first]);
  for (std::size_t rows = 1; rows <= 3 && first + rows < p.size(); ++rows) {
    const double before = p[first - 1], last = p[first + rows - 1], after = p[first + rows];
    const bool one_level = std::max(last, p[first]) <= near * std::min(last, p[first]);
    close_by = close_by && are_neighbours(history.days[first + rows - 1], history.days[first + rows]);
    if (!one_level || (!close_by && (rows > 1 || factor < 3))) return 0;
    const bool back = up ? last >= factor * after : last * factor <= after;
    if (back && std::max(before, after) < near * std::min(before, after)) return rows;
  }
  return 0;
}

}  // namespace

std::vector<Spike> find_spikes(const PriceHistory& history, double factor) {
  std::vector<Spike> spikes;
  if (history.days.empty() && history.prices.empty()) return spikes;
  history.check(history.asset);
  if (!(factor > 1))
    throw InputError(Where::of_asset(history.asset), fmt::format("misprints of {} times", factor), "Give more than 1");
  const auto& p = history.prices;
  for (std::size_t i = 1; i + 1 < p.size();) {
    const auto rows = rows_apart(history, i, factor);
    for (std::size_t k = i; k < i + rows; ++k) spikes.push_back({history.days[k], p[k], p[i - 1], p[i + rows]});
    i += std::max<std::size_t>(rows, 1);
  }
  return spikes;
}

std::vector<Spike> drop_spikes(PriceHistory& history, double factor) {
  auto spikes = find_spikes(history, factor);
  for (const auto& spike : spikes) {
    const auto at = std::ranges::lower_bound(history.days, spike.day) - history.days.begin();
    auto& days = history.days.edit();
    days.erase(days.begin() + at);
    history.prices.erase(history.prices.begin() + at);
  }
  return spikes;
}

}  // namespace inchtide

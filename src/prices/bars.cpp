#include "inchtide/prices/bars.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <span>

#include "base/numbers.hpp"
#include "inchtide/base/errors.hpp"

namespace inchtide {
namespace {

/// One figure for a period out of its rows' figures.
double merged(PriceField field, std::span<const double> rows) {
  double result = no_figure;
  for (double value : rows) {
    if (std::isnan(value)) continue;
    if (std::isnan(result)) {
      result = value;
    } else {
      switch (field) {
        case PriceField::open: break;
        case PriceField::high: result = std::max(result, value); break;
        case PriceField::low: result = std::min(result, value); break;
        case PriceField::volume: result += value; break;
        default: result = value;
      }
    }
  }
  return result;
}

}  // namespace

void BarHistory::check() const {
  for (std::size_t k = 0; k < price_fields; ++k) {
    const auto field = PriceField(k);
    if (!has(field) || of(field).size() == days.size()) continue;
    throw InputError(Where::of_asset(asset),
                     fmt::format("{} figures of {} for {} days", of(field).size(), to_string(field), days.size()),
                     "Give one a day, NaN where there is none");
  }
}

std::vector<PriceField> BarHistory::fields_held() const {
  std::vector<PriceField> held;
  for (std::size_t k = 0; k < price_fields; ++k) {
    if (has(PriceField(k))) held.push_back(PriceField(k));
  }
  return held;
}

PriceHistory BarHistory::history(PriceField field) const {
  const auto fail = [&](const std::string& problem) {
    std::vector<std::string> names;
    for (auto held : fields_held()) names.push_back(to_string(held));
    throw InputError(Where::of_asset(asset), problem,
                     names.empty() ? "It has no figures" : fmt::format("It has: {}", fmt::join(names, ", ")));
  };
  check();
  if (!has(field)) fail(fmt::format("it has no {}", to_string(field)));
  PriceHistory result{asset, currency, field, days, of(field), calendar};
  if (std::ranges::any_of(result.prices, [](double value) { return std::isnan(value); })) {
    auto& kept = result.days.edit();
    std::size_t rows = 0;
    for (std::size_t i = 0; i < days.size(); ++i) {
      if (std::isnan(of(field)[i])) continue;
      kept[rows] = days[i];
      result.prices[rows++] = of(field)[i];
    }
    kept.resize(rows);
    result.prices.resize(rows);
  }
  if (result.days.empty()) fail(fmt::format("its {} is empty on every day", to_string(field)));
  return result;
}

BarHistory BarHistory::rows_with(PriceField field) const {
  check();
  BarHistory kept{asset, currency, calendar};
  std::vector<Day> kept_days;
  for (std::size_t i = 0; i < days.size(); ++i) {
    if (!has(field) || std::isnan(of(field)[i])) continue;
    kept_days.push_back(days[i]);
    for (auto held : fields_held()) kept.of(held).push_back(of(held)[i]);
  }
  kept.days = std::move(kept_days);
  return kept;
}

BarHistory BarHistory::on_days(const DayList& wanted) const {
  check();
  BarHistory result{asset, currency, calendar};
  result.days = wanted;
  for (auto held : fields_held()) result.of(held).assign(wanted.size(), no_figure);
  std::size_t row = 0;
  for (std::size_t at = 0; at < wanted.size(); ++at) {
    while (row < days.size() && days[row] < wanted[at]) ++row;
    if (row == days.size() || days[row] != wanted[at]) continue;
    for (auto held : fields_held()) result.of(held)[at] = of(held)[row];
  }
  return result;
}

BarHistory BarHistory::between(std::optional<Day> from, std::optional<Day> to) const {
  check();
  const auto begin = from ? std::ranges::lower_bound(days, *from) : days.begin();
  const auto end = to ? std::ranges::upper_bound(days, *to) : days.end();
  BarHistory cut{asset, currency, calendar};
  if (begin >= end) return cut;
  cut.days = std::vector<Day>(begin, end);
  for (auto field : fields_held()) {
    const auto first = of(field).begin() + (begin - days.begin());
    cut.of(field).assign(first, first + (end - begin));
  }
  return cut;
}

BarHistory at_adjusted_level(BarHistory bars) {
  bars.check();
  if (!bars.has(PriceField::close) || !bars.has(PriceField::adjusted_close)) return bars;
  for (std::size_t row = 0; row < bars.days.size(); ++row) {
    const double level = bars.of(PriceField::adjusted_close)[row] / bars.of(PriceField::close)[row];
    for (auto field : {PriceField::open, PriceField::high, PriceField::low, PriceField::close}) {
      if (bars.has(field)) bars.of(field)[row] *= level;
    }
  }
  return bars;
}

BarHistory at_prices_of(const BarHistory& bars, PriceField field, const PriceHistory& prices) {
  prices.check(prices.asset);
  auto result = bars.on_days(prices.days);
  result.currency = prices.currency;
  for (std::size_t row = 0; row < prices.days.size(); ++row) {
    const double own = bars.has(field) ? result.of(field)[row] : no_figure;
    if (!(own > 0)) {
      throw InputError(Where::of_asset(bars.asset),
                       fmt::format("no {} on {}", to_string(field), to_string(prices.days[row])),
                       "Give bars of the same history");
    }
    const double ratio = prices.prices[row] / own;
    for (auto held : bars.fields_held()) {
      if (held != PriceField::volume) result.of(held)[row] *= ratio;
    }
    result.of(field)[row] = prices.prices[row];
  }
  return result;
}

BarHistory bars_every(const BarHistory& bars, const Interval& every, std::optional<Day> own) {
  bars.check();
  BarHistory result{bars.asset, bars.currency, bars.calendar};
  std::vector<Day> days;
  const auto origin = own ? std::ranges::lower_bound(bars.days, *own) - bars.days.begin() : 0;
  const auto ends_period = [&](std::size_t row) {
    if (row + 1 == bars.days.size()) return true;
    if (every.unit() == Unit::day) return (std::ptrdiff_t(row) - origin) % every.count() == 0;
    return every.period_of(bars.days[row]) != every.period_of(bars.days[row + 1]);
  };
  std::size_t first = 0;
  for (std::size_t row = 0; row < bars.days.size(); ++row) {
    if (!ends_period(row)) continue;
    days.push_back(bars.days[row]);
    for (auto field : bars.fields_held()) {
      result.of(field).push_back(merged(field, std::span(bars.of(field)).subspan(first, row + 1 - first)));
    }
    first = row + 1;
  }
  result.days = std::move(days);
  return result;
}

}  // namespace inchtide

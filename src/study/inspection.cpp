#include "inchtide/study/inspection.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "inchtide/base/errors.hpp"
#include "inchtide/prices/periods.hpp"

namespace inchtide {
namespace {

/// The prices looked at: the window, at the interval asked for.
PriceTable looked_at(const Universe& universe, const Settings& settings, const InspectionOptions& options,
                     std::vector<Notice>& warnings) {
  if (!options.every) return universe.prices;
  const auto ends = period_ends(universe.prices, *options.every, settings.keep_last_period);
  if (ends.last_unfinished) {
    warnings.push_back({{},
                        fmt::format("The last {} had not ended on {}; it is {}", options.every->words(),
                                    to_string(universe.prices.days.back()), ends.last_kept ? "kept" : "left out"),
                        {{Means::last_period, ends.last_kept ? "It can be left out" : "It can be kept"}}});
  }
  if (ends.table.rows() == 0) {
    throw InputError("prices", fmt::format("not one {} has ended in the window", options.every->words()),
                     {{Means::window, "Take a longer window"}, {Means::last_period, "keep the last one", "keep"}});
  }
  return ends.table;
}

/// The fields asked for, as they came, on the days of the prices.
void add_fields(Inspection& result, const Universe& universe, const InspectionOptions& options) {
  for (const auto& bars : universe.bars) {
    auto window = bars.on_days(universe.prices.days);
    if (options.every) window = bars_every(window, *options.every).on_days(result.prices.days);
    for (const auto field : options.fields) {
      if (bars.has(field)) {
        result.fields.push_back({bars.asset, field, window.of(field)});
      } else {
        result.fields_not_there.push_back(fmt::format("{} {}", bars.asset, to_string(field)));
      }
    }
  }
  if (result.fields.empty()) {
    throw InputError("fields", "no asset has any of them",
                     {Means::inspect, "A look at the prices without them shows which field each has"});
  }
}

/// Overlays over an asset's whole history, so that the window's first rows have them too; then cut to the window.
std::vector<LaidOverlay> laid_over(const BarHistory& whole, PriceField field, const std::vector<Overlay>& overlays,
                                   Day from, Day to) {
  std::vector<LaidOverlay> laid;
  const auto first = std::ranges::lower_bound(whole.days, from) - whole.days.begin();
  const auto beyond = std::ranges::upper_bound(whole.days, to) - whole.days.begin();
  for (const auto& overlay : overlays) {
    auto lines = lines_of(overlay, whole, field);
    for (auto& line : lines) line.values = {line.values.begin() + first, line.values.begin() + beyond};
    laid.push_back({overlay, std::move(lines)});
  }
  return laid;
}

AssetBars bars_of(const Universe& universe, const Settings& settings, const BarHistory& bars,
                  const InspectionOptions& options) {
  const auto field = settings.fields.pick(bars.asset, bars.fields_held());
  const auto own = std::ranges::find(universe.histories, bars.asset, &PriceHistory::asset);
  const auto level = field == PriceField::adjusted_close ? at_adjusted_level(bars) : bars;
  auto clean = at_prices_of(level, field, *own);
  const Day from = universe.prices.days.front(), to = universe.prices.days.back();
  if (options.every) clean = bars_every(clean, *options.every, from);
  return {clean.between(from, to), field, laid_over(clean, field, options.overlays, from, to)};
}

/// A field of an asset as the study has it: the one that it looks at as cleaned and adjusted, any in its currency.
std::optional<PriceHistory> history_of(const Universe& universe, const BarHistory& bars, PriceField field) {
  const auto own = std::ranges::find(universe.histories, bars.asset, &PriceHistory::asset);
  if (own->field == field) return *own;
  if (!bars.has(field)) return std::nullopt;
  auto history = bars.history(field);
  history.currency = universe.tags.value(bars.asset, "currency").value_or("");
  return field == PriceField::volume ? history : universe.in_currency(std::move(history));
}

/// What each asset cost on a day. Those that had no price yet are said, and cost no other its price.
PricesOn prices_on(const Universe& universe, const std::vector<PriceField>& fields, Day day) {
  PricesOn result;
  const auto look_up = [&](const PriceHistory& history) {
    try {
      result.prices.push_back(price_on(history, day));
    } catch (const InputError& none) {
      result.without.emplace_back(none.what());
    }
  };
  if (fields.empty()) std::ranges::for_each(universe.histories, look_up);
  for (const auto& bars : universe.bars) {
    for (const auto field : fields) {
      if (const auto history = history_of(universe, bars, field)) {
        look_up(*history);
      } else {
        result.without.push_back(fmt::format("{}: it has no {}", bars.asset, to_string(field)));
      }
    }
  }
  if (result.prices.empty()) {
    const auto& first = *std::ranges::min_element(universe.histories, {},
                                                  [](const PriceHistory& history) { return history.days.front(); });
    throw InputError("prices on a day", fmt::format("no asset has such a figure on {} or before", to_string(day)),
                     fmt::format("The first price is that of {} on {}", first.asset, to_string(first.days.front())));
  }
  return result;
}

}  // namespace

Inspection inspection_of(const Universe& universe, const Settings& settings, const InspectionOptions& options) {
  Inspection result;
  result.prices = looked_at(universe, settings, options, result.warnings);
  result.findings = findings_of(universe, settings);
  if (options.on) {
    result.on = prices_on(universe, options.fields, *options.on);
  } else if (!options.fields.empty()) {
    add_fields(result, universe, options);
  }
  if (result.prices.prices.array().isFinite().rowwise().all().any()) {  // there is a common start
    result.growth = cumulative_growth(result.prices);
    result.rebased = rebased(result.prices);
  }
  const bool alone = universe.bars.size() - (universe.benchmark ? 1 : 0) == 1;
  for (const auto& bars : universe.bars) {
    if (options.overlays.empty() && !(alone && result.bars.empty())) break;
    result.bars.push_back(bars_of(universe, settings, bars, options));
  }
  return result;
}

}  // namespace inchtide

#include "study/window.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <chrono>
#include <cmath>

#include "inchtide/base/errors.hpp"
#include "inchtide/prices/periods.hpp"

namespace inchtide {
namespace {

constexpr std::size_t enough_returns = 24;
constexpr std::chrono::days slack{31};  // a window that is shorter by less is not worth a word

// A history from one day to another; nothing of one without a price between.
std::optional<PriceHistory> part_of(const PriceHistory& history, Day from, Day to) {
  const std::vector<Day>& all = history.days;
  const auto begin = std::ranges::lower_bound(all, from) - all.begin();
  const auto end = std::ranges::upper_bound(all, to) - all.begin();
  if (begin >= end) return std::nullopt;
  auto part = history;
  part.days = DayList(std::vector<Day>(all.begin() + begin, all.begin() + end));
  part.prices = {history.prices.begin() + begin, history.prices.begin() + end};
  return part;
}

// The universe's histories, cut to the window.
std::vector<PriceHistory> in_window(const Universe& universe) {
  std::vector<PriceHistory> cut;
  const auto& table = universe.prices.days;
  for (const auto& history : universe.own_histories()) {
    if (auto part = part_of(history, table.front(), table.back())) cut.push_back(*std::move(part));
  }
  return cut;
}

// From the first day that the settings ask for to the last, of days on which any has a price.
std::pair<Day, Day> window_among(const std::vector<Day>& days, const Settings& settings) {
  Day first = settings.from.value_or(days.front()), last = std::min(settings.to.value_or(days.back()), days.back());
  if (settings.last) first = settings.last->before(last);
  if (!settings.trading_days) return {first, last};
  const auto count = std::ptrdiff_t(*settings.trading_days);
  const auto begin = std::ranges::lower_bound(days, first), end = std::ranges::upper_bound(days, last);
  if (end - begin < count) return {first, last};
  return settings.from ? std::pair{first, *(begin + (count - 1))} : std::pair{*(end - count), last};
}

// Whatever the days are that prices are put side by side on, shortening is to the window that all have.
PriceTable shortened(const Universe& universe, const Settings& settings) {
  const auto& whole = universe.aligned.table;
  if (settings.align.kind != AlignPolicy::Kind::any || universe.short_histories != ShortHistories::shorten) {
    return whole;
  }
  Day from = whole.days.front(), to = whole.days.back();
  for (const auto& history : universe.own_histories()) {
    from = std::max(from, history.days.front());
    to = std::min(to, history.days.back());
  }
  return from > to ? whole : whole.between(from, to);
}

// A history's first and last day, within what was asked for.
std::pair<Day, Day> bounded(const PriceHistory& history, const std::pair<Day, Day>& asked) {
  return {std::max(history.days.front(), asked.first), std::min(history.days.back(), asked.second)};
}

// From the first day that the settings ask for to the last, whether all assets have prices then or not.
std::pair<Day, Day> window_asked_for(const Universe& universe, const Settings& settings) {
  Day first = Day::max(), last = Day::min();
  for (const auto& history : universe.own_histories()) {
    first = std::min(first, history.days.front());
    last = std::max(last, history.days.back());
  }
  for (const auto& conversion : universe.conversions) {
    if (conversion.dropped.empty()) continue;
    first = std::min(first, conversion.dropped.front());
    last = std::max(last, conversion.dropped.back());
  }
  if (settings.trading_days) {  // so many there are, wherever some asset begins or ends
    (settings.from ? last : first) = settings.from ? universe.prices.days.back() : universe.prices.days.front();
  }
  last = settings.to.value_or(last);
  // Counting back beats a first day, as in the window.
  return {settings.last ? std::max(first, settings.last->before(last)) : settings.from.value_or(first), last};
}

// An asset without a price in the window would leave none to any, where histories shorten it.
void check_all_reach_in(const Universe& universe, std::optional<Day> from, std::optional<Day> to) {
  if (universe.short_histories != ShortHistories::shorten) return;
  const auto all = universe.own_histories();
  std::vector<std::string> outside;
  for (const auto& history : all) {
    if (part_of(history, from.value_or(Day::min()), to.value_or(Day::max()))) continue;
    outside.push_back(
        fmt::format("{} ({} to {})", history.asset, to_string(history.days.front()), to_string(history.days.back())));
  }
  if (outside.empty() || outside.size() == all.size()) return;
  throw InputError("window",
                   fmt::format("no price {}{}{} has {}", from ? "from " + to_string(*from) : "", from && to ? " " : "",
                               to ? "to " + to_string(*to) : "", fmt::join(outside, ", ")),
                   {{Means::short_histories, "Leaving short histories out keeps the others", "leave-out"},
                    {Means::assets, "choose among the assets"}});
}

}  // namespace

ShortInWindow short_in_window(const std::vector<PriceHistory>& histories, const Settings& settings) {
  ShortInWindow found;
  if (histories.empty()) return found;
  const auto [from, to] = window_among(days_of_any(histories), settings);
  std::vector<std::size_t> of;
  for (std::size_t i = 0; i < histories.size(); ++i) {
    if (auto part = part_of(histories[i], from, to)) {
      found.parts.push_back(*std::move(part));
      of.push_back(i);
    } else {
      found.brief.push_back(i);
    }
  }
  for (const auto k : short_histories(found.parts)) found.brief.push_back(of[k]);
  std::ranges::sort(found.brief);
  return found;
}

std::optional<Notice> notice_of_missing_rates(const Universe& universe, const Settings& settings) {
  const auto [from, to] = window_asked_for(universe, settings);
  std::vector<std::string> assets;
  for (const auto& conversion : universe.conversions) {
    std::vector<Day> days = conversion.dropped;
    std::erase_if(days, [from = from, to = to](Day day) { return day < from || day > to; });
    if (days.empty()) continue;
    assets.push_back(fmt::format("{} ({}, {}{})", conversion.history.asset, days.size(), to_string(days.front()),
                                 days.size() == 1 ? "" : " to " + to_string(days.back())));
  }
  if (assets.empty()) return std::nullopt;
  return Notice({},
                fmt::format("Prices without a rate into {} of their day or the {} days before are not used: {}",
                            universe.currency, settings.rate_carry, fmt::join(assets, ", ")),
                {{Means::rates, "Give rates of those days"}});
}

PriceTable window_of(const Universe& universe, const Settings& settings) {
  const auto table = shortened(universe, settings);
  auto from = settings.from;
  if (settings.last) {
    const auto until = table.between(std::nullopt, settings.to);
    const auto every = settings.every.value_or(Interval{1, Unit::month});
    from = window_start(until, *settings.last, every, settings.keep_last_period);
  }
  check_all_reach_in(universe, from, settings.to);
  if (!settings.trading_days) return table.between(from, settings.to);
  const auto cut = table.between(from, std::nullopt);
  const auto count = *settings.trading_days;
  if (cut.rows() < count) {
    throw InputError(
        "window", fmt::format("{} trading days were asked for, {} are there", count, cut.rows()),
        fmt::format("The prices run from {} to {}", to_string(cut.days.front()), to_string(cut.days.back())));
  }
  return from ? cut.between(std::nullopt, cut.days[count - 1])
              : cut.between(cut.days[cut.rows() - count], std::nullopt);
}

void settle_interval(Universe& universe, const Settings& settings) {
  const auto histories = in_window(universe);
  if (settings.every) {
    universe.every = *settings.every;
    check_interval(histories, universe.every, settings.align);
    return;
  }
  const Interval usual{1, Unit::month};
  const auto fits = interval_that_fits(histories, usual);
  if (fits && *fits != usual) {
    const auto ends = period_ends(universe.prices, *fits, settings.keep_last_period);
    if (ends.table.rows() > enough_returns) {
      universe.every = *fits;
      universe.warnings.push_back(
          {{},
           fmt::format("Returns are {}, not monthly: not every history has prices in half of its months",
                       fits->adjective()),
           {{Means::interval, "Choose another interval"}}});
      return;
    }
  }
  universe.every = usual;
  check_interval(histories, usual, settings.align);
}

Day window_start(const PriceTable& table, const Interval& span, const Interval& every, bool keep_last_period) {
  const Day last = table.days.back();
  const Day anniversary = span.before(last);
  const auto last_on_or_before = [&](Day day) {
    const auto after = std::ranges::upper_bound(table.days, day);
    return after == table.days.begin() ? table.days.front() : *std::prev(after);
  };
  if (span.unit() == Unit::day) return anniversary;
  if (every.unit() == Unit::day || every.unit() == Unit::week) return last_on_or_before(anniversary);
  // So many periods before the one that ends the window.
  const auto ends = period_ends(table, every, keep_last_period);
  if (ends.table.rows() == 0) return last_on_or_before(anniversary);
  const double periods = every.periods_per_year() / span.periods_per_year();
  if (std::abs(periods - std::round(periods)) > 1e-9) return last_on_or_before(anniversary);
  const long base = every.period_of(ends.table.days.back()) - std::lround(periods);
  return last_on_or_before(every.period_end(base));
}

namespace {

// Where a window is counted back, from the end of the asset that ends first: how much later the others end.
std::optional<Notice> notice_of_counting_back(const std::vector<PriceHistory>& all, const Settings& settings) {
  const auto end_of = [&](const PriceHistory& history) {
    return std::min(history.days.back(), settings.to.value_or(Day::max()));
  };
  const auto first = std::ranges::min_element(all, {}, end_of), last = std::ranges::max_element(all, {}, end_of);
  if (end_of(*last) - end_of(*first) <= slack) return std::nullopt;
  return Notice(
      {},
      fmt::format("{} ends on {}: the last {} are counted back from there, {:.1f} years before the end of {}",
                  first->asset, to_string(end_of(*first)),
                  settings.last ? settings.last->text() : fmt::format("{} days", *settings.trading_days),
                  years_between(end_of(*first), end_of(*last)), last->asset),
      {{Means::short_histories, "Leaving short histories out counts from the end of the others", "leave-out"}});
}

}  // namespace

std::optional<Notice> notice_of_the_window(const Universe& universe, const Settings& settings) {
  const auto all = universe.own_histories();
  if (universe.short_histories != ShortHistories::shorten || all.size() < 2) return std::nullopt;
  if (settings.last || (settings.trading_days && !settings.from)) {
    if (auto notice = notice_of_counting_back(all, settings)) return notice;
  }
  // From the earliest first price to the latest last one, within what was asked for.
  const auto asked = window_asked_for(universe, settings);
  auto [first, last] = bounded(all[0], asked);
  for (const auto& history : all) {
    first = std::min(first, bounded(history, asked).first);
    last = std::max(last, bounded(history, asked).second);
  }
  struct Cut {
    std::chrono::days lost;
    std::string asset, how;
  };
  std::vector<Cut> cuts;
  for (const auto& history : all) {
    const auto [from, to] = bounded(history, asked);
    const auto late = from - first, early = last - to;
    if (std::max(late, early) <= slack) continue;
    cuts.push_back(
        {late + early, history.asset,
         late > early ? "begins on " + to_string(history.days.front()) : "ends on " + to_string(history.days.back())});
  }
  if (cuts.empty()) return std::nullopt;
  std::ranges::stable_sort(cuts, [](const Cut& a, const Cut& b) { return a.lost > b.lost; });
  const auto& worst = cuts.front();
  auto line = fmt::format("{} {}: {:.1f} of {:.1f} years are not used", worst.asset, worst.how,
                          double(worst.lost.count()) / 365.25, years_between(first, last));
  if (cuts.size() > 1) line += fmt::format(" for it alone, and {} more shorten the window", cuts.size() - 1);
  return Notice({}, line, {{Means::short_histories, "Leaving short histories out keeps them", "leave-out"}});
}

}  // namespace inchtide

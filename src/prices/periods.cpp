#include "inchtide/prices/periods.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <set>

#include "inchtide/base/errors.hpp"

namespace inchtide {
namespace {

/// The period of a day, numbered along the calendar.
long period_of(Day day, const Interval& every, const std::vector<Day>& calendar) {
  if (every.unit() != Unit::day) return every.period_of(day);
  const long number = std::ranges::lower_bound(calendar, day) - calendar.begin();
  return (number + every.count() - 1) / every.count();
}

/// Periods in which all of them have a price on one day, and all from the first of these to the last.
FilledPeriods common_periods(const std::vector<PriceHistory>& histories, const Interval& every,
                             const std::vector<Day>& calendar, const AlignPolicy& policy) {
  FilledPeriods periods;
  std::set<long> ends;
  try {
    const auto table = align(histories, policy).table;
    for (std::size_t row = 0; row < table.rows(); ++row) {
      if (table.prices.row(Eigen::Index(row)).array().isFinite().all()) {
        ends.insert(period_of(table.days[row], every, calendar));
      }
    }
  } catch (const InputError&) {  // no day in common
    return periods;
  }
  if (ends.empty()) return periods;
  periods.filled = long(ends.size());
  periods.between = *ends.rbegin() - *ends.begin() + 1;
  return periods;
}

std::string plural(long count, const Interval& every) {
  auto words = every.count() == 1 ? every.words() : every.words() + " periods";
  return fmt::format("{} {}{}", count, words, every.count() == 1 && count != 1 ? "s" : "");
}

std::vector<Remedy> ways_out(const std::vector<PriceHistory>& histories, const Interval& every) {
  std::vector<Remedy> remedies{{Means::assets, "Leave it out"}};
  const auto fits = interval_that_fits(histories, every);
  if (fits && *fits != every) remedies.emplace_back(Means::interval, "take a longer interval", fits->text());
  return remedies;
}

/// Each history that leaves more periods when it goes, the one that costs most first.
std::vector<std::string> costly(const std::vector<PriceHistory>& histories, const Interval& every,
                                const std::vector<Day>& calendar, const AlignPolicy& policy, long with_all) {
  std::vector<std::pair<long, std::string>> gains;
  for (std::size_t k = 0; k < histories.size() && histories.size() > 1; ++k) {
    auto fewer = histories;
    fewer.erase(fewer.begin() + std::ptrdiff_t(k));
    const long gain = common_periods(fewer, every, calendar, policy).filled - with_all;
    if (gain > 0) gains.emplace_back(-gain, histories[k].asset);
  }
  std::ranges::stable_sort(gains);
  std::vector<std::string> names;
  for (std::size_t k = 0; k < std::min<std::size_t>(gains.size(), 3); ++k) {
    names.push_back(fmt::format("{} ({} more without it)", gains[k].second, -gains[k].first));
  }
  return names;
}

}  // namespace

FilledPeriods filled_periods(const PriceHistory& history, const Interval& every, const std::vector<Day>& calendar) {
  FilledPeriods periods;
  long last = 0;
  for (Day day : history.days) {
    const long period = period_of(day, every, calendar);
    if (periods.filled == 0 || period != last) ++periods.filled;
    last = period;
  }
  if (periods.filled > 0) periods.between = last - period_of(history.days.front(), every, calendar) + 1;
  return periods;
}

std::optional<Interval> interval_that_fits(const std::vector<PriceHistory>& histories, const Interval& every) {
  const auto calendar = days_of_any(histories);
  const auto fits = [&](const Interval& interval) {
    return std::ranges::all_of(histories,
                               [&](const PriceHistory& h) { return filled_periods(h, interval, calendar).enough(); });
  };
  if (fits(every)) return every;
  for (auto unit : {Unit::week, Unit::month, Unit::quarter, Unit::year}) {
    const Interval interval{1, unit};
    if (interval.periods_per_year() < every.periods_per_year() && fits(interval)) return interval;
  }
  return std::nullopt;
}

void check_interval(const std::vector<PriceHistory>& histories, const Interval& every, const AlignPolicy& policy) {
  const auto calendar = days_of_any(histories);
  for (const auto& history : histories) {
    const auto periods = filled_periods(history, every, calendar);
    if (periods.enough()) continue;
    throw InputError(Where::of_asset(history.asset),
                     fmt::format("it has prices in {} of {} between its first and last one, so it has no {} returns",
                                 periods.filled, plural(periods.between, every), every.adjective()),
                     ways_out(histories, every));
  }
  const auto together = common_periods(histories, every, calendar, policy);
  if (together.between == 0 || together.enough()) return;
  throw InputError("prices",
                   fmt::format("in {} of {} there is a day on which all assets have a price; most is lost to {}",
                               together.filled, plural(together.between, every),
                               fmt::join(costly(histories, every, calendar, policy, together.filled), ", ")),
                   {{Means::assets, "Leave them out"},
                    {Means::interval, "take a longer interval"},
                    {Means::alignment, "fill holes from up to 5 days before", "carry:5"}});
}

}  // namespace inchtide

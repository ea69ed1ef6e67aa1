#include "inchtide/prices/price_table.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include "base/numbers.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/prices/periods.hpp"

namespace inchtide {
namespace {

/// Histories by reference: those of one calendar, or all.
using Selection = std::vector<const PriceHistory*>;

Selection all_of(const std::vector<PriceHistory>& histories) {
  Selection all;
  for (const auto& history : histories) all.push_back(&history);
  return all;
}

/// The day lists that differ; most assets share theirs with others.
std::vector<DayList> distinct_lists(const Selection& histories) {
  std::vector<DayList> lists;
  for (const auto* history : histories) {
    const bool known = std::ranges::any_of(lists, [&](const auto& list) { return list.shares_with(history->days); });
    if (!known) lists.push_back(history->days);
  }
  return lists;
}

std::vector<Day> days_of_any(const Selection& histories) {
  std::vector<Day> any;
  for (const auto& list : distinct_lists(histories)) {
    if (std::ranges::includes(any, list)) continue;
    std::vector<Day> both;
    both.reserve(any.size() + list.size());
    std::ranges::set_union(any, list, std::back_inserter(both));
    any = std::move(both);
  }
  return any;
}

std::vector<Day> days_of_all(const std::vector<PriceHistory>& histories) {
  std::vector<Day> common = histories.front().days;
  for (const auto& history : histories) {
    if (history.days == common) continue;
    std::vector<Day> both;
    std::ranges::set_intersection(common, history.days, std::back_inserter(both));
    common = std::move(both);
  }
  return common;
}

/// Two assets without a common day, or the full list when every pair has one.
std::string why_nothing_in_common(const std::vector<PriceHistory>& histories) {
  for (std::size_t i = 0; i < histories.size(); ++i) {
    for (std::size_t j = i + 1; j < histories.size(); ++j) {
      const auto &a = histories[i], &b = histories[j];
      if (days_of_all({a, b}).empty()) {
        return fmt::format("{} ({} to {}) and {} ({} to {}) share no day", a.asset, to_string(a.days.front()),
                           to_string(a.days.back()), b.asset, to_string(b.days.front()), to_string(b.days.back()));
      }
    }
  }
  return fmt::format("the {} assets have no day on which all of them have a price", histories.size());
}

void check_codes_differ(const std::vector<PriceHistory>& histories) {
  std::set<std::string> seen;
  for (const auto& history : histories) {
    if (!seen.insert(lower_name(history.asset)).second) {
      throw InputError(Where::of_asset(history.asset), "two histories have this code", "Keep one of them");
    }
  }
}

/// The row of a history that each of `days` takes: the day's own, or the last one before it if at most `carried`
/// calendar days old, else none.
std::vector<std::ptrdiff_t> rows_on(const DayList& list, const std::vector<Day>& days, int carried) {
  std::vector<std::ptrdiff_t> rows(days.size(), -1);
  std::size_t after = 0;  // the first row after the day
  for (std::size_t d = 0; d < days.size(); ++d) {
    while (after < list.size() && list[after] <= days[d]) ++after;
    if (after > 0 && days[d] - list[after - 1] <= std::chrono::days{carried}) rows[d] = std::ptrdiff_t(after) - 1;
  }
  return rows;
}

/// The days of the table: all on which some asset has a price, less those that the policy drops.
std::vector<Day> days_kept(const std::vector<PriceHistory>& histories, const std::vector<Day>& any,
                           const AlignPolicy& policy, int carried) {
  if (policy.kind == AlignPolicy::Kind::any) return any;
  std::vector<bool> kept(any.size(), true);
  for (const auto& list : distinct_lists(all_of(histories))) {
    const auto rows = rows_on(list, any, carried);
    for (std::size_t d = 0; d < any.size(); ++d) {
      const bool outside = any[d] < list.front() || any[d] > list.back();
      if (rows[d] < 0 && !(outside && policy.keep_short_histories)) kept[d] = false;
    }
  }
  std::vector<Day> days;
  for (std::size_t d = 0; d < any.size(); ++d) {
    if (kept[d]) days.push_back(any[d]);
  }
  return days;
}

/// A hole at a period's end takes the asset's last price within the period.
void fill_from_within_period(PriceTable& ends, const PriceTable& table, const std::vector<std::size_t>& rows) {
  for (std::size_t k = 0; k < rows.size(); ++k) {
    const std::size_t first = k == 0 ? 0 : rows[k - 1] + 1;
    for (Eigen::Index i = 0; i < ends.prices.cols(); ++i) {
      for (std::size_t row = rows[k] + 1; row-- > first && std::isnan(ends.prices(Eigen::Index(k), i));) {
        ends.prices(Eigen::Index(k), i) = table.prices(Eigen::Index(row), i);
      }
    }
  }
}

bool weekday_left(Day after, Day to) {
  for (Day day = after + std::chrono::days{1}; day <= to; day += std::chrono::days{1}) {
    const auto weekday = std::chrono::weekday{day}.iso_encoding();
    if (weekday <= 5) return true;
  }
  return false;
}

std::vector<DaySpan> between_holes(const DayList& days, const std::vector<Day>& holes) {
  std::vector<DaySpan> spans{{days.front(), days.front()}};
  auto hole = holes.begin();
  for (const Day day : days) {
    const auto next = std::lower_bound(hole, holes.end(), day);
    if (next != hole) spans.push_back({day, day});
    spans.back().last = day;
    hole = next;
  }
  return spans;
}

}  // namespace

std::vector<Day> days_of_any(const std::vector<PriceHistory>& histories) {
  return days_of_any(all_of(histories));
}

std::vector<std::string> PriceTable::codes() const {
  std::vector<std::string> result;
  for (const auto& asset : assets) result.push_back(asset.code);
  return result;
}

Eigen::Index PriceTable::column_of(const std::string& code) const {
  const auto known = codes();
  const auto found = find_name(code, known);
  if (!found) throw InputError(Where::of_asset(code), "no asset has this code", did_you_mean(code, known));
  return Eigen::Index(*found);
}

PriceTable PriceTable::between(std::optional<Day> from, std::optional<Day> to) const {
  const auto begin = from ? std::ranges::lower_bound(days, *from) : days.begin();
  const auto end = to ? std::ranges::upper_bound(days, *to) : days.end();
  if (begin >= end) {
    throw InputError(
        fmt::format("window {} to {}", from ? to_string(*from) : "start", to ? to_string(*to) : "end"),
        "no day with prices lies in it",
        days.empty() ? "The table is empty"
                     : fmt::format("The prices run from {} to {}", to_string(days.front()), to_string(days.back())));
  }
  PriceTable cut;
  cut.days.assign(begin, end);
  cut.assets = assets;
  cut.prices = prices.middleRows(begin - days.begin(), end - begin);
  cut.complete_to = to ? std::min(*to, complete_to) : complete_to;
  if (!numbers.empty())
    cut.numbers.assign(numbers.begin() + (begin - days.begin()), numbers.begin() + (end - days.begin()));
  return cut;
}

PriceTable PriceTable::only(const std::vector<std::string>& codes) const {
  PriceTable picked;
  picked.days = days;
  picked.numbers = numbers;
  picked.complete_to = complete_to;
  picked.prices.resize(prices.rows(), Eigen::Index(codes.size()));
  for (std::size_t i = 0; i < codes.size(); ++i) {
    const auto column = column_of(codes[i]);
    picked.assets.push_back(assets[std::size_t(column)]);
    picked.prices.col(Eigen::Index(i)) = prices.col(column);
  }
  return picked;
}

PriceTable PriceTable::at_rows(const std::vector<std::size_t>& rows) const {
  PriceTable picked;
  picked.assets = assets;
  picked.complete_to = complete_to;
  picked.prices.resize(Eigen::Index(rows.size()), prices.cols());
  for (std::size_t i = 0; i < rows.size(); ++i) {
    picked.days.push_back(days[rows[i]]);
    picked.numbers.push_back(number(rows[i]));
    picked.prices.row(Eigen::Index(i)) = prices.row(Eigen::Index(rows[i]));
  }
  return picked;
}

std::vector<AssetCoverage> coverage_of(const std::vector<PriceHistory>& histories) {
  const auto any = days_of_any(all_of(histories));
  std::map<std::string, Selection> by_calendar;
  for (const auto& history : histories) by_calendar[history.calendar].push_back(&history);
  std::map<std::string, std::vector<Day>> calendars;
  for (const auto& [calendar, members] : by_calendar) calendars[calendar] = days_of_any(members);

  std::vector<AssetCoverage> result;
  for (const auto& history : histories) {
    AssetCoverage coverage{history.asset, history.days.front(), history.days.back(), history.days.size(), {}, {}};
    const auto& calendar = calendars.at(history.calendar);
    std::vector<Day> missing;
    std::ranges::set_difference(any, history.days, std::back_inserter(missing));
    for (Day day : missing) {
      if (day < coverage.from || day > coverage.to) continue;
      if (std::ranges::binary_search(calendar, day)) {
        coverage.holes.push_back(day);
      } else {
        ++coverage.away;
      }
    }
    coverage.priced = between_holes(history.days, coverage.holes);
    result.push_back(std::move(coverage));
  }
  return result;
}

AlignPolicy AlignPolicy::parse(std::string_view text, const Where& where) {
  if (same_name(text, "common")) return {Kind::common};
  if (same_name(text, "any")) return {Kind::any};
  if (same_name(text.substr(0, 6), "carry:")) {
    const auto days = parse_number(text.substr(6));
    if (days && *days >= 1 && *days <= 366 && *days == std::floor(*days)) return {Kind::carry, int(*days)};
  }
  throw InputError(where, fmt::format("'{}' is not a way to align", text),
                   "Write common, any or carry:5 (up to five calendar days)");
}

std::string AlignPolicy::text() const {
  if (kind == Kind::carry) return fmt::format("carry:{}", carry_days);
  return kind == Kind::any ? "any" : "common";
}

AlignedPrices align_common(const std::vector<PriceHistory>& histories) {
  return align(histories, {});
}

AlignedPrices align(const std::vector<PriceHistory>& histories, const AlignPolicy& policy, std::size_t followers) {
  if (histories.empty()) throw InputError("prices", "there is no asset", "Give at least one price history");
  for (const auto& history : histories) history.check(history.asset);
  check_codes_differ(histories);
  AlignedPrices aligned;
  aligned.coverage = coverage_of(histories);
  auto& table = aligned.table;
  const std::vector<PriceHistory> deciding(histories.begin(), histories.end() - std::ptrdiff_t(followers));
  const auto any = days_of_any(all_of(deciding));
  const int carried = policy.kind == AlignPolicy::Kind::carry ? policy.carry_days : 0;
  table.days = days_kept(deciding, any, policy, carried);
  if (table.days.size() < any.size()) {
    for (Day day : table.days) table.numbers.push_back(std::ranges::lower_bound(any, day) - any.begin());
  }
  table.prices.resize(Eigen::Index(table.days.size()), Eigen::Index(histories.size()));
  for (std::size_t i = 0; i < histories.size(); ++i) {
    const auto& history = histories[i];
    table.assets.push_back({history.asset, history.currency, history.field});
    const auto rows = rows_on(history.days, table.days, carried);
    for (std::size_t d = 0; d < rows.size(); ++d) {
      const bool known = rows[d] >= 0;
      table.prices(Eigen::Index(d), Eigen::Index(i)) = known ? history.prices[std::size_t(rows[d])] : no_figure;
      aligned.coverage[i].filled += known && history.days[std::size_t(rows[d])] != table.days[d] ? 1 : 0;
    }
  }
  if (table.days.empty()) {
    throw InputError("prices", why_nothing_in_common(deciding),
                     {{Means::assets, "Leave an asset out"}, {Means::prices, "extend its history"}});
  }
  table.complete_to = table.days.back();
  aligned.days_seen = any.size();
  aligned.days_dropped = aligned.days_seen - table.days.size();
  return aligned;
}

ShortHistories parse_short_histories(std::string_view text, const Where& where) {
  const std::vector<std::string> names = {"shorten", "leave-out", "keep"};
  if (const auto found = find_name(text, names)) return ShortHistories(*found);
  throw InputError(where, fmt::format("there is no choice '{}'", text), did_you_mean(text, names));
}

std::string to_string(ShortHistories choice) {
  constexpr const char* names[] = {"shorten", "leave-out", "keep"};
  return names[std::size_t(choice)];
}

std::vector<std::size_t> short_histories(const std::vector<PriceHistory>& histories, int slack_days) {
  std::vector<std::size_t> found;
  if (histories.empty()) return found;
  Day earliest = histories.front().days.front(), latest = histories.front().days.back();
  for (const auto& history : histories) {
    earliest = std::min(earliest, history.days.front());
    latest = std::max(latest, history.days.back());
  }
  const std::chrono::days slack{slack_days};
  for (std::size_t i = 0; i < histories.size(); ++i) {
    const auto& days = histories[i].days;
    if (days.front() > earliest + slack || days.back() < latest - slack) found.push_back(i);
  }
  return found;
}

std::vector<ShortHistoryEffect> effects_on_rows(const std::vector<PriceHistory>& histories, AlignPolicy policy) {
  std::vector<ShortHistoryEffect> effects;
  for (auto choice : {ShortHistories::shorten, ShortHistories::leave_out, ShortHistories::keep}) {
    ShortHistoryEffect effect{choice, {}};
    auto kept = histories;
    if (choice == ShortHistories::leave_out) {
      const auto gone = short_histories(histories);
      for (auto at = gone.rbegin(); at != gone.rend(); ++at) {
        effect.left_out.insert(effect.left_out.begin(), kept[*at].asset);
        kept.erase(kept.begin() + std::ptrdiff_t(*at));
      }
    }
    policy.keep_short_histories = choice == ShortHistories::keep;
    const auto days = kept.empty() ? std::vector<Day>{}
                                   : days_kept(kept, days_of_any(all_of(kept)), policy,
                                               policy.kind == AlignPolicy::Kind::carry ? policy.carry_days : 0);
    effect.rows = days.size();
    if (!days.empty()) {
      effect.from = days.front();
      effect.to = days.back();
      auto complete = policy;
      complete.keep_short_histories = false;
      if (complete.kind == AlignPolicy::Kind::any) complete.kind = AlignPolicy::Kind::common;
      effect.complete_rows =
          days_kept(kept, days, complete, complete.kind == AlignPolicy::Kind::carry ? complete.carry_days : 0).size();
    }
    effects.push_back(std::move(effect));
  }
  return effects;
}

long period_of_row(const PriceTable& table, std::size_t row, const Interval& every) {
  if (every.unit() != Unit::day) return every.period_of(table.days[row]);
  return (table.number(row) - table.number(0) + every.count() - 1) / every.count();
}

void PriceTable::check_shape() const {
  const bool fits = prices.rows() == Eigen::Index(days.size()) && prices.cols() == Eigen::Index(assets.size()) &&
                    (numbers.empty() || numbers.size() == days.size());
  if (!fits) {
    throw InputError("price table",
                     fmt::format("{} x {} prices and {} numbers of rows for {} days and {} assets", prices.rows(),
                                 prices.cols(), numbers.size(), days.size(), assets.size()),
                     "Give a row a day and a column an asset");
  }
  for (std::size_t row = 1; row < days.size(); ++row) {
    if (days[row] > days[row - 1] && (numbers.empty() || numbers[row] > numbers[row - 1])) continue;
    throw InputError("price table", fmt::format("{} comes after {}", to_string(days[row]), to_string(days[row - 1])),
                     "Sort the rows by day and keep one row a day");
  }
  std::set<std::string> seen;
  for (Eigen::Index i = 0; i < prices.cols(); ++i) {
    const auto& code = assets[std::size_t(i)].code;
    if (code.empty()) throw InputError("price table", fmt::format("column {} has no code", i + 1), "Give it one");
    if (!seen.insert(lower_name(code)).second)
      throw InputError(Where::of_asset(code), "it comes twice in the table", "Keep one");
  }
}

void PriceTable::check() const {
  check_shape();
  for (Eigen::Index i = 0; i < prices.cols(); ++i) {
    const auto& code = assets[std::size_t(i)].code;
    for (Eigen::Index row = 0; row < prices.rows(); ++row) {
      const double price = prices(row, i);
      if (std::isnan(price) || (price > 0 && std::isfinite(price))) continue;
      throw InputError(Where::of_asset(code),
                       fmt::format("the price on {} is {}", to_string(days[std::size_t(row)]), price),
                       "A price is a positive number, or NaN where there is none");
    }
  }
}

double PriceTable::rows_per_year() const {
  if (rows() < 2) return 252;
  const double years = years_between(days.front(), days.back());
  const double counted = double(number(rows() - 1) - number(0)) / years;
  const bool weekends = std::ranges::any_of(days, [](Day day) { return std::chrono::weekday{day}.iso_encoding() > 5; });
  constexpr double half = 0.5;
  if (years < half && !weekends) {  // a few days tell little: of the weekdays between, how many are there
    long weekdays = 0;
    for (Day day = days.front(); day < days.back(); day += std::chrono::days{1}) {
      weekdays += std::chrono::weekday{day}.iso_encoding() <= 5 ? 1 : 0;
    }
    if (double(number(rows() - 1) - number(0)) > 0.85 * double(weekdays)) return 252;
  }
  if (counted >= 240 && counted <= 262) return 252;
  if (counted >= 340) return 365;
  if (counted >= 49 && counted <= 53.5) return 52;
  if (counted >= 11 && counted <= 12.5) return 12;
  return counted;
}

PeriodEnds period_ends(const PriceTable& table, const Interval& every, bool keep_unfinished) {
  table.check();
  PeriodEnds ends;
  std::vector<std::size_t> rows;
  if (table.rows() == 0) throw InputError("price table", "it has no row", "Give at least two days with a price");
  for (std::size_t row = 0; row < table.rows(); ++row) {
    const bool last = row + 1 == table.rows();
    if (last || period_of_row(table, row, every) != period_of_row(table, row + 1, every)) rows.push_back(row);
  }
  if (every.unit() == Unit::day) {
    ends.last_unfinished = (table.number(table.rows() - 1) - table.number(0)) % every.count() != 0;
  } else {
    const Day known_to = std::max(table.complete_to, table.days.back());
    ends.last_unfinished = weekday_left(known_to, every.period_end(every.period_of(table.days.back())));
  }
  ends.last_kept = !ends.last_unfinished || keep_unfinished;
  if (!ends.last_kept) rows.pop_back();
  ends.table = table.at_rows(rows);
  fill_from_within_period(ends.table, table, rows);
  return ends;
}

}  // namespace inchtide

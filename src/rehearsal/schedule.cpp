#include "inchtide/rehearsal/schedule.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <stdexcept>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/base/percent.hpp"
#include "rehearsal/tolerances.hpp"

namespace inchtide {
namespace {

std::vector<std::string_view> split_at(std::string_view text, char mark) {
  std::vector<std::string_view> parts;
  for (;;) {
    const auto at = text.find(mark);
    parts.push_back(text.substr(0, at));
    if (at == std::string_view::npos) return parts;
    text.remove_prefix(at + 1);
  }
}

InputError not_a_schedule(std::string_view text, const Where& where) {
  return {where, fmt::format("'{}' is not a schedule", text),
          "Write never, an interval such as 1m, 1q@first or 21d@7, band:5pp, band:20%, 1q+band:5pp (both) or "
          "1q|band:5pp (either); behind it :edge, :half, :after-costs, :cap=10% or :tranches=4"};
}

/// The most trading days a period can have.
int most_days(const Interval& every) {
  switch (every.unit()) {
    case Unit::day: return every.count();
    case Unit::week: return 7 * every.count();
    case Unit::month: return 31 * every.count();
    case Unit::quarter: return 92 * every.count();
    case Unit::year: return 366 * every.count();
  }
  throw std::logic_error("an interval without a unit");
}

std::optional<int> anchor_in(std::string_view text, bool days) {
  if (!days && same_name(text, "first")) return 1;
  if (!days && same_name(text, "last")) return -1;
  const auto number = parse_number(text);
  if (!number || *number != std::floor(*number) || std::abs(*number) > 1e6) return std::nullopt;
  return int(*number);
}

void read_calendar(Schedule& schedule, std::string_view text, std::string_view whole, const Where& where) {
  const auto at = text.find('@');
  try {
    schedule.every = Interval::parse(text.substr(0, at), where);
  } catch (const InputError&) {
    throw not_a_schedule(whole, where);
  }
  const bool days = schedule.every->unit() == Unit::day;
  schedule.anchor = days ? 0 : -1;
  if (at == std::string_view::npos) return;
  const auto anchor = anchor_in(text.substr(at + 1), days);
  if (!anchor) throw not_a_schedule(whole, where);
  const int most = most_days(*schedule.every);
  if (days ? *anchor < 0 || *anchor >= most : *anchor == 0 || std::abs(*anchor) > most) {
    throw InputError(where, fmt::format("there is no day '{}' in '{}'", text.substr(at + 1), whole),
                     days ? fmt::format("Give the rows after each multiple, from 0 to {}", most - 1)
                          : std::string("Give a trading day of the period: 1 is its first, 3 its third, -1 its last"));
  }
  schedule.anchor = *anchor;
}

/// What stands behind `band:` up to where the trade goes; takes the parts that belong to it off `parts`.
Band band_in(std::vector<std::string_view>& parts, std::string_view whole, const Where& where) {
  const auto is_width = [](std::string_view part) {
    part = part.substr(0, part.find('/'));
    return part.ends_with("pp") || part.ends_with('%');
  };
  Band band;
  if (!parts.empty() && !is_width(parts[0])) {
    band.column = std::string(parts[0]);
    parts.erase(parts.begin());
  }
  if (parts.empty() || !is_width(parts[0]) || (band.column.empty() && whole.find("band::") != std::string_view::npos)) {
    throw not_a_schedule(whole, where);
  }
  const auto sides = split_at(parts[0], '/');
  parts.erase(parts.begin());
  if (sides.size() > 2 || (sides.size() == 2 && !same_name(sides[1], "cash"))) throw not_a_schedule(whole, where);
  band.cash = sides.size() == 2;
  const bool points = sides[0].ends_with("pp");
  band.measure = points ? Band::Measure::points : Band::Measure::share;
  const auto width = parse_number(sides[0].substr(0, sides[0].size() - (points ? 2 : 1)));
  if (!width) throw not_a_schedule(whole, where);
  if (!(*width > 0 && *width <= 1000)) {
    throw InputError(where, fmt::format("a band of {} in '{}'", sides[0], whole), "Give a width above 0, such as 5pp");
  }
  band.width = *width / 100;
  return band;
}

/// How many ledgers look in turn.
int tranches_in(std::string_view text, const Schedule& schedule, std::string_view whole, const Where& where) {
  if (!schedule.every || schedule.watches()) {
    throw InputError(where, fmt::format("'{}' has no interval that tranches could share out", whole),
                     "Give one, such as 1q:tranches=4");
  }
  const auto number = parse_number(text);
  const int rows = usual_rows(*schedule.every);
  if (!number || *number != std::floor(*number) || *number < 1 || *number > rows) {
    throw InputError(where, fmt::format("'{}' tranches in '{}'", text, whole),
                     fmt::format("Give a whole number from 1 to {}, the rows of the interval", rows));
  }
  if (schedule.every->unit() != Unit::day && schedule.anchor != -1) {
    throw InputError(where, fmt::format("the tranches of '{}' look on days of their own", whole),
                     "Leave out what stands behind the @");
  }
  return int(*number);
}

/// Where the trade goes, from the parts that are left.
void read_destination(Schedule& schedule, const std::vector<std::string_view>& parts, std::string_view whole,
                      const Where& where) {
  for (const auto part : parts) {
    if (same_name(part, "edge")) {
      schedule.to = Schedule::To::edge;
    } else if (same_name(part, "half")) {
      schedule.to = Schedule::To::half;
    } else if (same_name(part, "after-costs")) {
      schedule.to = Schedule::To::after_costs;
    } else if (lower_name(part).starts_with("cap=")) {
      schedule.cap = fraction_from_percent(part.substr(4), where);
      if (!(*schedule.cap > 0 && *schedule.cap <= 10)) {
        throw InputError(where, fmt::format("a cap of {} on a trade's turnover in '{}'", part.substr(4), whole),
                         "Give a share of wealth above 0%, such as 10%");
      }
    } else if (lower_name(part).starts_with("tranches=")) {
      schedule.tranches = tranches_in(part.substr(9), schedule, whole, where);
    } else {
      throw not_a_schedule(whole, where);
    }
  }
  if (schedule.to == Schedule::To::edge && !schedule.band) {
    throw InputError(where, fmt::format("'{}' has no band to whose edge a trade could go", whole),
                     "Give one, such as 1q+band:5pp:edge");
  }
  if (schedule.to == Schedule::To::half && !schedule.band) {
    throw InputError(where, fmt::format("'{}' has no band that says what is outside", whole),
                     "Give one, such as 1q+band:5pp:half");
  }
}

}  // namespace

int usual_rows(const Interval& every) {
  constexpr int usual[] = {1, 5, 21, 63, 252};  // of a day, a week, a month, a quarter, a year
  return usual[std::size_t(every.unit())] * every.count();
}

double Band::half_width(double target) const {
  return measure == Measure::points ? width : width * std::abs(target);
}

bool Band::is_outside(double weight, double target) const {
  if (measure == Measure::share && target == 0) return false;
  return std::abs(weight - target) > half_width(target) + band_rounding;
}

Schedule Schedule::parse(std::string_view text, const Where& where) {
  Schedule schedule;
  const auto band_at = lower_name(text).find("band:");
  std::string_view when = text.substr(0, std::min(band_at, text.find(':')));
  auto parts = split_at(text.substr(std::min(text.size(), when.size())), ':');
  parts.erase(parts.begin());  // what stands before the first colon
  if (band_at != std::string_view::npos) {
    when = text.substr(0, band_at);
    parts = split_at(text.substr(band_at + 5), ':');
    schedule.band = band_in(parts, text, where);
    if (!when.empty()) {
      if (when.back() != '+' && when.back() != '|') throw not_a_schedule(text, where);
      schedule.join = when.back() == '+' ? Join::both : Join::either;
      when.remove_suffix(1);
      if (when.empty()) throw not_a_schedule(text, where);
    }
  }
  if (same_name(when, "never") && !schedule.band) {
    if (!parts.empty()) throw not_a_schedule(text, where);
  } else if (!when.empty() || !schedule.band) {
    read_calendar(schedule, when, text, where);
  }
  read_destination(schedule, parts, text, where);
  schedule.name = schedule.text();
  return schedule;
}

std::string Schedule::text() const {
  std::string text;
  if (every) {
    text = every->text();
    const bool days = every->unit() == Unit::day;
    if (days ? anchor > 0 : anchor != -1) text += !days && anchor == 1 ? "@first" : fmt::format("@{}", anchor);
  } else if (!band) {
    return "never";
  }
  if (band) {
    if (every) text += join == Join::both ? "+" : "|";
    text += "band:";
    if (!band->column.empty()) text += band->column + ":";
    auto width = short_percent(band->width);
    if (band->measure == Band::Measure::points) width.replace(width.size() - 1, 1, "pp");
    text += width + (band->cash ? "/cash" : "");
  }
  if (to == To::edge) text += ":edge";
  if (to == To::half) text += ":half";
  if (to == To::after_costs) text += ":after-costs";
  if (cap) text += ":cap=" + short_percent(*cap);
  if (tranches > 1) text += fmt::format(":tranches={}", tranches);
  return text;
}

namespace {

/// The trading days of a period that lie before the first given day, or after the last: its weekdays, or all its days.
int days_outside(const Interval& every, Day from, std::chrono::days step, bool weekends) {
  int count = 0;
  for (Day day = from + step; every.period_of(day) == every.period_of(from); day += step) {
    count += weekends || std::chrono::weekday{day}.iso_encoding() <= 5;
  }
  return count;
}

}  // namespace

std::vector<bool> Schedule::looks(const std::vector<Day>& days) const {
  std::vector<bool> looks(days.size(), false);
  if (!every || days.empty()) return looks;
  if (every->unit() == Unit::day) {
    const auto count = std::size_t(every->count());
    for (std::size_t i = 1; i < days.size(); ++i) looks[i] = i % count == std::size_t(anchor) % count;
    return looks;
  }
  const bool weekends = std::ranges::any_of(days, [](Day day) { return std::chrono::weekday{day}.iso_encoding() > 5; });
  for (std::size_t begin = 0, end = 0; begin < days.size(); begin = end) {
    const long period = every->period_of(days[begin]);
    while (end < days.size() && every->period_of(days[end]) == period) ++end;
    long at = 0;  // of the day to look on, among the given days
    if (anchor > 0) {
      const int before = begin == 0 ? days_outside(*every, days.front(), std::chrono::days{-1}, weekends) : 0;
      at = long(begin) + anchor - 1 - before;
    } else {
      const int after = end == days.size() ? days_outside(*every, days.back(), std::chrono::days{1}, weekends) : 0;
      at = long(end) + anchor + after;
    }
    if (at >= std::max(1L, long(begin)) && at < long(end)) looks[std::size_t(at)] = true;
  }
  return looks;
}

}  // namespace inchtide

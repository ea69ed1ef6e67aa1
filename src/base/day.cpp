#include "inchtide/base/day.hpp"

#include <fmt/format.h>

#include <charconv>
#include <stdexcept>

#include "inchtide/base/errors.hpp"

namespace inchtide {
namespace {

using std::chrono::days;
using std::chrono::month;
using std::chrono::months;
using std::chrono::year;
using std::chrono::year_month_day;
using std::chrono::year_month_day_last;

constexpr long floor_div(long a, long b) {
  return a / b - ((a % b != 0) && ((a < 0) != (b < 0)) ? 1 : 0);
}

int months_in(Unit unit) {
  return unit == Unit::month ? 1 : unit == Unit::quarter ? 3 : 12;
}

long month_number(Day day) {
  const year_month_day ymd{day};
  return 12L * int(ymd.year()) + (long(unsigned(ymd.month())) - 1);
}

Day last_day_of_month(long number) {
  const year y{int(floor_div(number, 12))};
  const month m{unsigned(number - 12 * floor_div(number, 12)) + 1};
  return Day{year_month_day_last{y, std::chrono::month_day_last{m}}};
}

// 1970-01-01 was a Thursday; three days earlier is a Monday.
constexpr long monday_offset = 3;

}  // namespace

std::optional<Day> parse_day(std::string_view text) {
  if (text.size() != 10 || text[4] != '-' || text[7] != '-') return std::nullopt;
  const auto digit = [&](int at) { return text[std::size_t(at)] - '0'; };
  for (int at : {0, 1, 2, 3, 5, 6, 8, 9}) {
    if (digit(at) < 0 || digit(at) > 9) return std::nullopt;
  }
  const int y = 1000 * digit(0) + 100 * digit(1) + 10 * digit(2) + digit(3);
  const auto m = unsigned(10 * digit(5) + digit(6)), d = unsigned(10 * digit(8) + digit(9));
  const year_month_day ymd{year{y}, month{m}, std::chrono::day{d}};
  if (!ymd.ok()) return std::nullopt;
  return Day{ymd};
}

Day day_from(std::string_view text, const Where& where) {
  const auto day = parse_day(text);
  if (!day) {
    throw InputError(where, fmt::format("'{}' is not a day", text), "Write it as YYYY-MM-DD");
  }
  return *day;
}

std::string to_string(Day day) {
  const year_month_day ymd{day};
  return fmt::format("{:04}-{:02}-{:02}", int(ymd.year()), unsigned(ymd.month()), unsigned(ymd.day()));
}

double years_between(Day from, Day to) {
  return double((to - from).count()) / 365.25;
}

Interval::Interval(int count, Unit unit) : count_(count), unit_(unit) {
  constexpr int longest[] = {3'652'425, 521'775, 120'000, 40'000, 10'000};
  if (count < 1) throw InputError("interval", fmt::format("a count of {}", count), "Give 1 or more");
  if (count > longest[int(unit)]) {
    throw InputError("interval", fmt::format("'{}' is longer than 10,000 years", text()), "Give a shorter one");
  }
}

Interval Interval::parse(std::string_view text, const Where& where) {
  constexpr std::string_view units = "dwmqy";
  const auto fail = [&] {
    return InputError(where, fmt::format("'{}' is not an interval", text),
                      "Write a count and d, w, m, q or y, such as 1d, 2w, 1m, 1q or 1y");
  };
  const auto unit = text.empty() ? std::string_view::npos : units.find(text.back());
  if (unit == std::string_view::npos) throw fail();
  int number = 1;
  if (const auto count = text.substr(0, text.size() - 1); !count.empty()) {
    const auto [end, error] = std::from_chars(count.data(), count.data() + count.size(), number);
    if (error != std::errc{} || end != count.data() + count.size() || number < 1) throw fail();
  }
  try {
    return {number, Unit(unit)};
  } catch (const InputError&) {
    throw InputError(where, fmt::format("'{}' is longer than 10,000 years", text), "Give a shorter one");
  }
}

std::string Interval::text() const {
  return fmt::format("{}{}", count_, "dwmqy"[int(unit_)]);
}

std::string Interval::words() const {
  constexpr const char* names[] = {"trading day", "week", "month", "quarter", "year"};
  return count_ == 1 ? names[int(unit_)] : fmt::format("{} {}s", count_, names[int(unit_)]);
}

std::string Interval::adjective() const {
  constexpr const char* names[] = {"daily", "weekly", "monthly", "quarterly", "yearly"};
  constexpr const char* units[] = {"day", "week", "month", "quarter", "year"};
  return count_ == 1 ? names[int(unit_)] : fmt::format("{}-{}", count_, units[int(unit_)]);
}

double Interval::periods_per_year() const {
  constexpr double per_year[] = {252, 52, 12, 4, 1};
  return per_year[int(unit_)] / count_;
}

long Interval::period_of(Day day) const {
  switch (unit_) {
    case Unit::day:
      throw InputError("interval", text() + " counts rows of a table, not the calendar", "Give weeks or longer");
    case Unit::week: return floor_div(day.time_since_epoch().count() + monday_offset, 7L * count_);
    default: return floor_div(month_number(day), long(count_) * months_in(unit_));
  }
}

Day Interval::period_end(long period) const {
  if (unit_ == Unit::week) return Day{days{(period + 1) * 7 * count_ - monday_offset - 1}};
  return last_day_of_month((period + 1) * count_ * months_in(unit_) - 1);
}

Day Interval::before(Day day) const {
  if (unit_ == Unit::day) return day - days{count_};
  if (unit_ == Unit::week) return day - days{7 * count_};
  const year_month_day ymd = year_month_day{day} - months{count_ * months_in(unit_)};
  return ymd.ok() ? Day{ymd} : Day{ymd.year() / ymd.month() / std::chrono::last};
}

}  // namespace inchtide

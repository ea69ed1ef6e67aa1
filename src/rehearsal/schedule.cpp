#include "inchtide/rehearsal/schedule.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"

namespace inchtide {

Schedule Schedule::parse(std::string_view text, const Where& where) {
  Schedule schedule;
  if (same_name(text, "never")) {
    schedule.name = "never";
    return schedule;
  }
  const auto fail = [&] {
    return InputError(where, fmt::format("'{}' is not a schedule", text),
                      "Write never, or an interval such as 1m, 1q, 1y or 1q@first");
  };
  const auto at = text.find('@');
  if (at != std::string_view::npos) {
    const auto anchor = text.substr(at + 1);
    if (!same_name(anchor, "first") && !same_name(anchor, "last")) throw fail();
    schedule.anchor = same_name(anchor, "first") ? Anchor::first : Anchor::last;
  }
  try {
    schedule.every = Interval::parse(text.substr(0, at), where);
  } catch (const InputError&) {
    throw fail();
  }
  schedule.name = schedule.text();
  return schedule;
}

std::string Schedule::text() const {
  if (!every) return "never";
  return every->text() + (anchor == Anchor::first ? "@first" : "");
}

namespace {

/// The first day after the last on which there may be a price: a weekday, unless some day isn't one.
Day next_day(const std::vector<Day>& days) {
  const auto is_weekend = [](Day day) { return std::chrono::weekday{day}.iso_encoding() > 5; };
  Day next = days.back() + std::chrono::days{1};
  if (std::ranges::any_of(days, is_weekend)) return next;
  while (is_weekend(next)) next += std::chrono::days{1};
  return next;
}

}  // namespace

std::vector<bool> Schedule::looks(const std::vector<Day>& days) const {
  std::vector<bool> looks(days.size(), false);
  if (!every) return looks;
  for (std::size_t i = 1; i < days.size(); ++i) {
    if (every->unit() == Unit::day) {
      looks[i] = i % std::size_t(every->count()) == 0;
    } else if (anchor == Anchor::first) {
      looks[i] = every->period_of(days[i]) != every->period_of(days[i - 1]);
    } else {
      const Day next = i + 1 < days.size() ? days[i + 1] : next_day(days);
      looks[i] = every->period_of(days[i]) != every->period_of(next);
    }
  }
  return looks;
}

}  // namespace inchtide

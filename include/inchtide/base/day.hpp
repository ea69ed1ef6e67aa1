#pragma once
/// Days and intervals: when a price was made, and how far apart two looks at it are.
///
/// A day is a calendar day without time or zone. An interval is a count of days, weeks, months, quarters or years;
/// "days" count rows of a table (trading days), the others follow the calendar.

#include <chrono>
#include <optional>
#include <string>
#include <string_view>

#include "inchtide/base/api.hpp"
#include "inchtide/base/notice.hpp"

namespace inchtide {

using Day = std::chrono::sys_days;

/// Reads an ISO day, `YYYY-MM-DD`. Returns nothing when the text is anything else or no such day exists.
[[nodiscard]] INCHTIDE_API std::optional<Day> parse_day(std::string_view text);

/// Reads an ISO day that a person gave. `where` names the place it was given, e.g. "--from".
/// @throws InputError naming `where` and the text when it isn't a day.
INCHTIDE_API Day day_from(std::string_view text, const Where& where);

/// `YYYY-MM-DD`.
[[nodiscard]] INCHTIDE_API std::string to_string(Day day);

/// Years between two days by the calendar: days / 365.25.
[[nodiscard]] INCHTIDE_API double years_between(Day from, Day to);

enum class Unit { day, week, month, quarter, year };

/// `count` units, e.g. 3 weeks.
///
/// @code
/// #include <cassert>
/// const auto two_weeks = inchtide::Interval::parse("2w", "--every");
/// assert(two_weeks.count() == 2 && two_weeks.unit() == inchtide::Unit::week);
/// assert(two_weeks.periods_per_year() == 26.0);
/// @endcode
class INCHTIDE_API Interval {
 public:
  Interval() = default;  ///< a month
  /// @throws InputError when the count isn't positive or the whole is longer than 10,000 years
  Interval(int count, Unit unit);

  [[nodiscard]] int count() const { return count_; }
  [[nodiscard]] Unit unit() const { return unit_; }

  /// Reads `1d`, `2w`, `1m`, `1q`, `1y`; the count may be left out.
  /// @throws InputError naming `where` when the text is anything else, the count isn't positive or
  /// the whole is longer than 10,000 years.
  [[nodiscard]] static Interval parse(std::string_view text, const Where& where);

  /// `1m`, as `parse` reads it.
  [[nodiscard]] std::string text() const;

  /// "month", "2 weeks": for sentences.
  [[nodiscard]] std::string words() const;

  /// "monthly", "2-week": for headings.
  [[nodiscard]] std::string adjective() const;

  /// 252, 52, 12, 4 or 1, divided by the count.
  [[nodiscard]] double periods_per_year() const;

  /// The number of the period that holds `day`, counted from a fixed origin, for calendar units. Weeks run Monday to
  /// Sunday; blocks of k months, quarters or years count from year 0.
  /// @throws InputError for days, which count rows and not the calendar.
  [[nodiscard]] long period_of(Day day) const;

  /// The last calendar day of period `period`.
  [[nodiscard]] Day period_end(long period) const;

  /// `day` moved back by this interval on the calendar (the end of a month stays within the month); days count as
  /// calendar days here.
  [[nodiscard]] Day before(Day day) const;

  friend bool operator==(const Interval&, const Interval&) = default;

 private:
  int count_ = 1;
  Unit unit_ = Unit::month;
};

}  // namespace inchtide

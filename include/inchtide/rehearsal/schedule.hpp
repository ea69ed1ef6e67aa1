#pragma once
/// When a rehearsal looks at the portfolio, what it has to see to trade, and where the trade goes.
///
/// As text: `never`; an interval (`1m`, `2w`, `1q`), on whose last trading day it looks, or another one of it:
/// `1m@first`, `1m@3` (the third), `1m@-3` (the third from the end); `21d`, every 21 rows from the walk's first, or
/// `21d@7`, seven rows later. `band:5pp` trades where a weight is off its target by more than 5 points, `band:20%` by
/// more than a fifth of its target, `band:sector:5pp` where the total of a sector is; `/cash` behind it counts cash as
/// a member. `1q+band:5pp` looks quarterly and trades where one is outside; `1q|band:5pp` trades quarterly and whenever
/// one is. Behind all of it stands where the trade goes: `:edge`, `:half`, `:after-costs`, and `:cap=10%` of turnover
/// at most. `1q:tranches=4` deals the wealth to four ledgers that look a quarter of the interval apart, so that the
/// choice of the day does less; calendars count as so many rows then (`usual_rows`).
///
/// @code
/// #include <cassert>
/// using namespace inchtide;
/// const auto monthly = Schedule::parse("1m", "here");
/// const auto looks = monthly.looks({*parse_day("2024-01-30"), *parse_day("2024-01-31"), *parse_day("2024-02-01")});
/// assert(!looks[0] && looks[1] && !looks[2]);
/// const auto band = Schedule::parse("band:25%:edge", "here").band;
/// assert(band->half_width(0.5) == 0.125 && band->is_outside(0.63, 0.5) && !band->is_outside(0.625, 0.5));
/// @endcode

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/day.hpp"
#include "inchtide/base/notice.hpp"

namespace inchtide {

/// How far a weight may be off its target before it makes a schedule trade.
struct INCHTIDE_API Band {
  enum class Measure { points, share };  ///< of wealth, or of the target

  double width = 0;  ///< a fraction: 0.05 is five points, or a twentieth of the target
  Measure measure = Measure::points;
  std::string column{};  ///< totals of this tag's values are looked at; each asset where it is empty
  bool cash = false;     ///< cash is a member too

  /// What a weight of this target may be off it.
  [[nodiscard]] double half_width(double target) const;
  /// Whether a weight is off its target by more than that, beyond rounding (1e-12). One without a target is outside
  /// bands in points only.
  [[nodiscard]] bool is_outside(double weight, double target) const;

  friend bool operator==(const Band&, const Band&) = default;
};

struct INCHTIDE_API Schedule {
  /// A calendar and a band: trade where both say so, or either.
  enum class Join { both, either };
  /// Where a trade goes: all weights to their targets; those outside to the band's edge, or half way back to their
  /// targets; or the aim itself with the costs of getting there counted.
  enum class To { targets, edge, half, after_costs };

  std::string name{};               ///< the manager's name for it, or its text
  std::optional<Interval> every{};  ///< a calendar; without one and without a band it buys once and holds
  /// Which trading day of the period it looks on: 1 the first, -1 the last, -3 the third from the end. For intervals of
  /// days the rows after each multiple, from 0.
  int anchor = -1;
  std::optional<Band> band{};
  Join join = Join::both;
  To to = To::targets;
  std::optional<double> cap{};  ///< of one trade's turnover, a fraction; the first purchase is exempt
  int tranches = 1;             ///< ledgers of their own that look in turn

  /// @param where the place it was given, for the message
  /// @throws InputError for anything else, for an anchor that cannot be (`1w@9`, `21d@21`), and for a way to trade that
  ///         needs a band where there is none
  [[nodiscard]] static Schedule parse(std::string_view text, const Where& where);

  /// The text that `parse` reads.
  [[nodiscard]] std::string text() const;

  /// For each day whether the calendar has it look at its close. The first day never counts: the first purchase is
  /// decided then anyway. Intervals of days count rows from the first. A period's days are the given ones, and before
  /// the first and after the last given one its weekdays (all of its days where some given day isn't a weekday): so the
  /// last day given is its period's last only where the calendar says so, never because the prices end there. Exchange
  /// calendars are known ahead, so deciding on the last trading day of a month doesn't look ahead.
  [[nodiscard]] std::vector<bool> looks(const std::vector<Day>& days) const;

  /// Whether it looks at its band at every close, whatever the calendar says.
  [[nodiscard]] bool watches() const { return band && (!every || join == Join::either); }

  /// Whether it says when to look, and nothing else.
  [[nodiscard]] bool is_calendar() const { return every && !band && !cap && to == To::targets && tranches == 1; }

  /// The same days, band and destination: names aside.
  [[nodiscard]] bool same_as(const Schedule& other) const { return text() == other.text(); }
};

/// So many rows an interval usually has: 1 a day, 5 a week, 21 a month, 63 a quarter, 252 a year.
[[nodiscard]] INCHTIDE_API int usual_rows(const Interval& every);

}  // namespace inchtide

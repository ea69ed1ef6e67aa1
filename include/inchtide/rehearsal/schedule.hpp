#pragma once
/// When a rehearsal looks at the portfolio and trades back to its weights.
///
/// @code
/// #include <cassert>
/// using namespace inchtide;
/// const auto monthly = Schedule::parse("1m", "here");
/// const auto looks = monthly.looks({*parse_day("2024-01-30"), *parse_day("2024-01-31"), *parse_day("2024-02-01")});
/// assert(!looks[0] && looks[1] && !looks[2]);
/// @endcode

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/day.hpp"
#include "inchtide/base/notice.hpp"

namespace inchtide {

/// `never`, or a calendar interval with an anchor: `1m` (the last trading day of each month), `1q@first`, `5d`.
///
/// Exchange calendars are known ahead, so deciding on the last trading day of a month doesn't look ahead.
struct INCHTIDE_API Schedule {
  enum class Anchor { first, last };

  std::string name{};               ///< the manager's name for it, or its text
  std::optional<Interval> every{};  ///< where there is none it buys once and holds
  Anchor anchor = Anchor::last;

  /// @param where the place it was given, for the message
  /// @throws InputError for anything else
  [[nodiscard]] static Schedule parse(std::string_view text, const Where& where);

  /// The text that `parse` reads.
  [[nodiscard]] std::string text() const;

  /// For each day whether the portfolio is looked at on its close. The first day never counts: the first purchase is
  /// decided then anyway. Intervals of days count rows from the first. The last day is its period's last only where the
  /// calendar says so (no weekday of the period is left), never because the prices end there.
  [[nodiscard]] std::vector<bool> looks(const std::vector<Day>& days) const;
};

}  // namespace inchtide

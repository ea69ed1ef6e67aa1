#pragma once
/// Splits and dividends worked into closes, where a source has only raw ones.
///
/// Going back from the last day, every close before an ex-day is multiplied by (1 - D / C) / s, where D is the dividend
/// a share in the shares of the day before, C the last close before the ex-day and s the new shares for one old one.
/// The return over the ex-day is then what a holder had who put the dividend back in.
///
/// @code
/// #include <cassert>
/// using namespace std::chrono;
/// const auto day = [](unsigned d) { return inchtide::Day{2024y / June / std::chrono::day{d}}; };
/// const inchtide::PriceHistory beacon{"BEACONET", "HLC", inchtide::PriceField::close, {day(3), day(4)}, {120, 61}};
/// const auto adjusted = inchtide::adjusted_by(beacon, {{"BEACONET", day(4), 2, 0}});
/// assert(adjusted.history.prices[0] == 60 && adjusted.history.prices[1] == 61);
/// @endcode

#include <optional>
#include <string>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/prices/history.hpp"

namespace inchtide {

/// What happens to one asset's shares on an ex-day.
struct INCHTIDE_API CorporateAction {
  std::string asset;
  Day ex_day{};                  ///< the first day on which the price no longer has it
  double split = 1;              ///< new shares for one old one; 2 for 2:1, 0.1 for a reverse split of ten into one
  double dividend = 0;           ///< cash for each share held the day before, in the asset's currency
  std::optional<Day> pay_day{};  ///< of the dividend; on the ex-day itself where it isn't given
};

struct INCHTIDE_API Adjusted {
  PriceHistory history;          ///< with the field adjusted close
  std::vector<Day> splits;       ///< the days from which those that were worked in count
  std::size_t dividends = 0;     ///< how many were worked in
  std::size_t out_of_range = 0;  ///< actions before the second or after the last day, which change nothing
};

/// Works an asset's actions into its closes; actions of other assets are passed over.
/// @throws InputError naming asset and day: a split that isn't positive, a negative dividend, or one of the whole close
///         or more
[[nodiscard]] INCHTIDE_API Adjusted adjusted_by(const PriceHistory& closes,
                                                const std::vector<CorporateAction>& actions);

}  // namespace inchtide

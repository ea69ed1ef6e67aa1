#pragma once
/// Prices in another currency: price x rate of the same day, so that the return is what the holder really had.
///
/// @code
/// #include <cassert>
/// using namespace std::chrono;
/// const std::vector<inchtide::Day> days{sys_days{2024y / January / 2}, sys_days{2024y / January / 3}};
/// const inchtide::PriceHistory abroad{"MARROWGL", "MRD", inchtide::PriceField::close, days, {100, 110}};
/// const std::vector<inchtide::RateHistory> rates{{"MRD", "HLC", days, {1.5, 1.4}}};
/// const auto home = inchtide::convert(abroad, "HLC", rates, 5);
/// assert(home.history.prices[1] == 110 * 1.4 && home.history.currency == "HLC");
/// @endcode

#include <string>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/prices/history.hpp"

namespace inchtide {

/// The price of one unit of currency `from` in currency `to`; days strictly ascending, rates positive.
struct INCHTIDE_API RateHistory {
  std::string from, to;
  DayList days;
  std::vector<double> rates;
};

/// A history in another currency than its own.
struct INCHTIDE_API Converted {
  PriceHistory history;
  std::string path;            ///< how the rate was found, e.g. "MRD -> HLC" or "MRD -> USX -> HLC"
  std::size_t carried = 0;     ///< prices for which a rate was carried forward from an earlier day
  std::vector<Day> dropped{};  ///< days of prices left out because the last rate was older than allowed
};

/// Converts prices into currency `base`, by a rate, its inverse, or two of them through one cross currency (the first
/// found in this order). A history that is in `base` already comes back as it is.
/// @param carry_days a rate is used up to this many calendar days after its own day
/// @throws InputError when no rates lead from the history's currency to `base`, a rate isn't positive, or no price has
/// a
///         rate (with the days the rates have)
[[nodiscard]] INCHTIDE_API Converted convert(const PriceHistory& history, const std::string& base,
                                             const std::vector<RateHistory>& rates, int carry_days);

}  // namespace inchtide

#pragma once
/// The price history of one asset, as it came from one place, before it meets others.
///
/// @code
/// #include <cassert>
/// using namespace inchtide;
/// const Day monday = *parse_day("2024-03-04");
/// std::vector<Day> days;
/// for (int t = 0; t < 4; ++t) days.push_back(monday + std::chrono::days{t});
/// PriceHistory kelp{"KELPFARM", "HLC", PriceField::close, days, {10, 100, 10, 11}};
/// assert(drop_spikes(kelp).size() == 1 && kelp.prices.size() == 3);
/// @endcode

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/prices/day_list.hpp"

namespace inchtide {

/// Which figure of a day a history holds. The adjusted close has splits and dividends worked in, the others don't;
/// `price` is one of which the source doesn't say more.
enum class PriceField { open, high, low, close, adjusted_close, volume, price };
inline constexpr std::size_t price_fields = 7;

/// "adjusted close", "close", "price", ...
[[nodiscard]] INCHTIDE_API std::string to_string(PriceField field);

/// The field of that name (case, spaces, dashes and underscores don't count; "adjusted" will do), or nothing.
[[nodiscard]] INCHTIDE_API std::optional<PriceField> field_named(std::string_view name);

/// One asset's prices: same length of days and prices, days strictly ascending, prices positive and finite.
struct INCHTIDE_API PriceHistory {
  std::string asset;
  std::string currency;  ///< ISO-like code, or empty when unknown
  PriceField field = PriceField::adjusted_close;
  DayList days;
  std::vector<double> prices;
  /// Whose holidays it keeps, e.g. its exchange: holes are looked for among histories of the same calendar. Empty text
  /// is a calendar like any other.
  std::string calendar = {};

  /// @param source where it came from, for the message
  /// @throws InputError when the lengths differ, there is no price, a day comes twice or out of order, or a price is
  ///         not positive and finite
  void check(const std::string& source) const;
};

/// A price that stands out from both of its neighbours and comes back: up by `factor` or more and down again, or down
/// and up again.
struct INCHTIDE_API Spike {
  Day day{};
  double price = 0;
  double before = 0;  ///< the price of the row before
  double after = 0;   ///< the price of the row after
};

/// Whether two days may be neighbouring trading days: a weekend and holidays lie between them, and no more.
[[nodiscard]] INCHTIDE_API bool are_neighbours(Day before, Day after);

/// Finds likely misprints: prices at least `factor` times (or at most 1/factor of) both neighbours, while the
/// neighbours lie within 1 + (factor - 1) / 4 of each other. A split or a crash does not come back, so it isn't one.
/// Up to three days in a row on one level are one misprint. These, and any below 3 times their neighbours, count on
/// neighbouring trading days only: over months a price may well double and come back.
/// @param factor greater than 1
[[nodiscard]] INCHTIDE_API std::vector<Spike> find_spikes(const PriceHistory& history, double factor = 3);

/// Takes likely misprints out of a history, so that those days are holes. Returns what it took out.
INCHTIDE_API std::vector<Spike> drop_spikes(PriceHistory& history, double factor = 3);

}  // namespace inchtide

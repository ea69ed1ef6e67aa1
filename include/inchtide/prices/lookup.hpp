#pragma once
/// Questions to a history: what was the price on a day, and how did several grow from a common start.
///
/// @code
/// #include <cassert>
/// using namespace std::chrono;
/// const std::vector<inchtide::Day> days{sys_days{2024y / March / 1}, sys_days{2024y / March / 4}};
/// const inchtide::PriceHistory kelp{"KELPFARM", "HLC", inchtide::PriceField::close, days, {10, 11}};
/// const auto sunday = inchtide::price_on(kelp, sys_days{2024y / March / 3});
/// assert(sunday.price == 10 && sunday.taken == days[0]);
/// @endcode

#include "inchtide/base/api.hpp"
#include "inchtide/prices/bars.hpp"
#include "inchtide/prices/price_table.hpp"

namespace inchtide {

/// A price and the day that it really comes from.
struct INCHTIDE_API PriceOnDay {
  std::string asset;
  Day asked{}, taken{};  ///< `taken` is `asked`, or the last trading day before it
  double price = 0;
  PriceField field = PriceField::close;
  std::string currency{};  ///< empty when unknown
};

/// The price on a day; where there was no trading, the last one before it.
/// @throws InputError when the history begins later (naming its first day)
[[nodiscard]] INCHTIDE_API PriceOnDay price_on(const PriceHistory& history, Day day);

/// The same of any field of an asset's bars.
/// @throws InputError also when it hasn't got the field
[[nodiscard]] INCHTIDE_API PriceOnDay price_on(const BarHistory& bars, PriceField field, Day day);

/// Each asset divided by its first price, x 100: what 100 became. All begin on the first row on which every asset has a
/// price; earlier rows are left out.
/// @throws InputError when no row has a price of every asset
[[nodiscard]] INCHTIDE_API PriceTable rebased(const PriceTable& table);

/// Cumulative growth from the same start: price / first price - 1, fractions.
[[nodiscard]] INCHTIDE_API PriceTable cumulative_growth(const PriceTable& table);

}  // namespace inchtide

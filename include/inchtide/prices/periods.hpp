#pragma once
/// Whether histories have the interval that returns are to be made of: prices in at least half of its periods.
///
/// @code
/// #include <cassert>
/// using namespace std::chrono;
/// const auto day = [](month m) { return inchtide::Day{2024y / m / 28}; };
/// inchtide::PriceHistory fund{"KELPFARM", "HLC", inchtide::PriceField::close, {day(March), day(June), day(September)},
///                             {10, 11, 12}};
/// const auto months = inchtide::filled_periods(fund, {1, inchtide::Unit::month}, fund.days);
/// assert(months.filled == 3 && months.between == 7 && !months.enough());
/// assert(inchtide::filled_periods(fund, {1, inchtide::Unit::quarter}, fund.days).enough());
/// @endcode

#include <string>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/prices/price_table.hpp"

namespace inchtide {

/// Of one history, from its first to its last price.
struct INCHTIDE_API FilledPeriods {
  long filled = 0;   ///< periods with a price
  long between = 0;  ///< all of them

  [[nodiscard]] bool enough() const { return 2 * filled >= between; }
};

/// @param calendar the days on which any asset has a price, which periods of days are blocks of
[[nodiscard]] INCHTIDE_API FilledPeriods filled_periods(const PriceHistory& history, const Interval& every,
                                                        const std::vector<Day>& calendar);

/// The days on which any of the histories has a price.
[[nodiscard]] INCHTIDE_API std::vector<Day> days_of_any(const std::vector<PriceHistory>& histories);

/// The finest of a day, a week, a month, a quarter and a year, no finer than `every`, that all histories have enough
/// prices for. Nothing when none is.
[[nodiscard]] INCHTIDE_API std::optional<Interval> interval_that_fits(const std::vector<PriceHistory>& histories,
                                                                      const Interval& every);

/// Refuses an interval that some history does not have, or that they do not have together.
/// @throws InputError naming the asset, and what to do: leave it out, or the interval that fits; or the assets that
/// cost
///         most of the periods on whose ends all have a price
INCHTIDE_API void check_interval(const std::vector<PriceHistory>& histories, const Interval& every,
                                 const AlignPolicy& policy);

}  // namespace inchtide

#pragma once
/// All that a source tells about an asset's days: open, high, low, close, adjusted close, volume.
///
/// @code
/// #include <cassert>
/// using namespace std::chrono;
/// inchtide::BarHistory kelp;
/// kelp.asset = "KELPFARM";
/// kelp.days = {sys_days{2024y / March / 1}, sys_days{2024y / March / 4}};
/// kelp.of(inchtide::PriceField::close) = {10, 11};
/// kelp.of(inchtide::PriceField::volume) = {500, 700};
/// assert(kelp.history(inchtide::PriceField::close).prices[1] == 11);
/// const auto week = inchtide::bars_every(kelp, {1, inchtide::Unit::month});
/// assert(week.of(inchtide::PriceField::volume)[0] == 1200);
/// @endcode

#include <array>
#include <string>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/prices/history.hpp"

namespace inchtide {

/// One asset's bars. Days strictly ascending; each field is as long as the days, or empty where the source hasn't got
/// it; NaN is a hole.
struct INCHTIDE_API BarHistory {
  std::string asset;
  std::string currency = {};  ///< empty when unknown
  std::string calendar = {};  ///< whose holidays it keeps
  DayList days = {};
  std::array<std::vector<double>, price_fields> fields = {};

  [[nodiscard]] std::vector<double>& of(PriceField field) { return fields[std::size_t(field)]; }
  [[nodiscard]] const std::vector<double>& of(PriceField field) const { return fields[std::size_t(field)]; }
  [[nodiscard]] bool has(PriceField field) const { return !of(field).empty(); }
  /// @throws InputError naming the asset and a field that hasn't a figure a day (NaN where there is none)
  void check() const;

  [[nodiscard]] std::vector<PriceField> fields_held() const;

  /// The days on which one field has a figure.
  /// @throws InputError naming the asset, and the fields it has, when it hasn't this one or it holds nothing
  [[nodiscard]] PriceHistory history(PriceField field) const;

  /// Only the rows on which `field` has a figure.
  [[nodiscard]] BarHistory rows_with(PriceField field) const;

  /// A row for each of `days`, a hole where it has none.
  [[nodiscard]] BarHistory on_days(const DayList& wanted) const;

  /// The rows from `from` to `to`, both included where given; may be empty.
  [[nodiscard]] BarHistory between(std::optional<Day> from, std::optional<Day> to) const;
};

/// Open, high, low and close at the level of the adjusted close: each multiplied by adjusted close / close of its day.
/// Bars without both come back as they are.
[[nodiscard]] INCHTIDE_API BarHistory at_adjusted_level(BarHistory bars);

/// The rows on which `prices` has one, with every price of theirs times what that is of the bars' own `field`: bars in
/// another currency, without misprints, or with splits worked in. Volumes stay.
/// @throws InputError when `field` has no figure on a day of the prices, naming it
[[nodiscard]] INCHTIDE_API BarHistory at_prices_of(const BarHistory& bars, PriceField field,
                                                   const PriceHistory& prices);

/// Coarser bars: first open, highest high, lowest low, last close (adjusted close, price), sum of volumes, dated by the
/// last trading day of each period. `kd` makes bars of k rows each, as `period_ends` does: a row ends one of its own,
/// and k rows each follow it (and stand before it).
/// @param own that row's day, or the first one after it; the first row when none is given
[[nodiscard]] INCHTIDE_API BarHistory bars_every(const BarHistory& bars, const Interval& every,
                                                 std::optional<Day> own = {});

}  // namespace inchtide

#pragma once
/// Prices of several assets side by side: days down, assets across, matched by day and never by position.
///
/// @code
/// #include <cassert>
/// using namespace std::chrono;
/// const auto day = [](int d) { return inchtide::Day{2024y / January / d}; };
/// inchtide::PriceHistory kelp{"KELPFARM", "HLC", inchtide::PriceField::close, {day(2), day(3), day(4)}, {10, 11, 12}};
/// inchtide::PriceHistory tide{"TIDEMILL", "HLC", inchtide::PriceField::close, {day(2), day(4)}, {50, 49}};
/// const auto aligned = inchtide::align_common({kelp, tide});
/// assert(aligned.table.rows() == 2 && aligned.days_dropped == 1);
/// assert(aligned.table.prices(1, 0) == 12);
/// @endcode

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/day.hpp"
#include "inchtide/base/eigen.hpp"
#include "inchtide/base/notice.hpp"
#include "inchtide/prices/history.hpp"

namespace inchtide {

/// One column of a price table.
struct INCHTIDE_API PricedAsset {
  std::string code;
  std::string currency;  ///< empty when unknown
  PriceField field = PriceField::adjusted_close;
};

/// Days x assets. Days are strictly ascending; a hole is NaN.
struct INCHTIDE_API PriceTable {
  std::vector<Day> days;
  std::vector<PricedAsset> assets;
  Eigen::MatrixXd prices;  ///< rows = days, columns = assets
  /// Prices are known to be complete up to this day, even where the last row is earlier: a table cut out of a longer
  /// one knows that no trading day lies between its last row and the cut.
  Day complete_to{};
  /// Of each row, its number among the days on which any asset has a price: rows that alignment dropped count as time
  /// that passed. Empty where none was.
  std::vector<long> numbers;

  /// What a table made by hand has to be; all that takes one looks at this first.
  /// @throws InputError when days don't ascend, shapes don't fit, a code is empty or comes twice, or a price is neither
  ///         positive and finite nor NaN, naming the asset and the day
  void check() const;
  /// The same but for the prices.
  void check_shape() const;

  [[nodiscard]] std::size_t rows() const { return days.size(); }
  [[nodiscard]] long number(std::size_t row) const { return numbers.empty() ? long(row) : numbers[row]; }

  /// How many rows a year has, as measured: 252 for 240 to 262 counted ones, 365 from 340, 52 for 49 to 53.5, 12 for 11
  /// to 12.5, else the count itself. Of less than half a year, weekdays without weekends count as 252.
  [[nodiscard]] double rows_per_year() const;
  [[nodiscard]] std::vector<std::string> codes() const;

  /// The column of `code` (names ignore case).
  /// @throws InputError naming the code and the nearest known one
  [[nodiscard]] Eigen::Index column_of(const std::string& code) const;

  /// The rows from `from` to `to`, both included where given.
  /// @throws InputError when no row is left, with the days the table has
  [[nodiscard]] PriceTable between(std::optional<Day> from, std::optional<Day> to) const;

  /// The named columns, in that order.
  [[nodiscard]] PriceTable only(const std::vector<std::string>& codes) const;

  /// The named rows, which ascend.
  [[nodiscard]] PriceTable at_rows(const std::vector<std::size_t>& rows) const;
};

/// From a day to a day, both of them included.
struct INCHTIDE_API DaySpan {
  Day first{}, last{};
};

/// What one asset lost when histories were put side by side.
struct INCHTIDE_API AssetCoverage {
  std::string asset;
  Day from{}, to{};        ///< first and last day of its history
  std::size_t rows = 0;    ///< prices in its history
  std::vector<Day> holes;  ///< days within from..to on which another asset of its calendar has a price and it hasn't
  std::vector<DaySpan> priced;  ///< from one of its prices to another, without a hole between them
  std::size_t filled = 0;       ///< prices of the table that were carried forward from an earlier day
  std::size_t away = 0;         ///< days within from..to on which only assets of another calendar have a price
};

/// Which days a table of several histories has.
struct INCHTIDE_API AlignPolicy {
  enum class Kind {
    common,  ///< days on which every asset has a price
    any,     ///< days on which any asset has one; the others have a hole
    carry    ///< days on which any has one; a hole takes the last price, up to `carry_days` old, or the day is dropped
  };
  Kind kind = Kind::common;
  int carry_days = 5;  ///< calendar days; stale prices hide risk, so what was filled is counted
  /// An asset doesn't count on days before its first price or after its last: such days stay, with a hole there.
  bool keep_short_histories = false;

  /// Reads `common`, `any` or `carry:5`.
  /// @throws InputError naming `where` for anything else
  [[nodiscard]] static AlignPolicy parse(std::string_view text, const Where& where);
  [[nodiscard]] std::string text() const;
};

struct INCHTIDE_API AlignedPrices {
  PriceTable table;
  std::size_t days_seen = 0;     ///< days on which at least one asset has a price
  std::size_t days_dropped = 0;  ///< days_seen less the rows of the table
  std::vector<AssetCoverage> coverage;
};

/// How far each history reaches and what it misses beside the others of its calendar.
[[nodiscard]] INCHTIDE_API std::vector<AssetCoverage> coverage_of(const std::vector<PriceHistory>& histories);

/// Keeps the days on which every asset has a price.
/// @throws InputError when there is no history, a code comes twice, or no day is common to all (naming the two assets
///         whose ranges or days exclude each other)
[[nodiscard]] INCHTIDE_API AlignedPrices align_common(const std::vector<PriceHistory>& histories);

/// Puts histories side by side by any policy.
/// @throws InputError as `align_common`, and when carrying leaves no day on which all have a price
/// @param followers so many histories at the end, such as a benchmark, have no say in the days: they have a price there
///        or a hole
[[nodiscard]] INCHTIDE_API AlignedPrices align(const std::vector<PriceHistory>& histories, const AlignPolicy& policy,
                                               std::size_t followers = 0);

/// What to do about assets whose history begins later or ends earlier than the others'.
enum class ShortHistories {
  shorten,    ///< the window shrinks to the days that all have
  leave_out,  ///< the short ones go, the others keep their window
  keep        ///< the window stays, and the short ones have holes at its ends
};

/// Reads `shorten`, `leave-out` or `keep`.
/// @throws InputError naming `where` for anything else
[[nodiscard]] INCHTIDE_API ShortHistories parse_short_histories(std::string_view text, const Where& where);
[[nodiscard]] INCHTIDE_API std::string to_string(ShortHistories choice);

/// The histories that begin more than `slack_days` calendar days after the earliest one, or end more than that before
/// the latest, by position.
[[nodiscard]] INCHTIDE_API std::vector<std::size_t> short_histories(const std::vector<PriceHistory>& histories,
                                                                    int slack_days = 31);

/// What one choice would leave.
struct INCHTIDE_API ShortHistoryEffect {
  ShortHistories choice;
  std::vector<std::string> left_out;  ///< assets that would go
  std::size_t rows = 0;               ///< days in the table; 0 when nothing would be left
  std::size_t complete_rows = 0;      ///< days on which every asset left has a price
  Day from{}, to{};                   ///< of the table
};

/// The effect of each choice on the rows of the table, under one policy of alignment.
[[nodiscard]] INCHTIDE_API std::vector<ShortHistoryEffect> effects_on_rows(const std::vector<PriceHistory>& histories,
                                                                           AlignPolicy policy);

/// The rows that end a period, and what became of the last period.
struct INCHTIDE_API PeriodEnds {
  PriceTable table;
  /// The last period had not ended when the prices did (a weekday was still to come), and its row was left out or,
  /// if asked, kept.
  bool last_unfinished = false;
  bool last_kept = true;
};

/// The number of the period that a row belongs to, for any interval: periods are the calendar's, whether or not anybody
/// has a price in them.
[[nodiscard]] INCHTIDE_API long period_of_row(const PriceTable& table, std::size_t row, const Interval& every);

/// The last row of each period; an asset with a hole there takes its last price within the period. Month ends for `1m`.
/// Periods of days are blocks of k of the days on which any asset has a price, after the first row, which ends one of
/// its own.
/// @param keep_unfinished keeps the row of a last period that still had weekdays to come
[[nodiscard]] INCHTIDE_API PeriodEnds period_ends(const PriceTable& table, const Interval& every,
                                                  bool keep_unfinished = false);

}  // namespace inchtide

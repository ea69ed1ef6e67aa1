#pragma once
/// The universe of a study: histories side by side, cleaned, in one currency, over one window, and what was done to
/// them.
///
/// @code
/// #include <cassert>
/// using namespace inchtide;
/// Sources sources;
/// for (const char* code : {"TIDEMILL", "HOLLBOND"}) {
///   BarHistory bars{code};
///   std::vector<Day> days;
///   for (int week = 0; week < 150; ++week) {
///     days.push_back(*parse_day("2021-01-08") + std::chrono::days{7 * week});
///     bars.of(PriceField::close).push_back(20 + week % 7);
///   }
///   bars.days = DayList(std::move(days));
///   sources.bars.push_back(std::move(bars));
/// }
/// Settings settings;
/// settings.benchmark = "HOLLBOND";
/// const auto universe = universe_of(sources, settings);
/// assert(universe.assets == std::vector<std::string>{"TIDEMILL"});
/// assert(universe.prices.rows() == 150 && universe.every.text() == "1m");
/// @endcode

#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/notice.hpp"
#include "inchtide/prices/findings.hpp"
#include "inchtide/study/settings.hpp"
#include "inchtide/study/sources.hpp"

namespace inchtide {

struct INCHTIDE_API Universe {
  Tags tags;
  std::vector<std::string> assets;                       ///< codes, without the benchmark's
  std::optional<std::string> benchmark;                  ///< its code
  std::string currency;                                  ///< the base one; empty where none is known
  std::vector<BarHistory> bars;                          ///< of the table's assets, all fields as they came
  std::vector<PriceHistory> histories;                   ///< of the table's assets, whole; the benchmark's last
  AlignedPrices aligned;                                 ///< whole
  PriceTable prices;                                     ///< in the window; the benchmark last where there is one
  Interval every{1, Unit::month};                        ///< that returns are made of
  std::vector<std::pair<std::string, Spike>> misprints;  ///< asset and spike; dropped where the settings say so
  std::vector<RateHistory> rates;                        ///< with the base currency filled in
  int rate_carry = 0;
  std::vector<Converted> conversions;                       ///< what was converted
  std::vector<Adjusted> adjusted;                           ///< what actions were worked into
  std::vector<std::string> known;                           ///< codes that have prices or tags, of use or not
  std::vector<std::string> left_out;                        ///< priced in another currency, without rates
  std::vector<std::pair<std::string, Notice>> passed_over;  ///< assets of no use, and why
  ShortHistories short_histories = ShortHistories::shorten;
  std::vector<ShortHistoryEffect> short_effects;  ///< of each choice, where some history is short
  std::vector<Notice> warnings;

  /// The history in the base currency, where prices are converted to it.
  [[nodiscard]] PriceHistory in_currency(PriceHistory history) const;
  /// The histories but for the benchmark's.
  [[nodiscard]] std::vector<PriceHistory> own_histories() const;
};

/// What the universe is for. For returns there must be an interval that all histories have; those within the day are of
/// days. To be looked at, the findings are, so that nothing is said of how many there are.
enum class Purpose { returns, within_day, looking };

/// @throws InputError for a code without prices, an asset of no use that was asked for, currencies that no rates join,
/// a
///         window without prices, or an interval that some history doesn't have
[[nodiscard]] INCHTIDE_API Universe universe_of(const Sources& sources, const Settings& settings,
                                                Purpose purpose = Purpose::returns);

/// What stands out in the prices of the universe and the benchmark.
[[nodiscard]] INCHTIDE_API std::vector<Finding> findings_of(const Universe& universe, const Settings& settings);

/// One line on how many of the findings are warnings, where some are.
/// @throws InputError instead of it where the settings are strict
[[nodiscard]] INCHTIDE_API std::optional<Notice> notice_of(const std::vector<Finding>& findings,
                                                           const Settings& settings);

/// Where a window of a span begins that ends with these prices: at the price that ends the period before it, so that it
/// holds as many periods as the span has, whatever weekday its anniversary is.
[[nodiscard]] INCHTIDE_API Day window_start(const PriceTable& table, const Interval& span, const Interval& every,
                                            bool keep_last_period);

}  // namespace inchtide

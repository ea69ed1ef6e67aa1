#pragma once
/// The prices of a study looked at: what stands out in them, how they moved, what they were on a day.
///
/// @code
/// #include <cassert>
/// using namespace inchtide;
/// Sources sources;
/// for (const char* code : {"TIDEMILL", "KELPFARM", "HOLLBOND"}) {
///   BarHistory bars{code};
///   std::vector<Day> days;
///   for (int week = 0; week < 150; ++week) {
///     days.push_back(*parse_day("2021-01-08") + std::chrono::days{7 * week});
///     bars.of(PriceField::close).push_back(20 + week * code[1] % 7);
///   }
///   bars.days = DayList(std::move(days));
///   sources.bars.push_back(std::move(bars));
/// }
/// Settings settings;
/// settings.benchmark = "HOLLBOND";
/// const auto universe = universe_of(sources, settings, Purpose::looking);
/// const auto inspection = inspection_of(universe, settings, {.on = *parse_day("2022-01-01")});
/// assert(inspection.on->prices.size() == 3 && inspection.rebased);
/// @endcode

#include <optional>
#include <string>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/prices/findings.hpp"
#include "inchtide/prices/lookup.hpp"
#include "inchtide/prices/overlays.hpp"
#include "inchtide/study/universe.hpp"

namespace inchtide {

struct INCHTIDE_API InspectionOptions {
  std::optional<Interval> every;   ///< the prices at the ends of these; all of them when left out
  std::vector<PriceField> fields;  ///< beside the prices, or in their place on a day, as they came
  std::vector<Overlay> overlays;
  std::optional<Day> on;  ///< the prices on this day
};

/// One field of one asset as it came, on the days of the prices looked at.
struct INCHTIDE_API FieldValues {
  std::string asset;
  PriceField field = PriceField::close;
  std::vector<double> values;
};

/// An overlay with its lines, as long as the bars that it lies over.
struct INCHTIDE_API LaidOverlay {
  Overlay overlay;
  std::vector<OverlayLine> lines;
};

/// One asset's bars in the window at the interval: without misprints that are to go, in the study's currency, at the
/// level of the field used.
struct INCHTIDE_API AssetBars {
  BarHistory bars;
  PriceField field = PriceField::close;
  std::vector<LaidOverlay> overlays;
};

/// The prices on a day, or the last ones before it.
struct INCHTIDE_API PricesOn {
  std::vector<PriceOnDay> prices;
  std::vector<std::string> without;  ///< what had none yet, and why
};

struct INCHTIDE_API Inspection {
  std::vector<Finding> findings;
  PriceTable prices;                          ///< in the window at the interval; the benchmark last
  std::optional<PriceTable> growth, rebased;  ///< none where no day has a price of every asset
  std::vector<FieldValues> fields;
  std::vector<std::string> fields_not_there;  ///< "KELPFARM volume"
  std::vector<AssetBars> bars;                ///< of every asset where overlays are asked for; else of a single one
  std::optional<PricesOn> on;
  std::vector<Notice> warnings;  ///< of this step
};

/// @param universe to be looked at (Purpose::looking)
/// @throws InputError for an interval of which none has ended, a day before all prices, fields that no asset has, and
///         overlays as `lines_of` does
[[nodiscard]] INCHTIDE_API Inspection inspection_of(const Universe& universe, const Settings& settings,
                                                    const InspectionOptions& options = {});

}  // namespace inchtide

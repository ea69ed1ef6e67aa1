#pragma once
/// The prices of a study looked at: what stands out in them, how they moved, what they were on a day.

#include <optional>
#include <string>
#include <vector>

#include "inchtide/prices/findings.hpp"
#include "inchtide/prices/lookup.hpp"
#include "inchtide/prices/overlays.hpp"
#include "inchtide/study/universe.hpp"

namespace inchtide {

struct InspectionOptions {
  std::optional<Interval> every;   ///< the prices at the ends of these; all of them when left out
  std::vector<PriceField> fields;  ///< beside the prices, or in their place on a day, as they came
  std::vector<Overlay> overlays;
  std::optional<Day> on;  ///< the prices on this day
};

/// One field of one asset as it came, on the days of the prices looked at.
struct FieldValues {
  std::string asset;
  PriceField field = PriceField::close;
  std::vector<double> values;
};

/// An overlay with its lines, as long as the bars that it lies over.
struct LaidOverlay {
  Overlay overlay;
  std::vector<OverlayLine> lines;
};

/// One asset's bars in the window at the interval: without misprints that are to go, in the study's currency, at the
/// level of the field used.
struct AssetBars {
  BarHistory bars;
  PriceField field = PriceField::close;
  std::vector<LaidOverlay> overlays;
};

/// The prices on a day, or the last ones before it.
struct PricesOn {
  std::vector<PriceOnDay> prices;
  std::vector<std::string> without;  ///< what had none yet, and why
};

struct Inspection {
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
[[nodiscard]] Inspection inspection_of(const Universe& universe, const Settings& settings,
                                       const InspectionOptions& options = {});

}  // namespace inchtide

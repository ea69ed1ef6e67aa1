#pragma once
/// What stands out in the prices, each with its day, its figures and the way out.
///
/// Per asset: likely misprints, likely splits, jumps (robust z), stale runs, days without volume. Across assets: holes
/// beside others of the same calendar, short histories, prices of different kinds.

#include <optional>
#include <string>
#include <vector>

#include "inchtide/base/errors.hpp"
#include "inchtide/prices/bars.hpp"
#include "inchtide/prices/price_table.hpp"

namespace inchtide {

enum class Severity { note, warning };

/// "note" or "warning".
[[nodiscard]] std::string to_string(Severity severity);

struct Finding {
  Severity severity = Severity::note;
  std::string kind;  ///< short and stable: "spike", "split", "jump", "stale", "volume", "holes", ...
  Notice notice;     ///< where: the asset, and the day where it is about one
};

/// When something stands out.
struct FindingRules {
  double doubtful_factor = 1.5;  ///< one that is at least so many times them is likely one, but not dropped on request
  double spike_factor = 3;       ///< a misprint is at least so many times both neighbours, or that fraction of them
  /// A jump is a log return further than so many robust standard deviations (1.4826 x the median absolute deviation)
  /// from the median; twice as far makes it a warning. Daily returns have fat tails: 10 leaves about one false alarm in
  /// 8,000 days of Student's t with 5 degrees of freedom.
  double jump_score = 10;
  std::size_t stale_rows = 5;     ///< so many equal prices in a row are a stale run
  double split_tolerance = 0.05;  ///< how far, in logs, a one-day move may be from a split ratio
  std::size_t most_jumps = 3;     ///< the largest are listed, the others counted
};

/// What stands out in one asset's bars.
/// @param used the field that returns are made from
/// @param repaired misprints are dropped (so they are notes, not warnings)
[[nodiscard]] std::vector<Finding> findings_in(const BarHistory& bars, PriceField used, bool repaired,
                                               const FindingRules& rules = {});

/// What stands out when histories are put side by side.
[[nodiscard]] std::vector<Finding> findings_across(const std::vector<PriceHistory>& histories,
                                                   const std::vector<AssetCoverage>& coverage);

}  // namespace inchtide

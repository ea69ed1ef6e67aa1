#pragma once
/// What stands out in the prices, each with its day, its figures and the way out.
///
/// Per asset: likely misprints, changes of unit, likely splits, jumps (robust z), stale runs, weekends that were filled
/// in, days without volume. Across assets: holes beside others of the same calendar, short histories, prices of
/// different kinds.
///
/// @code
/// #include <cassert>
/// using namespace inchtide;
/// BarHistory bars{"KELPFARM"};
/// std::vector<Day> days;
/// for (int t = 0; t < 40; ++t) {
///   days.push_back(*parse_day("2024-01-01") + std::chrono::days{t});
///   bars.of(PriceField::close).push_back(t == 20 ? 100 : 10 + 0.1 * (t % 3));
/// }
/// bars.days = DayList(days);
/// const auto findings = findings_in(bars, PriceField::close, false);
/// assert(!findings.empty() && findings[0].kind == "spike" && findings[0].notice.where.day == days[20]);
/// @endcode

#include <optional>
#include <string>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/prices/bars.hpp"
#include "inchtide/prices/price_table.hpp"

namespace inchtide {

enum class Severity { note, warning };

/// "note" or "warning".
[[nodiscard]] INCHTIDE_API std::string to_string(Severity severity);

struct INCHTIDE_API Finding {
  Severity severity = Severity::note;
  std::string kind;  ///< short and stable: "spike", "unit", "split", "jump", "stale", "volume", "holes", ...
  Notice notice;     ///< where: the asset, and the day where it is about one
};

/// When something stands out.
struct INCHTIDE_API FindingRules {
  double doubtful_factor = 1.5;  ///< one that is at least so many times them is likely one, but not dropped on request
  double spike_factor = 3;       ///< a misprint is at least so many times both neighbours, or that fraction of them
  /// A jump is a log return further than so many robust standard deviations (1.4826 x the median absolute deviation)
  /// from the median; twice as far makes it a warning. Daily returns have fat tails: 10 leaves about one false alarm in
  /// 8,000 days of Student's t with 5 degrees of freedom.
  double jump_score = 10;
  std::size_t stale_rows = 5;     ///< so many equal prices in a row are a stale run
  double split_tolerance = 0.05;  ///< how far, in logs, a move may be from a split's ratio; twice that from two units'
  std::size_t most_jumps = 3;     ///< the largest are listed, the others counted
};

/// What stands out in one asset's bars.
/// @param used the field that returns are made from
/// @param repaired misprints are dropped (so they are notes, not warnings)
[[nodiscard]] INCHTIDE_API std::vector<Finding> findings_in(const BarHistory& bars, PriceField used, bool repaired,
                                                            const FindingRules& rules = {});

/// What stands out when histories are put side by side.
[[nodiscard]] INCHTIDE_API std::vector<Finding> findings_across(const std::vector<PriceHistory>& histories,
                                                                const std::vector<AssetCoverage>& coverage);

}  // namespace inchtide

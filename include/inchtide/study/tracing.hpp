#pragma once
/// The frontier of a study looked at by itself: its two named portfolios, what a ceiling on the tracking error leaves
/// of it, its lower half, and how much of it is luck.
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
/// const auto universe = universe_of(sources, settings);
/// const auto tracing = tracing_of(basis_of(universe, sources, settings), {.lower_half = true});
/// assert(tracing.least && !tracing.lower_half.empty());
/// @endcode

#include <cstdint>
#include <optional>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/estimate/bootstrap.hpp"
#include "inchtide/frontier/tracked.hpp"
#include "inchtide/study/basis.hpp"
#include "inchtide/weights/allocation.hpp"
#include "inchtide/weights/sensitivity.hpp"

namespace inchtide {

struct INCHTIDE_API TracingOptions {
  bool lower_half = false;
  int cloud = 0;  ///< so many random portfolios within the limits
  std::uint64_t cloud_seed = 1;
  std::optional<BootstrapOptions> draws;  ///< of which the frontier is traced again
  Watch watch = {};                       ///< of the first tracing; the draws have their own
};

struct INCHTIDE_API Tracing {
  Frontier frontier;                      ///< as `frontier_of` gives it
  std::optional<Allocation> least;        ///< the portfolio of minimum variance, within a ceiling on the tracking error
  std::optional<Allocation> best;         ///< that of maximum Sharpe ratio, likewise; none where a warning says why
  std::vector<double> tracking_errors;    ///< of the corners, where it has a ceiling
  std::vector<TrackedPortfolio> tracked;  ///< certified points within the ceiling, highest return first
  std::vector<Portfolio> lower_half;      ///< corners from the minimum variance down
  std::vector<RiskReturn> lower_line;     ///< the same as a line to draw
  std::vector<RiskReturn> cloud;
  std::optional<Sensitivity> drawn;
  std::vector<Notice> warnings;  ///< of this step: limits that are not on it, a portfolio that there is none of

  /// The portfolios there are: least, best.
  [[nodiscard]] std::vector<Allocation> chosen() const;
};

/// The frontier of a basis, before costs; limits that cannot be on a frontier are not honoured.
/// @throws InputError as `trace_frontier` does; Interrupted when stopped
[[nodiscard]] INCHTIDE_API Frontier frontier_of(const Basis& basis, const Watch& watch = {});

/// @throws InputError as `trace_frontier` does, and for draws from an estimate that was given; Interrupted when stopped
[[nodiscard]] INCHTIDE_API Tracing tracing_of(const Basis& basis, const TracingOptions& options = {});

}  // namespace inchtide

#pragma once
/// The frontier of a study looked at by itself: its two named portfolios, what a ceiling on the tracking error leaves
/// of it, its lower half, and how much of it is luck.

#include <cstdint>
#include <optional>
#include <vector>

#include "inchtide/estimate/bootstrap.hpp"
#include "inchtide/frontier/tracked.hpp"
#include "inchtide/study/basis.hpp"
#include "inchtide/weights/allocation.hpp"
#include "inchtide/weights/sensitivity.hpp"

namespace inchtide {

struct TracingOptions {
  bool lower_half = false;
  int cloud = 0;  ///< so many random portfolios within the limits
  std::uint64_t cloud_seed = 1;
  std::optional<BootstrapOptions> draws;  ///< of which the frontier is traced again
  Watch watch = {};                       ///< of the first tracing; the draws have their own
};

struct Tracing {
  Frontier frontier;                      ///< before costs; limits that cannot be on a frontier are not honoured
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

/// @throws InputError as `trace_frontier` does, and for draws from an estimate that was given; Interrupted when stopped
[[nodiscard]] Tracing tracing_of(const Basis& basis, const TracingOptions& options = {});

}  // namespace inchtide

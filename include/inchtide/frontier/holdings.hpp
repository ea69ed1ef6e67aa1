#pragma once
/// Portfolios of few positions: at most so many, none smaller than so much. Which assets to hold is searched for by
/// branch and bound, with a proof of how much better any other choice could be.
///
/// The bound of a branch is a convex problem for the same solver as everything else: part of each asset's own variance
/// is counted as if it were paid per position (the perspective of a square, Frangioni & Gentile 2006, Mathematical
/// Programming 106), the rest stays with the covariance. In one weight the result is a straight line that turns into a
/// parabola, which is a range that bends.
///
/// A ceiling on volatility or tracking error has a price in the bound, which makes it a part of the same objective.
///
/// @code
/// #include <cassert>
/// inchtide::Estimate estimate;
/// estimate.assets = {"HOLLBOND", "HOLLBANK", "KELPFARM"};
/// estimate.expected_return = Eigen::Vector3d(0.03, 0.08, 0.06);
/// estimate.covariance = inchtide::Covariance::dense(Eigen::Vector3d(0.01, 0.04, 0.02).asDiagonal());
/// auto bounds = inchtide::Bounds::long_only(3);
/// bounds.holdings = inchtide::LimitFigure{2, -1};
/// const auto found = inchtide::choose_holdings(estimate, bounds, {});
/// assert(found.proven && found.portfolio.weights[1] == 0);
/// @endcode

#include <optional>

#include "inchtide/base/api.hpp"
#include "inchtide/base/progress.hpp"
#include "inchtide/frontier/frontier.hpp"

namespace inchtide {

struct INCHTIDE_API HoldingsOptions {
  double lambda = 0;                   ///< least 1/2 w'Sw - lambda m'w; 0 for the least variance
  std::optional<double> least_return;  ///< per year, a floor
  double gap = 1e-4;                   ///< good enough: a part of the variance found
  double slack = 0;                    ///< good enough as well: so much of the objective
  /// Only portfolios with a smaller objective than this are looked for; where there is none, the answer has no weights,
  /// and its bound says so.
  std::optional<double> better_than{};
  std::optional<BenchmarkRisk> benchmark;  ///< what a ceiling on tracking error is measured from
  bool track = false;  ///< the least tracking error from the benchmark instead of the least variance; lambda is unused
  StopCheck should_stop;  ///< asked before each branch; what was found so far comes back with its gap
};

struct INCHTIDE_API HoldingsAnswer {
  Portfolio portfolio;  ///< the best found; certified among portfolios of its own assets. No weights: see better_than
  Bounds chosen =
      Bounds::long_only(0);  ///< the bounds with every other asset at 0 and its own at least at the smallest position
  double objective = 0;      ///< 1/2 w'Sw - lambda m'w of it; when tracking, half the square of its tracking error
  double bound = 0;          ///< no portfolio within the limits has less
  bool proven = false;       ///< the gap asked for is reached
  std::size_t branches = 0;
  double risk = 0;  ///< its variance, or the square of its tracking error: what the gap is a part of

  /// By how much variance could at most be less, as a part of it.
  [[nodiscard]] double gap() const;
};

/// Searches for the best portfolio under `bounds.holdings` and `bounds.held`, ceilings, and all rows and ranges.
/// @throws InfeasibleLimits when no choice of so many assets can hold
/// @throws InputError for a ceiling on tracking error, or `track`, without a benchmark, and for what doesn't fit or is
/// no
///         number
/// @throws UncertifiedAnswer when the search is stopped before it found any, unless `better_than` was given
[[nodiscard]] INCHTIDE_API HoldingsAnswer choose_holdings(const Estimate& estimate, const Bounds& bounds,
                                                          const HoldingsOptions& options);

/// `bounds` with the ranges of a choice, `HoldingsAnswer::chosen`, and no number of positions: what the frontier of
/// these positions is traced under.
[[nodiscard]] INCHTIDE_API Bounds bounds_of_choice(const Bounds& bounds, const Bounds& chosen);

}  // namespace inchtide

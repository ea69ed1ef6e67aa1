#pragma once
/// Efficient portfolios within a ceiling on the tracking error: the volatility of the difference from a benchmark.
///
/// Where the ceiling binds the frontier is no longer made of straight lines. Each single portfolio of it is exact all
/// the same: with the return held at R, the minimisers of  1/2 w'Sw - v c'w  (c: the covariances with the benchmark)
/// run from the least variance (v = 0) to the least tracking error (v = 1) along straight lines, and the one at which
/// the tracking error meets the ceiling has the least variance of all within it (Jorion 2003, Financial Analysts
/// Journal 59(5), for portfolios without other limits).
///
/// @code
/// #include <cassert>
/// #include <cmath>
/// inchtide::Estimate estimate;
/// estimate.assets = {"HOLLBOND", "HOLLBANK"};
/// estimate.expected_return = Eigen::Vector2d(0.03, 0.08);
/// estimate.covariance = inchtide::Covariance::dense(Eigen::Vector2d(0.0025, 0.04).asDiagonal());
/// const auto benchmark = inchtide::BenchmarkRisk::of_weights(estimate.covariance, Eigen::Vector2d(0.5, 0.5));
/// auto bounds = inchtide::Bounds::long_only(2);
/// bounds.tracking_error = inchtide::LimitFigure{0.05, -1};
/// const auto least = inchtide::TrackedFrontier(estimate, bounds, benchmark).minimum_variance();
/// assert(std::abs(least.tracking_error - 0.05) < 1e-9 && least.portfolio.certificate.holds());
/// @endcode

#include <optional>

#include "inchtide/base/api.hpp"
#include "inchtide/base/notice.hpp"
#include "inchtide/frontier/frontier.hpp"

namespace inchtide {

struct INCHTIDE_API TrackedPortfolio {
  Portfolio portfolio;          ///< of the least variance for its return within limits and ceiling
  double tracking_error = 0;    ///< per year
  double ceiling_price = 0;     ///< of the tracking error, in variance / 2 per unit; 0 where the ceiling is slack
  double volatility_price = 0;  ///< likewise of a ceiling on volatility, where the tracking error is what is least
  BoundPrices prices;           ///< of the other limits, as `bound_prices` gives them where the ceiling is slack
};

class INCHTIDE_API TrackedFrontier {
 public:
  /// @param bounds with a ceiling on the tracking error
  /// @throws InfeasibleLimits when no portfolio within the bounds comes as near to the benchmark, with the figures
  /// @throws UncertifiedAnswer, as all functions below, when a portfolio misses its conditions
  TrackedFrontier(const Estimate& estimate, const Bounds& bounds, BenchmarkRisk benchmark);

  [[nodiscard]] double least_return() const { return least_; }  ///< of the minimum-variance portfolio
  [[nodiscard]] double most_return() const { return most_; }

  [[nodiscard]] TrackedPortfolio minimum_variance() const;
  /// @throws InputError outside the range of returns, printing it
  [[nodiscard]] TrackedPortfolio at_return(double expected_return) const;
  /// @throws InputError outside the range of volatilities, printing it
  [[nodiscard]] TrackedPortfolio at_volatility(double volatility) const;
  /// The least 1/2 w'Sw - lambda m'w.
  [[nodiscard]] TrackedPortfolio at_lambda(double lambda) const;
  /// @throws InputError when there is none, with the reason
  [[nodiscard]] TrackedPortfolio maximum_sharpe(double risk_free) const;

 private:
  [[nodiscard]] TrackedPortfolio slack(Portfolio portfolio) const;
  [[nodiscard]] TrackedPortfolio on_ceiling(std::optional<double> expected_return) const;
  [[nodiscard]] double pull_at_ceiling(const Frontier& path) const;
  template <typename Lower>
  [[nodiscard]] TrackedPortfolio search(Lower lower) const;

  Frontier whole_;
  BenchmarkRisk benchmark_;
  double ceiling_;
  double least_ = 0, most_ = 0;
};

/// The portfolio of least tracking error, and among several the one of highest return. A ceiling on volatility in the
/// bounds holds, one on the tracking error is left aside.
/// @throws InfeasibleLimits when the least volatility is above its ceiling
/// @throws InputError for a covariance that doesn't go with the benchmark's
[[nodiscard]] INCHTIDE_API TrackedPortfolio least_tracking_error(const Estimate& estimate, const Bounds& bounds,
                                                                 const BenchmarkRisk& benchmark);

}  // namespace inchtide

#pragma once
/// The efficient frontier: the highest expected return at every level of risk, within limits; exact, by its corners.
///
/// Between two corners the weights are straight lines, so nothing is lost by keeping the corners only. They come from
/// following the minimiser of  1/2 w'Sw - lambda m'w  as lambda falls from infinity (highest return) to 0 (minimum
/// variance): the critical line (Markowitz 1956, Naval Research Logistics Quarterly 3; Best 1996, "An algorithm for the
/// solution of the parametric quadratic programming problem"). Where the covariance is singular or returns tie, the
/// first corner has the least variance among portfolios of highest return, and the last one the highest return among
/// those of minimum variance.
///
/// @code
/// #include <cassert>
/// #include <cmath>
/// inchtide::Estimate estimate;
/// estimate.assets = {"HOLLBOND", "HOLLBANK"};
/// estimate.expected_return = Eigen::Vector2d(0.03, 0.08);
/// estimate.covariance = inchtide::Covariance::dense(Eigen::Vector2d(0.0025, 0.04).asDiagonal());
/// const auto frontier = inchtide::trace_frontier(estimate, inchtide::Limits{});
/// const auto least = frontier.minimum_variance();
/// assert(std::abs(least.weights[0] - 0.04 / 0.0425) < 1e-12);
/// assert(frontier.maximum_sharpe(0.02).portfolio.certificate.holds());
/// @endcode

#include <optional>
#include <string>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/eigen.hpp"
#include "inchtide/base/notice.hpp"
#include "inchtide/base/progress.hpp"

#include "inchtide/estimate/estimate.hpp"
#include "inchtide/frontier/limits.hpp"
#include "inchtide/frontier/portfolio.hpp"

namespace inchtide {

/// A portfolio at which the set of held or bound assets changes along the frontier. It is optimal for every lambda from
/// `lambda_low` to `lambda_high`.
struct INCHTIDE_API Corner {
  double expected_return = 0;  ///< of the weights, per year, as in Portfolio
  double volatility = 0;       ///< per year
  double lambda_high = 0;      ///< infinite at the first corner
  double lambda_low = 0;       ///< 0 at the last corner
};

/// The frontier's portfolio of highest Sharpe ratio.
struct INCHTIDE_API MaximumSharpe {
  Portfolio portfolio;
  double sharpe = 0;
  /// It is the corner of highest return (or stands at a ceiling on volatility): only more than the limits allow would
  /// raise the ratio further.
  bool at_top = false;
};

/// What a limit that binds holds back: what a unit of its figure (1, which is 100 percentage points; of an average, one
/// of its column's units) less of it would take off variance / 2 - lambda m'w. Over lambda it is the return that
/// loosening brings at the same risk, over the volatility the risk that it saves at the same return.
struct INCHTIDE_API Multiplier {
  int limit = 0;      ///< its position in the limits
  double figure = 0;  ///< from 0; of an equality what lowering its figure takes off, negative where raising it does
  bool equality = false;
};

/// The limits that bind beside a corner, by position. On the way from one corner to the next a multiplier is a straight
/// line from the upper one's `below` to the lower one's `above`.
struct INCHTIDE_API CornerMultipliers {
  std::vector<Multiplier> above;  ///< at the end of the way down to it, at `lambda_high`; empty of the first corner
  std::vector<Multiplier> below;  ///< at the start of the way down from it, at `lambda_low`; empty of the last one
};

class INCHTIDE_API Frontier {
 public:
  [[nodiscard]] const Estimate& estimate() const { return estimate_; }
  [[nodiscard]] const Bounds& bounds() const { return bounds_; }
  /// The limits that it was traced under; rows that were added to the bounds are limits of their own, at the end.
  [[nodiscard]] const Limits& limits() const { return bounds_.limits; }
  [[nodiscard]] const LimitFacts& facts() const { return facts_; }

  /// Highest return first, minimum variance last; returns strictly fall. At least one.
  [[nodiscard]] const std::vector<Corner>& corners() const { return corners_; }

  /// True where a ceiling on volatility ends the frontier: its first corner stands at the ceiling.
  [[nodiscard]] bool at_ceiling() const { return at_ceiling_; }

  /// True where costs of trading end the frontier above the minimum variance: below, the variance would only fall by
  /// paying costs for their own sake. The last corner is then no minimum of variance.
  [[nodiscard]] bool ends_at_costs() const { return ends_at_costs_; }

  /// The weights of a corner, N. Only changes between corners are stored, so this takes time in their number.
  [[nodiscard]] Eigen::VectorXd weights(std::size_t corner) const;

  /// Where a corner stands: the return of the whole, after costs where there are any, as the corner's own.
  [[nodiscard]] RiskReturn risk_and_return(std::size_t corner, double risk_free) const;

  /// The frontier as a line to draw, highest return first: its corners, and between each two so many more points, as
  /// volatility bends there.
  [[nodiscard]] std::vector<RiskReturn> line(double risk_free, int between = 11) const;

  /// What the limits that bind hold back, beside each corner. Where prices are not unique at a corner itself, these are
  /// those of the ways that meet there. Of a frontier of one corner both are empty. A ceiling on volatility has none.
  /// @param risk_free what a unit of the budget would earn otherwise, per year
  [[nodiscard]] std::vector<CornerMultipliers> multipliers(double risk_free) const;

  /// A corner as a certified portfolio.
  /// @throws UncertifiedAnswer as all functions below that return a portfolio, when its certificate doesn't hold to
  /// 1e-9
  [[nodiscard]] Portfolio corner(std::size_t corner) const;

  /// The last corner.
  /// @throws InputError where costs end the frontier above it
  [[nodiscard]] Portfolio minimum_variance() const;

  /// The least variance with this expected return of the weights.
  /// @param expected_return fraction per year, from the minimum-variance portfolio's to the first corner's
  /// @throws InputError outside that range, printing it
  [[nodiscard]] Portfolio at_return(double expected_return) const;

  /// The highest expected return with this volatility.
  /// @param volatility fraction per year, from the minimum-variance portfolio's to the first corner's
  /// @throws InputError outside that range, printing it
  [[nodiscard]] Portfolio at_volatility(double volatility) const;

  /// The least 1/2 w'Sw - lambda m'w: with lambda = 1 / aversion the highest return less aversion / 2 times variance.
  /// @param lambda 0 or more
  /// @throws InputError when lambda is negative or no number, or lies where costs have ended the frontier
  [[nodiscard]] Portfolio at_lambda(double lambda) const;

  /// The portfolio of highest (expected return - risk-free) / volatility (Sharpe 1994, J. Portfolio Management 21(1)):
  /// in closed form on the one segment on which the ratio has its maximum. The rate is charged on the sum of weights;
  /// after costs, where that sum varies, lambda and prices are those of returns less the rate.
  /// @throws InputError when there is none, with the reason of `why_no_maximum_sharpe`
  [[nodiscard]] MaximumSharpe maximum_sharpe(double risk_free) const;

  /// Why there is no maximum-Sharpe portfolio: no portfolio beats the risk-free rate, or one without variance does.
  /// Nothing when there is one.
  [[nodiscard]] std::optional<std::string> why_no_maximum_sharpe(double risk_free) const;

 private:
  Frontier() = default;
  friend Frontier trace_plainly(const Estimate&, const Bounds&, const Watch&);
  friend Frontier trace_frontier(const Estimate&, const Bounds&, const LimitFacts&, const Watch&);
  [[nodiscard]] static Frontier traced(const Estimate& estimate, const Bounds& bounds, const Watch& watch);
  struct WeightChange {
    int asset;
    double weight;
  };
  [[nodiscard]] Portfolio certified(Eigen::VectorXd weights, double lambda, const Eigen::VectorXd& row_prices) const;
  [[nodiscard]] Eigen::VectorXd row_prices_at(std::size_t corner, double lambda) const;
  void end_at(double volatility);
  [[nodiscard]] double riskless_part(double risk_free) const;
  [[nodiscard]] Frontier in_excess_of(double risk_free) const;
  [[nodiscard]] std::optional<std::string> why_no_ratio(double riskless, double risk_free) const;
  [[nodiscard]] std::string range_in_words(double least, double most) const;
  [[nodiscard]] Portfolio between(std::size_t upper, double part) const;
  struct Curve;
  [[nodiscard]] Curve curve_below(std::size_t upper) const;

  Estimate estimate_;
  Bounds bounds_ = Bounds::long_only(0);
  LimitFacts facts_;
  std::vector<Corner> corners_;
  Eigen::VectorXd top_;
  std::vector<WeightChange> changes_;
  std::vector<std::size_t> changes_end_;
  // Prices of the budget and the rows at both ends of each corner, where there are rows; above the first corner they
  // grow by the slope per unit of lambda.
  std::vector<Eigen::VectorXd> prices_high_, prices_low_;
  Eigen::VectorXd price_slope_;
  bool at_ceiling_ = false;
  bool ends_at_costs_ = false;
};

/// Traces the whole efficient frontier.
/// @param facts what limits look up: tags, weights held now, the benchmark
/// @param watch asked at each corner, and told how many there are so far
/// @throws InputError for an estimate that doesn't fit together, a limit on an unknown asset, or a covariance that is
///         found not to be positive semidefinite
/// @throws InfeasibleLimits when the limits cannot all hold
/// @throws UnsolvedProblem, an UncertifiedAnswer, when rounding defeats the solver; nothing uncertified is returned
[[nodiscard]] INCHTIDE_API Frontier trace_frontier(const Estimate& estimate, const Limits& limits,
                                                   const LimitFacts& facts = {}, const Watch& watch = {});

/// The same from ranges of weights and rows. Costs count where the bounds have them; `facts` are kept for what is
/// chosen on the frontier: the benchmark, the weights held now, what trading costs.
/// @throws InputError also for bounds that don't fit the estimate or hold a figure that is no number
/// @throws InfeasibleLimits when no weights are within them, naming those of their limits that conflict
[[nodiscard]] INCHTIDE_API Frontier trace_frontier(const Estimate& estimate, const Bounds& bounds,
                                                   const LimitFacts& facts = {}, const Watch& watch = {});

/// The lower, inefficient half: the least variance at each return below the minimum-variance portfolio's, from there
/// down to the lowest return. Corners as certified portfolios, between which weights are straight lines; their lambda
/// is negative. Costs are left out, and a ceiling on volatility ends it.
[[nodiscard]] INCHTIDE_API std::vector<Portfolio> trace_lower_half(const Estimate& estimate, const Bounds& bounds);

}  // namespace inchtide

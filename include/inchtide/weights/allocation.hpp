#pragma once
/// A portfolio that was picked: its weights, what it promises, what binds it and what loosening that would bring.
///
/// @code
/// #include <cassert>
/// inchtide::Estimate estimate;
/// estimate.assets = {"HOLLBOND", "HOLLBANK"};
/// estimate.expected_return = Eigen::Vector2d(0.03, 0.08);
/// estimate.covariance = inchtide::Covariance::dense(Eigen::Vector2d(0.0025, 0.04).asDiagonal());
/// const inchtide::Limits limits{inchtide::Limit::parse("HOLLBOND <= 60%")};
/// const auto frontier = inchtide::trace_frontier(estimate, limits);
/// const auto aim = inchtide::Aim::parse("minimum-variance", "here");
/// const auto chosen = inchtide::choose(frontier, aim, 0.01);
/// assert(chosen.binding.size() == 1 && chosen.binding[0].limit == "HOLLBOND <= 60%");
/// @endcode

#include <optional>
#include <string>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/eigen.hpp"
#include "inchtide/base/progress.hpp"
#include "inchtide/frontier/frontier.hpp"
#include "inchtide/frontier/unsolved.hpp"
#include "inchtide/weights/aim.hpp"

namespace inchtide {

/// A limit that the portfolio touches.
struct INCHTIDE_API BindingLimit {
  std::string limit;      ///< its name
  std::string text;       ///< as written
  bool per_unit = false;  ///< figures are per unit of an averaged column, not per percentage point
  /// By how much the aim would improve if the limit were loosened by one percentage point, or one unit (a fraction of
  /// 1: 0.0002 is 2 basis points): less volatility for minimum-variance and target-return, more return for
  /// target-volatility, a higher ratio for maximum-sharpe and maximum-diversification, more utility for utility, less
  /// tracking error for minimum-tracking-error. Nothing where it isn't defined (no volatility, or no aim to improve).
  std::optional<double> loosening;
  /// By how much the aim would worsen if it were tightened by a point, where that is more; infinite where there is no
  /// room to tighten it.
  std::optional<double> tightening;
  /// Of an equality, the budget's too: what a point (or unit) more, and one less, would bring; negative where it costs,
  /// minus infinity where there is no room. `loosening` is then the better of the two, or 0.
  std::optional<double> raising, lowering;
};

/// An asset that an optimal portfolio leaves out.
struct INCHTIDE_API LeftOut {
  std::string asset;
  double expected_return = 0;        ///< as estimated
  std::optional<double> would_need;  ///< the expected return above which it would enter; none where no return counts
};

struct INCHTIDE_API Allocation {
  std::string name;
  std::optional<Aim> aim;  ///< none where the weights were given
  std::vector<std::string> assets;
  Eigen::VectorXd weights;     ///< fractions of wealth
  double expected_return = 0;  ///< per year, of the whole: what the weights leave earns the risk-free rate
  double volatility = 0;       ///< per year
  double sharpe = 0;           ///< what the weights leave earns the risk-free rate; 0 where volatility is 0
  /// The same less the cost of getting there from the weights held now, spread over its years; where that is known.
  std::optional<double> net_return, net_sharpe;
  double average_volatility = 0;  ///< of the holdings, weighted
  /// Of each asset, the share of the variance that comes from it: w_i (Sw)_i / w'Sw, summing to 1; empty where there is
  /// no variance.
  Eigen::VectorXd risk_shares;
  std::optional<double> tracking_error;  ///< per year, where the benchmark is known
  std::optional<double> turnover;        ///< from the weights held now, where they are known
  std::optional<double> trading_cost;    ///< of getting there from the weights held now, once, where it is known
  std::vector<BindingLimit> binding;
  std::vector<LeftOut> left_out;           ///< of an optimal portfolio, the nearest to entering first
  std::vector<Violation> violations;       ///< limits that given or equal weights break
  std::optional<Certificate> certificate;  ///< of an optimal portfolio
  /// Where positions are limited: whether no other choice of them is better by more than the gap asked for.
  std::optional<bool> proven;
  std::vector<std::string> notes;  ///< what a reader should know, a sentence each

  /// What holding the assets together takes off the risk: weighted average volatility less the portfolio's.
  [[nodiscard]] double diversification_benefit() const { return average_volatility - volatility; }

  /// The aim as it is written, or "given".
  [[nodiscard]] std::string aim_text() const { return aim ? aim->text() : "given"; }

  /// How many equal holdings would be as concentrated: 1 / sum of squared shares, by absolute weight (Herfindahl).
  [[nodiscard]] double effective_holdings() const;

  /// The largest holdings, as positions in `assets`, largest weight first, zero weights left out. Weights that only
  /// rounding tells apart stay in their order.
  [[nodiscard]] std::vector<std::size_t> largest(std::size_t count) const;
};

/// An aim among several that has no portfolio.
struct INCHTIDE_API Unanswered {
  std::string name;                ///< of the portfolio that there would be
  std::string aim;                 ///< its text
  Notice notice;                   ///< why: that of what was thrown
  std::optional<Problem> problem;  ///< where rounding defeated the solver
};

/// Weights in proportion to 1 / volatility, summing to 1.
/// @throws InputError naming an asset without volatility
[[nodiscard]] INCHTIDE_API Eigen::VectorXd inverse_volatility_weights(const Estimate& estimate);

/// The long-only weights of which each contributes the same to the variance: w_i (Sw)_i equal. The least
/// 1/2 x'Sx - sum ln(x_i) / N scaled to sum 1 (Spinu 2013; Griveau-Billion, Richard & Roncalli 2013), unique where it
/// exists.
/// @throws InputError when a long-only mix has no variance, and so no risk to share
[[nodiscard]] INCHTIDE_API Eigen::VectorXd equal_risk_weights(const Estimate& estimate);

/// How a portfolio is chosen, beyond its aim.
struct INCHTIDE_API ChoiceOptions {
  bool borrowing = false;  ///< blends may hold more than the whole wealth in the maximum-Sharpe portfolio
  // How long to search where a number of holdings is limited.
  double gap = 1e-4;      ///< good enough: a part of the variance
  StopCheck should_stop;  ///< asked now and then; the best so far comes back, and its notes say how far it got
};

/// Chooses a portfolio on the frontier, or weights that don't look at limits (equal, inverse-volatility,
/// equal-risk-contribution; limits that they break are listed).
/// The limits are the frontier's, and so are the facts that they look up. With costs in its bounds the aims count them:
/// returns and ratios that are maximised are net.
/// @param risk_free fraction per year
/// @throws InputError when the aim has no portfolio: a target outside the range, no maximum Sharpe; or a figure is no
///         number
[[nodiscard]] INCHTIDE_API Allocation choose(const Frontier& frontier, const Aim& aim, double risk_free,
                                             const ChoiceOptions& options = {});

/// Figures of given weights.
/// @param weights one an asset of the estimate; their sum needn't be 1
/// @throws InputError when the count differs or a weight isn't finite
[[nodiscard]] INCHTIDE_API Allocation evaluate(const Estimate& estimate, const Limits& limits,
                                               const Eigen::VectorXd& weights, const std::string& name,
                                               double risk_free, const LimitFacts& facts = {});

}  // namespace inchtide

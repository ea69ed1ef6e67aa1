#include "inchtide/frontier/frontier.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>

#include "frontier/path.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/percent.hpp"

namespace inchtide {
namespace {

/// Where the budget has less room than this, the bounds leave one portfolio only.
constexpr double no_room = 1e-12;
/// A variance below this part of the largest asset's is none.
constexpr double no_variance = 1e-14;
/// Rates and ratios closer than this are the same.
constexpr double same_rate = 1e-12;
/// Targets may miss the range by this part of it.
constexpr double range_slack = 1e-12;

struct Start {
  Eigen::VectorXd weights;
  int basic = 0;          // the asset whose weight follows from the budget
  bool only_one = false;  // no other portfolio is within the bounds
};

/// The portfolio of highest expected return: every asset at its lower bound, then the budget's rest goes to the assets
/// in order of return (the first listed first among equals), each up to its upper bound.
Start highest_return(const Eigen::VectorXd& expected_return, const Bounds& bounds) {
  const auto n = expected_return.size();
  Start start{bounds.lower, 0, false};
  double rest = 1 - bounds.lower.sum();
  start.only_one = rest <= no_room || bounds.upper.sum() - 1 <= no_room;
  std::vector<int> order(static_cast<std::size_t>(n));
  std::iota(order.begin(), order.end(), 0);
  std::ranges::stable_sort(order, [&](int a, int b) { return expected_return[a] > expected_return[b]; });
  for (int i : order) {
    const double room = bounds.upper[i] - bounds.lower[i];
    if (room <= 0) continue;
    start.basic = i;
    if (room >= rest) {
      start.weights[i] += rest;
      return start;
    }
    start.weights[i] = bounds.upper[i];
    rest -= room;
  }
  return start;
}

PathProblem path_problem(const Estimate& estimate, const Bounds& bounds, const Start& start) {
  const auto n = estimate.size();
  if (start.only_one) return {estimate.covariance, start.weights, start.weights, Eigen::MatrixXd::Ones(1, n)};
  return {estimate.covariance, bounds.lower, bounds.upper, Eigen::MatrixXd::Ones(1, n)};
}

/// No corner is handed out that breaks its limits. (Its optimality is certified when it is asked for.)
void check_limits(const Bounds& bounds, const Eigen::VectorXd& weights, double lambda) {
  const double breach =
      std::max({std::abs(weights.sum() - 1), (bounds.lower - weights).maxCoeff(), (weights - bounds.upper).maxCoeff()});
  if (breach > 1e-9) {
    throw UncertifiedAnswer(fmt::format("The corner at lambda {} breaks its limits by {:.1e}", lambda, breach));
  }
}

}  // namespace

Frontier trace_frontier(const Estimate& estimate, const Limits& limits) {
  estimate.check_for_weights();
  return trace_frontier(estimate, bounds_of(limits, estimate.assets));
}

Frontier trace_frontier(const Estimate& estimate, const Bounds& bounds) {
  const auto start = highest_return(estimate.expected_return, bounds);
  PathSolver solver(path_problem(estimate, bounds, start));
  solver.start_at(start.weights, {start.basic});
  // Only differences of returns matter within a budget; taken from the best one they are exact where returns nearly
  // tie.
  const double best = estimate.expected_return[start.basic];
  const Path path = solver.follow(estimate.expected_return.array() - best);

  Frontier frontier;
  frontier.estimate_ = estimate;
  frontier.bounds_ = bounds;
  frontier.top_ = path.top;
  Eigen::VectorXd weights = path.top;
  std::size_t change = 0;
  for (const auto& corner : path.corners) {
    for (; change < corner.changes_end; ++change) {
      weights[path.changes[change].asset] = path.changes[change].weight;
      frontier.changes_.push_back({path.changes[change].asset, path.changes[change].weight});
    }
    check_limits(bounds, weights, corner.lambda_high);
    frontier.changes_end_.push_back(change);
    frontier.corners_.push_back(
        {estimate.expected_return.dot(weights), std::sqrt(corner.variance), corner.lambda_high, corner.lambda_low});
  }
  return frontier;
}

Eigen::VectorXd Frontier::weights(std::size_t corner) const {
  Eigen::VectorXd weights = top_;
  for (std::size_t k = 0; k < changes_end_.at(corner); ++k) weights[changes_[k].asset] = changes_[k].weight;
  return weights;
}

Portfolio Frontier::certified(Eigen::VectorXd weights, double lambda) const {
  Portfolio portfolio;
  portfolio.expected_return = estimate_.expected_return.dot(weights);
  portfolio.volatility = std::sqrt(estimate_.covariance.portfolio_variance(weights));
  portfolio.lambda = lambda;
  portfolio.certificate = certify(estimate_.covariance, estimate_.expected_return, bounds_, weights, lambda);
  if (!portfolio.certificate.holds()) {
    throw UncertifiedAnswer(
        fmt::format("The portfolio at lambda {} misses its optimality conditions by {:.1e} (limits "
                    "{:.1e}, stationarity {:.1e}, complementarity {:.1e})",
                    lambda, portfolio.certificate.worst(), portfolio.certificate.limit_violation,
                    portfolio.certificate.stationarity, portfolio.certificate.complementarity));
  }
  portfolio.weights = std::move(weights);
  return portfolio;
}

Portfolio Frontier::corner(std::size_t corner) const {
  return certified(weights(corner), corners_[corner].lambda_low);
}

Portfolio Frontier::minimum_variance() const {
  return corner(corners_.size() - 1);
}

/// The portfolio `part` of the way from corner `upper` to the next one.
Portfolio Frontier::between(std::size_t upper, double part) const {
  if (part <= 0 || upper + 1 == corners_.size()) return corner(upper);
  if (part >= 1) return corner(upper + 1);
  const double high = corners_[upper].lambda_low, low = corners_[upper + 1].lambda_high;
  return certified((1 - part) * weights(upper) + part * weights(upper + 1), (1 - part) * high + part * low);
}

/// Return e0 + e1 t and variance v0 + 2 v1 t + v2 t^2 at part t of the way from one corner down to the next.
struct Frontier::Curve {
  double e0, e1, v0, v1, v2;
};

Frontier::Curve Frontier::curve_below(std::size_t upper) const {
  const Eigen::VectorXd from = weights(upper), change = weights(upper + 1) - from;
  const Eigen::VectorXd risk = estimate_.covariance.product(change);
  return {estimate_.expected_return.dot(from), estimate_.expected_return.dot(change),
          estimate_.covariance.portfolio_variance(from), from.dot(risk), std::max(0.0, change.dot(risk))};
}

Portfolio Frontier::at_return(double expected_return) const {
  const double most = corners_.front().expected_return, least = corners_.back().expected_return;
  const double slack = range_slack * std::max({std::abs(most), std::abs(least), 1e-300});
  if (!(expected_return >= least - slack && expected_return <= most + slack)) {
    throw InputError(fmt::format("target-return={}", short_percent(expected_return)),
                     "no efficient portfolio within the limits has this expected return",
                     fmt::format("The range is {} (minimum variance) to {} (highest return)", percent_text(least, 4),
                                 percent_text(most, 4)));
  }
  std::size_t upper = 0;
  while (upper + 2 < corners_.size() && corners_[upper + 1].expected_return > expected_return) ++upper;
  if (upper + 1 >= corners_.size()) return corner(upper);
  const double e0 = corners_[upper].expected_return, e1 = corners_[upper + 1].expected_return;
  return between(upper, e0 > e1 ? (e0 - expected_return) / (e0 - e1) : 1.0);
}

Portfolio Frontier::at_volatility(double volatility) const {
  const double most = corners_.front().volatility, least = corners_.back().volatility;
  const double slack = range_slack * most;
  if (!(volatility >= least - slack && volatility <= most + slack)) {
    throw InputError(fmt::format("target-volatility={}", short_percent(volatility)),
                     "no efficient portfolio within the limits has this volatility",
                     fmt::format("The range is {} (minimum variance) to {} (highest return)", percent_text(least, 4),
                                 percent_text(most, 4)));
  }
  std::size_t upper = 0;
  while (upper + 2 < corners_.size() && corners_[upper + 1].volatility > volatility) ++upper;
  if (upper + 1 >= corners_.size()) return corner(upper);
  const auto curve = curve_below(upper);
  const double gap = curve.v0 - volatility * volatility;
  if (gap <= 0) return corner(upper);
  const double root = std::sqrt(std::max(0.0, curve.v1 * curve.v1 - curve.v2 * gap));
  return between(upper, gap / (root - curve.v1));
}

std::optional<std::string> Frontier::why_no_maximum_sharpe(double risk_free) const {
  const auto &top = corners_.front(), &least = corners_.back();
  if (top.expected_return <= risk_free) {
    return fmt::format(
        "no portfolio within the limits beats the risk-free rate of {}: the highest expected return is {}",
        short_percent(risk_free), percent_text(top.expected_return));
  }
  const double largest = estimate_.covariance.variances().maxCoeff();
  if (least.volatility * least.volatility <= no_variance * largest && least.expected_return > risk_free + same_rate) {
    return fmt::format(
        "a portfolio without variance has an expected return of {}, above the risk-free rate of {}, so "
        "the ratio has no end",
        percent_text(least.expected_return), short_percent(risk_free));
  }
  return std::nullopt;
}

MaximumSharpe Frontier::maximum_sharpe(double risk_free) const {
  if (const auto reason = why_no_maximum_sharpe(risk_free)) {
    throw InputError("maximum-sharpe", *reason, "Change the risk-free rate (--risk-free) or the assets");
  }
  // Going down the frontier raises the ratio as long as lambda (E - rf) > variance.
  const auto falls_help = [&](const Corner& corner, double lambda) {
    return lambda * (corner.expected_return - risk_free) > (1 + same_rate) * corner.volatility * corner.volatility;
  };
  MaximumSharpe best;
  std::size_t k = 0;
  double part = 0;
  for (; falls_help(corners_[k], corners_[k].lambda_low) && k + 1 < corners_.size(); ++k) {
    if (falls_help(corners_[k + 1], corners_[k + 1].lambda_high)) continue;
    const auto c = curve_below(k);
    const double excess = c.e0 - risk_free;
    const double turn = c.e1 * c.v1 - excess * c.v2, terms = std::abs(c.e1 * c.v1) + std::abs(excess * c.v2);
    if (std::abs(turn) > 1e-14 * terms) part = (excess * c.v1 - c.e1 * c.v0) / turn;  // else it is the same all along
    break;
  }
  part = std::clamp(part, 0.0, 1.0);
  Eigen::VectorXd chosen = weights(k);
  if (part > 0) chosen = (1 - part) * chosen + part * weights(k + 1);
  // At the highest ratio the frontier touches the line from the risk-free rate: its slope gives lambda.
  const double variance = estimate_.covariance.portfolio_variance(chosen);
  const double excess = estimate_.expected_return.dot(chosen) - risk_free;
  best.portfolio = certified(std::move(chosen), variance / excess);
  best.sharpe = best.portfolio.sharpe(risk_free);
  best.at_top = k == 0 && part <= 0;
  return best;
}

}  // namespace inchtide

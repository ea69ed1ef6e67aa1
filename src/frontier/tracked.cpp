#include "inchtide/frontier/tracked.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "frontier/conflict.hpp"
#include "frontier/tolerances.hpp"
#include "frontier/trace.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/frontier/unsolved.hpp"

namespace inchtide {
namespace {

/// Halvings of a range until it is next to nothing.
constexpr int halvings = 52;

Bounds without_ceilings(Bounds bounds) {
  bounds.tracking_error.reset();
  bounds.volatility.reset();
  return bounds;
}

Bounds without_positions(Bounds bounds) {
  bounds.holdings.reset();
  bounds.held.reset();
  return bounds;
}

/// The same problem seen from the benchmark: one more asset, the benchmark, held short in full. Its frontier has
/// tracking errors for volatilities.
Frontier active_frontier(const Estimate& estimate, const Bounds& bounds, const BenchmarkRisk& benchmark) {
  const auto n = estimate.size();
  const auto longer = [n](const Eigen::VectorXd& values, double last) {
    Eigen::VectorXd more(n + 1);
    more << values, last;
    return more;
  };
  Estimate active = estimate;
  active.assets.emplace_back("benchmark");
  active.expected_return = longer(estimate.expected_return, 0);
  Eigen::MatrixXd matrix(n + 1, n + 1);
  matrix << estimate.covariance.matrix(), benchmark.covariances, benchmark.covariances.transpose(), benchmark.variance;
  active.covariance = Covariance::known_semidefinite(std::move(matrix));
  auto around = without_ceilings(bounds);
  around.lower = longer(bounds.lower, -1);
  around.upper = longer(bounds.upper, -1);
  around.lower_limit.push_back(-1);
  around.upper_limit.push_back(-1);
  around.budget -= 1;
  for (auto& row : around.rows) {
    row.coefficients = longer(row.coefficients, 0);
    if (row.bend.size() > 0) {
      row.bend = longer(row.bend, 0);
      row.bend_at = longer(row.bend_at, 0);
    }
  }
  return trace_plainly(active, around);
}

}  // namespace

namespace {

double ceiling_of(const Bounds& bounds) {
  if (bounds.tracking_error) return bounds.tracking_error->value;
  throw InputError("tracking error", "the bounds have no ceiling on it", "Add a limit such as tracking-error <= 4%");
}

}  // namespace

TrackedFrontier::TrackedFrontier(const Estimate& estimate, const Bounds& bounds, BenchmarkRisk benchmark)
    : whole_(trace_frontier(estimate, without_ceilings(bounds))),
      benchmark_(std::move(benchmark)),
      ceiling_(ceiling_of(bounds)) {
  benchmark_.check(estimate.size());
  const auto active = active_frontier(estimate, bounds, benchmark_);
  const double nearest = active.corners().back().volatility, farthest = active.corners().front().volatility;
  if (nearest > ceiling_ * (1 + ceiling_slack)) {
    throw InfeasibleLimits(fmt::format("The least tracking error within the other limits is {}, above the ceiling of "
                                       "{}",
                                       percent_text(nearest, 4), short_percent(ceiling_)),
                           {});
  }
  most_ = ceiling_ >= farthest ? whole_.corners().front().expected_return
                               : active.at_volatility(std::max(ceiling_, nearest)).expected_return;
  least_ = minimum_variance().portfolio.expected_return;
  most_ = std::max(least_, most_);
}

TrackedPortfolio TrackedFrontier::slack(Portfolio portfolio) const {
  const auto& estimate = whole_.estimate();
  TrackedPortfolio tracked;
  tracked.tracking_error = benchmark_.tracking_error(estimate.covariance, portfolio.weights);
  tracked.prices = bound_prices(estimate.covariance, estimate.expected_return, whole_.bounds(), portfolio.weights,
                                portfolio.lambda, portfolio.row_prices);
  tracked.portfolio = std::move(portfolio);
  return tracked;
}

/// On a path that is pulled to the benchmark by v, from v = 1 down: where the tracking error meets the ceiling.
double TrackedFrontier::pull_at_ceiling(const Frontier& path) const {
  const auto& corners = path.corners();
  const auto& covariance = whole_.estimate().covariance;
  double v = 1;
  Eigen::VectorXd from = path.at_lambda(1).weights;
  const double most = ceiling_ * ceiling_;
  for (std::size_t k = 0; k < corners.size(); ++k) {
    if (corners[k].lambda_high >= v) {
      v = std::min(v, corners[k].lambda_low);
      continue;
    }
    const Eigen::VectorXd to = path.weights(k), change = to - from;
    if (benchmark_.squared_error(covariance, to) <= most) {
      from = to;
      v = corners[k].lambda_low;
      continue;
    }
    const double a = covariance.portfolio_variance(change);
    const double b = from.dot(covariance.product(change)) - benchmark_.covariances.dot(change);
    const double room = most - benchmark_.squared_error(covariance, from);
    // a t^2 + 2 b t = room
    const double t = room <= 0 ? 0 : room / (b + std::sqrt(std::max(0.0, b * b + a * room)));
    return v - std::clamp(t, 0.0, 1.0) * (v - corners[k].lambda_high);
  }
  return v;
}

/// The least variance with this return (or with any) at which the tracking error meets the ceiling.
TrackedPortfolio TrackedFrontier::on_ceiling(std::optional<double> expected_return) const {
  const auto& estimate = whole_.estimate();
  Estimate pulled = estimate;
  pulled.expected_return = benchmark_.covariances;
  auto bounds = whole_.bounds();
  if (expected_return) {
    keep_return(bounds, estimate, *expected_return, *expected_return);
  }
  const auto path = trace_plainly(pulled, bounds);
  const double v = pull_at_ceiling(path);
  auto found = path.at_lambda(v);

  TrackedPortfolio tracked;
  const double scale = 1 / std::max(1 - v, least_complement);  // 1 + the ceiling's price
  double return_price = 0;
  Eigen::VectorXd row_prices = found.row_prices;
  if (expected_return) {
    return_price = row_prices[row_prices.size() - 1];
    row_prices.conservativeResize(row_prices.size() - 1);
  }
  const Eigen::VectorXd pull = v * benchmark_.covariances + return_price * estimate.expected_return;
  tracked.prices = bound_prices(estimate.covariance, pull, whole_.bounds(), found.weights, 1, row_prices);
  tracked.prices.budget *= scale;
  tracked.prices.row *= scale;
  tracked.prices.bound *= scale;
  tracked.tracking_error = benchmark_.tracking_error(estimate.covariance, found.weights);
  tracked.ceiling_price = v * scale * ceiling_;
  tracked.portfolio = std::move(found);
  tracked.portfolio.expected_return = estimate.expected_return.dot(tracked.portfolio.weights);
  tracked.portfolio.lambda = return_price * scale;
  tracked.portfolio.row_prices = row_prices * scale;
  auto& violation = tracked.portfolio.certificate.limit_violation;
  violation = std::max(violation, tracked.tracking_error - ceiling_);
  if (!tracked.portfolio.certificate.holds()) {
    auto bounds_here = whole_.bounds();
    bounds_here.tracking_error = LimitFigure{ceiling_, -1};
    throw UnsolvedProblem(
        fmt::format("The portfolio with a return of {} passes the ceiling of {} on its tracking error by {:.1e}",
                    percent_text(tracked.portfolio.expected_return, 4), short_percent(ceiling_), violation),
        {estimate, std::move(bounds_here), tracked.portfolio.lambda});
  }
  return tracked;
}

TrackedPortfolio TrackedFrontier::minimum_variance() const {
  auto least = slack(whole_.minimum_variance());
  return least.tracking_error <= ceiling_ ? least : on_ceiling(std::nullopt);
}

TrackedPortfolio TrackedFrontier::at_return(double expected_return) const {
  const double allowed = range_slack * std::max({std::abs(least_), std::abs(most_), never_zero});
  if (!(expected_return >= least_ - allowed && expected_return <= most_ + allowed)) {
    throw InputError(fmt::format("target-return={}", short_percent(expected_return)),
                     "no efficient portfolio within the limits has this expected return",
                     fmt::format("The range is {} (minimum variance) to {} (highest return)", percent_text(least_, 4),
                                 percent_text(most_, 4)));
  }
  if (expected_return >= whole_.corners().back().expected_return) {
    auto free = slack(whole_.at_return(std::min(expected_return, whole_.corners().front().expected_return)));
    if (free.tracking_error <= ceiling_) return free;
  }
  return on_ceiling(std::clamp(expected_return, least_, most_));
}

/// The portfolio at the return below which `lower` turns false.
template <typename Lower>
TrackedPortfolio TrackedFrontier::search(Lower lower) const {
  double low = least_, high = most_;
  for (int k = 0; k < halvings && low < high; ++k) {
    const double middle = (low + high) / 2;
    if (middle <= low || middle >= high) break;
    (lower(at_return(middle)) ? high : low) = middle;
  }
  return at_return(low);
}

TrackedPortfolio TrackedFrontier::at_volatility(double volatility) const {
  const double least = minimum_variance().portfolio.volatility, most = at_return(most_).portfolio.volatility;
  if (!(volatility >= least * (1 - range_slack) && volatility <= most * (1 + range_slack))) {
    throw InputError(fmt::format("target-volatility={}", short_percent(volatility)),
                     "no efficient portfolio within the limits has this volatility",
                     fmt::format("The range is {} (minimum variance) to {} (highest return)", percent_text(least, 4),
                                 percent_text(most, 4)));
  }
  return search([&](const TrackedPortfolio& at) { return at.portfolio.volatility > volatility; });
}

TrackedPortfolio TrackedFrontier::at_lambda(double lambda) const {
  auto free = slack(whole_.at_lambda(lambda));
  if (free.tracking_error <= ceiling_) return free;
  return search([&](const TrackedPortfolio& at) { return at.portfolio.lambda > lambda; });
}

TrackedPortfolio TrackedFrontier::maximum_sharpe(double risk_free) const {
  const double riskless = whole_.bounds().budget * risk_free;
  if (!whole_.why_no_maximum_sharpe(risk_free)) {
    auto free = slack(whole_.maximum_sharpe(risk_free).portfolio);
    if (free.tracking_error <= ceiling_) return free;
  }
  if (most_ <= riskless) {
    throw InputError("maximum-sharpe",
                     fmt::format("no portfolio within the limits beats the risk-free rate of {}: the highest expected "
                                 "return is {}",
                                 short_percent(risk_free), percent_text(most_)),
                     {{Means::risk_free, "Change the risk-free rate"}, {Means::assets, "the assets"}});
  }
  // The ratio rises with the return as long as lambda (E - rf) < variance.
  return search([&](const TrackedPortfolio& at) {
    const auto& p = at.portfolio;
    return p.lambda * (p.expected_return - riskless) > p.volatility * p.volatility;
  });
}

namespace {

/// Where the least tracking error has too much volatility: with a price on half of the variance the objective is
/// 1/2 w'Sw - lambda c'w, lambda = 1 / (1 + price), so it lies on the frontier of the covariances c with the benchmark.
TrackedPortfolio least_at_volatility(const Estimate& estimate, const Bounds& bounds, const BenchmarkRisk& benchmark) {
  auto pulled = estimate;
  pulled.expected_return = benchmark.covariances;
  const auto towards = trace_plainly(pulled, without_ceilings(bounds));
  const double least = towards.corners().back().volatility, most = bounds.volatility->value;
  if (least > most * (1 + ceiling_slack)) {
    throw InfeasibleLimits(fmt::format("The least volatility within the limits is {}, above the ceiling of {}",
                                       percent_text(least, 4), short_percent(most)),
                           {});
  }
  TrackedPortfolio tracked;
  auto found = towards.at_volatility(std::max(least, most));
  tracked.prices = bound_prices(pulled.covariance, pulled.expected_return, towards.bounds(), found.weights,
                                found.lambda, found.row_prices);
  const double scale = 1 / std::max(found.lambda, least_complement);  // 1 + the ceiling's price
  tracked.prices.budget *= scale;
  tracked.prices.row *= scale;
  tracked.prices.bound *= scale;
  tracked.volatility_price = (scale - 1) * found.volatility;
  found.row_prices *= scale;
  tracked.portfolio = std::move(found);
  return tracked;
}

}  // namespace

TrackedPortfolio least_tracking_error(const Estimate& estimate, const Bounds& given, const BenchmarkRisk& benchmark) {
  const auto n = estimate.size();
  check_problem(estimate, given);
  benchmark.check(n);
  const auto bounds = with_named_rows(given);
  if (!can_hold(without_positions(bounds))) throw_conflict(without_positions(bounds), estimate.assets);
  const auto active = active_frontier(estimate, bounds, benchmark);
  auto found = active.minimum_variance();
  TrackedPortfolio tracked;
  tracked.prices = bound_prices(active.estimate().covariance, active.estimate().expected_return, active.bounds(),
                                found.weights, 0, found.row_prices);
  tracked.prices.bound.conservativeResize(n);
  found.weights.conservativeResize(n);
  tracked.portfolio = std::move(found);
  auto& p = tracked.portfolio;
  p.volatility = std::sqrt(estimate.covariance.portfolio_variance(p.weights));
  if (bounds.volatility && p.volatility > bounds.volatility->value * (1 + ceiling_slack)) {
    tracked = least_at_volatility(estimate, bounds, benchmark);
  }
  p.expected_return = estimate.expected_return.dot(p.weights);
  tracked.tracking_error = benchmark.tracking_error(estimate.covariance, p.weights);
  return tracked;
}

}  // namespace inchtide

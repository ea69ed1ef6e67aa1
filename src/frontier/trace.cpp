// Traces frontiers: the start, the path, and where a ceiling ends it.

#include "inchtide/frontier/frontier.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>

#include "base/numbers.hpp"
#include "frontier/conflict.hpp"
#include "frontier/path.hpp"
#include "frontier/portfolio.hpp"
#include "frontier/tolerances.hpp"
#include "frontier/trace.hpp"
#include "frontier/vertex.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/base/range.hpp"
#include "inchtide/frontier/tracked.hpp"
#include "inchtide/frontier/unsolved.hpp"

namespace inchtide {
namespace {

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
  double rest = bounds.budget - bounds.lower.sum();
  start.only_one = rest <= no_room || bounds.upper.sum() - bounds.budget <= no_room;
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
  if (start.only_one) return {estimate.covariance, {start.weights, start.weights, Eigen::MatrixXd::Ones(1, n), {}}};
  return {estimate.covariance, {bounds.lower, bounds.upper, Eigen::MatrixXd::Ones(1, n), {}}};
}

/// No corner is handed out that breaks its limits. (Its optimality is certified when it is asked for.) Sums follow the
/// weights that change, so that a corner costs no more than its changes.
class LimitCheck {
 public:
  LimitCheck(const Bounds& bounds, Eigen::VectorXd weights)
      : bounds_(bounds), all_(all_rows(bounds)), weights_(std::move(weights)) {
    const auto p = Eigen::Index(all_.size());
    rows_.resize(p, weights_.size());
    lower_ = upper_ = sums_ = Eigen::VectorXd(p);
    for (Eigen::Index r = 0; r < p; ++r) {
      auto& row = all_[std::size_t(r)];
      const double size = row_size(row);
      rows_.row(r) = row.coefficients / size;
      row.bend /= size;
      lower_[r] = row.lower / size;
      upper_[r] = row.upper / size;
      sums_[r] = row.constant / size;
      if (row.bend.size() > 0) {
        bent_.push_back(r);
        sums_[r] += row.bend.dot((weights_ - row.bend_at).cwiseAbs());
      }
    }
    sums_ += rows_ * weights_;
    breach_ = std::max((bounds.lower - weights_).maxCoeff(), (weights_ - bounds.upper).maxCoeff());
  }

  void change(Eigen::Index asset, double weight) {
    sums_ += (weight - weights_[asset]) * rows_.col(asset);
    for (auto r : bent_) {
      const auto& row = all_[std::size_t(r)];
      const double at = row.bend_at[asset];
      sums_[r] += row.bend[asset] * (std::abs(weight - at) - std::abs(weights_[asset] - at));
    }
    weights_[asset] = weight;
    breach_ = std::max({breach_, bounds_.lower[asset] - weight, weight - bounds_.upper[asset]});
  }

  void corner_at(double lambda) const {
    const double breach = std::max({breach_, (lower_ - sums_).maxCoeff(), (sums_ - upper_).maxCoeff()});
    if (!(breach <= broken_row)) {
      throw UncertifiedAnswer(fmt::format("The corner at lambda {} breaks its limits by {:.1e}", lambda, breach));
    }
  }

  const Eigen::VectorXd& weights() const { return weights_; }

 private:
  const Bounds& bounds_;
  std::vector<LimitRow> all_;  // the budget's first
  std::vector<Eigen::Index> bent_;
  Eigen::VectorXd weights_;
  Eigen::MatrixXd rows_;  // each of size 1
  Eigen::VectorXd lower_, upper_, sums_;
  double breach_ = 0;  // of any single weight so far
};

double least_volatility(const Estimate& estimate, Bounds bounds) {
  bounds.volatility.reset();
  return trace_plainly(estimate, bounds).corners().back().volatility;
}

/// A ceiling that the other limits leave no room under: which of them, and the figures.
/// @param least the least figure within bounds, ceilings aside
/// @param of the bounds of some of the limits; @param limit one, whole
template <typename Least, typename Limit, typename Of, typename Whole>
void check_ceiling(std::optional<LimitFigure> Bounds::*ceiling, const char* what, Least least, const Bounds& bounds,
                   const std::vector<Limit>& limits, Of of, Whole limit) {
  const auto conflicts = [&](const Bounds& some) {
    return some.*ceiling && least(some) > (some.*ceiling)->value * (1 + ceiling_slack);
  };
  if (!conflicts(bounds)) return;
  const auto conflict = minimal_conflict(limits, [&](const auto& fewer) { return conflicts(of(fewer)); });
  Limits whole;
  for (const auto& one : conflict) whole.push_back(limit(one));
  throw_named(whole, fmt::format("the least {} that they leave is {}", what, percent_text(least(of(conflict)), 4)));
}

/// A path over the assets. Its linear term is taken from what the rows' prices at the start would pay: only differences
/// of returns matter within rows, and those that nearly tie are exact then.
struct Traced {
  Path path;
  Eigen::VectorXd start_prices;  // of the rows, per unit of lambda
};

Traced trace_ranges(const Estimate& estimate, const Bounds& bounds, const Watch& watch) {
  const auto start = highest_return(estimate.expected_return, bounds);
  PathSolver solver(path_problem(estimate, bounds, start));
  solver.start_at(start.weights, {start.basic});
  solver.watch(watch);
  const double basic = estimate.expected_return[start.basic];
  return {solver.follow({estimate.expected_return.array() - basic, {}}), Eigen::VectorXd::Constant(1, basic)};
}

/// What is left of a slope that pays for its rows; rounding alone is nothing.
double less_paid(double slope, const Eigen::VectorXd& rows, const Eigen::VectorXd& prices) {
  const double left = slope - rows.dot(prices);
  const double terms = std::abs(slope) + rows.cwiseAbs().dot(prices.cwiseAbs());
  return std::abs(left) <= sum_rounding * terms ? 0 : left;
}

std::optional<double> costs_per_year(const Bounds& bounds) {
  if (!bounds.costs || (bounds.costs->rates.buy + bounds.costs->rates.sell).isZero(0)) return std::nullopt;
  return 1 / bounds.costs->years;
}

/// With rows: each has a riskless weight of its own, A w - s = 0, whose range is the row's; the budget's stands still.
Traced trace_rows(const Estimate& estimate, const Bounds& bounds, const Watch& watch) {
  const auto n = estimate.size();
  const auto problem = vertex_problem(bounds);
  const auto p = problem.weights.rows.rows();
  const Eigen::VectorXd slopes = lowest_return_slopes(estimate.expected_return, bounds);
  LinearTerm q{Eigen::VectorXd::Zero(n + p), {}};
  q.lowest.head(n) = slopes;
  for (const auto& bend : problem.weights.bends) q.bends.push_back(bend.linear);
  const auto vertex = best_vertex(problem, slopes, q.bends);
  if (!vertex.feasible) throw InfeasibleLimits("The limits cannot all hold", {});
  auto all = with_row_weights(problem);
  Eigen::VectorXd prices = vertex.prices;
  if (bounds.costs) prices.setZero();  // the sign of the budget's price counts as it is
  auto bend = all.bends.begin();       // by weight, then upward
  for (int j = 0; j < int(n + p); ++j) {
    double slope = q.lowest[j], left = less_paid(slope, all.rows.col(j), prices);
    q.lowest[j] = left;
    Eigen::VectorXd rows = all.rows.col(j);
    for (; bend != all.bends.end() && bend->weight == j; ++bend) {
      slope += bend->linear;
      rows += bend->rows;
      auto& change = q.bends[std::size_t(bend - all.bends.begin())];
      change = less_paid(slope, rows, prices) - left;
      left += change;
    }
  }
  PathSolver solver({estimate.covariance, std::move(all), true, costs_per_year(bounds)});
  solver.start_at(vertex.values, vertex.basic, vertex.piece);
  solver.watch(watch);
  return {solver.follow(q), prices};
}

}  // namespace

std::string look_alikes(const Estimate& estimate) {
  const auto& covariance = estimate.covariance;
  double most = next_to_one;
  std::string named;
  for (Eigen::Index i = 0; i < estimate.size(); ++i) {
    for (Eigen::Index j = 0; j < i; ++j) {
      const double scale = std::sqrt(covariance.variance(i) * covariance.variance(j));
      if (!(scale > 0) || !(covariance.between(i, j) / scale > most)) continue;
      most = covariance.between(i, j) / scale;
      named = fmt::format(". {} and {} are next to the same (correlation {:.12g}): leave one of them out",
                          estimate.assets[std::size_t(j)], estimate.assets[std::size_t(i)], most);
    }
  }
  return named;
}

Frontier trace_frontier(const Estimate& estimate, const Limits& limits, const LimitFacts& facts, const Watch& watch) {
  estimate.check_for_weights();
  const auto bounds = bounds_of(limits, estimate.assets, facts);
  const auto& assets = estimate.assets;
  const bool open = opens_shorts(limits);
  const auto of = [&](const Limits& some) { return bounds_of_some(some, assets, facts, open); };
  const auto check = [&](auto ceiling, const char* what, auto least) {
    check_ceiling(ceiling, what, least, bounds, limits, of, [](const Limit& limit) { return limit; });
  };
  check(&Bounds::volatility, "volatility", [&](const Bounds& some) { return least_volatility(estimate, some); });
  check(&Bounds::tracking_error, "tracking error",
        [&](const Bounds& some) { return least_tracking_error(estimate, some, *facts.benchmark).tracking_error; });
  return trace_frontier(estimate, bounds, facts, watch);
}

void keep_return(Bounds& bounds, const Estimate& estimate, double least, double most) {
  bounds.rows.push_back({-1, "expected return", estimate.expected_return, least, most});
}

void check_problem(const Estimate& estimate, const Bounds& bounds) {
  estimate.check_figures();
  bounds.check(estimate.size());
}

Frontier trace_frontier(const Estimate& estimate, const Bounds& bounds, const LimitFacts& facts, const Watch& watch) {
  estimate.check_for_weights();
  check_problem(estimate, bounds);
  check_facts(facts, estimate.size());
  const auto named = with_named_rows(bounds);
  if (!ranges_can_hold(named)) throw_conflict(named, estimate.assets);
  try {
    auto frontier = trace_plainly(estimate, named, watch);
    frontier.facts_ = facts;
    if (!facts.costs) frontier.facts_.costs = bounds.costs;
    return frontier;
  } catch (const InfeasibleLimits& conflict) {
    if (!conflict.limits().empty()) throw;
    if (!can_hold(named)) throw_conflict(named, estimate.assets);
    if (named.volatility && named.volatility->limit >= 0) {
      std::vector<int> all(named.limits.size());
      std::iota(all.begin(), all.end(), 0);
      check_ceiling(
          &Bounds::volatility, "volatility", [&](const Bounds& some) { return least_volatility(estimate, some); },
          named, all, [&](const std::vector<int>& some) { return only_of(named, some); },
          [&](int limit) { return named.limits[std::size_t(limit)]; });
    }
    throw;
  }
}

Frontier trace_plainly(const Estimate& estimate, const Bounds& bounds, const Watch& watch) {
  try {
    return Frontier::traced(estimate, bounds, watch);
  } catch (const UnsolvedProblem&) {
    throw;
  } catch (const UncertifiedAnswer& error) {
    throw UnsolvedProblem(error.what() + look_alikes(estimate), {estimate, bounds});
  } catch (const NegativeVariance& found) {
    throw InputError("covariance",
                     fmt::format("{} and the assets held around it form a portfolio with a negative variance{}",
                                 estimate.assets[std::size_t(found.asset)], look_alikes(estimate)),
                     "The matrix is not positive semidefinite: estimate it from complete histories, or shrink it");
  }
}

Frontier Frontier::traced(const Estimate& estimate, const Bounds& bounds, const Watch& watch) {
  const auto n = estimate.size();
  const auto [path, start_prices] =
      bounds.ranges_only() ? trace_ranges(estimate, bounds, watch) : trace_rows(estimate, bounds, watch);

  Frontier frontier;
  frontier.estimate_ = estimate;
  frontier.bounds_ = bounds;
  frontier.top_ = path.top.head(n);
  LimitCheck check(bounds, frontier.top_);
  std::size_t change = 0;
  const auto shifted = [&from = start_prices](Eigen::VectorXd prices, double lambda) {
    prices -= lambda * from;
    return prices;
  };
  for (const auto& corner : path.corners) {
    double moved = 0;
    for (; change < corner.changes_end; ++change) {
      const auto& [asset, weight] = path.changes[change];
      if (asset >= n) continue;
      moved = std::max(moved, std::abs(weight - check.weights()[asset]));
      check.change(asset, weight);
      frontier.changes_.push_back({asset, weight});
    }
    check.corner_at(corner.lambda_high);
    double expected_return = return_of(estimate.expected_return, bounds, check.weights());
    // Corners that rounding alone tells apart are one. Where returns nearly tie weights may move while the return falls
    // by less than its last digit: then it is that one lower.
    const double above = frontier.corners_.empty() ? infinity : frontier.corners_.back().expected_return;
    const bool nearly_tied = moved > same_weight && expected_return - above <= sum_rounding * std::abs(above);
    const bool same = expected_return >= above && !nearly_tied;
    if (!same) expected_return = std::min(expected_return, std::nextafter(above, -infinity));
    if (same) {
      frontier.changes_end_.back() = frontier.changes_.size();
      frontier.corners_.back().lambda_low = corner.lambda_low;
    } else {
      frontier.changes_end_.push_back(frontier.changes_.size());
      frontier.corners_.push_back({expected_return, std::sqrt(corner.variance), corner.lambda_high, corner.lambda_low});
    }
    if (bounds.ranges_only()) continue;
    if (same) {
      frontier.prices_low_.back() = shifted(corner.prices_low, corner.lambda_low);
      continue;
    }
    const double high = std::isinf(corner.lambda_high) ? corner.lambda_low : corner.lambda_high;
    frontier.prices_high_.push_back(
        shifted(std::isinf(corner.lambda_high) ? corner.prices_low : corner.prices_high, high));
    frontier.prices_low_.push_back(shifted(corner.prices_low, corner.lambda_low));
  }
  if (!bounds.ranges_only()) frontier.price_slope_ = shifted(path.price_slope, 1);
  frontier.ends_at_costs_ = costs_per_year(bounds).has_value() && frontier.corners_.back().lambda_low > 0;
  if (bounds.volatility) frontier.end_at(bounds.volatility->value);
  return frontier;
}

std::vector<Portfolio> trace_lower_half(const Estimate& estimate, const Bounds& bounds) {
  auto turned = estimate;
  turned.expected_return = -estimate.expected_return;
  auto plain = bounds;
  plain.costs.reset();
  const auto frontier = trace_frontier(turned, plain);
  std::vector<Portfolio> corners;
  for (std::size_t k = frontier.corners().size(); k-- > 0;) {
    auto portfolio = frontier.corner(k);
    portfolio.expected_return *= -1;
    portfolio.lambda *= -1;
    corners.push_back(std::move(portfolio));
  }
  return corners;
}

/// Cuts off what lies above a volatility: the portfolio there becomes the first corner.
void Frontier::end_at(double volatility) {
  if (corners_.back().volatility > volatility * (1 + ceiling_slack)) {
    throw InfeasibleLimits(fmt::format("The least volatility within the limits is {}, above the ceiling of {}",
                                       percent_text(corners_.back().volatility, 4), short_percent(volatility)),
                           {});
  }
  if (corners_.front().volatility <= volatility) return;
  const auto top = at_volatility(std::max(volatility, corners_.back().volatility));
  std::size_t below = 1;
  while (below + 1 < corners_.size() && corners_[below].volatility >= top.volatility) ++below;
  at_ceiling_ = true;
  const auto cut = std::ptrdiff_t(below);
  const auto first_change = changes_end_[below - 1];
  top_ = top.weights;
  changes_.erase(changes_.begin(), changes_.begin() + std::ptrdiff_t(first_change));
  changes_end_.erase(changes_end_.begin(), changes_end_.begin() + cut - 1);
  for (auto& end : changes_end_) end -= first_change;
  corners_.erase(corners_.begin(), corners_.begin() + cut - 1);
  corners_.front() = {top.expected_return, top.volatility, infinity, top.lambda};
  if (!bounds_.ranges_only()) {
    prices_high_.erase(prices_high_.begin(), prices_high_.begin() + cut - 1);
    prices_low_.erase(prices_low_.begin(), prices_low_.begin() + cut - 1);
    prices_high_.front() = prices_low_.front() = top.row_prices;
    price_slope_.setZero();
  }
  if (corners_.size() > 1 && !(corners_[1].expected_return < corners_[0].expected_return)) {  // the cut is a corner
    corners_.front().lambda_low = corners_[1].lambda_low;
    if (!bounds_.ranges_only()) {
      prices_low_.front() = prices_low_[1];
      prices_low_.erase(prices_low_.begin() + 1);
      prices_high_.erase(prices_high_.begin() + 1);
    }
    corners_.erase(corners_.begin() + 1);
    changes_end_.erase(changes_end_.begin());
  }
}

}  // namespace inchtide

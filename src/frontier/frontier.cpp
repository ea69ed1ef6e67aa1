#include "inchtide/frontier/frontier.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>

#include "frontier/conflict.hpp"
#include "frontier/path.hpp"
#include "frontier/portfolio.hpp"
#include "frontier/trace.hpp"
#include "frontier/vertex.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/base/range.hpp"
#include "inchtide/frontier/tracked.hpp"
#include "inchtide/frontier/unsolved.hpp"

namespace inchtide {
namespace {

constexpr double infinity = std::numeric_limits<double>::infinity();
/// Where the budget has less room than this, the bounds leave one portfolio only.
constexpr double no_room = 1e-12;
/// A variance below this part of the largest asset's is none.
constexpr double no_variance = 1e-14;
/// Rates and ratios closer than this are the same.
constexpr double same_rate = 1e-12;
/// Weights that move by less than this stand still.
constexpr double same_weight = 1e-11;
/// Of a sum such as a return, a part of its terms.
constexpr double rounding = 1e-15;
/// Targets may miss the range by this part of it.
constexpr double range_slack = 1e-12;
/// A ceiling may be missed by this part of it: the square root of a variance's rounding.
constexpr double ceiling_slack = 1e-9;

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
    if (!(breach <= 1e-9)) {
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

}  // namespace

namespace {

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

}  // namespace

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

namespace {

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
  return std::abs(left) <= rounding * terms ? 0 : left;
}

std::optional<double> costs_per_year(const Bounds& bounds) {
  if (!bounds.costs || (bounds.costs->buy + bounds.costs->sell).isZero(0)) return std::nullopt;
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

/// Names two assets that are next to the same, as two share classes are: the likely reason where rounding defeats the
/// solver. Empty where there are none.
std::string look_alikes(const Estimate& estimate) {
  constexpr double next_to_one = 1 - 1e-5;
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

}  // namespace

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
    const bool nearly_tied = moved > same_weight && expected_return - above <= rounding * std::abs(above);
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
  corners_.front() = {top.expected_return, top.volatility, std::numeric_limits<double>::infinity(), top.lambda};
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

/// Prices that prove the corner's weights optimal for a lambda at which it stands still.
Eigen::VectorXd Frontier::row_prices_at(std::size_t corner, double lambda) const {
  if (bounds_.ranges_only()) return {};
  const auto& at = corners_[corner];
  if (std::isinf(at.lambda_high)) return prices_low_[corner] + (lambda - at.lambda_low) * price_slope_;
  const double room = at.lambda_high - at.lambda_low;
  const double part = room > 0 ? std::clamp((lambda - at.lambda_low) / room, 0.0, 1.0) : 0.0;
  return (1 - part) * prices_low_[corner] + part * prices_high_[corner];
}

Eigen::VectorXd Frontier::weights(std::size_t corner) const {
  whole_within(std::int64_t(corner), 0, int(corners_.size()) - 1, "corner");
  Eigen::VectorXd weights = top_;
  for (std::size_t k = 0; k < changes_end_[corner]; ++k) weights[changes_[k].asset] = changes_[k].weight;
  return weights;
}

RiskReturn Frontier::risk_and_return(std::size_t corner, double risk_free) const {
  whole_within(std::int64_t(corner), 0, int(corners_.size()) - 1, "corner");
  const auto& [of_weights, volatility, high, low] = corners_[corner];
  const double whole = whole_return(of_weights, bounds_.budget, risk_free);
  return {whole, volatility, volatility > 0 ? (of_weights - bounds_.budget * risk_free) / volatility : 0};
}

std::vector<RiskReturn> Frontier::line(double risk_free, int between) const {
  whole_within(between, 0, 10'000, "points between corners");
  auto at_rate = estimate_;
  at_rate.risk_free = risk_free;
  std::vector<RiskReturn> points;
  for (std::size_t k = 0; k < corners_.size(); ++k) {
    points.push_back(risk_and_return(k, risk_free));
    if (k + 1 == corners_.size()) break;
    const Eigen::VectorXd from = weights(k), change = weights(k + 1) - from;
    for (int part = 1; part <= between; ++part) {
      const auto inner = inchtide::risk_and_return(at_rate, from + double(part) / (between + 1) * change);
      points.push_back(inner.front());
    }
  }
  return points;
}

Portfolio Frontier::certified(Eigen::VectorXd weights, double lambda, const Eigen::VectorXd& row_prices) const {
  Portfolio portfolio;
  portfolio.lambda = lambda;
  portfolio.certificate =
      certify(estimate_.covariance, estimate_.expected_return, bounds_, weights, lambda, row_prices);
  portfolio.row_prices = row_prices;
  if (!portfolio.certificate.holds()) {  // rounding has gathered on the path
    if (auto better = polished(estimate_.covariance, estimate_.expected_return, bounds_, weights, lambda, row_prices)) {
      const auto certificate = certify(estimate_.covariance, estimate_.expected_return, bounds_, better->weights,
                                       lambda, better->row_prices);
      if (certificate.worst() < portfolio.certificate.worst()) {
        portfolio.certificate = certificate;
        weights = std::move(better->weights);
        if (!bounds_.ranges_only()) portfolio.row_prices = std::move(better->row_prices);
      }
    }
  }
  portfolio.expected_return = return_of(estimate_.expected_return, bounds_, weights);
  portfolio.volatility = std::sqrt(estimate_.covariance.portfolio_variance(weights));
  if (!portfolio.certificate.holds()) {
    throw UnsolvedProblem(
        fmt::format("The portfolio at lambda {} misses its optimality conditions by {:.1e} (limits {:.1e}, "
                    "stationarity {:.1e}, complementarity {:.1e})",
                    lambda, portfolio.certificate.worst(), portfolio.certificate.limit_violation,
                    portfolio.certificate.stationarity, portfolio.certificate.complementarity) +
            look_alikes(estimate_),
        {estimate_, bounds_, lambda});
  }
  portfolio.weights = std::move(weights);
  return portfolio;
}

Portfolio Frontier::corner(std::size_t corner) const {
  whole_within(std::int64_t(corner), 0, int(corners_.size()) - 1, "corner");
  const double lambda = corners_[corner].lambda_low;
  return certified(weights(corner), lambda, row_prices_at(corner, lambda));
}

Portfolio Frontier::minimum_variance() const {
  if (ends_at_costs_) {
    throw InputError(
        "minimum-variance",
        fmt::format("after costs the frontier ends at a volatility of {}: below it the variance would only "
                    "fall by paying costs for their own sake",
                    percent_text(corners_.back().volatility, 4)),
        "Choose it before costs");
  }
  return corner(corners_.size() - 1);
}

/// The portfolio `part` of the way from corner `upper` to the next one.
Portfolio Frontier::between(std::size_t upper, double part) const {
  if (part <= 0 || upper + 1 == corners_.size()) return corner(upper);
  if (part >= 1) return corner(upper + 1);
  const double high = corners_[upper].lambda_low, low = corners_[upper + 1].lambda_high;
  Eigen::VectorXd prices;
  if (!bounds_.ranges_only()) prices = (1 - part) * prices_low_[upper] + part * prices_high_[upper + 1];
  return certified((1 - part) * weights(upper) + part * weights(upper + 1), (1 - part) * high + part * low, prices);
}

/// Return e0 + e1 t and variance v0 + 2 v1 t + v2 t^2 at part t of the way from one corner down to the next.
struct Frontier::Curve {
  double e0, e1, v0, v1, v2;
};

Frontier::Curve Frontier::curve_below(std::size_t upper) const {
  const Eigen::VectorXd from = weights(upper), change = weights(upper + 1) - from;
  const Eigen::VectorXd risk = estimate_.covariance.product(change);
  const double at = return_of(estimate_.expected_return, bounds_, from);
  return {at, return_of(estimate_.expected_return, bounds_, weights(upper + 1)) - at,
          estimate_.covariance.portfolio_variance(from), from.dot(risk), std::max(0.0, change.dot(risk))};
}

std::string Frontier::range_in_words(double least, double most) const {
  return fmt::format("The range is {} ({}) to {} (highest return)", percent_text(least, 4),
                     ends_at_costs_ ? "where the frontier ends after costs" : "minimum variance",
                     percent_text(most, 4));
}

Portfolio Frontier::at_return(double expected_return) const {
  const double most = corners_.front().expected_return, least = corners_.back().expected_return;
  const double slack = range_slack * std::max({std::abs(most), std::abs(least), 1e-300});
  if (!(expected_return >= least - slack && expected_return <= most + slack)) {
    throw InputError(fmt::format("target-return={}", short_percent(expected_return)),
                     "no efficient portfolio within the limits has this expected return", range_in_words(least, most));
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
                     "no efficient portfolio within the limits has this volatility", range_in_words(least, most));
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

Portfolio Frontier::at_lambda(double lambda) const {
  if (!(lambda >= 0) || std::isinf(lambda)) {
    throw InputError("lambda", fmt::format("{} is no figure from 0 on", lambda), "Give 0 or more");
  }
  if (ends_at_costs_ && lambda < corners_.back().lambda_low) {
    throw InputError(fmt::format("lambda {:.4g}, a risk aversion of {:.4g}", lambda, 1 / lambda),
                     fmt::format("after costs the frontier ends at a risk aversion of {:.4g}: beyond it the variance "
                                 "would only fall by paying costs for their own sake",
                                 1 / corners_.back().lambda_low),
                     "Aim for less aversion, spread the costs over more years, or choose before costs");
  }
  std::size_t k = 0;
  while (k + 1 < corners_.size() && lambda < corners_[k + 1].lambda_high) ++k;
  const auto& at = corners_[k];
  if (k == 0 && at_ceiling_ && lambda > at.lambda_low) return corner(0);
  if (lambda >= at.lambda_low || k + 1 == corners_.size()) {
    return certified(weights(k), lambda, row_prices_at(k, lambda));
  }
  const double low = corners_[k + 1].lambda_high;
  return between(k, (at.lambda_low - lambda) / (at.lambda_low - low));
}

/// What the budget leaves earns the risk-free rate, and what it exceeds pays it: of the weights' return, this much is
/// no more than the rate. (After costs the sum of weights is not the budget: see `in_excess_of`.)
double Frontier::riskless_part(double risk_free) const {
  return bounds_.budget * risk_free;
}

/// After costs the sum of weights varies, and the rate is charged on it: the frontier of returns less the rate.
Frontier Frontier::in_excess_of(double risk_free) const {
  auto excess = estimate_;
  excess.expected_return.array() -= risk_free;
  return trace_frontier(excess, bounds_);
}

std::optional<std::string> Frontier::why_no_maximum_sharpe(double risk_free) const {
  finite(risk_free, "risk-free rate");
  if (bounds_.costs && risk_free != 0) return in_excess_of(risk_free).why_no_ratio(0, risk_free);
  return why_no_ratio(riskless_part(risk_free), risk_free);
}

/// @param riskless the part of the return that is no more than the rate
std::optional<std::string> Frontier::why_no_ratio(double riskless, double risk_free) const {
  const auto &top = corners_.front(), &least = corners_.back();
  const double beside = risk_free - riskless;  // what the returns leave out
  if (top.expected_return <= riskless) {
    return fmt::format(
        "no portfolio within the limits beats the risk-free rate of {}: the highest expected return is {}",
        short_percent(risk_free), percent_text(top.expected_return + beside));
  }
  const double largest = estimate_.covariance.variances().maxCoeff();
  if (least.volatility * least.volatility <= no_variance * largest && least.expected_return > riskless + same_rate) {
    return fmt::format(
        "a portfolio without variance has an expected return of {}, above the risk-free rate of {}, so "
        "the ratio has no end",
        percent_text(least.expected_return + beside), short_percent(risk_free));
  }
  return std::nullopt;
}

MaximumSharpe Frontier::maximum_sharpe(double risk_free) const {
  if (bounds_.costs && risk_free != 0) {
    auto best = in_excess_of(risk_free).maximum_sharpe(0);
    best.portfolio.expected_return = return_of(estimate_.expected_return, bounds_, best.portfolio.weights);
    return best;
  }
  if (const auto reason = why_no_maximum_sharpe(risk_free)) {
    throw InputError("maximum-sharpe", *reason,
                     {{Means::risk_free, "Change the risk-free rate"}, {Means::assets, "the assets"}});
  }
  const double riskless = riskless_part(risk_free);
  // Going down the frontier raises the ratio as long as lambda (E - rf) > variance.
  const auto falls_help = [&](const Corner& corner, double lambda) {
    return lambda * (corner.expected_return - riskless) > (1 + same_rate) * corner.volatility * corner.volatility;
  };
  MaximumSharpe best;
  std::size_t k = 0;
  double part = 0;
  for (; falls_help(corners_[k], corners_[k].lambda_low) && k + 1 < corners_.size(); ++k) {
    if (falls_help(corners_[k + 1], corners_[k + 1].lambda_high)) continue;
    const auto c = curve_below(k);
    const double excess = c.e0 - riskless;
    const double turn = c.e1 * c.v1 - excess * c.v2, terms = std::abs(c.e1 * c.v1) + std::abs(excess * c.v2);
    if (std::abs(turn) > 1e-14 * terms) part = (excess * c.v1 - c.e1 * c.v0) / turn;  // else it is the same all along
    break;
  }
  part = std::clamp(part, 0.0, 1.0);
  Eigen::VectorXd chosen = weights(k);
  if (part > 0) chosen = (1 - part) * chosen + part * weights(k + 1);
  // At the highest ratio the frontier touches the line from the risk-free rate: its slope gives lambda.
  const double variance = estimate_.covariance.portfolio_variance(chosen);
  const double excess = return_of(estimate_.expected_return, bounds_, chosen) - riskless;
  const bool stopped = at_ceiling_ && k == 0 && part <= 0;  // the ceiling's price is not in the system of the weights
  const double lambda = stopped ? corners_.front().lambda_low : variance / excess;
  Eigen::VectorXd prices = row_prices_at(k, lambda);
  if (part > 0 && !bounds_.ranges_only()) prices = (1 - part) * prices_low_[k] + part * prices_high_[k + 1];
  best.portfolio = certified(std::move(chosen), lambda, prices);
  best.sharpe = (best.portfolio.expected_return - riskless) / best.portfolio.volatility;
  best.at_top = k == 0 && part <= 0;
  return best;
}

}  // namespace inchtide

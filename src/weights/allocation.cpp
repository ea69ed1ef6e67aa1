#include "inchtide/weights/allocation.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>

#include "frontier/ceilings.hpp"
#include "frontier/portfolio.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/base/range.hpp"
#include "weights/binding.hpp"
#include "weights/positions.hpp"
#include "weights/solution.hpp"
#include "weights/tolerances.hpp"

namespace inchtide {
namespace {

/// @param pays what trading costs has been taken off the budget
Allocation describe(const Estimate& estimate, const Eigen::VectorXd& weights, double risk_free, const LimitFacts& facts,
                    bool pays = false) {
  Allocation allocation;
  allocation.assets = estimate.assets;
  allocation.weights = weights;
  if (facts.benchmark) allocation.tracking_error = facts.benchmark->tracking_error(estimate.covariance, weights);
  if (facts.current.size() == weights.size()) allocation.turnover = turnover_between(facts.current, weights);
  if (facts.costs) allocation.trading_cost = facts.costs->of(weights);
  const double paid = pays ? allocation.trading_cost.value_or(0) : 0;  // no cash any more
  const double plain = estimate.expected_return.dot(weights), invested = weights.sum();
  allocation.expected_return = whole_return(plain, invested + paid, risk_free);
  allocation.volatility = std::sqrt(estimate.covariance.portfolio_variance(weights));
  allocation.average_volatility = estimate.volatilities().dot(weights.cwiseAbs());
  if (facts.costs) allocation.net_return = allocation.expected_return - *allocation.trading_cost / facts.costs->years;
  if (allocation.volatility > 0) {
    allocation.risk_shares =
        weights.cwiseProduct(estimate.covariance.product(weights)) / estimate.covariance.portfolio_variance(weights);
    const double excess = plain - invested * risk_free;
    allocation.sharpe = excess / allocation.volatility;
    if (facts.costs) {
      allocation.net_sharpe = (excess - *allocation.trading_cost / facts.costs->years) / allocation.volatility;
    }
  } else {
    allocation.notes.push_back("It has no volatility, so no Sharpe ratio");
  }
  if (const double left = 1 - invested - paid; std::abs(left) > same_budget) {
    allocation.notes.push_back(fmt::format("{} {}, at the risk-free rate of {}, and counted in the expected return",
                                           percent_text(std::abs(left)), left > 0 ? "is left in cash" : "is borrowed",
                                           short_percent(risk_free)));
  }
  return allocation;
}

/// @param stand_in the estimate that the solution is of: returns may be less the risk-free rate
Allocation optimal(const Estimate& estimate, const Estimate& stand_in, const Bounds& bounds, const Aim& aim,
                   Solution solution, double risk_free, const LimitFacts& facts) {
  find_sides(stand_in, bounds, aim, solution);
  auto allocation = describe(estimate, solution.portfolio.weights, risk_free, facts, bounds.costs.has_value());
  allocation.certificate = solution.portfolio.certificate;
  // What the returns of the solution are less than those of the estimate is the rate, or nothing.
  const double less = estimate.expected_return[0] - stand_in.expected_return[0];
  allocation.binding = binding_limits(bounds, aim, solution, risk_free - less);
  allocation.left_out = assets_left_out(stand_in, bounds, solution);
  for (auto& out : allocation.left_out) {
    out.expected_return += less;
    if (out.would_need) *out.would_need += less;
  }
  return allocation;
}

/// A point of the capital market line: the maximum-Sharpe portfolio scaled, the rest in (or from) the riskless asset.
Allocation blended(const Frontier& frontier, const Aim& aim, double risk_free, const ChoiceOptions& options) {
  const auto best = choose(frontier, {Aim::Kind::maximum_sharpe, 0}, risk_free, options);
  const double excess = best.sharpe * best.volatility;
  const double part =
      aim.kind == Aim::Kind::blend_volatility ? aim.target / best.volatility : (aim.target - risk_free) / excess;
  if (!(part >= 0)) {
    throw InputError(aim.text(),
                     aim.kind == Aim::Kind::blend_return
                         ? fmt::format("the riskless asset alone returns {}", short_percent(risk_free))
                         : std::string("no volatility is negative"),
                     "Aim higher");
  }
  const double invested = part * best.weights.sum();
  if (invested > 1 + same_own_budget && !options.borrowing) {
    throw InputError(aim.text(),
                     fmt::format("it takes {} of wealth in the maximum-Sharpe portfolio, so {} borrowed",
                                 percent_text(invested), percent_text(invested - 1)),
                     {{Means::borrowing, "Allow borrowing at the risk-free rate"}, {Means::aim, "aim lower"}});
  }
  auto allocation = describe(frontier.estimate(), part * best.weights, risk_free, frontier.facts());
  allocation.certificate = best.certificate;
  if (frontier.bounds().holdings || frontier.bounds().held) {
    allocation.notes.insert(allocation.notes.end(), best.notes.begin(), best.notes.end());
  }
  return allocation;
}

/// The limit on the number of positions binds where as many are held; and how sure the choice is.
void explain_positions(Allocation& allocation, const Bounds& bounds, const PositionsAnswer& answer) {
  const auto held = held_count(allocation.weights);
  const auto& most = bounds.holdings;
  if (most && most->limit >= 0 && double(held) >= most->value) {
    const auto& limit = bounds.limits[std::size_t(most->limit)];
    allocation.binding.push_back({limit.name, limit.text});
  }
  allocation.notes.push_back(answer.proof);
  allocation.proven = answer.found.proven;
}

Allocation of_few(const Frontier& frontier, const Aim& aim, double risk_free, const ChoiceOptions& options) {
  const auto& facts = frontier.facts();
  const auto answer = positions_for(frontier, aim, risk_free, facts, options);
  std::vector<std::string> notes;
  const auto solution = solution_with(frontier, answer.found, aim, risk_free, facts, notes);
  const auto choice = bounds_of_choice(frontier.bounds(), answer.found.chosen);
  auto allocation = optimal(frontier.estimate(), frontier.estimate(), choice, aim, solution, risk_free, facts);
  explain_positions(allocation, frontier.bounds(), answer);
  allocation.notes.insert(allocation.notes.end(), notes.begin(), notes.end());
  return allocation;
}

/// The highest ratio of the holdings' average volatility to the portfolio's (Choueifaty & Coignard 2008, J. Portfolio
/// Management 35(1)): the maximum-Sharpe portfolio with volatilities in the place of returns and no risk-free rate.
Allocation most_diversified(const Frontier& frontier, const Aim& aim, double risk_free, const ChoiceOptions& options) {
  const auto& facts = frontier.facts();
  auto stand_in = frontier.estimate();
  stand_in.expected_return = stand_in.volatilities();
  auto ratios = trace_frontier(stand_in, frontier.bounds());
  if (const auto reason = ratios.why_no_maximum_sharpe(0)) {
    throw InputError(aim.text(), "a portfolio within the limits has no volatility, so the ratio has no end",
                     "Leave riskless assets out");
  }
  std::optional<PositionsAnswer> positions;
  if (frontier.bounds().holdings || frontier.bounds().held) {
    positions = positions_for(ratios, {Aim::Kind::maximum_sharpe, 0}, 0, facts, options);
    ratios = trace_frontier(stand_in, bounds_of_choice(frontier.bounds(), positions->found.chosen));
  }
  const auto best = ratios.maximum_sharpe(0);
  auto allocation = describe(frontier.estimate(), best.portfolio.weights, risk_free, facts);
  allocation.certificate = best.portfolio.certificate;
  auto solution = solution_of(ratios, best.portfolio);
  solution.at_ceiling = best.at_top && ratios.at_ceiling();
  find_sides(stand_in, ratios.bounds(), aim, solution);
  allocation.binding = binding_limits(ratios.bounds(), aim, solution, 0);
  if (positions) explain_positions(allocation, frontier.bounds(), *positions);
  allocation.notes.push_back(fmt::format("Average volatility over its own: {:.3f}", best.sharpe));
  return allocation;
}

/// The least tracking error. Its prices are in its own variance / 2.
Allocation nearest_to_benchmark(const Frontier& frontier, const Aim& aim, double risk_free,
                                const ChoiceOptions& options) {
  const auto& facts = frontier.facts();
  auto bounds = frontier.bounds();
  std::optional<PositionsAnswer> positions;
  if (bounds.holdings || bounds.held) {
    positions = positions_for(frontier, aim, risk_free, facts, options);
    bounds = bounds_of_choice(bounds, positions->found.chosen);
  }
  const auto least = least_tracking_error(frontier.estimate(), bounds, known_benchmark(facts.benchmark, aim.text()));
  auto allocation = describe(frontier.estimate(), least.portfolio.weights, risk_free, facts);
  allocation.certificate = least.portfolio.certificate;
  auto solution = solution_of(least, bounds);
  if (least.volatility_price > 0) solution.ceiling = {bounds.volatility->limit, least.volatility_price};
  solution.portfolio.volatility = least.tracking_error;  // what it minimises
  allocation.binding = binding_limits(bounds, Aim{Aim::Kind::minimum_variance, 0}, solution, risk_free);
  if (positions) explain_positions(allocation, frontier.bounds(), *positions);
  return allocation;
}

/// Weights that look neither at returns nor at limits.
std::optional<Eigen::VectorXd> plain_weights(const Estimate& estimate, Aim::Kind kind) {
  const auto n = estimate.size();
  switch (kind) {
    case Aim::Kind::equal: return Eigen::VectorXd::Constant(n, 1.0 / double(n));
    case Aim::Kind::inverse_volatility: return inverse_volatility_weights(estimate);
    case Aim::Kind::equal_risk_contribution: return equal_risk_weights(estimate);
    default: return std::nullopt;
  }
}

}  // namespace

double Allocation::effective_holdings() const {
  const double all = weights.cwiseAbs().sum();
  return all > 0 ? all * all / weights.squaredNorm() : 0;
}

std::vector<std::size_t> Allocation::largest(std::size_t count) const {
  std::vector<std::size_t> order;
  for (std::size_t i = 0; i < assets.size(); ++i) {
    if (is_held(weights[Eigen::Index(i)])) order.push_back(i);
  }
  const auto rank = [&](std::size_t i) { return -std::round(1e9 * weights[Eigen::Index(i)]); };
  std::ranges::stable_sort(order, {}, rank);
  order.resize(std::min(order.size(), count));
  return order;
}

Allocation choose(const Frontier& frontier, const Aim& aim, double risk_free, const ChoiceOptions& options) {
  aim.check();
  finite(risk_free, "risk-free rate");
  within(options.gap, 0, 1, "gap");
  const auto& facts = frontier.facts();
  if (const auto weights = plain_weights(frontier.estimate(), aim.kind)) {
    auto allocation = describe(frontier.estimate(), *weights, risk_free, facts);
    allocation.violations =
        violations_of(frontier.bounds(), allocation.assets, allocation.weights, facts, &frontier.estimate().covariance);
    allocation.name = aim.text();
    allocation.aim = aim;
    return allocation;
  }
  if (aim.kind == Aim::Kind::blend_volatility || aim.kind == Aim::Kind::blend_return) {
    auto blend = blended(frontier, aim, risk_free, options);
    blend.name = aim.text();
    blend.aim = aim;
    return blend;
  }
  const auto& bounds = frontier.bounds();
  std::vector<std::string> notes;
  auto allocation = [&] {
    if (aim.kind == Aim::Kind::maximum_diversification) {
      return most_diversified(frontier, aim, risk_free, options);
    }
    if (aim.kind == Aim::Kind::minimum_tracking_error) {
      return nearest_to_benchmark(frontier, aim, risk_free, options);
    }
    if (bounds.holdings || bounds.held) return of_few(frontier, aim, risk_free, options);
    const auto& estimate = frontier.estimate();
    if (bounds.costs && aim.kind == Aim::Kind::maximum_sharpe) {  // the rate is charged on what the weights sum to
      auto excess = estimate;
      excess.expected_return.array() -= risk_free;
      const auto solution = solve(trace_frontier(excess, bounds), aim, 0, facts.benchmark, notes);
      return optimal(estimate, excess, bounds, aim, solution, risk_free, facts);
    }
    const auto solution = solve(frontier, aim, risk_free, facts.benchmark, notes);
    return optimal(estimate, estimate, bounds, aim, solution, risk_free, facts);
  }();
  allocation.notes.insert(allocation.notes.end(), notes.begin(), notes.end());
  // A ceiling that the aim does not look at may be broken: it is said.
  allocation.violations =
      violations_of(bounds, allocation.assets, allocation.weights, facts, &frontier.estimate().covariance, violated);
  allocation.name = aim.text();
  allocation.aim = aim;
  return allocation;
}

Allocation evaluate(const Estimate& estimate, const Limits& limits, const Eigen::VectorXd& weights,
                    const std::string& name, double risk_free, const LimitFacts& facts) {
  estimate.check_for_weights();
  finite(risk_free, "risk-free rate");
  if (weights.size() != estimate.size()) {
    throw InputError(name, fmt::format("{} weights for {} assets", weights.size(), estimate.size()),
                     "Give one weight an asset");
  }
  for (Eigen::Index i = 0; i < weights.size(); ++i) {
    if (!std::isfinite(weights[i])) {
      throw InputError(Where::of_asset(estimate.assets[std::size_t(i)]), "its weight is not a finite number",
                       "Give a figure");
    }
  }
  auto allocation = describe(estimate, weights, risk_free, facts);
  allocation.name = name;
  allocation.violations = violations_of(limits, estimate.assets, weights, facts, &estimate.covariance);
  return allocation;
}

}  // namespace inchtide

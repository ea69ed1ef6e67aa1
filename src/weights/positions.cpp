#include "weights/positions.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/percent.hpp"

namespace inchtide {
namespace {

/// The highest return of these positions at no more than a volatility that they can have.
Portfolio highest_return_below(const Estimate& estimate, const Bounds& choice, double volatility,
                               const LimitFacts& facts) {
  if (!choice.tracking_error) {
    const auto own = trace_frontier(estimate, choice);
    const auto& corners = own.corners();
    return own.at_volatility(std::clamp(volatility, corners.back().volatility, corners.front().volatility));
  }
  const TrackedFrontier own(estimate, choice, facts.benchmark.value());
  const auto top = own.at_return(own.most_return()).portfolio, least = own.minimum_variance().portfolio;
  return top.volatility <= volatility ? top : own.at_volatility(std::max(volatility, least.volatility)).portfolio;
}

/// The highest return of few positions at no more than a volatility: from one choice of positions, at its own best, to
/// the least variance of any choice with a little more return, until that exceeds the volatility.
HoldingsAnswer search_below(const Frontier& frontier, const Aim& aim, HoldingsOptions search, const LimitFacts& facts) {
  const auto& estimate = frontier.estimate();
  const auto& bounds = frontier.bounds();
  const double volatility = aim.target;
  auto answer = choose_holdings(estimate, bounds, search);
  std::size_t branches = answer.branches;
  if (!(answer.portfolio.volatility <= volatility * (1 + 1e-9))) {
    throw InputError(aim.text(),
                     fmt::format("no choice of positions that was found has so little volatility: the least has {}",
                                 percent_text(answer.portfolio.volatility, 4)),
                     "Aim higher, or allow more or smaller positions");
  }
  for (;;) {
    answer.portfolio = highest_return_below(estimate, bounds_of_choice(bounds, answer.chosen), volatility, facts);
    search.least_return = answer.portfolio.expected_return + same_return;
    HoldingsAnswer next;
    try {
      next = choose_holdings(estimate, bounds, search);
    } catch (const InfeasibleLimits&) {  // no choice returns more
      answer.proven = true;
      break;
    } catch (const UncertifiedAnswer&) {  // stopped before it found one
      answer.proven = false;
      break;
    }
    branches += next.branches;
    if (!(next.portfolio.volatility <= volatility)) {
      answer.proven = 2 * next.bound > volatility * volatility;
      if (answer.proven || !next.proven || search.gap < 1e-9) break;
      search.gap /= 10;  // too coarse to tell
      continue;
    }
    answer = std::move(next);
  }
  answer.branches = branches;
  return answer;
}

/// The highest ratio of excess return to volatility. It is the least 1/2 w'Sw - lambda m'w at lambda = variance /
/// excess return, found by going from one lambda to the next as long as the ratio rises (Dinkelbach 1967, Management
/// Science 13(7)).
HoldingsAnswer search_ratio(const Frontier& frontier, const Aim& aim, double risk_free, HoldingsOptions search) {
  search.lambda = frontier.maximum_sharpe(risk_free).portfolio.lambda;
  const double riskless = frontier.bounds().budget * risk_free;
  HoldingsAnswer best;
  double highest = 0;
  for (;;) {
    HoldingsAnswer answer;
    try {
      answer = choose_holdings(frontier.estimate(), frontier.bounds(), search);
    } catch (const InfeasibleLimits&) {
      if (!search.least_return) throw;
      throw InputError(aim.text(),
                       fmt::format("no choice of positions beats the risk-free rate of {}", short_percent(risk_free)),
                       "Allow more or smaller positions, or change the risk-free rate (--risk-free)");
    }
    const double excess = answer.portfolio.expected_return - riskless, volatility = answer.portfolio.volatility;
    if (!(excess > 0) && !search.least_return) {  // what has a ratio at all returns more
      search.least_return = riskless + same_return;
      continue;
    }
    if (!(excess > highest * volatility * (1 + 1e-10))) return best;
    highest = excess / volatility;
    search.lambda = volatility * volatility / excess;
    best = std::move(answer);
  }
}

}  // namespace

HoldingsAnswer positions_for(const Frontier& frontier, const Aim& aim, double risk_free, const LimitFacts& facts,
                             const ChoiceOptions& options) {
  HoldingsOptions search;
  search.gap = options.gap;
  search.should_stop = options.should_stop;
  if (frontier.bounds().tracking_error || aim.kind == Aim::Kind::minimum_tracking_error) {
    search.benchmark = known_benchmark(facts.benchmark, aim);
  }
  switch (aim.kind) {
    case Aim::Kind::target_return: search.least_return = aim.target; break;
    case Aim::Kind::target_volatility: return search_below(frontier, aim, search, facts);
    case Aim::Kind::utility: search.lambda = 1 / aim.target; break;
    case Aim::Kind::maximum_sharpe: return search_ratio(frontier, aim, risk_free, search);
    case Aim::Kind::minimum_tracking_error: search.track = true; break;
    default: break;
  }
  return choose_holdings(frontier.estimate(), frontier.bounds(), search);
}

Solution solution_with(const Frontier& frontier, const HoldingsAnswer& answer, const Aim& aim, double risk_free,
                       const LimitFacts& facts, std::vector<std::string>& notes) {
  const auto choice = bounds_of_choice(frontier.bounds(), answer.chosen);
  auto own_aim = aim;
  // Positions that return more than asked for at their least variance, or cannot have so much volatility.
  if (aim.kind == Aim::Kind::target_return && answer.portfolio.expected_return > aim.target + 1e-9) {
    own_aim = {Aim::Kind::minimum_variance, 0};
  }
  if (aim.kind == Aim::Kind::target_volatility) own_aim.target = std::min(aim.target, answer.portfolio.volatility);
  return solve(trace_frontier(frontier.estimate(), choice), own_aim, risk_free, facts.benchmark, notes);
}

}  // namespace inchtide

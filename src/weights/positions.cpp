#include "weights/positions.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <optional>

#include "frontier/ceilings.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/percent.hpp"
#include "weights/ratio_search.hpp"
#include "weights/tolerances.hpp"

namespace inchtide {
namespace {

std::string branches_in_words(std::size_t branches) {
  return fmt::format("({} branch{})", branches, branches == 1 ? "" : "es");
}

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
/// any choice with more return and no more variance, until it is proven that there is none.
class VolatilitySearch {
 public:
  VolatilitySearch(const Frontier& frontier, const Aim& aim, HoldingsOptions search, const LimitFacts& facts)
      : frontier_(frontier), aim_(aim), most_(aim.target * aim.target), search_(std::move(search)), facts_(facts) {}

  PositionsAnswer run() {
    auto least = choose_holdings(frontier_.estimate(), frontier_.bounds(), search_);
    if (!(least.portfolio.volatility <= aim_.target * (1 + ceiling_slack))) {
      throw InputError(aim_.text(),
                       fmt::format("no choice of positions that was found has so little volatility: the least has {}",
                                   percent_text(least.portfolio.volatility, 4)),
                       "Aim higher, or allow more or smaller positions");
    }
    branches_ = least.branches;
    best_ = std::move(least);
    raise_to_its_best(best_);
    bool fine = false;  // a search that tells the last digits apart
    double more = 0;
    do {
      more = more_return();
      const auto next = look_for(best_.portfolio.expected_return + more, fine);
      if (!next) break;
      if (!(next->portfolio.expected_return > best_.portfolio.expected_return * (1 + sum_of_rounding))) {
        if (fine) break;
        fine = true;
        continue;
      }
      best_ = *next;
      fine = false;
    } while (true);
    best_.proven = none_;
    best_.branches = branches_;
    const auto count = branches_in_words(branches_);
    return {best_, best_.proven
                       ? fmt::format("Proven: no other choice of positions has more than {:.5f}% more return {}",
                                     100 * more, count)
                       : "The search was stopped: another choice of positions may have more return " + count};
  }

 private:
  /// What the gap is worth in return, at the price of risk of the best so far.
  double more_return() const {
    const double lambda = best_.portfolio.lambda;
    return std::max(same_return, lambda > 0 ? search_.gap * most_ / (2 * lambda) : 0);
  }

  void raise_to_its_best(HoldingsAnswer& answer) const {
    answer.portfolio = highest_return_below(frontier_.estimate(), bounds_of_choice(frontier_.bounds(), answer.chosen),
                                            aim_.target, facts_);
  }

  /// Positions with at least this return within the volatility, at their own best; `none_` says whether it is proven
  /// that there are none.
  std::optional<HoldingsAnswer> look_for(double least_return, bool fine) {
    auto options = search_;
    options.least_return = least_return;
    options.gap = 0;
    const double room = fine ? fine_gap : search_.gap;
    options.slack = room / 2 * most_ / 2;
    options.better_than = most_ / 2 + options.slack;
    HoldingsAnswer next;
    try {
      next = choose_holdings(frontier_.estimate(), frontier_.bounds(), options);
    } catch (const InfeasibleLimits&) {  // no choice returns so much
      none_ = true;
      return std::nullopt;
    }
    branches_ += next.branches;
    none_ = next.portfolio.weights.size() == 0 && next.bound >= most_ / 2 * (1 - sum_of_rounding);
    if (next.portfolio.weights.size() == 0) return std::nullopt;
    if (next.portfolio.volatility > aim_.target && fine) {
      none_ = next.bound >= most_ / 2 * (1 - sum_of_rounding);
      return std::nullopt;
    }
    raise_to_its_best(next);
    return next;
  }

  const Frontier& frontier_;
  const Aim& aim_;
  double most_;  // variance
  HoldingsOptions search_;
  const LimitFacts& facts_;
  HoldingsAnswer best_;
  bool none_ = false;
  std::size_t branches_ = 0;
};

/// The answer of one search, with its gap in what it minimises.
PositionsAnswer with_proof(HoldingsAnswer found, const Aim& aim) {
  auto proof = fmt::format("{}: no other choice of positions can better it by more than {:.4f}% of its {} {}",
                           found.proven ? "Proven" : "The search was stopped", 100 * found.gap(),
                           aim.kind == Aim::Kind::minimum_tracking_error ? "squared tracking error" : "variance",
                           branches_in_words(found.branches));
  return {std::move(found), std::move(proof)};
}

PositionsAnswer with_proof(RatioAnswer answer) {
  auto proof =
      std::isinf(answer.most)
          ? std::string("The search was stopped: another choice of positions may have a higher ratio")
          : fmt::format("{}: no other choice of positions has a ratio more than {:.4f}% higher",
                        answer.proven ? "Proven" : "The search was stopped", 100 * (answer.most / answer.ratio - 1));
  proof += fmt::format(" ({} searches, {} branches)", answer.searches, answer.found.branches);
  answer.found.proven = answer.proven;
  return {std::move(answer.found), std::move(proof)};
}

}  // namespace

PositionsAnswer positions_for(const Frontier& frontier, const Aim& aim, double risk_free, const LimitFacts& facts,
                              const ChoiceOptions& options) {
  HoldingsOptions search;
  search.gap = options.gap;
  search.should_stop = options.should_stop;
  if (frontier.bounds().tracking_error || aim.kind == Aim::Kind::minimum_tracking_error) {
    search.benchmark = known_benchmark(facts.benchmark, aim.text());
  }
  switch (aim.kind) {
    case Aim::Kind::target_return:
      search.least_return = return_of_weights(aim.target, frontier.bounds(), risk_free);
      break;
    case Aim::Kind::target_volatility: return VolatilitySearch(frontier, aim, search, facts).run();
    case Aim::Kind::utility: search.lambda = 1 / aim.target; break;
    case Aim::Kind::maximum_sharpe: return with_proof(search_ratio(frontier, aim, risk_free, search, facts));
    case Aim::Kind::minimum_tracking_error: search.track = true; break;
    default: break;
  }
  return with_proof(choose_holdings(frontier.estimate(), frontier.bounds(), search), aim);
}

Solution solution_with(const Frontier& frontier, const HoldingsAnswer& answer, const Aim& aim, double risk_free,
                       const LimitFacts& facts, std::vector<std::string>& notes) {
  const auto choice = bounds_of_choice(frontier.bounds(), answer.chosen);
  auto own_aim = aim;
  // Positions that return more than asked for at their least variance, or cannot have so much volatility.
  const bool more = answer.portfolio.expected_return > return_of_weights(aim.target, choice, risk_free) + beyond_target;
  if (aim.kind == Aim::Kind::target_return && more) {
    own_aim = {Aim::Kind::minimum_variance, 0};
  }
  if (aim.kind == Aim::Kind::target_volatility) own_aim.target = std::min(aim.target, answer.portfolio.volatility);
  return solve(trace_frontier(frontier.estimate(), choice), own_aim, risk_free, facts.benchmark, notes);
}

}  // namespace inchtide

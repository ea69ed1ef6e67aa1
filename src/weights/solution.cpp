#include "weights/solution.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "frontier/ceilings.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/percent.hpp"
#include "weights/tolerances.hpp"

namespace inchtide {

double return_of_weights(double whole, const Bounds& bounds, double risk_free) {
  return whole - whole_return(0, bounds.budget, risk_free);
}

Solution solution_of(const Frontier& frontier, Portfolio portfolio) {
  const auto& estimate = frontier.estimate();
  Solution solution;
  solution.prices = bound_prices(estimate.covariance, estimate.expected_return, frontier.bounds(), portfolio.weights,
                                 portfolio.lambda, portfolio.row_prices);
  solution.portfolio = std::move(portfolio);
  return solution;
}

Solution solution_of(TrackedPortfolio tracked, const Bounds& bounds) {
  Solution solution{std::move(tracked.portfolio), std::move(tracked.prices), {}, false};
  if (bounds.tracking_error && bounds.tracking_error->value - tracked.tracking_error <= ceiling_within) {
    solution.ceiling = {bounds.tracking_error->limit, tracked.ceiling_price};
  }
  return solution;
}

namespace {

/// The return asked for is that of the whole; the weights' is without what the budget leaves.
double target_of_weights(const Aim& aim, const Bounds& bounds, double risk_free, double least, const char* lowest,
                         double most) {
  const double target = return_of_weights(aim.target, bounds, risk_free), slack = range_slack * std::abs(most);
  if (target >= least - slack && target <= most + slack) return std::clamp(target, least, most);
  const double beside = aim.target - target;
  throw InputError(aim.text(), "no efficient portfolio within the limits has this expected return",
                   fmt::format("The range is {} ({}) to {} (highest return)", percent_text(least + beside, 4), lowest,
                               percent_text(most + beside, 4)));
}

Solution on_frontier(const Frontier& frontier, const Aim& aim, double risk_free, std::vector<std::string>& notes) {
  switch (aim.kind) {
    case Aim::Kind::target_return: {
      const auto& corners = frontier.corners();
      const char* lowest = frontier.ends_at_costs() ? "where the frontier ends after costs" : "minimum variance";
      return solution_of(frontier, frontier.at_return(target_of_weights(aim, frontier.bounds(), risk_free,
                                                                        corners.back().expected_return, lowest,
                                                                        corners.front().expected_return)));
    }
    case Aim::Kind::target_volatility: return solution_of(frontier, frontier.at_volatility(aim.target));
    case Aim::Kind::maximum_sharpe: {
      const auto best = frontier.maximum_sharpe(risk_free);
      auto solution = solution_of(frontier, best.portfolio);
      solution.at_ceiling = best.at_top && frontier.at_ceiling();
      if (solution.at_ceiling) {
        notes.emplace_back("The ceiling on volatility stops the ratio from rising further");
      } else if (best.at_top) {
        notes.emplace_back("It is the portfolio of highest return: the limits stop the ratio from rising further");
      }
      return solution;
    }
    case Aim::Kind::utility: {
      auto solution = solution_of(frontier, frontier.at_lambda(1 / aim.target));
      solution.at_ceiling = frontier.at_ceiling() && solution.portfolio.lambda < 1 / aim.target;
      return solution;
    }
    default: return solution_of(frontier, frontier.minimum_variance());
  }
}

/// Whether prices are of what the aim gives for return. Where the highest return within a tracking error is best, or a
/// corner, they are of less or more.
bool trades_off(const Portfolio& portfolio, const Aim& aim, double risk_free) {
  const bool ratio = aim.kind == Aim::Kind::maximum_sharpe;
  if (!ratio && aim.kind != Aim::Kind::utility) return true;
  const double variance = portfolio.volatility * portfolio.volatility;
  const double meant = ratio ? variance / (portfolio.expected_return - risk_free) : 1 / aim.target;
  return std::abs(portfolio.lambda - meant) <= same_trade_off * std::abs(meant);
}

/// The same within a ceiling on the tracking error.
Solution tracked(const Frontier& frontier, const Aim& aim, double risk_free, const BenchmarkRisk& benchmark) {
  const auto& bounds = frontier.bounds();
  const TrackedFrontier within(frontier.estimate(), bounds, benchmark);
  const auto chosen = [&] {
    switch (aim.kind) {
      case Aim::Kind::target_return:
        return within.at_return(
            target_of_weights(aim, bounds, risk_free, within.least_return(), "minimum variance", within.most_return()));
      case Aim::Kind::target_volatility: return within.at_volatility(aim.target);
      case Aim::Kind::maximum_sharpe: return within.maximum_sharpe(risk_free);
      case Aim::Kind::utility: return within.at_lambda(1 / aim.target);
      default: return within.minimum_variance();
    }
  }();
  if (!bounds.volatility || chosen.portfolio.volatility <= bounds.volatility->value * (1 + ceiling_slack)) {
    auto solution = solution_of(chosen, bounds);
    solution.priced = trades_off(chosen.portfolio, aim, risk_free);
    return solution;
  }
  if (aim.kind != Aim::Kind::maximum_sharpe && aim.kind != Aim::Kind::utility) {
    throw InputError(aim.text(),
                     fmt::format("within the tracking error it has a volatility of {}, above the ceiling of {}",
                                 percent_text(chosen.portfolio.volatility), short_percent(bounds.volatility->value)),
                     "Loosen one of the two ceilings");
  }
  auto solution = solution_of(within.at_volatility(bounds.volatility->value), bounds);
  solution.at_ceiling = true;
  return solution;
}

}  // namespace

Solution solve(const Frontier& frontier, const Aim& aim, double risk_free,
               const std::optional<BenchmarkRisk>& benchmark, std::vector<std::string>& notes) {
  if (!frontier.bounds().tracking_error) return on_frontier(frontier, aim, risk_free, notes);
  return tracked(frontier, aim, risk_free, known_benchmark(benchmark, aim.text()));
}

}  // namespace inchtide

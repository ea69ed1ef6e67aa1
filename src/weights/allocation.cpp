#include "inchtide/weights/allocation.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/frontier/holdings.hpp"
#include "inchtide/frontier/sided_prices.hpp"
#include "inchtide/frontier/tracked.hpp"

namespace inchtide {
namespace {

constexpr double percentage_point = 0.01;

/// An optimal portfolio and what its limits are worth, in variance / 2 - lambda x return.
struct Solution {
  Portfolio portfolio;
  BoundPrices prices;
  std::optional<std::pair<int, double>> ceiling;  // on volatility or tracking error: which limit, and its price
  bool at_ceiling = false;                        // of volatility: what loosening others brings is return
  bool lambda_is_given = true;                    // by the aim; else any that fits the portfolio will do
  std::optional<SidedPrices> sided{};             // of the aim, where no ceiling is in the way
};

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
  if (bounds.tracking_error && bounds.tracking_error->value - tracked.tracking_error <= 1e-9) {
    solution.ceiling = {bounds.tracking_error->limit, tracked.ceiling_price};
  }
  return solution;
}

/// What the aim gains per unit of such a price.
std::optional<double> gain_per_price(const Aim& aim, const Solution& solution, double risk_free) {
  const auto& portfolio = solution.portfolio;
  const double volatility = portfolio.volatility;
  // At a ceiling on volatility only the return can gain.
  const bool return_only = solution.at_ceiling && portfolio.lambda > 0;
  switch (aim.kind) {
    case Aim::Kind::minimum_variance:
    case Aim::Kind::target_return:
      if (volatility > 0) return 1 / volatility;
      return std::nullopt;
    case Aim::Kind::target_volatility:
      if (portfolio.lambda > 0) return 1 / portfolio.lambda;
      return std::nullopt;
    case Aim::Kind::utility: return return_only ? 1 / portfolio.lambda : aim.target;
    case Aim::Kind::maximum_sharpe:
    case Aim::Kind::maximum_diversification:
      if (volatility > 0 && return_only) return 1 / (portfolio.lambda * volatility);
      if (volatility > 0) return portfolio.sharpe(risk_free) / (volatility * volatility);
      return std::nullopt;
    default: return std::nullopt;
  }
}

/// What the aim gains per unit of a ceiling on volatility that it stands at.
std::optional<double> gain_per_volatility(const Aim& aim, const Portfolio& portfolio, double risk_free) {
  const double volatility = portfolio.volatility;
  if (!(portfolio.lambda > 0) || !(volatility > 0)) return std::nullopt;
  switch (aim.kind) {
    case Aim::Kind::maximum_sharpe: return 1 / portfolio.lambda - portfolio.sharpe(risk_free) / volatility;
    case Aim::Kind::utility: return volatility / portfolio.lambda - aim.target * volatility;
    case Aim::Kind::minimum_variance:
    case Aim::Kind::target_return: return 0;
    default: return std::nullopt;
  }
}

/// The prices of a solution on both sides: of limits, in what the aim gains before its factor.
void find_sides(const Estimate& estimate, const Bounds& bounds, const Aim& aim, Solution& solution) {
  const auto& portfolio = solution.portfolio;
  const bool touches_ceiling = bounds.volatility && std::abs(bounds.volatility->value - portfolio.volatility) <= 1e-9;
  if (solution.ceiling || solution.at_ceiling || touches_ceiling) return;
  auto moves = Moves::objective;
  if (aim.kind == Aim::Kind::target_return) moves = Moves::variance;
  if (aim.kind == Aim::Kind::target_volatility) moves = Moves::mean_return;
  if (moves == Moves::mean_return && !(portfolio.lambda > 0)) return;
  solution.lambda_is_given = moves == Moves::objective;
  solution.sided.emplace(estimate.covariance, estimate.expected_return, bounds, portfolio, moves);
}

/// Assets at a weight of 0 that nothing but their price keeps there. Their price over lambda is the return they lack;
/// the portfolio stays optimal until one of them has it.
std::vector<LeftOut> assets_left_out(const Estimate& estimate, const Bounds& bounds, const Solution& solution) {
  const auto& portfolio = solution.portfolio;
  // With prices that are not unique, the portfolio stays optimal up to the largest of them.
  std::optional<SidedPrices> in_return;
  if (solution.sided && portfolio.lambda > 0) {
    in_return.emplace(estimate.covariance, estimate.expected_return, bounds, portfolio,
                      solution.lambda_is_given ? Moves::objective : Moves::mean_return);
  }
  std::vector<LeftOut> left_out;
  for (Eigen::Index i = 0; i < portfolio.weights.size(); ++i) {
    const bool may_enter = bounds.lower[i] == 0 && bounds.upper[i] > 0;
    if (!may_enter || std::abs(portfolio.weights[i]) > 1e-9) continue;
    LeftOut out{estimate.assets[std::size_t(i)], estimate.expected_return[i], std::nullopt};
    if (portfolio.lambda > 0) {
      double lacks = std::max(0.0, solution.prices.bound[i]) / portfolio.lambda;
      if (const auto most = in_return ? in_return->most_of_lower(i) : std::nullopt) {
        lacks = solution.lambda_is_given ? *most / portfolio.lambda : *most;
      }
      if (std::isfinite(lacks)) out.would_need = out.expected_return + lacks;
    }
    left_out.push_back(std::move(out));
  }
  std::ranges::stable_sort(left_out, {},
                           [](const LeftOut& out) { return out.would_need.value_or(0) - out.expected_return; });
  return left_out;
}

/// Limits that some weight touches, with the prices of their members added up.
std::vector<BindingLimit> binding_limits(const Bounds& bounds, const Limits& limits, const Aim& aim,
                                         const Solution& solution, double risk_free) {
  const auto& weights = solution.portfolio.weights;
  const auto& prices = solution.prices;
  std::map<int, double> price_of;
  for (Eigen::Index i = 0; i < weights.size(); ++i) {
    const auto at = std::size_t(i);
    const double z = prices.bound[i];
    const bool at_lower = weights[i] - bounds.lower[i] <= 1e-9;
    const bool at_upper = bounds.upper[i] - weights[i] <= 1e-9;
    if (at_lower && bounds.lower_limit[at] >= 0) price_of[bounds.lower_limit[at]] += std::max(0.0, z);
    if (at_upper && bounds.upper_limit[at] >= 0) price_of[bounds.upper_limit[at]] += std::max(0.0, -z);
  }
  for (std::size_t r = 0; r < bounds.rows.size(); ++r) {
    const auto& row = bounds.rows[r];
    const double value = row.value(weights), price = prices.row[Eigen::Index(r)];
    const double size = std::max(1.0, row.coefficients.cwiseAbs().maxCoeff());
    const bool touches = value - row.lower <= 1e-9 * size || row.upper - value <= 1e-9 * size;
    if (touches && row.limit >= 0) price_of[row.limit] += std::abs(price);
  }
  if (solution.ceiling) price_of[solution.ceiling->first] += solution.ceiling->second;
  std::vector<BindingLimit> binding;
  const auto gain = gain_per_price(aim, solution, risk_free);
  const auto add = [&](int limit, std::optional<double> per_point, std::optional<double> tightening = {}) {
    if (limit < 0) return;
    binding.push_back({limits[std::size_t(limit)].name, limits[std::size_t(limit)].text, per_point, tightening});
  };
  for (const auto& [limit, price] : price_of) {
    const auto sided = solution.sided && gain ? solution.sided->of(limit) : std::nullopt;
    if (sided) {
      const double per_price = aim.kind == Aim::Kind::target_volatility ? 1 : *gain;
      add(limit, percentage_point * per_price * sided->loosened, percentage_point * per_price * sided->tightened);
    } else {
      add(limit, gain ? std::optional(percentage_point * price * *gain) : std::nullopt);
    }
  }
  if (bounds.volatility && std::abs(bounds.volatility->value - solution.portfolio.volatility) <= 1e-9) {
    const auto per_unit = gain_per_volatility(aim, solution.portfolio, risk_free);
    add(bounds.volatility->limit, per_unit ? std::optional(percentage_point * *per_unit) : std::nullopt);
  }
  return binding;
}

Allocation describe(const Estimate& estimate, const Eigen::VectorXd& weights, double risk_free,
                    const LimitFacts& facts) {
  Allocation allocation;
  allocation.assets = estimate.assets;
  allocation.weights = weights;
  allocation.expected_return = estimate.expected_return.dot(weights);
  allocation.volatility = std::sqrt(estimate.covariance.portfolio_variance(weights));
  allocation.average_volatility = estimate.volatilities().dot(weights.cwiseAbs());
  if (allocation.volatility > 0) {
    allocation.risk_shares =
        weights.cwiseProduct(estimate.covariance.product(weights)) / estimate.covariance.portfolio_variance(weights);
  }
  // What the budget leaves earns the risk-free rate, what it exceeds pays it.
  const double excess = allocation.expected_return - weights.sum() * risk_free;
  if (allocation.volatility > 0) {
    allocation.sharpe = excess / allocation.volatility;
  } else {
    allocation.notes.push_back("It has no volatility, so no Sharpe ratio");
  }
  if (facts.benchmark) allocation.tracking_error = facts.benchmark->tracking_error(estimate.covariance, weights);
  if (facts.current.size() == weights.size()) {
    const double cash = std::abs(weights.sum() - facts.current.sum());
    allocation.turnover = ((weights - facts.current).cwiseAbs().sum() + cash) / 2;
  }
  if (facts.costs) allocation.trading_cost = facts.costs->of(weights);
  // What leaves with trading costs is no cash.
  double left = 1 - weights.sum();
  if (allocation.trading_cost && std::abs(left - *allocation.trading_cost) <= 1e-9) left = 0;
  if (std::abs(left) > 1e-9) {
    allocation.notes.push_back(
        fmt::format("{} {}: with it at the risk-free rate of {} the whole is expected to return {}",
                    percent_text(std::abs(left)), left > 0 ? "is left in cash" : "is borrowed",
                    short_percent(risk_free), percent_text(allocation.expected_return + left * risk_free)));
  }
  return allocation;
}

Allocation optimal(const Estimate& estimate, const Bounds& bounds, const Limits& limits, const Aim& aim,
                   Solution solution, double risk_free, const LimitFacts& facts) {
  find_sides(estimate, bounds, aim, solution);
  auto allocation = describe(estimate, solution.portfolio.weights, risk_free, facts);
  allocation.certificate = solution.portfolio.certificate;
  allocation.binding = binding_limits(bounds, limits, aim, solution, risk_free);
  allocation.left_out = assets_left_out(estimate, bounds, solution);
  return allocation;
}

Solution on_frontier(const Frontier& frontier, const Aim& aim, double risk_free, std::vector<std::string>& notes) {
  switch (aim.kind) {
    case Aim::Kind::target_return: return solution_of(frontier, frontier.at_return(aim.target));
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

/// The same within a ceiling on the tracking error.
Solution tracked(const Frontier& frontier, const Aim& aim, double risk_free, const BenchmarkRisk& benchmark) {
  const auto& bounds = frontier.bounds();
  const TrackedFrontier within(frontier.estimate(), bounds, benchmark);
  const auto chosen = [&] {
    switch (aim.kind) {
      case Aim::Kind::target_return: return within.at_return(aim.target);
      case Aim::Kind::target_volatility: return within.at_volatility(aim.target);
      case Aim::Kind::maximum_sharpe: return within.maximum_sharpe(risk_free);
      case Aim::Kind::utility: return within.at_lambda(1 / aim.target);
      default: return within.minimum_variance();
    }
  }();
  if (!bounds.volatility || chosen.portfolio.volatility <= bounds.volatility->value * (1 + 1e-9)) {
    return solution_of(chosen, bounds);
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

/// A point of the capital market line: the maximum-Sharpe portfolio scaled, the rest in (or from) the riskless asset.
Allocation blended(const Frontier& frontier, const Aim& aim, double risk_free, const LimitFacts& facts,
                   const ChoiceOptions& options) {
  const auto best = frontier.maximum_sharpe(risk_free).portfolio;
  const double excess = best.expected_return - frontier.bounds().budget * risk_free;
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
  if (invested > 1 + 1e-12 && !options.borrowing) {
    throw InputError(aim.text(),
                     fmt::format("it takes {} of wealth in the maximum-Sharpe portfolio, so {} borrowed",
                                 percent_text(invested), percent_text(invested - 1)),
                     "Allow borrowing at the risk-free rate (--borrowing), or aim lower");
  }
  auto allocation = describe(frontier.estimate(), part * best.weights, risk_free, facts);
  allocation.certificate = best.certificate;
  return allocation;
}

/// A return this much higher is no better.
constexpr double same_return = 1e-7;

/// The highest return of few positions at no more than a volatility: from one choice of positions, at its own best, to
/// the least variance of any choice with a little more return, until that exceeds the volatility.
HoldingsAnswer search_below(const Frontier& frontier, const Aim& aim, HoldingsOptions search) {
  const auto& estimate = frontier.estimate();
  const double volatility = aim.target;
  auto answer = choose_holdings(estimate, frontier.bounds(), search);
  std::size_t branches = answer.branches;
  if (!(answer.portfolio.volatility <= volatility * (1 + 1e-9))) {
    throw InputError(aim.text(),
                     fmt::format("no choice of positions that was found has so little volatility: the least has {}",
                                 percent_text(answer.portfolio.volatility, 4)),
                     "Aim higher, or allow more or smaller positions");
  }
  for (;;) {
    // The best that these positions can do.
    const auto own = trace_frontier(estimate, answer.chosen);
    const auto& corners = own.corners();
    answer.portfolio = own.at_volatility(std::clamp(volatility, corners.back().volatility, corners.front().volatility));
    search.least_return = answer.portfolio.expected_return + same_return;
    HoldingsAnswer next;
    try {
      next = choose_holdings(estimate, frontier.bounds(), search);
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

/// The best of few positions for an aim. The ratio's is the least 1/2 w'Sw - lambda m'w at lambda = variance / excess
/// return, found by going from one lambda to the next (Dinkelbach 1967, Management Science 13(7)).
HoldingsAnswer search_for(const Frontier& frontier, const Aim& aim, double risk_free, const ChoiceOptions& options) {
  const auto& estimate = frontier.estimate();
  HoldingsOptions search{0, {}, options.gap, options.should_stop};
  switch (aim.kind) {
    case Aim::Kind::target_return: search.least_return = aim.target; break;
    case Aim::Kind::target_volatility: return search_below(frontier, aim, search);
    case Aim::Kind::utility: search.lambda = 1 / aim.target; break;
    case Aim::Kind::maximum_sharpe: {
      search.lambda = frontier.maximum_sharpe(risk_free).portfolio.lambda;
      const double riskless = frontier.bounds().budget * risk_free;
      HoldingsAnswer answer;
      for (int round = 0; round < 20; ++round) {
        answer = choose_holdings(estimate, frontier.bounds(), search);
        const auto& p = answer.portfolio;
        if (!(p.expected_return > riskless)) break;
        const double lambda = p.volatility * p.volatility / (p.expected_return - riskless);
        if (std::abs(lambda - search.lambda) <= 1e-9 * lambda) break;
        search.lambda = lambda;
      }
      return answer;
    }
    default: break;
  }
  return choose_holdings(estimate, frontier.bounds(), search);
}

Allocation of_few(const Frontier& frontier, const Limits& limits, const Aim& aim, double risk_free,
                  const LimitFacts& facts, const ChoiceOptions& options) {
  const auto& estimate = frontier.estimate();
  const auto answer = search_for(frontier, aim, risk_free, options);
  Solution solution;
  solution.prices = bound_prices(estimate.covariance, estimate.expected_return, answer.chosen, answer.portfolio.weights,
                                 answer.portfolio.lambda, answer.portfolio.row_prices);
  solution.portfolio = answer.portfolio;
  auto allocation = optimal(estimate, answer.chosen, limits, aim, solution, risk_free, facts);
  const auto held = (allocation.weights.array().abs() > 1e-9).count();
  const auto& most = frontier.bounds().holdings;
  if (most && most->limit >= 0 && double(held) >= most->value) {
    const auto& limit = limits[std::size_t(most->limit)];
    allocation.binding.push_back({limit.name, limit.text, std::nullopt});
  }
  if (aim.kind == Aim::Kind::target_volatility) {
    allocation.notes.push_back(fmt::format(
        "{} ({} branches)",
        answer.proven ? fmt::format("Proven: no other choice of positions has {:.5f}% more return", 100 * same_return)
                      : "The search was stopped: another choice of positions may have more return",
        answer.branches));
    return allocation;
  }
  allocation.notes.push_back(
      fmt::format("{}: no other choice of positions can better it by more than {:.4f}% of its variance ({} branches)",
                  answer.proven ? "Proven" : "The search was stopped", 100 * answer.gap(), answer.branches));
  return allocation;
}

/// The highest ratio of the holdings' average volatility to the portfolio's (Choueifaty & Coignard 2008, J. Portfolio
/// Management 35(1)): the maximum-Sharpe portfolio with volatilities in the place of returns and no risk-free rate.
Allocation most_diversified(const Frontier& frontier, const Limits& limits, const Aim& aim, double risk_free,
                            const LimitFacts& facts) {
  auto stand_in = frontier.estimate();
  stand_in.expected_return = stand_in.volatilities();
  const auto ratios = trace_frontier(stand_in, frontier.bounds());
  if (const auto reason = ratios.why_no_maximum_sharpe(0)) {
    throw InputError(aim.text(), "a portfolio within the limits has no volatility, so the ratio has no end",
                     "Leave riskless assets out");
  }
  const auto best = ratios.maximum_sharpe(0);
  auto allocation = describe(frontier.estimate(), best.portfolio.weights, risk_free, facts);
  allocation.certificate = best.portfolio.certificate;
  auto solution = solution_of(ratios, best.portfolio);
  solution.at_ceiling = best.at_top && ratios.at_ceiling();
  find_sides(stand_in, frontier.bounds(), aim, solution);
  allocation.binding = binding_limits(frontier.bounds(), limits, aim, solution, 0);
  allocation.notes.push_back(fmt::format("Average volatility over its own: {:.3f}", best.sharpe));
  return allocation;
}

const BenchmarkRisk& benchmark_of(const LimitFacts& facts, const Aim& aim) {
  if (facts.benchmark) return *facts.benchmark;
  throw InputError(aim.text(), "the benchmark's returns are not known",
                   "Give --benchmark CODE with prices (an estimate file does not hold them)");
}

/// The least tracking error. Its prices are in its own variance / 2.
Allocation nearest_to_benchmark(const Frontier& frontier, const Limits& limits, const Aim& aim, double risk_free,
                                const LimitFacts& facts) {
  const auto& bounds = frontier.bounds();
  const auto least = least_tracking_error(frontier.estimate(), bounds, benchmark_of(facts, aim));
  auto allocation = describe(frontier.estimate(), least.portfolio.weights, risk_free, facts);
  allocation.certificate = least.portfolio.certificate;
  auto solution = solution_of(least, bounds);
  solution.portfolio.volatility = least.tracking_error;  // what it minimises
  allocation.binding = binding_limits(bounds, limits, Aim{Aim::Kind::minimum_variance, 0}, solution, risk_free);
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
    if (weights[Eigen::Index(i)] != 0) order.push_back(i);
  }
  std::ranges::stable_sort(
      order, [&](std::size_t a, std::size_t b) { return weights[Eigen::Index(a)] > weights[Eigen::Index(b)]; });
  order.resize(std::min(order.size(), count));
  return order;
}

Eigen::VectorXd inverse_volatility_weights(const Estimate& estimate) {
  Eigen::VectorXd weights = estimate.volatilities();
  for (Eigen::Index i = 0; i < weights.size(); ++i) {
    if (!(weights[i] > 0)) {
      throw InputError("inverse-volatility",
                       fmt::format("{} has no volatility, so its weight has no end", estimate.assets[std::size_t(i)]),
                       "Leave it out with --assets");
    }
    weights[i] = 1 / weights[i];
  }
  return weights / weights.sum();
}

Eigen::VectorXd equal_risk_weights(const Estimate& estimate) {
  const auto n = estimate.size();
  const auto& covariance = estimate.covariance;
  const auto least = trace_frontier(estimate, Bounds::long_only(n)).minimum_variance();
  if (least.volatility * least.volatility <= 1e-14 * covariance.variances().maxCoeff()) {
    throw InputError("equal-risk-contribution", "a long-only mix of the assets has no variance, so no risk to share",
                     "Leave riskless assets out with --assets");
  }
  // One weight at a time to its own optimum: a quadratic equation. The objective falls each time and is strictly
  // convex.
  Eigen::VectorXd x = estimate.volatilities().cwiseInverse() / std::sqrt(double(n));
  Eigen::VectorXd risk = covariance.product(x);
  const double share = 1 / double(n);
  constexpr int most_rounds = 10000;
  for (int round = 0; round < most_rounds; ++round) {
    for (Eigen::Index i = 0; i < n; ++i) {
      const double own = covariance.variance(i), others = risk[i] - own * x[i];
      const double root = std::sqrt(others * others + 4 * own * share);
      const double next = others > 0 ? 2 * share / (others + root) : (root - others) / (2 * own);
      risk += (next - x[i]) * covariance.column(i);
      x[i] = next;
    }
    risk = covariance.product(x);
    if ((x.cwiseProduct(risk).array() - share).abs().maxCoeff() <= 1e-12 * share) return x / x.sum();
  }
  throw UncertifiedAnswer("The weights of equal risk contribution could not be found to 1e-12");
}

Allocation choose(const Frontier& frontier, const Limits& limits, const Aim& aim, double risk_free,
                  const LimitFacts& facts, const ChoiceOptions& options) {
  if (const auto weights = plain_weights(frontier.estimate(), aim.kind)) {
    auto allocation = evaluate(frontier.estimate(), limits, *weights, aim.text(), risk_free, facts);
    allocation.aim = aim.text();
    return allocation;
  }
  if (aim.kind == Aim::Kind::blend_volatility || aim.kind == Aim::Kind::blend_return) {
    auto blend = blended(frontier, aim, risk_free, facts, options);
    blend.name = blend.aim = aim.text();
    return blend;
  }
  const auto& bounds = frontier.bounds();
  std::vector<std::string> notes;
  auto allocation = [&] {
    if (aim.kind == Aim::Kind::maximum_diversification) {
      return most_diversified(frontier, limits, aim, risk_free, facts);
    }
    if (aim.kind == Aim::Kind::minimum_tracking_error) {
      return nearest_to_benchmark(frontier, limits, aim, risk_free, facts);
    }
    if (bounds.holdings || bounds.held) return of_few(frontier, limits, aim, risk_free, facts, options);
    const auto solution = bounds.tracking_error ? tracked(frontier, aim, risk_free, benchmark_of(facts, aim))
                                                : on_frontier(frontier, aim, risk_free, notes);
    return optimal(frontier.estimate(), bounds, limits, aim, solution, risk_free, facts);
  }();
  allocation.notes.insert(allocation.notes.end(), notes.begin(), notes.end());
  // What is not on the exact path, such as a number of holdings, is not honoured here: it is said.
  allocation.violations =
      violations_of(limits, allocation.assets, allocation.weights, facts, &frontier.estimate().covariance, 1e-8);
  allocation.name = allocation.aim = aim.text();
  return allocation;
}

Allocation evaluate(const Estimate& estimate, const Limits& limits, const Eigen::VectorXd& weights,
                    const std::string& name, double risk_free, const LimitFacts& facts) {
  estimate.check_for_weights();
  if (weights.size() != estimate.size()) {
    throw InputError(name, fmt::format("{} weights for {} assets", weights.size(), estimate.size()),
                     "Give one weight an asset");
  }
  for (Eigen::Index i = 0; i < weights.size(); ++i) {
    if (!std::isfinite(weights[i])) {
      throw InputError(estimate.assets[std::size_t(i)], "its weight is not a finite number", "Give a figure");
    }
  }
  auto allocation = describe(estimate, weights, risk_free, facts);
  allocation.name = name;
  allocation.aim = "given";
  allocation.violations = violations_of(limits, estimate.assets, weights, facts, &estimate.covariance);
  return allocation;
}

}  // namespace inchtide

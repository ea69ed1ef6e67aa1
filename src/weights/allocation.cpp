#include "inchtide/weights/allocation.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>

#include "frontier/portfolio.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/base/range.hpp"
#include "weights/positions.hpp"
#include "weights/solution.hpp"

namespace inchtide {
namespace {

constexpr double percentage_point = 0.01;

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
    if (!may_enter || is_held(portfolio.weights[i])) continue;
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

/// The limits that a solution touches, and what each is worth to the aim.
class Binding {
 public:
  /// @param rate what a unit of the budget would have earned, where the aim counts returns
  Binding(const Bounds& bounds, const Aim& aim, const Solution& solution, double risk_free)
      : bounds_(bounds),
        limits_(bounds.limits),
        aim_(aim),
        solution_(solution),
        gain_(gain_per_price(aim, solution, risk_free)),
        rate_(aim.kind == Aim::Kind::minimum_variance ? 0 : risk_free) {}

  std::vector<BindingLimit> find() {
    gather();
    std::vector<BindingLimit> binding;
    for (const auto& [limit, price] : raised_by_) {
      if (limit < 0) continue;
      binding.push_back(is_equality(limit) ? equality(limit, price) : one_sided(limit));
    }
    return binding;
  }

 private:
  bool is_equality(int limit) const {
    const auto& own = limits_[std::size_t(limit)];
    return own.lower && own.upper && *own.lower == *own.upper;
  }

  /// What raising each limit that is touched adds to variance / 2 - lambda m'w (or a ceiling takes off), and what
  /// loosening takes off.
  void gather() {
    const auto& weights = solution_.portfolio.weights;
    const auto& prices = solution_.prices;
    const auto touch = [&](int limit, double raised, double loosened) {
      raised_by_[limit] += raised;
      loosened_by_[limit] += loosened;
    };
    for (Eigen::Index i = 0; i < weights.size(); ++i) {
      const auto at = std::size_t(i);
      const double z = prices.bound[i];
      const bool at_lower = weights[i] - bounds_.lower[i] <= binding_within;
      const bool at_upper = bounds_.upper[i] - weights[i] <= binding_within;
      const int lower = bounds_.lower_limit[at], upper = bounds_.upper_limit[at];
      for (const auto& [asset, limit] : bounds_.lower_ties) {
        if (at_lower && asset == int(i)) touch(limit, 0, 0);
      }
      for (const auto& [asset, limit] : bounds_.upper_ties) {
        if (at_upper && asset == int(i)) touch(limit, 0, 0);
      }
      if (at_lower && at_upper && lower == upper) {
        touch(lower, z, std::abs(z));
        continue;
      }
      if (at_lower) touch(lower, z, std::max(0.0, z));
      if (at_upper) touch(upper, z, std::max(0.0, -z));
    }
    budget_.most = prices.budget + solution_.portfolio.lambda * rate_;
    budget_.least = budget_.most;
    for (std::size_t r = 0; r < bounds_.rows.size(); ++r) {
      const auto& row = bounds_.rows[r];
      const double value = row.value(weights), price = prices.row[Eigen::Index(r)];
      const double size = std::max(1.0, row.coefficients.cwiseAbs().maxCoeff());
      const bool low = value - row.lower <= binding_within * size, high = row.upper - value <= binding_within * size;
      if (!low && !high) continue;
      touch(row.limit, price, std::abs(price));
      budget_.most += price * row.end_moves(low, bounds_.budget, true);
      budget_.least -= price * row.end_moves(low, bounds_.budget, false);
    }
    if (bounds_.budget_limit >= 0) touch(bounds_.budget_limit, 0, 0);
    if (solution_.ceiling) touch(solution_.ceiling->first, -solution_.ceiling->second, solution_.ceiling->second);
  }

  /// By how much the right-hand sides of the bounds and rows move with the figure of the limit, for a point or a unit.
  double step(int limit) const {
    const auto& own = limits_[std::size_t(limit)];
    if (own.kind == Limit::Kind::average) return bounds_.budget;
    const bool single = own.kind == Limit::Kind::total && own.terms.size() == 1 && own.terms[0].tag.empty();
    return percentage_point / (single ? own.terms[0].factor : 1);
  }

  BindingLimit named(int limit) const {
    const auto& own = limits_[std::size_t(limit)];
    BindingLimit binding;
    binding.limit = own.name;
    binding.text = own.text;
    binding.per_unit = own.kind == Limit::Kind::average;
    return binding;
  }

  /// Prices on both sides come in what the aim gains, but for a target volatility, where they are returns already.
  double per_sided_price() const { return aim_.kind == Aim::Kind::target_volatility ? 1 : *gain_; }

  BindingLimit one_sided(int limit) const {
    auto binding = named(limit);
    if (!gain_) return binding;
    const double size = std::abs(step(limit));
    const auto sided = solution_.sided ? solution_.sided->of(limit) : std::nullopt;
    if (sided) {
      binding.price = size * per_sided_price() * sided->loosened;
      binding.tightening = size * per_sided_price() * sided->tightened;
    } else {
      binding.price = size * *gain_ * loosened_by_.at(limit);
    }
    return binding;
  }

  BindingLimit equality(int limit, double raised) const {
    auto binding = named(limit);
    if (!gain_) return binding;
    const bool is_budget = limit == bounds_.budget_limit;
    std::optional<PriceRange> range;
    if (solution_.sided) range = is_budget ? solution_.sided->of_budget(rate_) : solution_.sided->of_equality(limit);
    const double per_price = range ? per_sided_price() : *gain_;
    if (!range) range = is_budget ? budget_ : PriceRange{raised, raised};  // under a ceiling
    // Raising the figure moves the ends by the step, down where its factor is negative.
    const double size = std::abs(step(limit)) * per_price;
    binding.raising = -size * range->most;
    binding.lowering = size * range->least;
    if (step(limit) < 0) std::swap(binding.raising, binding.lowering);
    binding.price = std::max({0.0, *binding.raising, *binding.lowering});
    return binding;
  }

  const Bounds& bounds_;
  const Limits& limits_;
  const Aim& aim_;
  const Solution& solution_;
  std::optional<double> gain_;
  double rate_;
  std::map<int, double> raised_by_, loosened_by_;
  PriceRange budget_;
};

std::vector<BindingLimit> binding_limits(const Bounds& bounds, const Aim& aim, const Solution& solution,
                                         double risk_free) {
  auto binding = Binding(bounds, aim, solution, risk_free).find();
  const auto& ceiling = bounds.volatility;
  if (ceiling && ceiling->limit >= 0 && std::abs(ceiling->value - solution.portfolio.volatility) <= binding_within) {
    const auto per_unit = gain_per_volatility(aim, solution.portfolio, risk_free);
    const auto& limit = bounds.limits[std::size_t(ceiling->limit)];
    binding.push_back({limit.name, limit.text});
    if (per_unit) binding.back().price = percentage_point * *per_unit;
  }
  return binding;
}

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
  if (const double left = 1 - invested - paid; std::abs(left) > 1e-9) {
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
  if (invested > 1 + 1e-12 && !options.borrowing) {
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
void explain_positions(Allocation& allocation, const Bounds& bounds, const std::string& proof) {
  const auto held = held_count(allocation.weights);
  const auto& most = bounds.holdings;
  if (most && most->limit >= 0 && double(held) >= most->value) {
    const auto& limit = bounds.limits[std::size_t(most->limit)];
    allocation.binding.push_back({limit.name, limit.text});
  }
  allocation.notes.push_back(proof);
}

Allocation of_few(const Frontier& frontier, const Aim& aim, double risk_free, const ChoiceOptions& options) {
  const auto& facts = frontier.facts();
  const auto [answer, proof] = positions_for(frontier, aim, risk_free, facts, options);
  std::vector<std::string> notes;
  const auto solution = solution_with(frontier, answer, aim, risk_free, facts, notes);
  const auto choice = bounds_of_choice(frontier.bounds(), answer.chosen);
  auto allocation = optimal(frontier.estimate(), frontier.estimate(), choice, aim, solution, risk_free, facts);
  explain_positions(allocation, frontier.bounds(), proof);
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
  if (positions) explain_positions(allocation, frontier.bounds(), positions->proof);
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
  const auto least = least_tracking_error(frontier.estimate(), bounds, known_benchmark(facts.benchmark, aim));
  auto allocation = describe(frontier.estimate(), least.portfolio.weights, risk_free, facts);
  allocation.certificate = least.portfolio.certificate;
  auto solution = solution_of(least, bounds);
  if (least.volatility_price > 0) solution.ceiling = {bounds.volatility->limit, least.volatility_price};
  solution.portfolio.volatility = least.tracking_error;  // what it minimises
  allocation.binding = binding_limits(bounds, Aim{Aim::Kind::minimum_variance, 0}, solution, risk_free);
  if (positions) explain_positions(allocation, frontier.bounds(), positions->proof);
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

Eigen::VectorXd inverse_volatility_weights(const Estimate& estimate) {
  Eigen::VectorXd weights = estimate.volatilities();
  for (Eigen::Index i = 0; i < weights.size(); ++i) {
    if (!(weights[i] > 0)) {
      throw InputError("inverse-volatility",
                       fmt::format("{} has no volatility, so its weight has no end", estimate.assets[std::size_t(i)]),
                       {Means::assets, "Leave it out"});
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
                     {Means::assets, "Leave riskless assets out"});
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
      violations_of(bounds, allocation.assets, allocation.weights, facts, &frontier.estimate().covariance, 1e-8);
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

#include "inchtide/weights/allocation.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/percent.hpp"

namespace inchtide {
namespace {

constexpr double percentage_point = 0.01;

/// Turns the price of a bound (in variance / 2 - lambda x return) into what the aim gains per unit of weight.
std::optional<double> gain_per_price(const Aim& aim, const Portfolio& portfolio, double risk_free) {
  const double volatility = portfolio.volatility;
  switch (aim.kind) {
    case Aim::Kind::minimum_variance:
    case Aim::Kind::target_return:
      if (volatility > 0) return 1 / volatility;
      return std::nullopt;
    case Aim::Kind::target_volatility:
      if (portfolio.lambda > 0) return 1 / portfolio.lambda;
      return std::nullopt;
    case Aim::Kind::utility: return aim.target;
    case Aim::Kind::maximum_sharpe:
    case Aim::Kind::maximum_diversification:
      if (volatility > 0) return (portfolio.expected_return - risk_free) / std::pow(volatility, 3);
      return std::nullopt;
    default: return std::nullopt;
  }
}

/// Assets at a weight of 0 that nothing but their price keeps there. Their price over lambda is the return they lack;
/// the portfolio stays optimal until one of them has it.
std::vector<LeftOut> assets_left_out(const Frontier& frontier, const Portfolio& portfolio) {
  const auto& estimate = frontier.estimate();
  const auto prices = bound_prices(estimate.covariance, estimate.expected_return, frontier.bounds(), portfolio.weights,
                                   portfolio.lambda, portfolio.row_prices);
  std::vector<LeftOut> left_out;
  for (Eigen::Index i = 0; i < portfolio.weights.size(); ++i) {
    const bool may_enter = frontier.bounds().lower[i] == 0 && frontier.bounds().upper[i] > 0;
    if (!may_enter || std::abs(portfolio.weights[i]) > 1e-9) continue;
    LeftOut out{estimate.assets[std::size_t(i)], estimate.expected_return[i], std::nullopt};
    if (portfolio.lambda > 0) out.would_need = out.expected_return + std::max(0.0, prices.bound[i]) / portfolio.lambda;
    left_out.push_back(std::move(out));
  }
  std::ranges::stable_sort(left_out, {},
                           [](const LeftOut& out) { return out.would_need.value_or(0) - out.expected_return; });
  return left_out;
}

/// Limits that some weight touches, with the prices of their members added up.
std::vector<BindingLimit> binding_limits(const Frontier& frontier, const Limits& limits, const Aim& aim,
                                         const Portfolio& portfolio, double risk_free) {
  const auto& bounds = frontier.bounds();
  const auto& estimate = frontier.estimate();
  const auto prices = bound_prices(estimate.covariance, estimate.expected_return, bounds, portfolio.weights,
                                   portfolio.lambda, portfolio.row_prices);
  std::map<int, double> price_of;
  for (Eigen::Index i = 0; i < portfolio.weights.size(); ++i) {
    const auto at = std::size_t(i);
    const double z = prices.bound[i];
    const bool at_lower = portfolio.weights[i] - bounds.lower[i] <= 1e-9;
    const bool at_upper = bounds.upper[i] - portfolio.weights[i] <= 1e-9;
    if (at_lower && bounds.lower_limit[at] >= 0) price_of[bounds.lower_limit[at]] += std::max(0.0, z);
    if (at_upper && bounds.upper_limit[at] >= 0) price_of[bounds.upper_limit[at]] += std::max(0.0, -z);
  }
  for (std::size_t r = 0; r < bounds.rows.size(); ++r) {
    const auto& row = bounds.rows[r];
    const double value = row.coefficients.dot(portfolio.weights), price = prices.row[Eigen::Index(r)];
    const double size = std::max(1.0, row.coefficients.cwiseAbs().maxCoeff());
    const bool touches = value - row.lower <= 1e-9 * size || row.upper - value <= 1e-9 * size;
    if (touches) price_of[row.limit] += std::abs(price);
  }
  std::vector<BindingLimit> binding;
  const auto gain = gain_per_price(aim, portfolio, risk_free);
  for (const auto& [limit, price] : price_of) {
    BindingLimit bound{limits[std::size_t(limit)].name, limits[std::size_t(limit)].text, std::nullopt};
    if (gain) bound.price_per_point = percentage_point * price * *gain;
    binding.push_back(bound);
  }
  return binding;
}

Allocation describe(const Estimate& estimate, const Eigen::VectorXd& weights, double risk_free) {
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
  return allocation;
}

Allocation optimal(const Frontier& frontier, const Limits& limits, const Aim& aim, const Portfolio& portfolio,
                   double risk_free) {
  auto allocation = describe(frontier.estimate(), portfolio.weights, risk_free);
  allocation.certificate = portfolio.certificate;
  allocation.binding = binding_limits(frontier, limits, aim, portfolio, risk_free);
  allocation.left_out = assets_left_out(frontier, portfolio);
  return allocation;
}

Allocation on_frontier(const Frontier& frontier, const Limits& limits, const Aim& aim, double risk_free) {
  switch (aim.kind) {
    case Aim::Kind::target_return: return optimal(frontier, limits, aim, frontier.at_return(aim.target), risk_free);
    case Aim::Kind::target_volatility:
      return optimal(frontier, limits, aim, frontier.at_volatility(aim.target), risk_free);
    case Aim::Kind::maximum_sharpe: {
      const auto best = frontier.maximum_sharpe(risk_free);
      auto allocation = optimal(frontier, limits, aim, best.portfolio, risk_free);
      if (best.at_top) {
        allocation.notes.push_back(
            "It is the portfolio of highest return: the limits stop the ratio from rising further");
      }
      return allocation;
    }
    case Aim::Kind::utility: return optimal(frontier, limits, aim, frontier.at_lambda(1 / aim.target), risk_free);
    default: return optimal(frontier, limits, aim, frontier.minimum_variance(), risk_free);
  }
}

/// The highest ratio of the holdings' average volatility to the portfolio's (Choueifaty & Coignard 2008, J. Portfolio
/// Management 35(1)): the maximum-Sharpe portfolio with volatilities in the place of returns and no risk-free rate.
Allocation most_diversified(const Frontier& frontier, const Limits& limits, const Aim& aim, double risk_free) {
  auto stand_in = frontier.estimate();
  stand_in.expected_return = stand_in.volatilities();
  const auto ratios = trace_frontier(stand_in, frontier.bounds());
  if (const auto reason = ratios.why_no_maximum_sharpe(0)) {
    throw InputError(aim.text(), "a portfolio within the limits has no volatility, so the ratio has no end",
                     "Leave riskless assets out");
  }
  const auto best = ratios.maximum_sharpe(0);
  auto allocation = describe(frontier.estimate(), best.portfolio.weights, risk_free);
  allocation.certificate = best.portfolio.certificate;
  allocation.binding = binding_limits(ratios, limits, aim, best.portfolio, 0);
  allocation.notes.push_back(fmt::format("Average volatility over its own: {:.3f}", best.sharpe));
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

Allocation choose(const Frontier& frontier, const Limits& limits, const Aim& aim, double risk_free, const Tags& tags) {
  if (const auto weights = plain_weights(frontier.estimate(), aim.kind)) {
    auto allocation = evaluate(frontier.estimate(), limits, *weights, aim.text(), risk_free, tags);
    allocation.aim = aim.text();
    return allocation;
  }
  auto allocation = aim.kind == Aim::Kind::maximum_diversification ? most_diversified(frontier, limits, aim, risk_free)
                                                                   : on_frontier(frontier, limits, aim, risk_free);
  allocation.name = allocation.aim = aim.text();
  return allocation;
}

Allocation evaluate(const Estimate& estimate, const Limits& limits, const Eigen::VectorXd& weights,
                    const std::string& name, double risk_free, const Tags& tags) {
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
  auto allocation = describe(estimate, weights, risk_free);
  allocation.name = name;
  allocation.aim = "given";
  allocation.violations = violations_of(limits, estimate.assets, weights, tags);
  return allocation;
}

}  // namespace inchtide

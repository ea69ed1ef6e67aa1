#include "weights/binding.hpp"

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
#include "weights/tolerances.hpp"

namespace inchtide {
namespace {

constexpr double percentage_point = 0.01;

/// What the aim gains per unit of such a price.
std::optional<double> gain_per_price(const Aim& aim, const Solution& solution, double risk_free) {
  const auto& portfolio = solution.portfolio;
  const double volatility = portfolio.volatility;
  if (!solution.priced) return std::nullopt;
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
      binding.push_back(limits_[std::size_t(limit)].is_equality() ? equality(limit, price) : one_sided(limit));
    }
    return binding;
  }

 private:
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
    const bool average = limits_[std::size_t(limit)].kind == Limit::Kind::average;
    return (average ? 1 : percentage_point) * per_figure(bounds_, limit);
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
      binding.loosening = size * per_sided_price() * sided->loosened;
      binding.tightening = size * per_sided_price() * sided->tightened;
    } else {
      binding.loosening = size * *gain_ * loosened_by_.at(limit);
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
    binding.loosening = std::max({0.0, *binding.raising, *binding.lowering});
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

}  // namespace

/// The prices of a solution on both sides: of limits, in what the aim gains before its factor.
void find_sides(const Estimate& estimate, const Bounds& bounds, const Aim& aim, Solution& solution) {
  const auto& portfolio = solution.portfolio;
  const bool touches_ceiling =
      bounds.volatility && std::abs(bounds.volatility->value - portfolio.volatility) <= ceiling_within;
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

std::vector<BindingLimit> binding_limits(const Bounds& bounds, const Aim& aim, const Solution& solution,
                                         double risk_free) {
  auto binding = Binding(bounds, aim, solution, risk_free).find();
  const auto& ceiling = bounds.volatility;
  if (ceiling && ceiling->limit >= 0 && std::abs(ceiling->value - solution.portfolio.volatility) <= binding_within) {
    const auto per_unit = gain_per_volatility(aim, solution.portfolio, risk_free);
    const auto& limit = bounds.limits[std::size_t(ceiling->limit)];
    binding.push_back({limit.name, limit.text});
    if (per_unit) binding.back().loosening = percentage_point * *per_unit;
  }
  return binding;
}

}  // namespace inchtide

// Ranges, rows and costs by themselves.

#include "inchtide/frontier/limits.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <functional>
#include <numeric>

#include "base/numbers.hpp"
#include "frontier/ceilings.hpp"
#include "frontier/conflict.hpp"
#include "frontier/pieces.hpp"
#include "frontier/vertex.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/base/range.hpp"
#include "inchtide/frontier/portfolio.hpp"

namespace inchtide {
namespace {

/// A row fits so many assets, and its figures are numbers.
void check_row(const LimitRow& row, Eigen::Index assets) {
  const auto where = row.label.empty() ? std::string("a row of the bounds") : row.label;
  check_per_asset(row.coefficients, assets, where);
  if (row.bend.size() + row.bend_at.size() > 0) {
    check_per_asset(row.bend, assets, where + ", bends");
    check_per_asset(row.bend_at, assets, where + ", where it bends");
    if (row.bend.minCoeff() < 0) throw InputError(where, "a bend is negative", "Only sizes can be limited, from above");
    if (row.lower > -infinity) throw InputError(where, "sizes have a lower end", "Only their ceiling can be limited");
  }
  if (std::isnan(row.lower) || std::isnan(row.upper) || row.lower == infinity || row.upper == -infinity) {
    throw InputError(where, "an end is no number", "Give a number, or infinity where there is no end");
  }
  for (double figure : {row.constant, row.constant_rising, row.constant_falling}) {
    if (!std::isfinite(figure)) throw InputError(where, "a constant is not finite", "Give a number");
  }
}

}  // namespace

double LimitRow::end_moves(bool lower_end, double budget, bool rising) const {
  const double end = in_proportion && budget != 0 ? (lower_end ? lower : upper) / budget : 0;
  return rising ? end - constant_rising : -end - constant_falling;
}

double LimitRow::value(const Eigen::VectorXd& weights) const {
  const double straight = coefficients.dot(weights) + constant;
  return bend.size() == 0 ? straight : straight + bend.dot((weights - bend_at).cwiseAbs());
}

double turnover_between(const Eigen::VectorXd& from, const Eigen::VectorXd& to) {
  check_per_asset(from, to.size(), "weights before");
  const Eigen::ArrayXd change = (to - from).array();
  return std::max(change.max(0.0).sum(), -change.min(0.0).sum());
}

double TradingCosts::of(const Eigen::VectorXd& weights) const {
  const Eigen::ArrayXd change = (weights - current).array();
  return (rates.buy.array() * change.max(0.0) - rates.sell.array() * change.min(0.0)).sum();
}

bool Bounds::sets_lower(int limit, Eigen::Index asset) const {
  const std::pair tie(int(asset), limit);
  return lower_limit[std::size_t(asset)] == limit || std::ranges::find(lower_ties, tie) != lower_ties.end();
}

bool Bounds::sets_upper(int limit, Eigen::Index asset) const {
  const std::pair tie(int(asset), limit);
  return upper_limit[std::size_t(asset)] == limit || std::ranges::find(upper_ties, tie) != upper_ties.end();
}

void TradingCosts::check(Eigen::Index assets) const {
  check_per_asset(current, assets, "weights held now");
  check_per_asset(rates.buy, assets, "costs of buying");
  check_per_asset(rates.sell, assets, "costs of selling");
  if (assets > 0 && (rates.buy.minCoeff() < 0 || rates.sell.minCoeff() < 0)) {
    throw InputError("costs", "a rate is negative", "Give fractions of the value traded, from 0");
  }
  if (!(years > 0) || !std::isfinite(years)) {
    throw InputError("costs", fmt::format("{} years to spread them over", years), "Give a number above 0");
  }
}

void Bounds::check(Eigen::Index assets) const {
  const auto of_limits = [&](int limit) { return limit >= -1 && limit < int(std::ssize(limits)); };
  const bool fits = lower.size() == assets && upper.size() == assets && std::ssize(lower_limit) == assets &&
                    std::ssize(upper_limit) == assets;
  if (!fits) {
    throw InputError("bounds",
                     fmt::format("they are of {} lower and {} upper ends, and {} and {} limits, for {} assets",
                                 lower.size(), upper.size(), lower_limit.size(), upper_limit.size(), assets),
                     "Start from Bounds::long_only, or from limits");
  }
  if (!lower.allFinite() || upper.hasNaN() || !std::isfinite(budget)) {
    throw InputError("bounds", "a lower end or the budget is not finite, or an upper end is no number", "Give numbers");
  }
  for (const auto& row : rows) check_row(row, assets);
  if (costs) costs->check(assets);
  bool known = of_limits(budget_limit);
  for (const auto* ends : {&lower_limit, &upper_limit}) known = known && std::ranges::all_of(*ends, of_limits);
  for (const auto& row : rows) known = known && of_limits(row.limit);
  for (const auto* figure : {&volatility, &tracking_error, &holdings, &held}) {
    if (!*figure) continue;
    known = known && of_limits((*figure)->limit);
    if (!std::isfinite((*figure)->value) || (*figure)->value < 0) {
      throw InputError("bounds", fmt::format("a ceiling or number of positions of {}", (*figure)->value),
                       "Give a number from 0");
    }
  }
  if (!known) throw InputError("bounds", "they name a limit that is not among theirs", "Give -1 where there is none");
}

Bounds Bounds::long_only(Eigen::Index assets) {
  Bounds bounds;
  bounds.lower = Eigen::VectorXd::Zero(assets);
  bounds.upper = Eigen::VectorXd::Constant(assets, infinity);
  bounds.lower_limit = bounds.upper_limit = std::vector<int>(std::size_t(assets), -1);
  return bounds;
}

}  // namespace inchtide

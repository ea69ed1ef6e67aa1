#include "study/choosing_anew.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <numeric>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/frontier/single.hpp"
#include "study/around_pinned.hpp"
#include "study/window.hpp"

namespace inchtide {
namespace {

constexpr std::chrono::days longest_hole{7};      // where a window begins, until an asset's first price
constexpr std::chrono::days longest_silence{31};  // where it ends, since an asset's last: longer is no suspension

/// Whether an asset has prices all through a table of them, but for days on which it has none.
bool is_complete(const PriceTable& table, const std::string& asset, const Interval& every) {
  const auto column = table.prices.col(table.column_of(asset)).array().isFinite();
  Eigen::Index first = 0, last = column.size() - 1;
  while (first <= last && !column[first]) ++first;
  while (last > first && !column[last]) --last;
  if (first > last) return false;
  const auto priced = [&](Eigen::Index row) { return table.days[std::size_t(row)]; };
  const std::chrono::days period(std::lround(366 / every.periods_per_year()));
  return priced(first) <= table.days.front() + longest_hole &&
         priced(last) >= table.days.back() - std::max(longest_silence, period);
}

/// The universe as it was known at a close, with the assets that have prices all through the window.
Universe known_on(const Universe& universe, const Settings& settings, Day day) {
  auto known = universe;
  known.warnings.clear();
  known.prices = window_of(universe, settings);
  if (settings.last && settings.last->before(day) < universe.aligned.table.days.front() - std::chrono::days{7}) {
    throw InputError("window",
                     fmt::format("the {} up to {} reach before {}, where the prices begin", settings.last->text(),
                                 to_string(day), to_string(universe.aligned.table.days.front())),
                     {{Means::estimate_window, "Take a shorter one"}, {Means::split, "begin later"}});
  }
  known.assets.clear();
  for (const auto& asset : universe.assets) {
    if (is_complete(known.prices, asset, known.every)) known.assets.push_back(asset);
  }
  if (known.assets.empty()) {
    throw InputError("window", fmt::format("no asset has prices all through it, up to {}", to_string(day)),
                     {{Means::estimate_window, "Take a shorter one"}});
  }
  return known;
}

/// The weights of those that were estimated; none of none.
Eigen::VectorXd from_universe(const Eigen::VectorXd& all, const Basis& basis, const Universe& universe) {
  if (all.size() == 0) return {};
  Eigen::VectorXd weights(Eigen::Index(basis.estimate.assets.size()));
  for (std::size_t k = 0; k < basis.estimate.assets.size(); ++k) {
    weights[Eigen::Index(k)] = all[Eigen::Index(*find_name(basis.estimate.assets[k], universe.assets))];
  }
  return weights;
}

/// An aim that needs no frontier under limits that need none.
std::optional<Allocation> choose_alone(const Basis& basis, const Bounds& bounds, const Aim& aim,
                                       const Eigen::VectorXd& near) {
  const bool ratio = aim.kind == Aim::Kind::maximum_sharpe;
  if (!ratio && aim.kind != Aim::Kind::minimum_variance) return std::nullopt;
  if (bounds.holdings || bounds.held || bounds.volatility || bounds.tracking_error || bounds.budget != 1) {
    return std::nullopt;
  }
  const auto portfolio = ratio ? single_maximum_sharpe(basis.estimate, bounds, basis.risk_free, near)
                               : single_portfolio(basis.estimate, bounds, 0, near);
  Allocation chosen;
  chosen.weights = portfolio.weights;
  chosen.expected_return = portfolio.expected_return;
  chosen.volatility = portfolio.volatility;
  if (chosen.volatility > 0) chosen.sharpe = (chosen.expected_return - basis.risk_free) / chosen.volatility;
  return chosen;
}

/// One weight an asset of the universe: of those that weren't estimated 0, or what cannot be traded of them.
Eigen::VectorXd for_universe(const Eigen::VectorXd& weights, const Basis& basis, const Universe& universe,
                             const Look& look) {
  Eigen::VectorXd all = Eigen::VectorXd::Zero(Eigen::Index(universe.assets.size()));
  const Eigen::VectorXd held = look.weights();
  for (std::size_t i = 0; i < look.pinned.size(); ++i) {
    if (look.pinned[i]) all[Eigen::Index(i)] = held[Eigen::Index(i)];
  }
  for (std::size_t k = 0; k < basis.estimate.assets.size(); ++k) {
    all[Eigen::Index(*find_name(basis.estimate.assets[k], universe.assets))] = weights[Eigen::Index(k)];
  }
  return all;
}

/// The bounds with what cannot be traded at the weights it has.
Bounds bounds_around(const Basis& basis, const LimitFacts& facts, const Universe& universe, const Look& look,
                     std::vector<std::string>& widened) {
  auto bounds = bounds_of(basis.limits, basis.estimate.assets, facts);
  if (look.pinned.empty()) return bounds;
  const auto before = bounds;
  const Eigen::VectorXd held = look.weights();
  std::vector<Eigen::Index> pinned;
  for (std::size_t i = 0; i < look.pinned.size(); ++i) {
    if (!look.pinned[i]) continue;
    const double weight = held[Eigen::Index(i)];
    if (const auto k = find_name(universe.assets[i], basis.estimate.assets)) {
      pinned.push_back(Eigen::Index(*k));
      bounds.lower[pinned.back()] = bounds.upper[pinned.back()] = weight;
    } else {
      bounds.budget -= weight;
    }
  }
  widened = widen_around(bounds, before, pinned);
  return bounds;
}

Frontier frontier_around(const Basis& basis, const LimitFacts& facts, const Bounds& bounds, const Look& look) {
  if (look.pinned.empty()) return trace_frontier(basis.estimate, basis.limits, facts);
  return trace_frontier(basis.estimate, bounds, facts);
}

/// Without the weights of assets that are in the study but weren't known.
void keep_known(WeightList& held, const Universe& universe, const Universe& known) {
  WeightList kept{held.name, {}, {}, held.source};
  for (std::size_t k = 0; k < held.assets.size(); ++k) {
    if (find_name(held.assets[k], universe.assets) && !find_name(held.assets[k], known.assets)) continue;
    kept.assets.push_back(held.assets[k]);
    kept.weights.push_back(held.weights[k]);
  }
  held = std::move(kept);
}

}  // namespace

Basis basis_on(const Universe& universe, Sources sources, const Settings& settings, Day day) {
  auto then = settings;
  then.to = day;
  then.split.reset();
  if (settings.reestimate) {  // one of an asset that isn't there yet waits for it
    then.limits.insert(then.limits.end(), then.added_limits.begin(), then.added_limits.end());
    then.added_limits.clear();
  }
  if (settings.estimate_over) {
    then.last = settings.estimate_over;
    then.from.reset();
    then.trading_days.reset();
  }
  const auto known = known_on(universe, then, day);
  if (sources.current) keep_known(*sources.current, universe, known);
  if (sources.implied) {  // of what there was to hold then
    auto& weights = sources.implied->weights;
    const double all = std::accumulate(weights.begin(), weights.end(), 0.0);
    keep_known(*sources.implied, universe, known);
    const double left = std::accumulate(weights.begin(), weights.end(), 0.0);
    for (auto& weight : weights) weight *= left > 0 ? all / left : 1;
  }
  return basis_of(known, sources, then);
}

Allocation choose_by(const Basis& basis, const Universe& universe, const Settings& settings, const Aim& aim,
                     const Look& look, const Eigen::VectorXd& near, std::vector<std::string>& widened) {
  auto facts = basis.facts;
  facts.costs_count = false;
  const auto bounds = bounds_around(basis, facts, universe, look, widened);
  auto alone = choose_alone(basis, bounds, aim, from_universe(near, basis, universe));
  auto chosen =
      alone ? *std::move(alone)
            : choose(frontier_around(basis, facts, bounds, look), aim, basis.risk_free, {false, settings.gap, {}});
  chosen.weights = for_universe(chosen.weights, basis, universe, look);
  return chosen;
}

Eigen::VectorXd after_costs_by(const Basis& basis, const Universe& universe, const Settings& settings, const Aim& aim,
                               const Look& look, const CostRates& rates, std::vector<std::string>& widened) {
  const auto n = Eigen::Index(basis.estimate.assets.size());
  const Eigen::VectorXd held = look.weights();
  auto facts = basis.facts;
  facts.current.resize(n);
  CostRates own;
  own.buy.resize(n);
  own.sell.resize(n);
  for (Eigen::Index k = 0; k < n; ++k) {
    const auto i = Eigen::Index(*find_name(basis.estimate.assets[std::size_t(k)], universe.assets));
    facts.current[k] = held[i];
    own.buy[k] = rates.buy[i];
    own.sell[k] = rates.sell[i];
  }
  facts.costs = TradingCosts{facts.current, own, settings.horizon};
  const auto frontier = frontier_around(basis, facts, bounds_around(basis, facts, universe, look, widened), look);
  return for_universe(choose(frontier, aim, basis.risk_free, {}).weights, basis, universe, look);
}

Delivered delivered(const Rehearsal& run, std::size_t from, std::size_t to, double risk_free) {
  const auto rows = Eigen::Index(to - from), first = Eigen::Index(from) + 1;
  const Eigen::ArrayXd moved = run.before.segment(first, rows).array() / run.net.segment(first - 1, rows).array();
  const Eigen::ArrayXd traded =
      run.net.segment(first, rows).array() / (run.before.segment(first, rows) + run.flow.segment(first, rows)).array();
  const Eigen::ArrayXd returns = moved * traded - 1;
  Delivered result;
  const double mean = returns.mean();
  result.mean = run.rows_per_year * mean;
  result.squares = (returns - mean).square().sum();
  result.volatility = std::sqrt(run.rows_per_year * result.squares / double(rows - 1));
  if (result.volatility > 0) result.sharpe = (result.mean - risk_free) / result.volatility;
  return result;
}

}  // namespace inchtide

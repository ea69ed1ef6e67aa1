#include "study/choosing_anew.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cmath>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "study/window.hpp"

namespace inchtide {
namespace {

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
    const auto column = known.prices.column_of(asset);
    if (std::isfinite(known.prices.prices(0, column))) known.assets.push_back(asset);
  }
  if (known.assets.empty()) {
    throw InputError("window", fmt::format("no asset has prices all through it, up to {}", to_string(day)),
                     {{Means::estimate_window, "Take a shorter one"}});
  }
  return known;
}

}  // namespace

Allocation choose_on(const Universe& universe, const Sources& sources, const Settings& settings, const Aim& aim,
                     Day day) {
  auto then = settings;
  then.to = day;
  then.split.reset();
  if (settings.estimate_over) {
    then.last = settings.estimate_over;
    then.from.reset();
    then.trading_days.reset();
  }
  const auto known = known_on(universe, then, day);
  const auto basis = basis_of(known, sources, then);
  auto facts = basis.facts;
  facts.costs_count = false;
  auto chosen =
      choose(trace_frontier(basis.estimate, basis.limits, facts), aim, basis.risk_free, {false, settings.gap, {}});
  Eigen::VectorXd weights = Eigen::VectorXd::Zero(Eigen::Index(universe.assets.size()));
  for (std::size_t k = 0; k < basis.estimate.assets.size(); ++k) {
    weights[Eigen::Index(*find_name(basis.estimate.assets[k], universe.assets))] = chosen.weights[Eigen::Index(k)];
  }
  chosen.weights = std::move(weights);
  return chosen;
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

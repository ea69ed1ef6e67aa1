#include "inchtide/study/runs.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/prices/periods.hpp"

namespace inchtide {
namespace {

std::vector<Schedule> schedules_of(const Settings& settings) {
  if (!settings.schedules.empty()) return settings.schedules;
  std::vector<Schedule> schedules;
  for (const char* text : {"never", "1m", "1q", "1y"}) schedules.push_back(Schedule::parse(text, "schedules"));
  return schedules;
}

/// The benchmark's last price where it has none.
void carry_last_column(PriceTable& walk, const std::string& benchmark, std::vector<Notice>& warnings) {
  const auto last = walk.prices.cols() - 1;
  std::size_t carried = 0;
  for (Eigen::Index t = 1; t < walk.prices.rows(); ++t) {
    if (std::isfinite(walk.prices(t, last)) || !std::isfinite(walk.prices(t - 1, last))) continue;
    walk.prices(t, last) = walk.prices(t - 1, last);
    ++carried;
  }
  if (carried == 0) return;
  warnings.push_back(
      fmt::format("{} has no price on {} of the days of the walk: its last one counts there", benchmark, carried));
}

/// From the last day before the split, on which the first purchase is decided.
PriceTable from_split(const PriceTable& prices, Day split) {
  const auto first_after = std::ranges::lower_bound(prices.days, split);
  if (first_after == prices.days.begin() || first_after == prices.days.end()) {
    throw InputError("split", fmt::format("{} leaves no prices on one side of it", to_string(split)),
                     {Means::split, fmt::format("Choose a day between {} and {}", to_string(prices.days.front()),
                                                to_string(prices.days.back()))});
  }
  return prices.between(*(first_after - 1), std::nullopt);
}

/// Days that are no part of the walk because some asset has no price on them, and which asset costs most of them.
void warn_of_dropped_days(const Universe& universe, const PriceTable& walk, std::vector<Notice>& warnings) {
  const auto own = universe.own_histories();
  const auto within = [&](const std::vector<Day>& days) {
    return std::ranges::upper_bound(days, walk.days.back()) - std::ranges::lower_bound(days, walk.days.front());
  };
  const auto all = within(days_of_any(own));
  const auto dropped = all - std::ptrdiff_t(walk.rows());
  if (dropped <= 0) return;
  const auto& most = *std::ranges::min_element(own, {}, [&](const PriceHistory& h) { return within(h.days); });
  warnings.push_back(
      fmt::format("{} of {} days are no part of the walk, as some asset has no price on them ({} most often, on {}); a "
                  "suspension is walked over in one step",
                  dropped, all, most.asset, all - within(most.days)));
}

/// Cash below zero pays nothing here.
void warn_of_borrowing(const Portfolios& portfolios, std::vector<Notice>& warnings) {
  for (const auto& allocation : portfolios.all) {
    const double borrowed = allocation.weights.sum() - 1;
    if (borrowed <= 1e-9) continue;
    warnings.push_back(
        fmt::format("{} borrows {} of wealth, for nothing in this walk: it earns too much by what that would cost",
                    allocation.name, percent_text(borrowed)));
  }
}

}  // namespace

Day split_of(const Settings& settings) {
  if (settings.split) return *settings.split;
  throw InputError("split", "none was given, so the weights would be chosen by the very prices they are tested on",
                   {Means::split, "Give a day: weights are estimated before it and rehearsed from it"});
}

PriceTable walk_of(const Universe& universe, const Settings& settings, std::vector<Notice>& warnings) {
  const auto split = split_of(settings);
  auto walk = align(universe.histories, {}, universe.benchmark ? 1 : 0).table.between(std::nullopt, settings.to);
  if (universe.benchmark) carry_last_column(walk, *universe.benchmark, warnings);
  walk = from_split(walk, split);
  warn_of_dropped_days(universe, walk, warnings);
  return walk;
}

Runs runs_of(const Universe& universe, const Basis& basis, const Portfolios& portfolios, const Settings& settings,
             const Watch& watch) {
  Runs runs;
  const auto walk = walk_of(universe, settings, runs.warnings);
  const RehearsalOptions how{settings.wealth, settings.delay, basis.risk_free, watch};
  const auto table = walk.only(universe.assets);
  const auto costs = cost_rates(settings.costs, universe.assets, universe.tags);
  for (const auto& allocation : portfolios.all) {
    for (const auto& schedule : schedules_of(settings)) {
      const auto name = fmt::format("{}, {}", allocation.name, schedule.name);
      runs.all.push_back(rehearse(table, {name, allocation.name, allocation.weights, schedule, costs}, how));
      runs.all.back().schedule = schedule.name;
    }
  }
  if (universe.benchmark) {
    runs.all.push_back(rehearse(walk.only({*universe.benchmark}),
                                {*universe.benchmark, fmt::format("{} (no costs)", *universe.benchmark),
                                 Eigen::VectorXd::Ones(1), Schedule::parse("never", "benchmark"), CostRates::none(1)},
                                how));
  }
  warn_of_borrowing(portfolios, runs.warnings);
  for (const auto& aim : portfolios.unanswered) {
    runs.warnings.push_back(aim.notice.led_by(aim.name + " has no portfolio and is not rehearsed"));
  }
  if (settings.costs.empty()) {
    runs.warnings.push_back(
        {{}, "No trading costs were given: these runs trade for free", {{Means::costs, "Give some", "10bp"}}});
  }
  return runs;
}

}  // namespace inchtide

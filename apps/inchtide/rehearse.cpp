// inchtide rehearse: test rebalancing schedules with trading costs.

#include <fmt/format.h>

#include <algorithm>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/prices/periods.hpp"
#include "inchtide/report/views.hpp"
#include "output.hpp"
#include "study.hpp"
#include "watch.hpp"

namespace inchtide::app {
namespace {

std::vector<Schedule> schedules_of(const exchange::Mandate& mandate) {
  if (!mandate.schedules.empty()) return mandate.schedules;
  std::vector<Schedule> schedules;
  for (const char* text : {"never", "1m", "1q", "1y"}) schedules.push_back(Schedule::parse(text, "schedules"));
  return schedules;
}

// The prices to walk through: from the last day before the split, on which the first purchase is decided.
PriceTable walk_from(const PriceTable& prices, Day split) {
  const auto first_after = std::ranges::lower_bound(prices.days, split);
  if (first_after == prices.days.begin() || first_after == prices.days.end()) {
    throw InputError(
        "split", fmt::format("{} leaves no prices on one side of it", to_string(split)),
        fmt::format("Choose a day between {} and {}", to_string(prices.days.front()), to_string(prices.days.back())));
  }
  return prices.between(*(first_after - 1), std::nullopt);
}

std::vector<Rehearsal> runs_of(const Study& study, const PriceTable& walk, const std::vector<Allocation>& allocations,
                               double risk_free) {
  const RehearsalOptions how{study.mandate.wealth.value_or(RehearsalOptions{}.wealth),
                             study.mandate.delay.value_or(RehearsalOptions{}.delay), risk_free, watched(study.options)};
  const auto table = walk.only(study.universe);
  const auto costs = cost_rates(study.mandate.costs, study.universe, study.tags);
  std::vector<Rehearsal> runs;
  for (const auto& allocation : allocations) {
    for (const auto& schedule : schedules_of(study.mandate)) {
      const auto name = fmt::format("{}, {}", allocation.name, schedule.name);
      auto run = rehearse(table, {name, allocation.name, allocation.weights, schedule, costs}, how);
      run.schedule = schedule.name;
      runs.push_back(std::move(run));
    }
  }
  if (study.benchmark) {
    const auto index = walk.only({*study.benchmark});
    auto run = rehearse(index,
                        {*study.benchmark, fmt::format("{} (no costs)", *study.benchmark), Eigen::VectorXd::Ones(1),
                         Schedule::parse("never", "benchmark"), CostRates::none(1)},
                        how);
    runs.push_back(std::move(run));
  }
  return runs;
}

// Days that are no part of the walk because some asset has no price on them, and which asset costs most of them.
void warn_of_dropped_days(Study& study, const PriceTable& walk) {
  std::vector<PriceHistory> own;
  for (const auto& history : study.histories) {
    if (study.benchmark != history.asset) own.push_back(history);
  }
  const auto within = [&](const std::vector<Day>& days) {
    return std::ranges::upper_bound(days, walk.days.back()) - std::ranges::lower_bound(days, walk.days.front());
  };
  const auto all = within(days_of_any(own));
  const auto dropped = all - std::ptrdiff_t(walk.rows());
  if (dropped <= 0) return;
  const auto& most = *std::ranges::min_element(own, {}, [&](const PriceHistory& h) { return within(h.days); });
  study.warnings.push_back(
      fmt::format("{} of {} days are no part of the walk, as some asset has no price on them ({} most often, on {}); a "
                  "suspension is walked over in one step",
                  dropped, all, most.asset, all - within(most.days)));
}

// Cash below zero pays nothing here.
void warn_of_borrowing(std::vector<Notice>& warnings, const std::vector<Allocation>& allocations) {
  for (const auto& allocation : allocations) {
    const double borrowed = allocation.weights.sum() - 1;
    if (borrowed <= 1e-9) continue;
    warnings.push_back(
        fmt::format("{} borrows {} of wealth, for nothing in this walk: it earns too much by what that would cost",
                    allocation.name, percent_text(borrowed)));
  }
}

}  // namespace

Outcome rehearse(const Options& options) {
  auto study = load_study(options);
  const auto split = study.mandate.split;
  if (!split) {
    throw InputError("split", "none was given, so the weights would be chosen by the very prices they are tested on",
                     "Give --split DAY: weights are estimated before it and rehearsed from it");
  }
  // Only days on which every asset has a price of its own: nothing is traded at a price that was carried forward.
  const auto walk = walk_from(walk_of(study), *split);
  warn_of_dropped_days(study, walk);
  auto choice = choice_of(study, *split);
  const auto chosen = allocations_of(choice, study.mandate, options);
  const auto runs = runs_of(study, walk, chosen.portfolios, choice.risk_free);
  warn_of_borrowing(choice.warnings, chosen.portfolios);
  for (const auto& aim : chosen.unanswered) {
    choice.warnings.push_back(aim.notice.led_by(aim.name + " has no portfolio and is not rehearsed"));
  }
  if (study.mandate.costs.empty())
    choice.warnings.push_back("No trading costs were given (--cost 10bp): these runs trade for free");
  Outcome outcome{"rehearse", choice.inputs, choice.warnings, report::rehearse_result(runs), {}, {}};
  outcome.exit_code = chosen.exit_code();
  outcome.tables = {report::runs_table(runs, study.currency())};
  outcome.tables[0].notes.push_back(
      fmt::format("Weights estimated before {}; decided at a close, traded {} trading day(s) later; cash earns nothing",
                  to_string(*split), study.mandate.delay.value_or(RehearsalOptions{}.delay)));
  outcome.tables[0].notes.push_back(
      fmt::format("Figures per year from {:.4g} rows a year, as counted", runs.front().rows_per_year));
  outcome.charts = {{"wealth", report::wealth_chart(runs)}};
  return outcome;
}

void add_rehearse(CLI::App& tool, Options& options) {
  auto& command =
      add_command(tool, options, "rehearse", "Test rebalancing schedules with trading costs",
                  "  inchtide rehearse --mandate demo/mandate.toml\n"
                  "  inchtide rehearse --mandate demo/mandate.toml --split 2024-01-01 --aim equal --schedule never "
                  "--schedule 1q --cost 25bp",
                  [&options] { deliver(rehearse(options), options); });
  add_input_options(command, options);
  add_window_options(command, options);
  add_interval_option(command, options);
  add_split_option(command, options, "Estimate from the prices before this day, rehearse from it");
  add_method_options(command, options);
  add_limit_options(command, options);
  add_aim_options(command, options);
  add_rehearsal_options(command, options);
  add_output_options(command, options);
  add_figure_option(command, options, "wealth");
}

}  // namespace inchtide::app

#include "grid_tables.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "inchtide/base/percent.hpp"
#include "inchtide/base/text.hpp"

namespace inchtide::report {
namespace {

struct AxisColumn {
  const char *column, *words;
};
constexpr AxisColumn axis_columns[] = {
    {"schedule", "Schedule"}, {"cost_level", "Times costs"}, {"aim", "Aim"},    {"estimator", "Estimator"},
    {"window", "Window"},     {"delay", "Delay, days"},      {"start", "Start"}};

/// Digits of a key that tell it from others in a store.
constexpr std::size_t shown_digits = 12;

constexpr Dash dashes_of_levels[] = {Dash::solid, Dash::dashed, Dash::dash_dot, Dash::dotted};

}  // namespace

Table kept_runs_table(const std::vector<GridRun>& runs, const exchange::RunQuery& query, std::size_t fitting) {
  Table table{"runs",
              fmt::format("Runs by {}, the {} first", query.sort, query.ascending ? "lowest" : "highest"),
              {{"Run"},
               {"Growth per year", Format::percent},
               {"Volatility", Format::percent},
               {"Sharpe", Format::number2},
               {"give or take", Format::number2},
               {"Max drawdown", Format::percent},
               {"Turnover per year", Format::percent},
               {"Cost per year", Format::percent},
               {"Orders", Format::count},
               {"Key"}},
              {},
              {}};
  for (const auto& run : runs) {
    table.add({run.name, run.figure("growth_per_year"), run.figure("volatility"), run.figure("sharpe"),
               run.figure("sharpe_error"), run.figure("max_drawdown"), run.figure("turnover_after_first"),
               run.figure("cost_per_year"), run.figure("order_count"), run.key.substr(0, shown_digits)});
  }
  if (runs.size() < fitting) {
    table.notes.emplace_back(fmt::format("The first {} of {}", runs.size(), with_thousands(double(fitting))));
  }
  const auto marked = std::ranges::count_if(runs, [](const GridRun& run) { return run.marked; });
  if (marked > 0) {
    table.notes.emplace_back(
        fmt::format("{} of these kept older targets once, as a re-estimation had no answer", marked));
  }
  if (const auto left = std::ranges::count_if(runs, [](const GridRun& run) { return run.left_out > 0; }); left > 0) {
    table.notes.emplace_back(fmt::format(
        "{} of these have estimates that choose none of an asset, as it hasn't prices all through their window: "
        "rehearsed without a grid, such a run names it",
        left));
  }
  return table;
}

Json runs_json(const std::vector<GridRun>& runs) {
  auto list = Json::array();
  for (const auto& run : runs) {
    Json one{{"name", run.name},
             {"key", run.key},
             {"schedule", run.cell.schedule.name},
             {"check", run.cell.schedule.text()},
             {"aim", run.cell.aim.text()},
             {"estimator", run.cell.estimator.text()},
             {"window", run.cell.window.text()},
             {"delay", run.cell.delay},
             {"start", to_string(run.cell.start)},
             {"cost_level", run.cell.cost_level},
             {"from", to_string(run.from)},
             {"to", to_string(run.to)},
             {"marked", run.marked},
             {"left_out", run.left_out},
             {"numerics", run.numerics}};
    for (const auto& kept : kept_figures()) one[kept.name] = finite_or_null(run.figure(kept.name));
    list.push_back(std::move(one));
  }
  return list;
}

Table axes_table(const exchange::RunStore& store, const exchange::RunQuery& query) {
  Table table{"axes",
              "What each choice does, on average over all others",
              {{"What is varied"},
               {"Value"},
               {"Runs", Format::count},
               {"Growth per year", Format::percent},
               {"Volatility", Format::percent},
               {"Sharpe", Format::number2},
               {"Best Sharpe", Format::number2},
               {"Max drawdown", Format::percent},
               {"Cost per year", Format::percent}},
              {},
              {}};
  bool unlike = false;
  for (const auto& [column, words] : axis_columns) {
    const auto groups = store.groups(query, column);
    if (groups.size() < 2) continue;
    unlike = unlike || !groups.front().balanced;
    for (const auto& group : groups) {
      table.add({std::string(words), group.value, double(group.runs), group.growth_per_year, group.volatility,
                 group.sharpe, group.best_sharpe, group.max_drawdown, group.cost_per_year});
    }
  }
  table.notes.emplace_back("Over the combinations of all else that every value of a choice has");
  if (unlike) {
    table.notes.emplace_back("Where no combination has them all, over all runs there are: these are unlike each other");
  }
  return table;
}

LevelMeans levels_of(const exchange::RunStore& store, const exchange::RunQuery& query) {
  LevelMeans means;
  if (store.groups(query, "cost_level").size() < 2) return means;
  const auto groups = store.groups(query, "cost_level", "schedule");
  for (const auto& group : groups) {
    const auto level = parse_number(group.value).value_or(0);
    if (means.levels.empty() || means.levels.back() != level) means.levels.push_back(level);
    if (std::ranges::find(means.schedules, group.second) == means.schedules.end()) {
      means.schedules.push_back(group.second);
    }
  }
  means.growth.assign(means.schedules.size(),
                      std::vector<double>(means.levels.size(), std::numeric_limits<double>::quiet_NaN()));
  for (const auto& group : groups) {
    const auto at = std::ranges::find(means.levels, parse_number(group.value).value_or(0)) - means.levels.begin();
    const auto k = std::ranges::find(means.schedules, group.second) - means.schedules.begin();
    means.growth[std::size_t(k)][std::size_t(at)] = group.growth_per_year;
  }
  return means;
}

Table levels_table(const LevelMeans& means) {
  Table table{"levels", "Mean growth per year by the level of trading costs", {{"Schedule"}}, {}, {}};
  for (const double level : means.levels) {
    table.columns.push_back({fmt::format("{:g} times", level), Format::percent});
  }
  for (std::size_t k = 0; k < means.schedules.size(); ++k) {
    std::vector<Cell> row{means.schedules[k]};
    for (const double growth : means.growth[k]) row.push_back(std::isnan(growth) ? Cell() : Cell(growth));
    table.add(std::move(row));
  }
  table.notes.emplace_back("Over the combinations of all else that all schedules have at all levels");
  std::string best;
  for (std::size_t at = 0; at < means.levels.size(); ++at) {
    std::size_t highest = 0;
    for (std::size_t k = 1; k < means.schedules.size(); ++k) {
      if (!(means.growth[k][at] <= means.growth[highest][at])) highest = k;
    }
    best += fmt::format("{}{} at {:g}", at == 0 ? "" : ", ", means.schedules[highest], means.levels[at]);
  }
  table.notes.emplace_back("Grows most: " + best);
  return table;
}

Chart levels_chart(const LevelMeans& means) {
  Chart chart{.name = "levels", .title = "Mean growth of each schedule by the level of costs"};
  chart.subtitle = "over the combinations of all else that all schedules have";
  chart.x = {"Trading costs, times the study's", Scale::number};
  chart.y = {"Growth per year", Scale::percent};
  chart.key = Chart::Key::below;
  chart.x_from_zero = chart.tight = true;
  for (std::size_t k = 0; k < means.schedules.size(); ++k) {
    Line line{means.schedules[k], means.levels, means.growth[k], colour::of_series(k)};
    line.dash = dashes_of_levels[k % std::size(dashes_of_levels)];
    line.width = 1.8;
    chart.series.emplace_back(std::move(line));
  }
  return chart;
}

}  // namespace inchtide::report

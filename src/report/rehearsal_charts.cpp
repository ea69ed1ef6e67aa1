#include "rehearsal_charts.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace inchtide::report {
namespace {

constexpr Dash dashes[] = {Dash::solid, Dash::dashed, Dash::dotted, Dash::dash_dot};

/// The runs of each portfolio, one list after the other.
std::vector<std::vector<const Rehearsal*>> by_portfolio(const std::vector<Rehearsal>& runs) {
  std::vector<std::vector<const Rehearsal*>> all;
  for (const auto& run : runs) {
    if (all.empty() || all.back().front()->aim != run.aim) all.emplace_back();
    all.back().push_back(&run);
  }
  return all;
}

/// Growth of 100 from the close on which all first trade, flows aside.
std::vector<double> growth_of(const Rehearsal& run, int delay) {
  std::vector<double> level;
  double now = 100;
  for (auto t = Eigen::Index(delay); t < run.net.size(); ++t) {
    if (t > delay) now *= run.before[t] / run.net[t - 1];
    level.push_back(now *= run.net[t] / (run.before[t] + run.flow[t]));
  }
  return level;
}

std::vector<Day> days_of(const Rehearsal& run, int delay) {
  return {run.days.begin() + delay, run.days.end()};
}

/// One line a portfolio, by its first schedule: schedules of one lie too close together to be told apart.
Chart wealth_chart(const std::vector<Rehearsal>& runs, int delay) {
  Chart chart{.name = "wealth", .title = "Rehearsed wealth after costs, flows aside"};
  chart.subtitle = fmt::format(
      "each portfolio on its first schedule ({}); 'schedules' shows what the others make of it", runs.front().schedule);
  chart.x = {"Day", Scale::day};
  chart.y = {"100 at the first trade", Scale::number};
  chart.key = Chart::Key::below;
  const auto portfolios = by_portfolio(runs);
  for (std::size_t k = 0; k < portfolios.size(); ++k) {
    const auto& run = *portfolios[k].front();
    Line line{run.aim, days_of(run, delay), growth_of(run, delay), colour::of_series(k)};
    line.dash = dashes[k / colour::series.size() % std::size(dashes)];
    line.width = 2;
    chart.series.emplace_back(std::move(line));
  }
  return chart;
}

Chart drawdown_chart(const std::vector<Rehearsal>& runs, int delay) {
  Chart chart{.name = "drawdown", .title = "Fall from the highest close so far, after costs"};
  chart.x = {"Day", Scale::day};
  chart.y = {"Drawdown", Scale::percent};
  chart.key = Chart::Key::below;
  const auto portfolios = by_portfolio(runs);
  for (std::size_t k = 0; k < portfolios.size(); ++k) {
    const auto& run = *portfolios[k].front();
    Line line{run.aim, days_of(run, delay), {}, colour::of_series(k)};
    line.dash = dashes[k / colour::series.size() % std::size(dashes)];
    line.width = 1.5;
    double peak = 0;
    for (double level : growth_of(run, delay)) {
      peak = std::max(peak, level);
      line.y.push_back(level / peak - 1);
    }
    chart.series.emplace_back(std::move(line));
  }
  return chart;
}

/// What each schedule makes of the same weights: wealth over that of the portfolio's first schedule.
Chart schedules_chart(const std::vector<const Rehearsal*>& runs, int delay) {
  const auto& first = *runs.front();
  Chart chart{.name = "schedules-" + first.aim,
              .title = fmt::format("{}: wealth against {}", first.aim, first.schedule)};
  chart.subtitle = "after costs, the same targets on other schedules";
  chart.x = {"Day", Scale::day};
  chart.y = {fmt::format("More or less than {}", first.schedule), Scale::percent};
  chart.key = Chart::Key::below;
  chart.y_from_zero = true;
  const auto base = growth_of(first, delay);
  for (std::size_t k = 1; k < runs.size(); ++k) {
    Line line{runs[k]->schedule, days_of(*runs[k], delay), growth_of(*runs[k], delay), colour::of_series(k - 1)};
    line.dash = dashes[(k - 1) % std::size(dashes)];
    line.width = 1.8;
    for (std::size_t t = 0; t < base.size(); ++t) line.y[t] = line.y[t] / base[t] - 1;
    chart.series.emplace_back(std::move(line));
  }
  return chart;
}

/// What it costs to stay near the targets: drift risk against cost per year, a mark a run. Those that none of their
/// portfolio beats in both are joined.
Chart drift_chart(const std::vector<Rehearsal>& runs) {
  Chart chart{.name = "drift", .title = "What it costs to stay near the targets"};
  chart.subtitle = "the schedules of a portfolio that no other beats in both are joined";
  chart.x = {"Off its targets, tracking error per year", Scale::percent};
  chart.y = {"Cost per year", Scale::percent};
  chart.x_from_zero = chart.y_from_zero = true;
  chart.key = Chart::Key::below;
  constexpr Marker markers[] = {Marker::circle, Marker::square, Marker::triangle, Marker::diamond};
  std::size_t aims = 0;
  for (auto same : by_portfolio(runs)) {
    if (same.size() < 2) continue;
    Points points{same.front()->aim, {}, {}, {}, colour::of_series(aims), markers[aims % std::size(markers)]};
    for (const auto* run : same) {
      points.x.push_back(run->tracking_to_targets);
      points.y.push_back(run->cost_per_year);
      points.labels.push_back(run->schedule);
    }
    std::ranges::sort(same, {}, &Rehearsal::tracking_to_targets);
    std::vector<double> x, y;
    for (const auto* run : same) {
      if (!y.empty() && run->cost_per_year >= y.back()) continue;
      x.push_back(run->tracking_to_targets);
      y.push_back(run->cost_per_year);
    }
    Line line{"", x, y, colour::of_series(aims)};
    line.width = 1;
    chart.series.emplace_back(std::move(line));
    chart.series.emplace_back(std::move(points));
    ++aims;
  }
  return chart;
}

}  // namespace

std::vector<Chart> rehearsal_charts(const std::vector<Rehearsal>& runs, int delay) {
  std::vector<Chart> charts{wealth_chart(runs, delay), drawdown_chart(runs, delay)};
  for (const auto& portfolio : by_portfolio(runs)) {
    if (portfolio.size() < 2) continue;
    charts.push_back(schedules_chart(portfolio, delay));
    if (std::ranges::count(charts, "schedules", &Chart::name) > 0) continue;
    charts.push_back(charts.back());  // the first portfolio's by the plain name
    charts.back().name = "schedules";
  }
  auto drift = drift_chart(runs);
  if (!drift.series.empty()) charts.push_back(std::move(drift));
  return charts;
}

}  // namespace inchtide::report

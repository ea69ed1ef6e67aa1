#include "rehearsal_charts.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <functional>
#include <optional>

#include "stack.hpp"

namespace inchtide::report {
namespace {

constexpr Dash dashes[] = {Dash::solid, Dash::dashed, Dash::dotted, Dash::dash_dot};

/// Cash of less isn't drawn; of wealth.
constexpr double worth_an_area = 0.001;

using ShareOf = double (*)(const CostShares&);
constexpr std::pair<const char*, ShareOf> cost_parts[] = {
    {"commission", [](const CostShares& shares) { return shares.trading.commission; }},
    {"fees", [](const CostShares& shares) { return shares.trading.fee; }},
    {"half-spread", [](const CostShares& shares) { return shares.trading.half_spread; }},
    {"stamp duty", [](const CostShares& shares) { return shares.trading.stamp_duty; }},
    {"conversion", [](const CostShares& shares) { return shares.trading.conversion; }},
    {"impact", [](const CostShares& shares) { return shares.trading.impact; }},
    {"other", [](const CostShares& shares) { return shares.trading.other; }},
    {"custody, borrowing", [](const CostShares& shares) { return shares.charges; }}};

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

/// How far levels are below the highest so far.
std::vector<double> falls_of(const std::vector<double>& levels) {
  std::vector<double> falls;
  double peak = 0;
  for (double level : levels) {
    peak = std::max(peak, level);
    falls.push_back(level / peak - 1);
  }
  return falls;
}

/// The same from wealth had nothing been paid for trading.
std::vector<double> gross_growth_of(const Rehearsal& run, int delay) {
  std::vector<double> level;
  for (auto t = Eigen::Index(delay); t < run.gross.size(); ++t) level.push_back(100 * run.gross[t] / run.gross[delay]);
  return level;
}

/// One line a portfolio, by its first schedule: schedules of one lie too close together to be told apart.
Chart wealth_chart(const std::vector<Rehearsal>& runs, int delay, bool benchmark) {
  Chart chart{.name = "wealth", .title = "Rehearsed wealth, flows aside"};
  chart.subtitle = fmt::format(
      "each portfolio on its first schedule ({}): after costs, and dotted before them; below, "
      "the fall from the highest close so far",
      runs.front().schedule);
  chart.x = {"Day", Scale::day};
  chart.y = {"100 at the first trade", Scale::number};
  Panel falls{{"Drawdown", Scale::percent}, {}};
  const auto portfolios = by_portfolio(runs);
  for (std::size_t k = 0; k < portfolios.size(); ++k) {
    const auto& run = *portfolios[k].front();
    Line line{run.aim, days_of(run, delay), growth_of(run, delay), colour::of_series(k)};
    line.dash = dashes[k / colour::series.size() % std::size(dashes)];
    if (benchmark && &run == &runs.back()) line.colour = colour::ink;
    line.width = 2;
    Line fall{"", line.x, falls_of(line.y), line.colour, line.dash, 1.3};
    if (run.costs_paid > 0) {
      chart.series.emplace_back(Line{"", line.x, gross_growth_of(run, delay), line.colour, Dash::dotted, 1.2});
    }
    chart.series.emplace_back(std::move(line));
    falls.series.emplace_back(std::move(fall));
  }
  chart.below.push_back(std::move(falls));
  return chart;
}

/// Rows between which weights do no more than drift: the first and the last, ends of months, and of each trade its day
/// and the one before.
std::vector<Eigen::Index> rows_to_draw(const Rehearsal& run, int delay) {
  const auto month = [&](std::size_t row) { return std::chrono::year_month_day(run.days[row]).month(); };
  std::vector<Eigen::Index> rows;
  auto trade = run.trades.begin();
  const auto trades_on = [&](std::size_t row) {
    while (trade != run.trades.end() && trade->traded < run.days[row]) ++trade;
    return trade != run.trades.end() && trade->traded == run.days[row];
  };
  const auto first = std::size_t(delay), last = run.days.size() - 1;
  for (std::size_t row = first; row <= last; ++row) {
    const bool ends = row == first || row == last || month(row) != month(row + 1);
    if (ends || trades_on(row) || trades_on(row + 1)) rows.push_back(Eigen::Index(row));
  }
  return rows;
}

/// What is held, with the trades as columns on the axis.
Chart held_chart(const Rehearsal& run, int delay) {
  Chart chart{.name = "held-" + run.name, .title = fmt::format("{}: weights over time", run.name)};
  chart.subtitle = "at ends of months and around each trade; the columns are the turnover of the trades";
  chart.x = {"Day", Scale::day};
  chart.y = {"Weight, stacked", Scale::percent};
  chart.key = Chart::Key::right;
  chart.y_from_zero = chart.tight = true;
  const auto rows = rows_to_draw(run, delay);
  std::vector<Day> days;
  for (const auto row : rows) days.push_back(run.days[std::size_t(row)]);
  const Eigen::MatrixXd weights = run.weights(rows, Eigen::all);
  Stack stack(days, rows.size());
  for (std::size_t i = 0; i < run.assets.size(); ++i) stack.lay(chart, run.assets[i], weights.col(Eigen::Index(i)));
  const Eigen::VectorXd cash = 1 - weights.rowwise().sum().array();
  const bool owes = cash.minCoeff() < -worth_an_area;
  if (owes || cash.maxCoeff() > worth_an_area) stack.lay(chart, "cash", owes ? cash : cash.cwiseMax(0));
  Columns turnover{"turnover", {}, {}, colour::ink, 1.4};
  for (const auto& trade : run.trades) {
    turnover.x.push_back(trade.traded);
    turnover.y.push_back(trade.turnover);
  }
  if (!turnover.x.empty()) chart.series.emplace_back(std::move(turnover));
  return chart;
}

/// The parts of cost by schedule, lying on each other.
std::optional<Chart> costs_chart(const std::vector<const Rehearsal*>& runs) {
  const auto& aim = runs.front()->aim;
  Chart chart{.name = "costs-" + aim, .title = fmt::format("{}: what it cost a year, by part", aim)};
  chart.subtitle = "of log growth; waiting for the trade's close aside";
  chart.y = {"Cost per year", Scale::percent};
  chart.y_from_zero = true;
  chart.key = Chart::Key::right;
  std::vector<double> places, below(runs.size(), 0);
  for (const auto* run : runs) {
    chart.x.categories.push_back(run->schedule);
    places.push_back(double(places.size()));
  }
  std::size_t used = 0;
  for (const auto& [name, of] : cost_parts) {
    std::vector<double> tops = below;
    for (std::size_t k = 0; k < runs.size(); ++k) tops[k] += of(runs[k]->cost_shares);
    if (tops == below) continue;
    Boxes boxes{name, places, tops, 0.7, colour::of_series(used), used >= colour::series.size()};
    chart.series.insert(chart.series.begin(), std::move(boxes));  // the higher ones lie behind
    below = tops;
    ++used;
  }
  if (used == 0) return std::nullopt;
  return flat_if_long(std::move(chart));
}

/// A step up on the day of each trade.
std::vector<double> added_up(const Rehearsal& run, int delay, const std::function<double(const Trade&)>& of) {
  std::vector<double> sums;
  double sum = 0;
  auto trade = run.trades.begin();
  const bool purchase = run.turnover_after_first < run.turnover_per_year;  // the first one is left aside
  for (const Day day : days_of(run, delay)) {
    for (; trade != run.trades.end() && trade->traded <= day; ++trade) {
      if (!purchase || trade != run.trades.begin()) sum += of(*trade);
    }
    sums.push_back(sum);
  }
  return sums;
}

/// When the schedules trade, how much and at what cost.
Chart turnover_chart(const std::vector<const Rehearsal*>& runs, int delay) {
  const auto& aim = runs.front()->aim;
  Chart chart{.name = "turnover-" + aim, .title = fmt::format("{}: turnover so far, a step each trading day", aim)};
  chart.subtitle = "the first purchase aside; below, what the trades have cost of the wealth of their days";
  chart.x = {"Day", Scale::day};
  chart.y = {"Turnover, summed", Scale::percent};
  Panel costs{{"Costs, summed", Scale::percent}, {}};
  for (std::size_t k = 0; k < runs.size(); ++k) {
    const auto& run = *runs[k];
    Line line{run.schedule, days_of(run, delay), {}, colour::of_series(k)};
    line.y = added_up(run, delay, [](const Trade& trade) { return trade.turnover; });
    line.dash = dashes[k / colour::series.size() % std::size(dashes)];
    line.width = 1.8;
    Line cost = line;
    cost.name.clear();
    cost.y = added_up(run, delay, [](const Trade& trade) { return trade.cost.total() / trade.wealth_before; });
    chart.series.emplace_back(std::move(line));
    costs.series.emplace_back(std::move(cost));
  }
  chart.below.push_back(std::move(costs));
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

std::vector<Chart> rehearsal_charts(const std::vector<Rehearsal>& runs, int delay, bool benchmark) {
  std::vector<Chart> charts{wealth_chart(runs, delay, benchmark)};
  // A portfolio's by the name with its aim; the first's by the plain name too.
  const auto add = [&](const char* name, Chart chart) {
    const bool first = std::ranges::count(charts, name, &Chart::name) == 0;
    charts.push_back(std::move(chart));
    if (!first) return;
    charts.push_back(charts.back());
    charts.back().name = name;
  };
  for (const auto& portfolio : by_portfolio(runs)) {
    if (portfolio.front()->weights.size() > 0) {
      auto first = held_chart(*portfolio.front(), delay);
      first.name = "held-" + portfolio.front()->aim;
      add("held", std::move(first));
    }
    if (portfolio.size() < 2) continue;
    add("schedules", schedules_chart(portfolio, delay));
    add("turnover", turnover_chart(portfolio, delay));
    if (auto costs = costs_chart(portfolio)) add("costs", std::move(*costs));
  }
  for (const auto& run : runs) {
    if (run.weights.size() == 0) continue;
    charts.push_back(held_chart(run, delay));
    charts.back().picture = false;
  }
  auto drift = drift_chart(runs);
  if (!drift.series.empty()) charts.push_back(std::move(drift));
  return charts;
}

}  // namespace inchtide::report

// What the figures of rehearsals draw is what the runs came to.

#include <gmock/gmock.h>

#include <cmath>

#include "inchtide/report/rehearsal.hpp"

namespace inchtide::report {
namespace {

/// Two assets a month apart in their waves, the same weights held and brought back monthly, from cash.
Runs two_schedules() {
  PriceTable table;
  for (int t = 0; t < 260; ++t) table.days.push_back(*parse_day("2024-01-01") + std::chrono::days{t});
  table.assets = {{"TIDEMILL", "HLC", PriceField::close}, {"KELPFARM", "HLC", PriceField::close}};
  table.prices.resize(260, 2);
  for (int t = 0; t < 260; ++t) table.prices.row(t) << 100 + 20 * std::sin(t / 15.0), 50 + 9 * std::cos(t / 22.0);
  RehearsalPlan plan;
  plan.aim = "even";
  plan.weights = Eigen::Vector2d(0.5, 0.4);
  plan.terms.costs = asset_costs({CostClass::parse("25bp", "")}, table.codes(), {});
  for (auto& costs : plan.terms.costs) costs.custody = 0.01;
  RehearsalOptions options;
  options.keep_weights = true;
  Runs runs;
  for (const char* schedule : {"never", "1m"}) {
    plan.schedule = Schedule::parse(schedule, "");
    runs.all.push_back(rehearse(table, plan, options));
    runs.all.back().schedule = schedule;
    runs.all.back().name = std::string("even, ") + schedule;
  }
  return runs;
}

struct Drawn {
  Runs runs = two_schedules();
  Chapter chapter;

  Drawn() {
    Universe universe;
    Settings settings;
    settings.split = runs.all[0].days.front();
    Basis basis;
    basis.estimate.assets = runs.all[0].assets;
    basis.estimate.expected_return = Eigen::Vector2d(0.05, 0.06);
    basis.estimate.covariance = Covariance::dense(Eigen::Matrix2d::Identity() * 0.04);
    chapter = rehearse_chapter(runs, basis, universe, {}, settings, {});
  }
  [[nodiscard]] const Chart& chart(const std::string& name) const {
    const auto found = std::ranges::find(chapter.charts, name, &Chart::name);
    if (found == chapter.charts.end()) throw std::out_of_range(name);
    return *found;
  }
};

template <typename Kind>
std::vector<const Kind*> all_of(const std::vector<Series>& series) {
  std::vector<const Kind*> all;
  for (const auto& one : series) {
    if (const auto* kind = std::get_if<Kind>(&one)) all.push_back(kind);
  }
  return all;
}

TEST(RehearsalCharts, WealthEndsAtTheGrowthAndFallsByTheDrawdown) {
  const Drawn drawn;
  const auto& chart = drawn.chart("wealth");
  const auto& run = drawn.runs.all[0];
  const auto lines = all_of<Line>(chart.series);
  ASSERT_EQ(lines.size(), 2u) << "before costs, and after them";
  EXPECT_NEAR(lines[1]->y.back(), 100 * (1 + run.growth), 1e-10);
  EXPECT_GT(lines[0]->y.back(), lines[1]->y.back());
  const auto falls = all_of<Line>(chart.below.at(0).series);
  EXPECT_NEAR(*std::ranges::min_element(falls.at(0)->y), run.max_drawdown, 1e-12);
}

TEST(RehearsalCharts, HeldLaysTheWeightsOnEachOtherAtEndsOfMonthsAndAroundTrades) {
  const Drawn drawn;
  for (const auto& run : drawn.runs.all) {
    const auto& chart = drawn.chart("held-" + run.name);
    EXPECT_FALSE(chart.picture);
    const auto bands = all_of<Band>(chart.series);
    ASSERT_EQ(bands.size(), 3u) << "two assets and cash";
    EXPECT_EQ(bands[2]->name, "cash");
    const auto& days = std::get<std::vector<Day>>(bands[0]->x);
    EXPECT_EQ(days.front(), run.days[1]) << "the first trade";
    EXPECT_EQ(days.back(), run.days.back());
    for (std::size_t k = 0; k < days.size(); ++k) {
      const auto row = std::ranges::find(run.days, days[k]) - run.days.begin();
      ASSERT_LT(std::size_t(row), run.days.size());
      for (Eigen::Index i = 0; i < 2; ++i) {
        EXPECT_NEAR(bands[std::size_t(i)]->high[k] - bands[std::size_t(i)]->low[k], run.weights(row, i), 1e-12);
      }
      EXPECT_NEAR(bands[2]->high[k], 1, 1e-12);
    }
    const auto has = [&](Day day) { return std::ranges::count(days, day) == 1; };
    for (const char* end : {"2024-01-31", "2024-02-29", "2024-08-31"}) EXPECT_TRUE(has(*parse_day(end))) << end;
    const auto turnover = all_of<Columns>(chart.series);
    ASSERT_EQ(turnover.size(), 1u);
    ASSERT_EQ(turnover[0]->x.size(), run.trades.size());
    for (std::size_t k = 0; k < run.trades.size(); ++k) {
      EXPECT_EQ(turnover[0]->x[k], run.trades[k].traded);
      EXPECT_EQ(turnover[0]->y[k], run.trades[k].turnover);
      EXPECT_TRUE(has(run.trades[k].traded));
      if (k > 0) {
        EXPECT_TRUE(has(run.trades[k].traded - std::chrono::days{1})) << "what it was before";
      }
    }
    EXPECT_LT(days.size(), 40u);
  }
  EXPECT_EQ(drawn.chart("held").title, drawn.chart("held-even, never").title) << "the plain name is the first run's";
  EXPECT_TRUE(drawn.chart("held-even").picture);
}

TEST(RehearsalCharts, TurnoverStepsWhereItTradesTheFirstPurchaseAside) {
  const Drawn drawn;
  const auto& chart = drawn.chart("turnover");
  const auto lines = all_of<Line>(chart.series), costs = all_of<Line>(chart.below.at(0).series);
  ASSERT_EQ(lines.size(), 2u);
  EXPECT_EQ(lines[0]->y.back(), 0) << "never trades again";
  const auto& run = drawn.runs.all[1];
  double turnover = 0, cost = 0;
  std::size_t at = 1;  // of the trades
  for (std::size_t t = 0; t + 1 < run.days.size(); ++t) {
    if (at < run.trades.size() && run.trades[at].traded == run.days[t + 1]) {
      turnover += run.trades[at].turnover;
      cost += run.trades[at].cost.total() / run.trades[at].wealth_before;
      ++at;
    }
    EXPECT_NEAR(lines[1]->y[t], turnover, 1e-12);
    EXPECT_NEAR(costs[1]->y[t], cost, 1e-12);
  }
  EXPECT_EQ(at, run.trades.size());
  EXPECT_GT(turnover, 0.1);
}

TEST(RehearsalCharts, CostsReachWhatLogGrowthLost) {
  const Drawn drawn;
  const auto boxes = all_of<Boxes>(drawn.chart("costs").series);
  ASSERT_EQ(boxes.size(), 2u) << "commission and custody";
  EXPECT_EQ(boxes[0]->name, "custody, borrowing") << "the higher ones lie behind";
  for (std::size_t k = 0; k < 2; ++k) {
    const auto& run = drawn.runs.all[k];
    const double years = double((run.days.back() - run.days[1]).count()) / 365.25;
    const auto last = run.net.size() - 1;
    const double lost = std::log(run.gross[last] / run.gross[1] / (1 + run.growth)) / years;
    EXPECT_NEAR(boxes[0]->y[k], lost, 1e-10);
    EXPECT_NEAR(boxes[1]->y[k], run.cost_shares.trading.commission, 1e-15);
  }
}

TEST(RehearsalCharts, SchedulesAndDriftAreBesideTheFirstAndByTheMeasures) {
  const Drawn drawn;
  const auto &never = drawn.runs.all[0], &monthly = drawn.runs.all[1];
  const auto lines = all_of<Line>(drawn.chart("schedules").series);
  ASSERT_EQ(lines.size(), 1u);
  EXPECT_NEAR(lines[0]->y.back(), (1 + monthly.growth) / (1 + never.growth) - 1, 1e-12);
  const auto points = all_of<Points>(drawn.chart("drift").series);
  ASSERT_EQ(points.size(), 1u);
  EXPECT_EQ(points[0]->x, (std::vector<double>{never.tracking_to_targets, monthly.tracking_to_targets}));
  EXPECT_EQ(points[0]->y, (std::vector<double>{never.cost_per_year, monthly.cost_per_year}));
}

}  // namespace
}  // namespace inchtide::report

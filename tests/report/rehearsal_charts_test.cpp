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

TEST(RehearsalCharts, HeldLaysTheWeightsOfEachDayOnEachOther) {
  const Drawn drawn;
  const auto& run = drawn.runs.all[0];
  const auto bands = all_of<Band>(drawn.chart("held").series);
  ASSERT_EQ(bands.size(), 3u) << "two assets and cash";
  for (std::size_t t = 0; t + 1 < run.days.size(); ++t) {  // from the first trade on
    for (Eigen::Index i = 0; i < 2; ++i) {
      const auto& band = *bands[std::size_t(i)];
      EXPECT_NEAR(band.high[t] - band.low[t], run.weights(Eigen::Index(t) + 1, i), 1e-12);
    }
    EXPECT_NEAR(bands[2]->high[t], 1, 1e-12);
  }
  EXPECT_EQ(bands[2]->name, "cash");
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

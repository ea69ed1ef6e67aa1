// Which schedule is best at which level of costs.

#include "inchtide/study/cost_levels.hpp"

#include <gmock/gmock.h>

#include <cmath>

#include "inchtide/base/errors.hpp"
#include "support/messages.hpp"
#include "support/walks.hpp"

namespace inchtide {
namespace {

using test::day;
using test::message_of;
using testing::AllOf;
using testing::HasSubstr;

TEST(AtLevel, MultipliesEveryPartOfTradingAndNothingElse) {
  AssetCosts costs;
  costs.buy = {3, {{0, 0.001}, {500, 0.0005}}, false, 2, 40, 0.0004, 0.005, 0.0008, 0.3};
  costs.buy.own = [](double value) { return 1e-6 * value * value; };
  costs.sell = {1, {{0, 0.002}}};
  costs.custody = 0.0003;
  costs.borrowing = 0.01;
  for (const double level : {0.0, 0.5, 7.0}) {
    const auto more = at_level(costs, level);
    EXPECT_EQ(more.custody, costs.custody);
    EXPECT_EQ(more.borrowing, costs.borrowing);
    for (const double value : {100.0, 900.0, 90'000.0, -50.0, -8000.0}) {
      const auto once = costs.of_trade(value, 0.002), times = more.of_trade(value, 0.002);
      for (auto part : {&OrderCost::fee, &OrderCost::commission, &OrderCost::half_spread, &OrderCost::stamp_duty,
                        &OrderCost::conversion, &OrderCost::impact, &OrderCost::other}) {
        EXPECT_NEAR(times.*part, level * once.*part, 1e-12 * std::abs(once.*part)) << value;
      }
    }
  }
}

/// Two assets at a price each until the first doubles for the last day of January and comes back.
struct Doubled {
  Sources sources;
  Settings settings;
  Doubled() {
    for (const char* code : {"TIDEMILL", "HOLLBOND"}) {
      auto bars = test::walk(code, unsigned(code[0]), day("2020-01-01"), day("2022-02-15"));
      auto& closes = bars.of(PriceField::close);
      const auto& days = bars.days;
      const auto first = std::size_t(std::ranges::lower_bound(days, day("2021-12-31")) - days.begin());
      for (std::size_t t = first; t < days.size(); ++t) {
        closes[t] = closes[first] * (code[0] == 'T' && days[t] == day("2022-01-31") ? 2 : 1);
      }
      sources.bars.push_back(std::move(bars));
    }
    settings.split = day("2022-01-01");
    settings.real_moves = {"TIDEMILL"};
    settings.delay = 0;
    settings.aims = {Aim::parse("equal", "")};
    settings.schedules = {Schedule::parse("never", ""), Schedule::parse("1m", "")};
    settings.costs = {CostClass::parse("500bp", "")};
  }
  [[nodiscard]] CostLevels levels(const std::string& portfolio = "equal", const std::string& baseline = "never",
                                  int threads = 0) const {
    const auto universe = universe_of(sources, settings);
    const auto basis = basis_of(universe, sources, settings, settings.split);
    const auto portfolios = portfolios_of(basis, sources, settings);
    return cost_levels_of(universe, basis, portfolios, sources, settings, portfolio, baseline, threads);
  }
};

// What held on is worth in the end is what it was. Brought back to halves at 1.5 times its worth, at a rate r, it is
// 1.5 - r / 2 and then three quarters of that: the same at r = 1/3, which is 20/3 times 5%.
TEST(CostLevels, TwoSchedulesChangePlacesWhereTheirGrowthByHandIsTheSame) {
  const Doubled study;
  const auto levels = study.levels();
  EXPECT_EQ(levels.schedules, (std::vector<std::string>{"never", "1m"}));
  ASSERT_EQ(levels.break_evens.size(), 1u);
  const auto& one = levels.break_evens[0];
  EXPECT_EQ(one.schedule, 1u);
  EXPECT_TRUE(one.better_below);
  EXPECT_LE(one.low, 20.0 / 3);
  EXPECT_GE(one.high, 20.0 / 3);
  EXPECT_LE(one.high - one.low, 1e-4);
  const double years = double((day("2022-02-15") - day("2021-12-31")).count()) / 365.25;
  for (std::size_t k = 0; k < levels.levels.size(); ++k) {
    const double rate = 0.05 * levels.levels[k], bought = 1 / (1 + rate);
    const auto row = Eigen::Index(k);
    EXPECT_NEAR(levels.growth(row, 0), std::pow(bought, 1 / years) - 1, 1e-12);
    EXPECT_NEAR(levels.growth(row, 1), std::pow(bought * 0.75 * (1.5 - rate / 2), 1 / years) - 1, 1e-12);
  }
  for (const double round : {0.0, 0.5, 1.0, 2.0, 5.0, 10.0}) EXPECT_THAT(levels.levels, testing::Contains(round));
  // The rest is that of the same runs: costs, and none at the level of none.
  EXPECT_EQ(levels.cost_per_year(0, 1), 0);
  for (std::size_t k = 1; k < levels.levels.size(); ++k) {
    const auto row = Eigen::Index(k);
    EXPECT_NEAR(levels.cost_per_year(row, 1), levels.growth(0, 1) - levels.growth(row, 1), 1e-12) << "gross less net";
    EXPECT_LE(levels.max_drawdown(row, 1), 0);
    EXPECT_GT(levels.volatility(row, 1), 0);
  }
  // Held against the other one it is the other way round.
  const auto turned = study.levels("equal", "1m");
  ASSERT_EQ(turned.break_evens.size(), 1u);
  EXPECT_FALSE(turned.break_evens[0].better_below);
  EXPECT_EQ(turned.break_evens[0].schedule, 0u);
  EXPECT_EQ(study.levels("equal", "never", 1).growth, study.levels("equal", "never", 2).growth);
}

TEST(CostLevels, WhereCostsWouldReachAllWealthThereIsNoFigure) {
  Doubled study;
  study.settings.costs = {CostClass::parse("2000bp", "")};
  const auto levels = study.levels();
  EXPECT_TRUE(std::isnan(levels.growth(levels.growth.rows() - 1, 1)));
  EXPECT_FALSE(std::isnan(levels.growth(0, 1)));
  ASSERT_EQ(levels.break_evens.size(), 1u);
  EXPECT_NEAR(levels.break_evens[0].low, 5.0 / 3, 1e-4);
}

TEST(CostLevels, SayWhatCannotBe) {
  Doubled study;
  EXPECT_THAT(message_of([&] { (void)study.levels("eqal"); }), HasSubstr("no portfolio is called 'eqal'"));
  EXPECT_THAT(message_of([&] { (void)study.levels("equal", "neverr"); }),
              AllOf(HasSubstr("no schedule is called 'neverr'"), HasSubstr("'never'")));
  study.settings.schedules.resize(1);
  EXPECT_THAT(message_of([&] { (void)study.levels(); }), HasSubstr("there is one schedule"));
  study.settings.reestimate = Schedule::parse("1y", "");
  EXPECT_THAT(message_of([&] { (void)study.levels(); }), HasSubstr("weights that are chosen anew have no such line"));
  study.settings.costs.clear();
  EXPECT_THAT(message_of([&] { (void)study.levels(); }), HasSubstr("there are no trading costs to multiply"));
}

}  // namespace
}  // namespace inchtide

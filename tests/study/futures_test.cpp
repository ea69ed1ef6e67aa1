// Portfolios and schedules of a study on histories that did not happen.

#include "inchtide/study/futures.hpp"

#include <gmock/gmock.h>

#include "inchtide/base/errors.hpp"
#include "support/messages.hpp"
#include "support/walks.hpp"

namespace inchtide {
namespace {

using test::day;
using test::message_of;
using testing::HasSubstr;

struct Drawable {
  Sources sources;
  Settings settings;
  Drawable() {
    for (const char* code : {"TIDEMILL", "KELPFARM", "HOLLBOND"}) {
      sources.bars.push_back(test::walk(code, unsigned(code[0]), day("2019-01-01"), day("2021-12-31")));
    }
    settings.split = day("2021-01-01");
    settings.costs = {CostClass::parse("30bp", "")};
    settings.aims = {Aim::parse("equal", ""), Aim::parse("minimum-variance", "")};
    settings.schedules = {Schedule::parse("never", ""), Schedule::parse("1m", "")};
    settings.futures = 40;
  }
  [[nodiscard]] Futures draw(const FutureOptions& options = {}) const {
    const auto universe = universe_of(sources, settings);
    const auto basis = basis_before_split(universe, sources, settings);
    return futures_of(universe, basis, portfolios_of(basis, sources, settings), sources, settings, options);
  }
};

TEST(StudyFutures, BlocksOfMostOfTheDaysAreRefused) {
  const Drawable study;
  const auto rows = double(study.draw({.block = 4}).rows);
  EXPECT_THAT(test::message_of([&] { (void)study.draw({.block = rows / 3 + 1}); }),
              testing::HasSubstr("draws hardly differ"));
  EXPECT_EQ(study.draw({.block = rows / 3 - 1}).histories, 40u);
}

// Each run of each history, made again from the public parts: its table drawn, its plan written out.
TEST(StudyFutures, AreTheRehearsalsOfTheDrawnHistories) {
  const Drawable study;
  const auto futures = study.draw({.block = 4, .seed = 9});
  ASSERT_EQ(futures.runs.size(), 4u);
  EXPECT_EQ(futures.histories, 40u);
  EXPECT_EQ(futures.cut, 0u);
  const auto universe = universe_of(study.sources, study.settings);
  const auto basis = basis_before_split(universe, study.sources, study.settings);
  const auto portfolios = portfolios_of(basis, study.sources, study.settings);
  const auto relatives = day_relatives(universe.prices.prices).relatives;
  EXPECT_EQ(futures.rows, std::size_t(relatives.rows()));
  std::vector<Notice> told;
  const auto walk = walk_of(universe, study.settings, told);
  for (std::size_t k = 0; k < futures.runs.size(); ++k) {
    RehearsalPlan plan;
    plan.weights = portfolios.all[k / 2].weights;
    plan.schedule = study.settings.schedules[k % 2];
    plan.terms.costs = asset_costs(study.settings.costs, universe.assets, {});
    RehearsalOptions how;
    how.wealth = study.settings.wealth;
    for (const std::size_t draw : {0u, 7u, 39u}) {
      const auto run = rehearse(drawn_history(walk, relatives, 4, 9, draw), plan, how);
      const auto at = Eigen::Index(draw);
      EXPECT_DOUBLE_EQ(futures.runs[k].growth_per_year[at], run.growth_per_year);
      EXPECT_DOUBLE_EQ(futures.runs[k].max_drawdown[at], run.max_drawdown);
      EXPECT_DOUBLE_EQ(futures.runs[k].end_wealth[at], run.net[run.net.size() - 1]);
      EXPECT_NEAR(futures.runs[k].cost_per_year[at], run.cost_per_year, 1e-14);
    }
  }
}

TEST(StudyFutures, AreTheSameWhateverTheThreadsAndDifferByTheSeed) {
  const Drawable study;
  const auto one = study.draw({.threads = 1}), two = study.draw({.threads = 2}), other = study.draw({.seed = 2});
  EXPECT_EQ(one.block, two.block);
  for (std::size_t k = 0; k < one.runs.size(); ++k) {
    EXPECT_EQ(one.runs[k].end_wealth, two.runs[k].end_wealth);
    EXPECT_EQ(one.runs[k].fan, two.runs[k].fan);
    EXPECT_NE(one.runs[k].end_wealth, other.runs[k].end_wealth);
  }
}

TEST(StudyFutures, AFanBeginsAtTheWealthAndEndsAtTheQuantilesOfItsEnd) {
  Drawable study;
  study.settings.baseline = "minimum-variance, 1m";
  const auto futures = study.draw();
  EXPECT_EQ(futures.runs[futures.baseline].name, "minimum-variance, 1m");
  EXPECT_EQ(futures.fan_days.front(), day("2020-12-31"));
  EXPECT_EQ(futures.fan_days.back(), day("2021-12-31"));
  EXPECT_LE(futures.fan_days.size(), 140u);
  for (const auto& run : futures.runs) {
    ASSERT_EQ(run.fan.rows(), Eigen::Index(futures.fan_days.size()));
    EXPECT_EQ(run.fan.row(0).minCoeff(), study.settings.wealth);
    EXPECT_EQ(run.fan.row(0).maxCoeff(), study.settings.wealth);
    EXPECT_EQ(run.fan.bottomRows(1).transpose(), quantiles_of(run.end_wealth));
    for (Eigen::Index k = 1; k < run.fan.cols(); ++k) {
      EXPECT_GE((run.fan.col(k) - run.fan.col(k - 1)).minCoeff(), 0) << run.name;
    }
  }
}

// What is estimated anew on the first row knows the real past alone: with no other estimate after it the run is that of
// fixed weights by the same window.
TEST(StudyFutures, WithoutABaselineTheFirstRunIsIt) {
  Drawable study;
  study.settings.futures = 2;
  EXPECT_EQ(study.draw().baseline, 0u);
}

TEST(StudyFutures, EstimatesInAHistoryTakeWhatIsKnownThere) {
  Drawable study;
  study.settings.aims = {Aim::parse("minimum-variance", "")};
  const auto fixed = study.draw();
  study.settings.reestimate = Schedule::parse("5y", "");
  const auto once = study.draw();
  for (std::size_t k = 0; k < fixed.runs.size(); ++k) {
    EXPECT_LT((once.runs[k].end_wealth - fixed.runs[k].end_wealth).cwiseAbs().maxCoeff(), 1.0)
        << "to a part in a million";
  }
  study.settings.reestimate = Schedule::parse("1q", "");
  const auto often = study.draw();
  EXPECT_GT((often.runs[1].end_wealth - fixed.runs[1].end_wealth).cwiseAbs().minCoeff(), 0);
  EXPECT_EQ(often.runs[1].end_wealth, study.draw({.threads = 1}).runs[1].end_wealth);
}

TEST(StudyFutures, RefuseWhatCannotBeDrawn) {
  const auto refused = [](auto change) {
    Drawable study;
    change(study);
    return message_of([&] { (void)study.draw(); });
  };
  EXPECT_THAT(refused([](Drawable& s) { s.settings.futures = 0; }), HasSubstr("no histories are to be drawn"));
  EXPECT_THAT(refused([](Drawable& s) {
                s.settings.costs[0].buy.impact = 0.3;
                for (auto& bars : s.sources.bars) bars.of(PriceField::volume).assign(bars.days.size(), 1e5);
              }),
              HasSubstr("impact hangs on what is traded a day"));
  EXPECT_THAT(refused([](Drawable& s) {
                s.settings.fields.preferred = PriceField::close;
                s.sources.actions = {{"KELPFARM", day("2021-03-01"), 1, 0.1}};
              }),
              HasSubstr("cannot be drawn"));
}

}  // namespace
}  // namespace inchtide

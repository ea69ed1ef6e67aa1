// What of a study's runs was luck, and what the choice of the day alone does.

#include "inchtide/study/luck.hpp"

#include <gmock/gmock.h>

#include <cmath>

#include "inchtide/base/errors.hpp"
#include "support/messages.hpp"
#include "support/walks.hpp"

namespace inchtide {
namespace {

using test::day;
using test::message_of;
using test::three;
using testing::AllOf;
using testing::HasSubstr;

struct Tested {
  Sources sources = three();
  Settings settings;
  Universe universe;
  Basis basis;
  Portfolios portfolios;

  explicit Tested(const std::vector<const char*>& schedules) {
    settings.split = day("2022-01-03");
    settings.aims = {Aim::parse("equal", ""), Aim::parse("minimum-variance", "")};
    settings.costs = {CostClass::parse("20bp", "")};
    settings.risk_free = 0.02;
    for (const char* text : schedules) settings.schedules.push_back(Schedule::parse(text, ""));
    universe = universe_of(sources, settings);
    basis = basis_of(universe, sources, settings, settings.split);
    portfolios = portfolios_of(basis, sources, settings);
  }
  [[nodiscard]] Runs runs() const { return runs_of(universe, basis, portfolios, sources, settings); }
};

TEST(StudyLuck, HoldsAllRunsButTheBenchmarksAgainstTheBaseline) {
  Tested study({"never", "1m", "1q"});
  study.settings.benchmark = "KELPFARM";
  study.settings.assets = {"TIDEMILL", "HOLLBOND"};
  study.universe = universe_of(study.sources, study.settings);
  study.basis = basis_of(study.universe, study.sources, study.settings, study.settings.split);
  study.portfolios = portfolios_of(study.basis, study.sources, study.settings);
  const auto runs = study.runs();
  for (auto [wanted, name] :
       std::vector<std::pair<std::string, std::string>>{{"", "equal, never"},
                                                        {"1Q", "equal, 1q"},
                                                        {"minimum-variance", "minimum-variance, never"},
                                                        {"minimum-variance, 1m", "minimum-variance, 1m"}}) {
    study.settings.baseline = wanted;
    study.settings.tried = 4;
    const auto luck = luck_among(runs, study.settings, 0.02, {50, 5});
    EXPECT_EQ(luck.names[luck.baseline], name);
    ASSERT_EQ(luck.names.size(), 6u);
    ASSERT_EQ(luck.judged.runs.size(), 5u);
    EXPECT_EQ(luck.judged.tries, 10);
    // Ratios per row over all rows, where a run's own is over one less.
    const double rows = double(runs.all[0].days.size()) - 2, more = std::sqrt(rows / (rows - 1));
    for (std::size_t k = 0; k < 5; ++k) {
      EXPECT_NEAR(std::sqrt(luck.rows_per_year) * luck.judged.runs[k].difference,
                  more * (runs.all[luck.of_all(k)].sharpe - runs.all[luck.baseline].sharpe), 1e-12)
          << luck.names[luck.of_all(k)];
    }
  }
  study.settings.baseline = "montly";
  study.settings.schedules[1].name = "monthly";
  EXPECT_THAT(message_of([&] { (void)luck_among(study.runs(), study.settings, 0.02); }),
              AllOf(HasSubstr("baseline: no run, schedule or portfolio is called 'montly'"), HasSubstr("'monthly'")));
}

TEST(StudyLuck, OneRunHasNothingBesideIt) {
  Tested study({"never"});
  auto runs = study.runs();
  runs.all.resize(1);
  EXPECT_THAT(message_of([&] { (void)luck_among(runs, study.settings, 0); }), HasSubstr("luck: there is one run"));
}

TEST(StudyLuck, TheChoiceOfTheDayIsTheRangeOverBeginnings) {
  const Tested study({"never", "2w", "1y", "1q+band:5pp"});
  const auto timing =
      timing_of(study.universe, study.basis, study.portfolios, study.sources, study.settings, "minimum-variance");
  ASSERT_EQ(timing.size(), 2u) << "never has no day to choose, and a band none of its own";
  EXPECT_EQ(timing[0].schedule, "2w");
  EXPECT_EQ(timing[0].aim, "minimum-variance");
  EXPECT_EQ(timing[0].rows, 10);
  EXPECT_EQ(timing[0].starts, 10);
  EXPECT_EQ(timing[1].rows, 252);
  EXPECT_EQ(timing[1].starts, 21) << "evenly, twelve rows apart";
  auto settings = study.settings;
  settings.aims.erase(settings.aims.begin());
  for (std::size_t which : {0, 1}) {
    settings.schedules.clear();
    for (int k = 0; k < timing[which].starts; ++k) {
      const int rows = timing[which].rows;
      settings.schedules.push_back(
          Schedule::parse(std::to_string(rows) + "d@" + std::to_string(k * rows / timing[which].starts), ""));
    }
    const auto portfolios = portfolios_of(study.basis, study.sources, settings);
    const auto runs = runs_of(study.universe, study.basis, portfolios, study.sources, settings);
    double lowest = 1, highest = -1;
    for (const auto& run : runs.all) {
      if (run.aim != "minimum-variance") continue;
      lowest = std::min(lowest, run.growth_per_year);
      highest = std::max(highest, run.growth_per_year);
    }
    EXPECT_DOUBLE_EQ(timing[which].lowest, lowest);
    EXPECT_DOUBLE_EQ(timing[which].highest, highest);
    EXPECT_GT(highest, lowest);
  }
  // What stands beside but is none of the portfolios has no timing: then it is the baseline's.
  settings.schedules = {Schedule::parse("1m", "")};
  const auto alone = portfolios_of(study.basis, study.sources, settings);
  for (const char* baseline : {"minimum-variance", "equal"}) {
    settings.baseline = baseline;
    const auto runs = runs_of(study.universe, study.basis, alone, study.sources, settings);
    const auto luck = luck_with_timing(study.universe, study.basis, alone, study.sources, settings, runs, {50, 5});
    ASSERT_EQ(luck.names.size(), 2u);
    ASSERT_EQ(luck.timing.size(), 1u) << baseline;
    EXPECT_EQ(luck.timing[0].aim, "minimum-variance");
  }
  // Daily there is no choice, every other day one of two, and yearly none in a shorter walk.
  const Tested edges({"1d", "2d", "1y"});
  const auto timing_under = [&](int delay) {
    auto how = edges.settings;
    how.delay = delay;
    return timing_of(edges.universe, edges.basis, edges.portfolios, edges.sources, how, "equal");
  };
  ASSERT_EQ(timing_under(1).size(), 2u);
  EXPECT_EQ(timing_under(1)[0].starts, 2);
  EXPECT_EQ(timing_under(280).size(), 1u) << "with the days that it waits a year is longer than the walk";
  auto anew = study.settings;
  anew.reestimate = Schedule::parse("1y", "");
  EXPECT_TRUE(timing_of(study.universe, study.basis, study.portfolios, study.sources, anew, "equal").empty());
}

}  // namespace
}  // namespace inchtide

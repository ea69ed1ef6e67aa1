// Runs whose weights are chosen anew on the way: by what was known, around what has no price, and what was promised.

#include <gmock/gmock.h>

#include <algorithm>
#include <functional>
#include <map>
#include <set>

#include "inchtide/study/runs.hpp"
#include "support/messages.hpp"
#include "support/rehearsed.hpp"
#include "support/walks.hpp"

namespace inchtide {
namespace {

using test::day;
using test::message_of;
using test::Rehearsed;
using test::texts_of;
using test::walk;
using testing::HasSubstr;

TEST(StudyRuns, ReestimateByWhatWasKnownOnTheDay) {
  Rehearsed one;
  one.settings.reestimate = Schedule::parse("1y", "");
  one.settings.estimate_over = Interval::parse("1y", "");
  one.settings.delay = 0;
  const auto runs = one.runs();
  const auto& run = runs.all.front();
  ASSERT_EQ(run.targets.size(), 3u) << "the first row's, and the ends of 2022 and 2023";
  EXPECT_FALSE(run.marked);
  // By hand: the same estimate of the year up to the end of 2022.
  auto then = one.settings;
  then.to = day("2022-12-30");
  then.last = Interval::parse("1y", "");
  const auto universe = universe_of(one.sources, then);
  const auto basis = basis_of(universe, one.sources, then);
  const auto chosen = portfolios_of(basis, one.sources, then).all.front();
  EXPECT_LT((run.targets[1] - chosen.weights).cwiseAbs().maxCoeff(), 1e-12);
  ASSERT_EQ(runs.promised.size(), 2u);  // of the third nothing was left to deliver
  EXPECT_NEAR(runs.promised[1].expected_return, chosen.expected_return, 1e-12);
  EXPECT_EQ(runs.kept.front().estimates, 2u);
  // With a day's delay the last estimate is traded after the prices end; the one before it is kept or not up to there.
  one.settings.delay = 1;
  EXPECT_EQ(one.runs().promised.size(), 2u);
  EXPECT_EQ(one.runs().promised[1].to, run.days.back());
  one.settings.delay = 0;
  // Where there are two, the second's promise begins with it, too.
  auto shorter = one;
  shorter.settings.to = day("2023-06-30");
  const auto two = shorter.runs();
  ASSERT_EQ(two.promised.size(), 2u);
  EXPECT_EQ(two.all.front().targets.size(), 2u);
  EXPECT_EQ(two.promised[0].from, two.all.front().days.front());
  EXPECT_EQ(two.promised[0].to, day("2022-12-30"));
  EXPECT_EQ(two.promised[1].from, day("2022-12-30"));
  // Prices after a day change nothing that was decided on it.
  auto other = one;
  for (auto& bars : other.sources.bars) {
    auto& closes = bars.of(PriceField::close);
    for (std::size_t t = 0; t < closes.size(); ++t) {
      if (bars.days[t] > day("2022-12-30")) closes[t] *= 1 + 0.05 * std::sin(double(t));
    }
  }
  EXPECT_EQ(other.runs().all.front().targets[1], run.targets[1]);
}

TEST(StudyRuns, ReestimateTheHighestSharpeRatioToTheWholeFrontiers) {
  Rehearsed one;
  one.settings.aims = {Aim::parse("maximum-sharpe", "")};
  one.settings.reestimate = Schedule::parse("1q", "");
  one.settings.estimate_over = Interval::parse("1y", "");
  const auto runs = one.runs();
  const auto& run = runs.all.front();
  ASSERT_GT(runs.promised.size(), 5u);
  for (std::size_t k = 0; k + 1 < runs.promised.size(); ++k) {
    auto then = one.settings;
    // Decided on the last day of a quarter, kept or not from the close after it.
    const auto row = std::ranges::find(run.days, runs.promised[k].from) - run.days.begin() - 1;
    then.to = run.days[std::size_t(row)];
    then.last = Interval::parse("1y", "");
    const auto universe = universe_of(one.sources, then);
    const auto basis = basis_of(universe, one.sources, then);
    const auto best = trace_frontier(basis.estimate, basis.limits, basis.facts).maximum_sharpe(basis.risk_free);
    EXPECT_LT((run.targets[k] - best.portfolio.weights).cwiseAbs().maxCoeff(), 1e-9) << k;
    EXPECT_NEAR(runs.promised[k].sharpe, best.sharpe, 1e-10);
  }
}

TEST(StudyRuns, ReestimateAroundWhatIsSuspended) {
  // One asset isn't traded in the last two weeks of 2022, when the weights are chosen anew, and is held above its
  // limit.
  const std::vector<std::string> codes = {"TIDEMILL", "KELPFARM", "HOLLBOND"};
  for (std::size_t closed = 0; closed < 3; ++closed) {
    const std::size_t other = (closed + 2) % 3;
    Rehearsed one;
    test::take_out(one.sources.bars[closed], day("2022-12-17"), day("2023-01-04"));
    one.sources.current = WeightList{"held", codes, {0.2, 0.2, 0.2}};
    one.sources.current->weights[closed] = 0.6;
    one.settings.start_from_current = true;
    one.settings.schedules = {Schedule::parse("1y", "")};
    one.settings.limits = {Limit::parse(codes[closed] + " <= 20%"), Limit::parse(codes[other] + " <= 30%")};
    one.settings.delay = 300;  // so that what is held isn't sold before
    one.settings.reestimate = Schedule::parse("1y", "");
    const auto run = one.runs().all.front();
    EXPECT_FALSE(run.marked);
    const auto found = std::ranges::find_if(run.log, [](const Event& event) {
      return event.kind == Event::Kind::estimate && event.day == day("2022-12-30");
    });
    ASSERT_NE(found, run.log.end());
    EXPECT_EQ(found->words, codes[closed] + " suspended, kept at the weight there is");
    const auto row = std::ranges::find(run.days, day("2022-12-30")) - run.days.begin();
    const auto& targets = run.targets[1];
    EXPECT_NEAR(targets[Eigen::Index(closed)], run.weights(row, Eigen::Index(closed)), 1e-12);
    EXPECT_GT(targets[Eigen::Index(closed)], 0.4) << "far above its limit";
    EXPECT_NEAR(targets.sum(), 1, 1e-12);
    EXPECT_LE(targets[Eigen::Index(other)], 0.3 + 1e-12) << "the others keep theirs";
  }
}

TEST(StudyRuns, TotalsAreAsWideAsWhatIsSuspendedMakesThem) {
  const std::vector<std::string> codes = {"TIDEMILL", "KELPFARM", "HOLLBOND"};
  Rehearsed one;
  test::take_out(one.sources.bars[0], day("2022-12-17"), day("2023-01-04"));
  one.sources.tags = {{"sector"}, codes, {{"sea"}, {"sea"}, {"bonds"}}};
  one.sources.current = WeightList{"held", codes, {0.6, 0.2, 0.2}};
  one.settings.start_from_current = true;
  one.settings.schedules = {Schedule::parse("1y", "")};
  one.settings.limits = {Limit::parse("sector:sea <= 30%")};
  one.settings.delay = 300;
  one.settings.reestimate = Schedule::parse("1y", "");
  const auto run = one.runs().all.front();
  EXPECT_FALSE(run.marked) << "the total that the first asset breaks by itself is as wide as that";
  ASSERT_GT(run.targets.size(), 1u);
  EXPECT_GT(run.targets[1][0], 0.4);
  EXPECT_NEAR(run.targets[1][1], 0, 1e-9) << "and has no room for the other";
  EXPECT_NEAR(run.targets[1].sum(), 1, 1e-12);
}

TEST(StudyRuns, SumsOfSizesAndNumbersOfPositionsAreAsWideAsWhatIsSuspendedMakesThem) {
  // Each limit holds before; with the first as it is held it has no room. Gross: 40% short takes 140% of the others.
  // Least size: what is suspended is smaller. Numbers: the two others have to be held as well. Bonds: 80% is elsewhere.
  const std::vector<std::string> codes = {"TIDEMILL", "KELPFARM", "HOLLBOND"};
  struct Case {
    std::string said;  // the limit that is widened
    std::vector<std::string> others;
    std::vector<double> held;
    std::function<void(const Eigen::VectorXd&)> look;
  };
  const std::vector<Case> cases = {
      {"gross <= 130%",
       {"TIDEMILL >= -20%"},
       {-0.4, 0.7, 0.7},
       [](const Eigen::VectorXd& w) { EXPECT_NEAR(w.cwiseAbs().sum(), 1 - 2 * w[0], 1e-9); }},
      {"held >= 10%", {}, {0.05, 0.55, 0.4}, [](const Eigen::VectorXd& w) { EXPECT_LT(w[0], 0.1); }},
      {"holdings <= 2",
       {"KELPFARM >= 10%", "HOLLBOND >= 10%"},
       {0.6, 0.2, 0.2},
       [](const Eigen::VectorXd& w) { EXPECT_GT(w.minCoeff(), 0.1 - 1e-9); }},
      {"sector:bonds >= 25%", {"HOLLBOND <= 30%"}, {0.8, 0.1, 0.1}, [](const Eigen::VectorXd& w) {
         EXPECT_NEAR(w[1], 0, 1e-9);
       }}};
  for (const auto& [said, others, held, look] : cases) {
    Rehearsed one;
    test::take_out(one.sources.bars[0], day("2022-12-17"), day("2023-01-04"));
    one.sources.tags = {{"sector"}, codes, {{"sea"}, {"sea"}, {"bonds"}}};
    one.sources.current = WeightList{"held", codes, held};
    one.settings.start_from_current = true;
    one.settings.schedules = {Schedule::parse("1y", "")};
    one.settings.limits = {Limit::parse(said)};
    for (const auto& limit : others) one.settings.limits.push_back(Limit::parse(limit));
    one.settings.delay = 300;
    one.settings.reestimate = Schedule::parse("1y", "");
    const auto runs = one.runs();
    const auto& run = runs.all.front();
    EXPECT_FALSE(run.marked) << said;
    ASSERT_GT(run.targets.size(), 1u) << said;
    EXPECT_NEAR(run.targets[1].sum(), 1, 1e-9) << said;
    look(run.targets[1]);
    EXPECT_THAT(texts_of(runs.warnings),
                testing::Contains(HasSubstr("What was suspended left no room for '" + said + "' on 2022-12-30")));
  }
}

TEST(StudyRuns, AConflictThatNothingSuspendedMadeIsNotWidenedAway) {
  // The third becomes three times as dear, past its limit by more than the turnover allows, whatever the first does.
  const std::vector<std::string> codes = {"TIDEMILL", "KELPFARM", "HOLLBOND"};
  Rehearsed one;
  test::take_out(one.sources.bars[0], day("2022-12-17"), day("2023-01-04"));
  auto& third = one.sources.bars[2];
  for (std::size_t t = 0; t < third.days.size(); ++t) {
    const double since = double((third.days[t] - day("2022-06-01")).count());
    third.of(PriceField::close)[t] *= 1 + std::clamp(since, 0.0, 100.0) / 50;
  }
  one.sources.current = WeightList{"held", codes, {0.4, 0.4, 0.2}};
  one.settings.start_from_current = true;
  one.settings.schedules = {Schedule::parse("1y", "")};
  one.settings.limits = {Limit::parse("HOLLBOND <= 25%"), Limit::parse("turnover <= 5%")};
  one.settings.delay = 300;
  one.settings.reestimate = Schedule::parse("1y", "");
  const auto runs = one.runs();
  EXPECT_TRUE(runs.all.front().marked);
  EXPECT_THAT(texts_of(runs.warnings), testing::Contains(HasSubstr("kept older targets")));
  EXPECT_THAT(texts_of(runs.warnings), testing::Not(testing::Contains(HasSubstr("left no room"))));
}

TEST(StudyRuns, EstimatesAreOfWhatHasPricesAllThroughAndTheOthersAreListed) {
  Rehearsed one;
  one.settings.short_histories = ShortHistories::keep;
  one.settings.align = AlignPolicy::parse("any", "here");
  one.settings.aims = {Aim::parse("equal", "")};
  one.settings.reestimate = Schedule::parse("1y", "");
  one.settings.estimate_over = Interval::parse("1y", "");
  one.settings.ended_after = 20;
  one.sources.bars.push_back(walk("MARROWSH", 4, day("2021-06-01")));
  one.sources.bars.push_back(walk("GALEWORK", 5, day("2018-01-01"), day("2022-09-30")));
  // A day without a price, be it the window's first, leaves nobody out.
  test::take_out(one.sources.bars[0], day("2020-12-31"), day("2020-12-31"));
  const auto runs = one.runs();
  const auto& run = runs.all.front();
  EXPECT_FALSE(run.marked);
  ASSERT_EQ(run.targets.size(), 3u);
  EXPECT_LT((run.targets[0] - Eigen::Matrix<double, 5, 1>(0.25, 0.25, 0.25, 0, 0.25)).cwiseAbs().maxCoeff(), 1e-12);
  EXPECT_LT((run.targets[1] - Eigen::Matrix<double, 5, 1>(0.25, 0.25, 0.25, 0.25, 0)).cwiseAbs().maxCoeff(), 1e-12);
  EXPECT_THAT(texts_of(runs.warnings),
              testing::IsSupersetOf({HasSubstr("MARROWSH hasn't prices all through the window of the estimate on "
                                               "2021-12-31, which chooses none of it"),
                                     HasSubstr("GALEWORK hasn't prices all through the windows of 2 estimates, from "
                                               "2022-12-30 to 2023-12-29, which choose none of it")}));
}

TEST(StudyRuns, WhatIsSaidOfAnAssetWaitsUntilItHasPrices) {
  // One begins in the year before the second estimate. Own figures, views, limits and implied weights that name it
  // say nothing before.
  Rehearsed one;
  one.sources.bars.push_back(walk("MARROWSH", 4, day("2021-12-01")));
  one.settings.short_histories = ShortHistories::keep;
  one.settings.align = AlignPolicy::parse("any", "here");
  one.settings.aims = {Aim::parse("utility=4", "")};
  one.settings.reestimate = Schedule::parse("1y", "");
  one.settings.estimate_over = Interval::parse("1y", "");
  one.settings.methods.expected = ExpectedMethod::parse("views", "");
  one.settings.every = Interval{1, Unit::week};
  auto without = one;
  without.sources.bars.pop_back();
  without.settings.methods.expected = ExpectedMethod::parse("implied", "");
  one.settings.methods.own = {{"marrowsh", 0.3}};
  one.settings.methods.caps = {{"marrowsh", 0.4}};
  one.settings.methods.views = {View::parse("MARROWSH - TIDEMILL = 5%", "ahead", 0.5)};
  one.settings.added_limits = {Limit::parse("10% <= MARROWSH <= 20%")};
  one.sources.implied = WeightList{"all", {"TIDEMILL", "KELPFARM", "HOLLBOND", "MARROWSH"}, {0.4, 0.2, 0.2, 0.2}};
  without.sources.implied = WeightList{"all", {"TIDEMILL", "KELPFARM", "HOLLBOND"}, {0.5, 0.25, 0.25}};
  const auto run = one.runs().all.front();
  EXPECT_FALSE(run.marked);
  ASSERT_EQ(run.targets.size(), 3u);
  EXPECT_LT((run.targets[0].head(3) - without.runs().all.front().targets[0]).cwiseAbs().maxCoeff(), 1e-9);
  EXPECT_EQ(run.targets[0][3], 0);
  EXPECT_NEAR(run.targets[1][3], 0.2, 1e-9) << "at its limit, for its own figure";
  // A code that nobody knows is an error.
  one.settings.methods.own = {{"nobody", 0.3}};
  EXPECT_THAT(message_of([&] { (void)one.runs(); }), HasSubstr("no asset has this code"));
}

TEST(StudyRuns, SayWhereTargetsStayedAsTheyWere) {
  // The limit on volatility can be met at first; then every asset leaps up and down.
  Rehearsed one;
  for (auto& bars : one.sources.bars) {
    for (std::size_t t = 0; t < bars.days.size(); ++t) {
      if (bars.days[t] >= day("2022-01-03")) bars.of(PriceField::close)[t] *= t % 2 == 0 ? 1.3 : 0.8;
    }
  }
  one.settings.limits = {Limit::parse("volatility <= 20%")};
  one.settings.reestimate = Schedule::parse("1q", "");
  one.settings.estimate_over = Interval::parse("1y", "");
  one.settings.schedules = {Schedule::parse("1q", ""), Schedule::parse("1m", "")};
  const auto runs = one.runs();
  EXPECT_TRUE(runs.all[0].marked);
  // Each reason once, with the days of the run that met it first and a count of the others.
  struct Met {
    std::string run;
    std::vector<Day> days;
    std::set<std::string> others;
  };
  std::map<std::string, Met> reasons;
  for (const auto& run : runs.all) {
    for (const auto& event : run.log) {
      if (event.kind != Event::Kind::failure) continue;
      auto& met = reasons.try_emplace(event.words, Met{run.name, {}, {}}).first->second;
      if (met.run == run.name) {
        met.days.push_back(event.day);
      } else {
        met.others.insert(run.name);
      }
    }
  }
  std::vector<std::string> texts;
  for (const auto& [why, met] : reasons) {
    EXPECT_THAT(why, HasSubstr("'volatility <= 20%'"));
    ASSERT_EQ(met.others.size(), 1u);
    const auto more = met.days.size() - 1;
    texts.push_back(met.run + " and 1 more kept older targets, as an estimate had no answer on " +
                    to_string(met.days.front()) + (more == 0 ? "" : " and " + std::to_string(more) + " more day") +
                    (more > 1 ? "s: " : ": ") + why);
  }
  ASSERT_FALSE(texts.empty());
  EXPECT_THAT(texts_of(runs.warnings), testing::IsSupersetOf(texts));
}

TEST(StudyRuns, ReestimateUnderLimitsOfEveryKind) {
  const auto held_in = [](const Eigen::VectorXd& weights) { return (weights.array().abs() > 1e-9).count(); };
  for (const char* aim : {"minimum-variance", "maximum-sharpe"}) {
    Rehearsed one;
    one.settings.aims = {Aim::parse(aim, "")};
    one.settings.reestimate = Schedule::parse("1q", "");
    one.settings.estimate_over = Interval::parse("1y", "");
    const auto targets_under = [&](const char* limit) {
      one.settings.limits = {Limit::parse(limit)};
      const auto run = one.runs().all.front();
      EXPECT_FALSE(run.marked) << limit;
      EXPECT_GT(run.targets.size(), 5u);
      return run.targets;
    };
    for (const auto& targets : targets_under("holdings <= 2")) EXPECT_LE(held_in(targets), 2) << aim;
    for (const auto& targets : targets_under("held >= 25%")) {
      for (const double weight : targets) EXPECT_TRUE(std::abs(weight) < 1e-9 || weight > 0.25 - 1e-9) << weight;
    }
    for (const auto& targets : targets_under("budget = 80%")) EXPECT_NEAR(targets.sum(), 0.8, 1e-9) << aim;
  }
}

TEST(StudyRuns, AWindowLongerThanThePastIsSaidBeforeAnyRun) {
  Rehearsed one;
  one.settings.reestimate = Schedule::parse("1y", "");
  one.settings.estimate_over = Interval::parse("20y", "");
  EXPECT_THAT(message_of([&] { (void)one.runs(); }), HasSubstr("the 20y up to 2021-12-31 reach before"));
}

TEST(StudyRuns, PromisesStandBesideWhatCame) {
  Rehearsed one;
  const auto runs = one.runs();
  ASSERT_EQ(runs.promised.size(), 1u);
  const auto& promise = runs.promised.front();
  const auto& run = runs.all.front();
  std::vector<double> returns;  // from the purchase on
  for (Eigen::Index t = 2; t < run.net.size(); ++t) returns.push_back(run.net[t] / run.net[t - 1] - 1);
  double mean = 0, squares = 0;
  for (double r : returns) mean += r / double(returns.size());
  for (double r : returns) squares += (r - mean) * (r - mean);
  EXPECT_NEAR(promise.delivered_return, run.rows_per_year * mean, 1e-12);
  EXPECT_NEAR(promise.delivered_volatility, std::sqrt(run.rows_per_year * squares / double(returns.size() - 1)), 1e-12);
  const double promised = promise.volatility * promise.volatility / run.rows_per_year * double(returns.size());
  EXPECT_NEAR(runs.kept.front().volatility_ratio, std::sqrt(squares / promised), 1e-12);
  EXPECT_NEAR(runs.kept.front().mean_difference, promise.delivered_return - promise.expected_return, 1e-12);
}

TEST(StudyRuns, PromisesOfManyEstimatesHaveAMeanAndItsError) {
  Rehearsed one;
  one.settings.reestimate = Schedule::parse("1q", "");
  one.settings.estimate_over = Interval::parse("1y", "");
  const auto runs = one.runs();
  ASSERT_GT(runs.promised.size(), 5u);
  const double count = double(runs.promised.size());
  double mean = 0, squares = 0;
  for (const auto& promise : runs.promised) mean += (promise.delivered_return - promise.expected_return) / count;
  for (const auto& promise : runs.promised) {
    squares += std::pow(promise.delivered_return - promise.expected_return - mean, 2);
  }
  const auto& kept = runs.kept.front();
  EXPECT_EQ(double(kept.estimates), count);
  EXPECT_NEAR(kept.mean_difference, mean, 1e-12);
  EXPECT_NEAR(kept.difference_error, std::sqrt(squares / (count - 1) / count), 1e-12);
}

TEST(StudyRuns, TranchesPromiseOnceAnEstimate) {
  Rehearsed one;
  one.settings.schedules = {Schedule::parse("1q:tranches=3", "")};
  one.settings.reestimate = Schedule::parse("1q", "");
  one.settings.estimate_over = Interval::parse("1y", "");
  const auto tranches = one.runs();
  one.settings.schedules = {Schedule::parse("1q", "")};
  const auto whole = one.runs();
  ASSERT_GT(whole.promised.size(), 5u);
  ASSERT_EQ(tranches.promised.size(), whole.promised.size());
  for (std::size_t k = 0; k < whole.promised.size(); ++k) {
    EXPECT_EQ(tranches.promised[k].expected_return, whole.promised[k].expected_return);
  }
}

}  // namespace
}  // namespace inchtide

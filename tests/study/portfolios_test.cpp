// The portfolios of a study: what its aims choose, what was given beside them, and what has no answer.

#include <fmt/format.h>
#include <gmock/gmock.h>

#include "inchtide/study/runs.hpp"
#include "support/messages.hpp"
#include "support/walks.hpp"

namespace inchtide {
namespace {

using test::message_of;
using test::three;
using testing::Contains;
using testing::ElementsAre;
using testing::HasSubstr;

TEST(StudyPortfolios, AnAimWithoutOneCostsNoOther) {
  const auto sources = three();
  Settings settings;
  settings.aims = {Aim::parse("target-return=500%", ""), Aim::parse("equal", "")};
  const auto basis = basis_of(universe_of(sources, settings), sources, settings);
  const auto portfolios = portfolios_of(basis, sources, settings);
  ASSERT_EQ(portfolios.all.size(), 1u);
  ASSERT_EQ(portfolios.unanswered.size(), 1u);
  EXPECT_EQ(portfolios.unanswered[0].aim, "target-return=500%");
  settings.aims = {settings.aims[0]};
  EXPECT_THAT(message_of([&] { (void)portfolios_of(basis, sources, settings); }), HasSubstr("target-return=500%: "));
  EXPECT_EQ(portfolios_of(basis, sources, Settings{}).all.size(), 3u) << "the usual aims";
  // Weights that are given, and mixes, stand without any aim's.
  auto beside = sources;
  beside.given = {WeightList{"given", {"TIDEMILL"}, {1.0}}};
  EXPECT_EQ(portfolios_of(basis, beside, settings).all.size(), 1u);
  EXPECT_EQ(portfolios_of(basis, beside, settings).unanswered.size(), 1u);
  settings.mixes = {"TIDEMILL=50%, rest=50%"};
  EXPECT_EQ(portfolios_of(basis, sources, settings).all.size(), 1u);
}

TEST(StudyPortfolios, MovedInsideStandBehindWhatBreaksLimits) {
  auto sources = three();
  sources.given = {WeightList{"first", {"TIDEMILL"}, {1.0}},
                   WeightList{"good", {"TIDEMILL", "KELPFARM", "HOLLBOND"}, {0.4, 0.3, 0.3}},
                   WeightList{"last", {"HOLLBOND"}, {1.0}}};
  Settings settings;
  settings.limits = {Limit::parse("each <= 50%")};
  settings.move_inside = true;
  const auto basis = basis_of(universe_of(sources, settings), sources, settings);
  std::vector<std::string> names;
  for (const auto& one : portfolios_of(basis, sources, settings).all) {
    names.push_back(one.name);
    EXPECT_EQ(one.violations.empty(), one.name != "first" && one.name != "last") << one.name;
  }
  EXPECT_THAT(names, ElementsAre("first", "first, moved inside", "good", "last", "last, moved inside"));
}

TEST(StudyPortfolios, HardTimesAreTheDeepestFallsOfEqualWeights) {
  const auto sources = three();
  Settings settings;
  settings.aims = {Aim::parse("equal", ""), Aim::parse("minimum-variance", "")};
  const auto basis = basis_of(universe_of(sources, settings), sources, settings);
  const auto portfolios = portfolios_of(basis, sources, settings).all;
  const auto times = hard_times_of(basis, portfolios, 3);
  ASSERT_EQ(times.size(), 3u);
  // By hand: equal weights restored every period, from their highest close so far.
  const auto& r = basis.returns.returns;
  double wealth = 1, peak = 1, deepest = 0;
  for (Eigen::Index t = 0; t < r.rows(); ++t) {
    wealth *= 1 + r.row(t).mean();
    peak = std::max(peak, wealth);
    deepest = std::min(deepest, wealth / peak - 1);
  }
  EXPECT_NEAR(times[0].equal_weights, deepest, 1e-12);
  EXPECT_NEAR(times[0].returns[0], deepest, 1e-12);
  double through = 1;
  for (std::size_t t = 0; t < times[1].stretch.rows; ++t) {
    through *= 1 + r.row(Eigen::Index(times[1].stretch.first_row + t)).dot(portfolios[1].weights);
  }
  EXPECT_NEAR(times[1].returns[1], through - 1, 1e-12);
}

TEST(StudyPortfolios, AreRoundedButForBlends) {
  const auto sources = three();
  Settings settings;
  settings.aims = {Aim::parse("blend-volatility=1%", ""), Aim::parse("minimum-variance", ""), Aim::parse("equal", "")};
  settings.rounding = 0.05;
  const auto basis = basis_of(universe_of(sources, settings), sources, settings);
  const auto all = portfolios_of(basis, sources, settings).all;
  ASSERT_EQ(all.size(), 5u);
  EXPECT_THAT(all[2].name, HasSubstr("minimum-variance, rounded"));
  EXPECT_THAT(all[4].name, HasSubstr("equal, rounded"));
  for (std::size_t k : {2u, 4u}) {
    EXPECT_THAT(all[k].notes,
                Contains(HasSubstr(fmt::format("the expected return by {:+.2f} bp, the volatility by {:+.2f} bp",
                                               1e4 * (all[k].expected_return - all[k - 1].expected_return),
                                               1e4 * (all[k].volatility - all[k - 1].volatility)))));
    for (double weight : all[k].weights) EXPECT_NEAR(std::remainder(weight, 0.05), 0, 1e-12) << all[k].name;
  }
}

TEST(StudyPortfolios, AfterCostsNeedsWeightsHeldNowAndCosts) {
  auto sources = three();
  Settings settings;
  settings.aims = {Aim::parse("minimum-variance", "")};
  settings.after_costs = true;
  const auto basis = basis_of(universe_of(sources, settings), sources, settings);
  EXPECT_THAT(message_of([&] { (void)portfolios_of(basis, sources, settings); }),
              HasSubstr("after costs: it needs the weights held now and the costs of trading"));
}

TEST(StudyPortfolios, GivenWeightsStandBesideThemAndAreNamedWhereWrong) {
  auto sources = three();
  sources.given = {{"ours", {"tidemill", "HOLLBOND"}, {0.7, 0.3}, "held.csv"}};
  const auto basis = basis_of(universe_of(sources, {}), sources, {});
  const auto portfolios = portfolios_of(basis, sources, {});
  ASSERT_EQ(portfolios.all.size(), 1u);
  EXPECT_EQ(portfolios.all[0].weights, Eigen::Vector3d(0.7, 0, 0.3));
  for (const auto& [wrong, complaint] :
       {std::pair{WeightList{"x", {"TIDEMIL"}, {1}, "held.csv"},
                  "held.csv: no asset of the estimate has the code 'TIDEMIL'. Did you mean"},
        std::pair{WeightList{"x", {"TIDEMILL", "tidemill"}, {1, 1}, ""}, "weights: tidemill comes twice"},
        std::pair{WeightList{"x", {"TIDEMILL"}, {1, 1}, ""}, "weights: 2 weights for 1 codes"}}) {
    const WeightList& list = wrong;
    EXPECT_THAT(message_of([&] { (void)weights_for(basis.estimate.assets, list); }), HasSubstr(complaint));
  }
}

TEST(StudyPortfolios, WhatIsAskedForTwiceIsChosenOnceAndNoTwoHaveAName) {
  auto sources = three();
  Settings settings;
  settings.aims = {Aim::parse("utility=4", ""), Aim::parse("equal", ""), Aim::parse("utility=4.0", "")};
  sources.given = {{"equal", {"TIDEMILL"}, {1.0}}, {"ours", {"KELPFARM"}, {1.0}}, {"ours", {"HOLLBOND"}, {1.0}}};
  const auto basis = basis_of(universe_of(sources, settings), sources, settings);
  auto portfolios = portfolios_of(basis, sources, settings);
  std::vector<std::string> names;
  for (const auto& one : portfolios.all) names.push_back(one.name);
  EXPECT_THAT(names, ElementsAre("utility=4", "equal", "equal (2)", "ours", "ours (2)"));
  settings.aims = {Aim::parse("equal", ""), Aim::parse("equal", "")};
  portfolios = portfolios_of(basis, {}, settings);
  ASSERT_EQ(portfolios.all.size(), 1u);
  EXPECT_THAT(portfolios.all[0].notes, Contains("Asked for more than once, and chosen once"));
}

TEST(StudyPortfolios, EachAimHasAPatienceOfItsOwn) {
  const auto sources = three();
  Settings settings;
  settings.limits = {Limit::parse("holdings <= 2")};
  settings.aims = {Aim::parse("minimum-variance", ""), Aim::parse("target-return=5%", "")};
  const auto basis = basis_of(universe_of(sources, settings), sources, settings);
  int asked_for = 0;
  const auto portfolios = portfolios_of(basis, sources, settings, [&] {
    ++asked_for;
    return [] { return false; };
  });
  EXPECT_EQ(asked_for, 2);
  EXPECT_EQ(portfolios.all.size() + portfolios.unanswered.size(), 2u);
}

}  // namespace
}  // namespace inchtide

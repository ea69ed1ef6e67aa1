#include "inchtide/rehearsal/rule.hpp"

#include <gmock/gmock.h>

#include <cmath>
#include <random>

#include "inchtide/base/errors.hpp"
#include "support/messages.hpp"
#include "support/rounds.hpp"

namespace inchtide {
namespace {

using testing::HasSubstr;

Look look_at(const Eigen::VectorXd& holdings, double cash, const Eigen::VectorXd& targets) {
  return {1, {}, holdings, cash, targets};
}

Eigen::VectorXd there(const char* schedule, const Look& look, const BandGroups& groups = {}) {
  const auto destination = destination_of(Schedule::parse(schedule, ""), look, groups);
  return destination.at ? destination.at(look.wealth()) : destination.weights;
}

TEST(EdgeRule, ThreeAssetsByHand) {
  // 50, 30, 20 with targets of 40, 35, 25: the first goes to 45; its 5 points go where most is missing, until equal.
  const auto even = look_at(Eigen::Vector3d(50, 30, 20), 0, Eigen::Vector3d(0.40, 0.35, 0.25));
  EXPECT_TRUE(there("band:5pp:edge", even).isApprox(Eigen::Vector3d(0.45, 0.325, 0.225), 1e-14));
  // 52, 22, 26 with 40, 30, 30: deviations of 12, -8, -4. The first sells 7 (to 45), the second its 3 (to 25); the 4
  // left are shared from the larger of -5 and -4 on: one to the second, then three halves each.
  const auto uneven = look_at(Eigen::Vector3d(52, 22, 26), 0, Eigen::Vector3d(0.40, 0.30, 0.30));
  EXPECT_TRUE(there("band:5pp:edge", uneven).isApprox(Eigen::Vector3d(0.45, 0.275, 0.275), 1e-14));
  // Half way: 12 becomes 6 and -8 becomes -4; 2 are left, for -4 and -4.
  EXPECT_TRUE(there("band:5pp:half", uneven).isApprox(Eigen::Vector3d(0.46, 0.27, 0.27), 1e-14));
  // A quarter of the targets is 10, 7.5 and 7.5 points: the first sells 2, the second buys half a point, and is still
  // the furthest off: it buys the 1.5 that are left.
  EXPECT_TRUE(there("band:25%:edge", uneven).isApprox(Eigen::Vector3d(0.50, 0.24, 0.26), 1e-14));
}

TEST(EdgeRule, CashPaysFirstAndTakesFirst) {
  // 10 in cash that is meant to be 0, one asset 10 short of its 40: it buys 5 to its edge out of cash, nobody sells.
  const auto excess = look_at(Eigen::Vector3d(30, 36, 24), 10, Eigen::Vector3d(0.40, 0.36, 0.24));
  EXPECT_TRUE(there("band:5pp:edge", excess).isApprox(Eigen::Vector3d(0.35, 0.36, 0.24), 1e-14));
  // Cash is 3 short of its 5; of the 6 that the first sells it takes 3, the others share 3.
  const auto want = look_at(Eigen::Vector3d(51, 27, 20), 2, Eigen::Vector3d(0.40, 0.31, 0.24));
  EXPECT_TRUE(there("band:5pp:edge", want).isApprox(Eigen::Vector3d(0.45, 0.285, 0.215), 1e-14));
  // Cash as a member: 10 where none is meant goes to its edge of 5.
  EXPECT_FALSE(is_outside(*Schedule::parse("band:11pp/cash", "").band, excess, {}));
  EXPECT_TRUE(is_outside(*Schedule::parse("band:8pp/cash", "").band, excess, {}));
  const auto member = there("band:8pp/cash:edge", excess);
  EXPECT_NEAR(1 - member.sum(), 0.08, 1e-14);
}

TEST(EdgeRule, ATagSharesByItsMembersDeviations) {
  // Two tags of two: the first stands at 60 for 50; its members are off by 8 and 2, and sell 4 and 1.
  const auto look = look_at(Eigen::Vector4d(33, 27, 20, 20), 0, Eigen::Vector4d(0.25, 0.25, 0.25, 0.25));
  const auto moved = there("band:kind:5pp:edge", look, {0, 0, 1, 1});
  EXPECT_TRUE(moved.isApprox(Eigen::Vector4d(0.29, 0.26, 0.225, 0.225), 1e-14)) << moved.transpose();
}

TEST(EdgeRule, LeavesTheSmallestLargestDeviationAndNothingToDo) {
  std::mt19937_64 random(8);
  std::uniform_real_distribution<double> uniform(0.2, 1);
  const auto edge = Schedule::parse("band:3pp:edge", "");
  int traded = 0;
  for (int round = 0; round < test::rounds(2000); ++round) {
    const Eigen::Index n = 2 + round % 6;
    Eigen::VectorXd targets(n), holdings(n);
    for (auto& w : targets) w = uniform(random);
    for (auto& h : holdings) h = uniform(random);
    targets /= targets.sum();
    holdings /= holdings.sum();
    const auto look = look_at(holdings, 0, targets);
    if (!is_outside(*edge.band, look, {})) continue;
    ++traded;
    const auto d = there("band:3pp:edge", look);
    ASSERT_NEAR(d.sum(), 1, 1e-12);
    const Eigen::VectorXd before = holdings - targets, after = d - targets;
    double largest = 0;  // among those that the counter-trade could have brought closer
    for (Eigen::Index i = 0; i < n; ++i) {
      if (std::abs(before[i]) > 0.03 + 1e-12) {
        // At its edge, or beyond it towards the target where it takes part in the counter-trade.
        ASSERT_LE(std::abs(after[i]), 0.03 + 1e-12);
      }
      ASSERT_GE(after[i] * before[i], -1e-15) << "past its target";
      ASSERT_LE(std::abs(after[i]), std::abs(before[i]) + 1e-12) << "away from its target";
      largest = std::max(largest, std::abs(after[i]));
    }
    // Nobody who was moved by the counter-trade stands closer than one who wasn't moved to the common level.
    for (const double sign : {1.0, -1.0}) {
      double level = -1;
      for (Eigen::Index i = 0; i < n; ++i) {
        const bool outside = std::abs(before[i]) > 0.03 + 1e-12;
        const double from = outside ? 0.03 : std::abs(before[i]);
        if (sign * before[i] > 0 && std::abs(after[i]) < from - 1e-9) {
          if (level < 0) level = std::abs(after[i]);
          ASSERT_NEAR(std::abs(after[i]), level, 1e-9);
        }
      }
      for (Eigen::Index i = 0; i < n && level >= 0; ++i) {
        if (sign * before[i] > 0) {
          ASSERT_LE(std::abs(after[i]), level + 1e-9);
        }
      }
    }
    ASSERT_FALSE(is_outside(*edge.band, look_at(d, 0, targets), {})) << "on flat prices: one trade, then none";
  }
  EXPECT_GT(traded, test::rounds(2000) / 2);
}

TEST(Cap, GoesAsFarAsItMay) {
  const auto look = look_at(Eigen::Vector2d(80, 20), 0, Eigen::Vector2d(0.5, 0.5));
  EXPECT_TRUE(there("1m:cap=10%", look).isApprox(Eigen::Vector2d(0.7, 0.3), 1e-14));
  EXPECT_TRUE(there("1m:cap=40%", look).isApprox(Eigen::Vector2d(0.5, 0.5), 1e-14));
  const auto cash = look_at(Eigen::Vector2d(50, 20), 30, Eigen::Vector2d(0.6, 0.4));  // 30 points of cash to invest
  EXPECT_TRUE(there("1m:cap=15%", cash).isApprox(Eigen::Vector2d(0.55, 0.3), 1e-14));
}

TEST(Groups, ComeFromTags) {
  const Tags tags{{"sector"}, {"A", "B", "C", "D"}, {{"food"}, {"bonds"}, {"FOOD"}, {""}}};
  const auto band = *Schedule::parse("band:sector:5pp", "").band;
  EXPECT_THAT(groups_of(band, {"A", "B", "C", "D", "E"}, tags), testing::ElementsAre(0, 1, 0, 2, 3));
  EXPECT_THAT(test::message_of([&] { groups_of(*Schedule::parse("band:sectr:5pp", "").band, {"A"}, tags); }),
              HasSubstr("Did you mean 'sector'?"));
}

}  // namespace
}  // namespace inchtide

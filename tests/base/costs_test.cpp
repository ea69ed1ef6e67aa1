// What an order costs, against sums over slices of its value, and how that grows.

#include "inchtide/base/costs.hpp"

#include <cmath>
#include <random>

namespace inchtide {
namespace {

/// Sides with every part, tiers of either kind, and without some of them.
SideCosts drawn_side(std::mt19937_64& random) {
  std::uniform_real_distribution<double> rate(0, 0.01), coin(0, 1);
  SideCosts side;
  if (coin(random) < 0.7) side.fee = 20 * coin(random);
  for (double from = 0; coin(random) < 0.7 && side.tiers.size() < 4; from += 100 + 900 * coin(random)) {
    side.tiers.push_back({from, rate(random)});
  }
  side.whole = coin(random) < 0.3;
  if (coin(random) < 0.5) side.least = 5 * coin(random);
  if (coin(random) < 0.5) side.most = side.least + 10 * coin(random);
  for (double* part : {&side.half_spread, &side.stamp_duty, &side.conversion}) {
    if (coin(random) < 0.7) *part = rate(random);
  }
  if (coin(random) < 0.5) side.impact = coin(random);
  return side;
}

/// Slice by slice: of 1/64 of a unit of money, so that sums are exact but for the rates.
double commission_by_slices(const SideCosts& side, double value) {
  const auto rate_of = [&](double at) {
    double rate = 0;
    for (const auto& tier : side.tiers) {
      if (at > tier.from || tier.from == 0) rate = tier.rate;
    }
    return rate;
  };
  double sum = 0;
  for (double at = 0; at < value; at += 1.0 / 64) sum += rate_of(side.whole ? value : at + 1.0 / 128) / 64;
  return std::min(side.most, std::max(side.least, sum));
}

TEST(SideCosts, AreTheSumOfTheirParts) {
  std::mt19937_64 random(71);
  std::uniform_int_distribution<int> values(0, 2000);
  for (int round = 0; round < 200; ++round) {
    auto side = drawn_side(random);
    for (auto& tier : side.tiers) tier.from = std::round(tier.from);
    const double value = values(random), market = 2e-4;
    const auto cost = side.of(value, market);
    EXPECT_EQ(cost.fee, side.fee);
    EXPECT_NEAR(cost.commission, commission_by_slices(side, value), 1e-9) << round;
    EXPECT_EQ(cost.half_spread, side.half_spread * value);
    EXPECT_EQ(cost.stamp_duty, side.stamp_duty * value);
    EXPECT_EQ(cost.conversion, side.conversion * value);
    EXPECT_NEAR(cost.impact, side.impact * market * std::pow(value, 1.5), 1e-9);
    EXPECT_EQ(cost.other, 0);
    EXPECT_NEAR(cost.total(),
                cost.fee + cost.commission + cost.half_spread + cost.stamp_duty + cost.conversion + cost.impact, 1e-12);
  }
}

TEST(SideCosts, GrowByTheirMargin) {
  std::mt19937_64 random(72);
  std::uniform_real_distribution<double> values(50, 2500);
  int bound = 0;
  for (int round = 0; round < 2000; ++round) {
    const auto side = drawn_side(random);
    const double value = values(random), market = 2e-4, step = 1e-3;
    // Where a tier, the least or the most begins within the step there is no one margin.
    const auto corner = [&](const CommissionTier& tier) { return std::abs(tier.from - value) <= 2 * step; };
    if (std::ranges::any_of(side.tiers, corner)) continue;
    const auto at = [&](double v) { return side.of(v, market); };
    const bool below = at(value - step).commission == at(value + step).commission;
    if (below != (at(value - step).commission == at(value).commission)) continue;
    bound += below && !side.tiers.empty() ? 1 : 0;
    const double slope = (at(value + step).total() - at(value - step).total()) / (2 * step);
    EXPECT_NEAR(side.marginal(value, market), slope, 1e-8) << round;
  }
  EXPECT_GT(bound, 100) << "commissions at their least or most are among them";
}

TEST(SideCosts, AreNowhereSteeperThanTheSteepest) {
  std::mt19937_64 random(73);
  for (int round = 0; round < 500; ++round) {
    auto side = drawn_side(random);
    side.whole = false;
    side.impact = 0;
    side.least = side.fee = 0;
    side.most = std::numeric_limits<double>::infinity();
    double steepest = 0;
    for (double value = 1; value < 5000; value += 7) steepest = std::max(steepest, side.marginal(value));
    EXPECT_NEAR(side.steepest(), steepest, 1e-15) << round;
  }
}

TEST(SideCosts, AreConvexFreeOrInProportionAsTheirTotalsAre) {
  std::mt19937_64 random(74);
  int convex = 0, proportional = 0;
  for (int round = 0; round < 2000; ++round) {
    auto side = drawn_side(random);
    if (round % 3 == 0) side.fee = side.least = side.impact = 0;
    if (round % 3 != 1) side.most = std::numeric_limits<double>::infinity();
    if (round % 4 == 0) side.whole = false;
    bool chords_above = true, lines = true, free = true;
    const double market = 2e-4;
    for (double a = 1; a < 4000; a += 301) {
      for (double b = a + 50; b < 4000; b += 307) {
        const double middle = side.of((a + b) / 2, market).total();
        chords_above &= middle <= (side.of(a, market).total() + side.of(b, market).total()) / 2 + 1e-9;
      }
      free &= side.of(a, market).total() == 0;
      lines &= std::abs(side.of(a, market).total() - a * side.of(1, market).total()) < 1e-9 * a;
    }
    // A whole tier or a most may lie beyond every order that is tried: what is told is the cautious answer.
    if (side.is_convex()) {
      EXPECT_TRUE(chords_above) << round;
    }
    if (!side.whole && std::isinf(side.most) && !chords_above) {
      EXPECT_FALSE(side.is_convex()) << round;
    }
    if (side.is_proportional()) {
      EXPECT_TRUE(lines) << round;
    }
    EXPECT_EQ(side.is_free(), free && side.impact == 0 && side.least == 0) << round;
    convex += side.is_convex() ? 1 : 0;
    proportional += side.is_proportional() ? 1 : 0;
  }
  EXPECT_GT(convex, 200);
  EXPECT_GT(proportional, 50);
  SideCosts side;
  EXPECT_TRUE(side.is_convex() && side.is_free() && side.is_proportional()) << "nothing is asked";
  side.tiers = {{0, 0.002}, {1000, 0.003}};
  EXPECT_TRUE(side.is_convex());
  EXPECT_FALSE(side.is_proportional());
  side.tiers[1].rate = 0.001;
  EXPECT_FALSE(side.is_convex()) << "slices that grow cheaper";
  side.tiers.pop_back();
  EXPECT_TRUE(side.is_proportional());
  side.own = [](double) { return 1.0; };
  EXPECT_FALSE(side.is_convex() || side.is_proportional() || side.is_free())
      << "nobody knows a function of the caller's";
}

TEST(SideCosts, AtALevelAreThatManyTimesAsMuch) {
  std::mt19937_64 random(75);
  for (int round = 0; round < 200; ++round) {
    AssetCosts costs{drawn_side(random), drawn_side(random), 0.001, 0.002};
    costs.sell.own = [](double value) { return 0.01 * value; };
    const auto thrice = at_level(costs, 3);
    for (double value : {-1500.0, -20.0, 3.0, 700.0, 2400.0}) {
      EXPECT_NEAR(thrice.of_trade(value, 1e-4).total(), 3 * costs.of_trade(value, 1e-4).total(), 1e-9) << round;
    }
    EXPECT_EQ(thrice.custody, costs.custody) << "levels are of trading";
  }
}

}  // namespace
}  // namespace inchtide

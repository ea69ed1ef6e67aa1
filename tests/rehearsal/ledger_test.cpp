#include "inchtide/rehearsal/ledger.hpp"

#include <gmock/gmock.h>

#include <cmath>

#include "inchtide/base/errors.hpp"
#include "rehearsal/plans.hpp"
#include "support/messages.hpp"

namespace inchtide {
namespace {

using Eigen::Vector2d;
using testing::HasSubstr;

TradeTerms terms_of(std::size_t assets, double buy_bps, double sell_bps) {
  TradeTerms terms;
  terms.costs = test::rates(assets, buy_bps, sell_bps);
  return terms;
}

TradingDay at(const Eigen::VectorXd& prices, double flow = 0) {
  return {{}, {}, prices, flow};
}

TEST(Ledger, PaysItsCostsOutOfTheSameWealth) {
  // From 600 and 400 to halves at 1% and 2%: W = 1000 - 0.01 (W / 2 - 400) - 0.02 (600 - W / 2), so 0.995 W = 992.
  Ledger ledger{Vector2d(60, 40), 0};
  const auto trade = ledger.trade({Vector2d(0.5, 0.5)}, at(Vector2d(10, 10)), terms_of(2, 100, 200));
  const double wealth = 992 / 0.995;
  EXPECT_NEAR(trade.wealth_after, wealth, 1e-10);
  EXPECT_NEAR(trade.cost.total(), 1000 - wealth, 1e-10);
  EXPECT_NEAR(ledger.units[0], wealth / 20, 1e-12);
  EXPECT_NEAR(ledger.cash, 0, 1e-10);
}

TEST(Ledger, AFixedFeeIsPaidByEachOrder) {
  auto terms = terms_of(2, 0, 0);
  for (auto& costs : terms.costs) costs.buy.fee = 7;
  Ledger ledger{Vector2d(0, 0), 1000};
  const auto trade = ledger.trade({Vector2d(0.6, 0.4)}, at(Vector2d(10, 10)), terms);
  EXPECT_NEAR(trade.wealth_after, 986, 1e-10);
  EXPECT_NEAR(ledger.units[0], 0.6 * 98.6, 1e-12);
  EXPECT_EQ(trade.orders[0].cost.fee, 7);
}

TEST(Ledger, LeastAndMostAgainstAScan) {
  // The largest wealth whose costs it can pay, looked for by a scan.
  for (const double wealth : {500.0, 5000.0, 50'000.0, 500'000.0}) {
    auto terms = terms_of(1, 100, 100);
    terms.costs[0].buy.least = 20;
    terms.costs[0].buy.most = 300;
    Ledger ledger{Eigen::VectorXd::Zero(1), wealth};
    const auto trade = ledger.trade({Eigen::VectorXd::Ones(1)}, at(Eigen::VectorXd::Ones(1)), terms);
    double best = 0;
    for (int k = 0; k <= 1'000'000; ++k) {
      const double w = wealth * k / 1e6;
      if (w + std::min(300.0, std::max(20.0, 0.01 * w)) <= wealth) best = w;
    }
    EXPECT_NEAR(trade.wealth_after, best, 1.1e-6 * wealth);
  }
}

TEST(Ledger, LeavesSmallOrdersAloneAndKeepsCashFromFallingBelowItsFloor) {
  // 505 of 1000 is no order; what it would have brought isn't there for the purchase, which is smaller.
  auto terms = terms_of(3, 0, 0);
  terms.smallest_order = 10;
  Ledger ledger{Eigen::Vector3d(505, 395, 100), 0};
  const auto trade = ledger.trade({Eigen::Vector3d(0.5, 0.38, 0.12)}, at(Eigen::Vector3d(1, 1, 1)), terms);
  ASSERT_EQ(trade.orders.size(), 2u);
  EXPECT_NEAR(trade.orders[1].value, 15, 1e-9);
  EXPECT_NEAR(trade.shrunk, 0.75, 1e-12);
  EXPECT_NEAR(ledger.cash, 0, 1e-9);
  EXPECT_EQ(ledger.units[0], 505);
}

TEST(Ledger, DropsAnOrderWhoseSideTurns) {
  // The second would buy 0.05 of 1000; the fee of the first makes the wealth 980, where it would have to sell.
  auto terms = terms_of(2, 0, 0);
  terms.costs[0].buy.fee = 20;
  Ledger ledger{Vector2d(400, 499.95), 100.05};
  const auto trade = ledger.trade({Vector2d(0.5, 0.5)}, at(Vector2d(1, 1)), terms);
  ASSERT_EQ(trade.orders.size(), 1u);
  EXPECT_EQ(ledger.units[1], 499.95);
}

TEST(Ledger, BuysWholeLotsByTheirLargestShortfall) {
  // 1000 in thirds at 90, 70 and 110: 3.70, 4.76 and 3.03 units. 3, 4 and 3 leave 120; of the shortfalls of 63 and 53
  // only the first's lot fits.
  auto terms = terms_of(3, 0, 0);
  terms.lots = {1, 1, 1};
  Ledger ledger{Eigen::Vector3d::Zero(), 1000};
  const auto trade = ledger.trade({Eigen::Vector3d::Constant(1.0 / 3)}, at(Eigen::Vector3d(90, 70, 110)), terms);
  EXPECT_EQ(ledger.units, Eigen::Vector3d(4, 4, 3));
  EXPECT_NEAR(ledger.cash, 30, 1e-9);
  EXPECT_EQ(trade.orders.size(), 3u);
  // With lots of ten nothing fits.
  terms.lots = {10, 10, 10};
  Ledger other{Eigen::Vector3d::Zero(), 1000};
  EXPECT_TRUE(
      other.trade({Eigen::Vector3d::Constant(1.0 / 3)}, at(Eigen::Vector3d(90, 70, 110)), terms).orders.empty());
  EXPECT_EQ(other.cash, 1000);
}

TEST(Ledger, AWithdrawalBeyondItsCashSellsTheSameShareOfAllAndPaysForIt) {
  // 50 in cash, 150 are taken: 100 are missing; at 1% it sells 100 / 0.99 of 950.
  Ledger ledger{Vector2d(600, 350), 50};
  const auto trade = ledger.raise_cash(at(Vector2d(1, 1), -150), terms_of(2, 0, 100));
  EXPECT_NEAR(ledger.cash, 0, 1e-9);
  EXPECT_NEAR(trade.cost.total(), 1 / 0.99, 1e-9);
  EXPECT_NEAR(ledger.units[0] / ledger.units[1], 600.0 / 350, 1e-12);
  EXPECT_EQ(trade.reason, Trade::Reason::withdrawal);
  EXPECT_EQ(trade.shortfall, 0);
  Ledger poor{Vector2d(60, 35), 5};
  EXPECT_NEAR(poor.raise_cash(at(Vector2d(1, 1), -150), terms_of(2, 0, 0)).shortfall, 50, 1e-9);
}

TEST(Ledger, SaysWhereCostsWouldReachTheWealth) {
  auto terms = terms_of(1, 0, 0);
  terms.costs[0].buy.fee = 1000;
  Ledger ledger{Eigen::VectorXd::Zero(1), 1000};
  EXPECT_THAT(test::message_of([&] { ledger.trade({Eigen::VectorXd::Ones(1)}, at(Eigen::VectorXd::Ones(1)), terms); }),
              HasSubstr("could reach all wealth"));
}

TEST(SideCosts, TiersAreMarginalUnlessTheWholeOrderPays) {
  SideCosts side;
  side.tiers = {{0, 0.01}, {1000, 0.005}};
  EXPECT_NEAR(side.of(3000).commission, 20, 1e-12);
  EXPECT_NEAR(side.marginal(3000), 0.005, 1e-15);
  side.whole = true;
  EXPECT_NEAR(side.of(3000).commission, 15, 1e-12);
  EXPECT_NEAR(side.of(1000).commission, 10, 1e-12);
  side.impact = 0.4;
  EXPECT_NEAR(side.of(2500, 0.02).impact, 0.4 * 0.02 * 50 * 2500, 1e-9);  // volatility 2%, a traded value of 1
  EXPECT_FALSE(side.is_convex());
  side.whole = false;
  EXPECT_FALSE(side.is_convex()) << "rates that fall";
  side.tiers = {{0, 0.01}, {1000, 0.02}};
  EXPECT_TRUE(side.is_convex());
  EXPECT_EQ(side.steepest(), 0.02);
}

TEST(Costs, EachPartIsTheNarrowestClassThatSetsIt) {
  const Tags tags{{"sector"}, {"MARROWGL", "HOLLBOND"}, {{"abroad"}, {"bonds"}}};
  std::vector<CostClass> classes{CostClass::of("all", 12, 12), {"sector:abroad"}, {"MARROWGL"}};
  classes[0].buy.least = classes[0].sell.least = 90;
  classes[0].custody_bps = 3;
  classes[1].buy.stamp_duty_bps = 50;
  classes[1].buy.bps = classes[1].sell.bps = 25;
  classes[2].buy.half_spread_bps = 8;
  classes[2].sell.tiers = {{0, 0.001}, {100, 0.0005}};
  const auto costs = asset_costs(classes, tags.assets, tags);
  EXPECT_EQ(costs[0].buy.least, 90);
  EXPECT_NEAR(costs[0].buy.of(1e6).total(), 2500 + 5000 + 800, 1e-9);
  EXPECT_EQ(costs[0].sell.tiers.size(), 2u);
  EXPECT_NEAR(costs[0].custody, 3 * basis_point, 1e-18);
  EXPECT_NEAR(costs[1].buy.of(1e6).total(), 1200, 1e-9);
  classes[2].sell.most = 10.0;
  EXPECT_THAT(test::message_of([&] { asset_costs(classes, tags.assets, tags); }), HasSubstr("least commission of 90"));
  classes[2].sell.most.reset();
  classes[2].sell.tiers = {{5, 0.001}};
  EXPECT_THAT(test::message_of([&] { asset_costs(classes, tags.assets, tags); }), HasSubstr("begins at 0"));
}

}  // namespace
}  // namespace inchtide

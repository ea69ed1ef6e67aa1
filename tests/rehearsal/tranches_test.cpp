// One portfolio in several ledgers that look in turn.

#include <gmock/gmock.h>

#include <fmt/format.h>

#include <cmath>
#include <set>

#include "inchtide/base/errors.hpp"
#include "inchtide/rehearsal/rehearsal.hpp"
#include "inchtide/rehearsal/walk.hpp"
#include "rehearsal/plans.hpp"
#include "support/messages.hpp"
#include "support/walks.hpp"

namespace inchtide {
namespace {

using test::day;
using test::message_of;
using test::plan_of;
using testing::HasSubstr;

PriceTable two_walks(int rows) {
  PriceTable table;
  table.assets = {{"TIDEMILL"}, {"KELPFARM"}};
  table.prices.resize(rows, 2);
  const auto a = test::walk("TIDEMILL", 4), b = test::walk("KELPFARM", 5);
  for (int t = 0; t < rows; ++t) {
    table.days.push_back(a.days[std::size_t(t)]);
    table.prices(t, 0) = a.of(PriceField::close)[std::size_t(t)];
    table.prices(t, 1) = b.of(PriceField::close)[std::size_t(t)];
  }
  return table;
}

const Eigen::Vector2d halves(0.5, 0.5);

RehearsalOptions with_wealth(double wealth) {
  RehearsalOptions options;
  options.wealth = wealth;
  options.keep_weights = true;
  return options;
}

std::vector<AssetCosts> dear(double fee, double least) {
  auto costs = test::rates(2, 20, 30);
  for (auto& one : costs) {
    one.buy.fee = one.sell.fee = fee;
    one.buy.least = one.sell.least = least;
    one.custody = 0.001;
  }
  return costs;
}

TEST(Tranches, AreTheSumOfLedgersThatLookInTurn) {
  const auto table = two_walks(400);
  const auto costs = test::rates(2, 20, 30);  // in proportion, so that parts cost what the whole does
  auto how = with_wealth(1000);
  how.flows = {{table.days[50], -90}, {table.days[200], 30}, {table.days[300], 0.01, true}};
  const auto whole = rehearse(table, plan_of(halves, "63d@5:tranches=4", costs), how);
  how.wealth = 250;
  for (auto& flow : how.flows) flow.amount /= flow.of_wealth ? 1 : 4;
  Eigen::VectorXd net = Eigen::VectorXd::Zero(400), flow = net;
  double paid = 0, turnover = 0;
  std::set<Day> days;
  for (const char* schedule : {"63d@5", "63d@20", "63d@36", "63d@52"}) {  // 5 + 15.75 j, whole rows
    const auto one = rehearse(table, plan_of(halves, schedule, costs), how);
    net += one.net;
    flow += one.flow;
    paid += one.costs_paid;
    turnover += one.turnover_per_year / 4;
    for (const auto& trade : one.trades) days.insert(trade.traded);
  }
  EXPECT_LT((whole.net - net).cwiseAbs().maxCoeff(), 1e-9);
  EXPECT_LT((whole.flow - flow).cwiseAbs().maxCoeff(), 1e-9);
  EXPECT_NEAR(whole.costs_paid, paid, 1e-9);
  EXPECT_EQ(whole.trades.size(), days.size());
  EXPECT_NEAR(whole.turnover_per_year, turnover, 0.02 * turnover) << "weighted by what each ledger has";
  EXPECT_EQ(whole.schedule, "63d@5:tranches=4");
  EXPECT_NEAR(whole.growth, std::pow(1 + whole.growth_per_year, years_between(table.days[1], table.days.back())) - 1,
              1e-12);
}

TEST(Tranches, TheFirstPurchaseIsOneOrderForFees) {
  const auto table = two_walks(200);
  const auto whole = rehearse(table, plan_of(halves, "21d:tranches=3", dear(2, 9)), with_wealth(1000));
  const auto single = rehearse(table, plan_of(halves, "21d", dear(2, 9)), with_wealth(1000));
  ASSERT_FALSE(whole.trades.empty());
  const auto &one = whole.trades.front(), &other = single.trades.front();
  EXPECT_NEAR(one.cost.fee, 4, 1e-12);
  EXPECT_NEAR(one.cost.commission, 18, 1e-12);
  EXPECT_NEAR(one.wealth_after, other.wealth_after, 1e-9);
  EXPECT_EQ(one.order_count, 2u);
  ASSERT_EQ(one.orders.size(), 2u);
  EXPECT_NEAR(one.orders[0].units, other.orders[0].units, 1e-9);
  EXPECT_EQ(one.traded, other.traded);
  // Later ones are of a third of the wealth, and pay the whole fee each.
  for (std::size_t k = 1; k < whole.trades.size(); ++k) {
    EXPECT_NEAR(whole.trades[k].cost.fee, 2.0 * double(whole.trades[k].order_count), 1e-12);
    EXPECT_LT(std::abs(whole.trades[k].orders[0].value), 200);
  }
}

TEST(Tranches, SaleOfSeveralLedgersOnOneDayIsOneOrderForFees) {
  // Withdrawals, which all ledgers pay on the same days; in between each trades alone.
  const auto table = two_walks(300);
  auto how = with_wealth(1000);
  how.flows = {{table.days[40], -100}, {table.days[120], -150}};
  const auto costs = dear(2, 9);
  const auto run = rehearse(table, plan_of(halves, "63d:tranches=3", costs), how);
  int withdrawals = 0;
  Eigen::Vector2d units(0, 0);
  for (const auto& trade : run.trades) {
    withdrawals += trade.reason == Trade::Reason::withdrawal ? 1 : 0;
    double paid = 0, after = trade.wealth_before + trade.flow;
    for (const auto& order : trade.orders) {
      const auto alone = costs[std::size_t(order.asset)].of_trade(order.value);
      EXPECT_NEAR(order.cost.fee, alone.fee, 1e-12);
      EXPECT_NEAR(order.cost.commission, alone.commission, 1e-12);
      EXPECT_NEAR(order.cost.half_spread, alone.half_spread, 1e-12);
      paid += order.cost.total();
    }
    EXPECT_NEAR(trade.cost.total(), paid, 1e-12);
    EXPECT_NEAR(trade.wealth_after, after - paid, 1e-9);
    const auto at = std::ranges::find(run.days, trade.traded) - run.days.begin();
    EXPECT_NEAR(run.net[at], trade.wealth_after, 1e-9) << "what was paid too much is there again at the close";
    for (const auto& order : trade.orders) units[order.asset] += order.units;
    const Eigen::Vector2d weights = units.cwiseProduct(table.prices.row(at).transpose()) / run.net[at];
    EXPECT_LT((run.weights.row(at).transpose() - weights).cwiseAbs().maxCoeff(), 1e-12);
  }
  EXPECT_EQ(withdrawals, 2);
  EXPECT_NEAR(run.end.wealth(table.prices.bottomRows(1).transpose()), run.net[299], 1e-9);
  // Without orders the same to the last bit, but for the orders.
  auto brief = plan_of(halves, "63d:tranches=3", costs);
  brief.terms.keep_orders = false;
  const auto short_one = rehearse(table, brief, how);
  EXPECT_EQ(short_one.net, run.net);
  EXPECT_EQ(short_one.order_count, run.order_count);
  EXPECT_TRUE(short_one.trades.front().orders.empty());
}

TEST(Tranches, FirstTradesOnDifferentDaysPayTheWholeFeeEach) {
  // Held already, so nothing is traded on the first row.
  const auto table = two_walks(200);
  auto how = with_wealth(1000);
  how.delay = 0;
  how.start = Ledger{Eigen::Vector2d(0.5, 0.5) * 1000};
  how.start->units = how.start->units.cwiseQuotient(table.prices.row(0).transpose()).eval();
  const auto run = rehearse(table, plan_of(halves, "21d:tranches=3", dear(2, 9)), how);
  ASSERT_GT(run.trades.size(), 5u);
  for (const auto& trade : run.trades) EXPECT_NEAR(trade.cost.fee, 2.0 * double(trade.order_count), 1e-12);
}

TEST(Tranches, MoneyIsKept) {
  const auto table = two_walks(300);
  auto how = with_wealth(1000);
  how.cash_rate = 0.02;
  how.flows = {{table.days[40], -200}, {table.days[120], 500}};
  const auto run = rehearse(table, plan_of(halves * 0.9, "1q:tranches=5", dear(0.5, 1)), how);
  const auto rows = run.net.size();
  for (Eigen::Index t = 0; t < rows; ++t) {
    double paid = 0;
    for (const auto& trade : run.trades) paid += trade.traded == run.days[std::size_t(t)] ? trade.cost.total() : 0;
    EXPECT_NEAR(run.net[t], run.before[t] + run.flow[t] - paid, 1e-9) << t;
    EXPECT_LE(run.gross[t] * (1 + 1e-12), run.gross[t > 0 ? t - 1 : 0] * 1.2);
  }
  EXPECT_NEAR(run.running.flows, 300, 1e-9);
  EXPECT_NEAR(run.end.wealth(table.prices.bottomRows(1).transpose()), run.net[rows - 1], 1e-9);
  EXPECT_NEAR(run.weights.row(30).sum(), 0.9, 0.02);
  const auto flows = std::ranges::count(run.log, Event::Kind::flow, &Event::kind);
  EXPECT_EQ(flows, 2) << "what happens to all is told once";
  double told = 0;
  for (const auto& event : run.log) told += event.kind == Event::Kind::flow ? event.figure : 0;
  EXPECT_NEAR(told, 300, 1e-9) << "and whole";
  for (const auto& trade : run.trades) {
    EXPECT_EQ(trade.shortfall, 0);
    EXPECT_EQ(trade.shrunk, 1);
  }
  EXPECT_GT(run.running.custody, 0);
  // Gross grows as it would without costs: by those and by custody more than net.
  EXPECT_GT(run.cost_per_year, 0);
}

TEST(Tranches, WithoutCostsGrossIsNet) {
  const auto table = two_walks(200);
  const auto run = rehearse(table, plan_of(halves, "1m:tranches=4"), with_wealth(1000));
  EXPECT_LT((run.gross - run.net).cwiseAbs().maxCoeff(), 1e-9);
  for (const auto& trade : run.trades) EXPECT_NEAR(trade.cost.total(), 0, 1e-15);
}

TEST(Tranches, AverageOutTheChoiceOfTheDay) {
  const auto table = two_walks(500);
  double lowest = 1e9, highest = -1e9;
  for (int k = 0; k < 63; k += 9) {
    const auto run = rehearse(table, plan_of(halves, fmt::format("63d@{}", k).c_str()), with_wealth(1000));
    lowest = std::min(lowest, run.net[499]);
    highest = std::max(highest, run.net[499]);
  }
  const auto run = rehearse(table, plan_of(halves, "63d:tranches=7"), with_wealth(1000));
  EXPECT_GT(run.net[499], lowest);
  EXPECT_LT(run.net[499], highest);
  // One by hand: without costs the end is the mean of the seven.
  double sum = 0;
  for (int k = 0; k < 63; k += 9) {
    sum += rehearse(table, plan_of(halves, fmt::format("63d@{}", k).c_str()), with_wealth(1000)).net[499] / 7;
  }
  EXPECT_NEAR(run.net[499], sum, 1e-9);
}

TEST(Tranches, OfOneAreTheScheduleItself) {
  EXPECT_EQ(Schedule::parse("1q:tranches=1", "").text(), "1q");
  EXPECT_EQ(Schedule::parse("1q+band:2pp:half:tranches=3", "").text(), "1q+band:2pp:half:tranches=3");
  EXPECT_EQ(usual_rows(Interval(2, Unit::week)), 10);
  EXPECT_EQ(usual_rows(Interval(1, Unit::year)), 252);
}

TEST(Tranches, RefuseWhatCannotBeSharedOut) {
  const auto refused = [](const char* text) { return message_of([&] { (void)Schedule::parse(text, "here"); }); };
  EXPECT_THAT(refused("band:5pp:tranches=4"), HasSubstr("no interval that tranches could share out"));
  EXPECT_THAT(refused("1q|band:5pp:tranches=4"), HasSubstr("no interval"));
  EXPECT_THAT(refused("1w:tranches=6"), HasSubstr("from 1 to 5"));
  EXPECT_THAT(refused("1m:tranches=0"), HasSubstr("from 1 to 21"));
  EXPECT_THAT(refused("1m:tranches=many"), HasSubstr("'many' tranches"));
  EXPECT_THAT(refused("1m:tranches=2.5"), HasSubstr("whole number"));
  EXPECT_THAT(refused("1m@first:tranches=2"), HasSubstr("behind the @"));
  const auto table = two_walks(100);
  auto plan = plan_of(halves, "1m:tranches=2");
  plan.terms.lots = {1, 1};
  EXPECT_THAT(message_of([&] { (void)rehearse(table, plan, with_wealth(1000)); }),
              HasSubstr("whole units cannot be dealt"));
  plan.terms.lots.clear();
  const auto how = with_wealth(1000);
  EXPECT_THAT(message_of([&] { Walk(table, plan, how); }), HasSubstr("a walk has one ledger"));
}

}  // namespace
}  // namespace inchtide

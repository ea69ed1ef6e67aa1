// What days do to a rehearsal: closed assets, ends, splits, dividends, charges, flows, targets by date.

#include <cmath>

#include "inchtide/base/errors.hpp"
#include "inchtide/rehearsal/walk.hpp"
#include "rehearsal/plans.hpp"
#include "support/messages.hpp"

namespace inchtide {
namespace {

using Eigen::Vector2d;
using Kind = Event::Kind;
using test::message_of;
using test::plan_of;
using testing::ElementsAre;
using testing::HasSubstr;

/// Calendar days from 2024-01-01 on, all assets at 10.
PriceTable flat(int rows, int assets) {
  PriceTable table;
  for (int t = 0; t < rows; ++t) table.days.push_back(*parse_day("2024-01-01") + std::chrono::days{t});
  for (int i = 0; i < assets; ++i) table.assets.push_back({std::string(1, char('A' + i)), "HLC", PriceField::close});
  table.prices = Eigen::MatrixXd::Constant(rows, assets, 10);
  return table;
}

std::vector<std::string> log_of(const Rehearsal& run, Kind kind) {
  std::vector<std::string> list;
  for (const auto& event : run.log) {
    if (event.kind == kind) list.push_back(event.asset + to_string(event.day).substr(7));
  }
  return list;
}

std::vector<std::string> trade_days(const Rehearsal& run) {
  std::vector<std::string> days;
  for (const auto& trade : run.trades) days.push_back(to_string(trade.traded).substr(8));
  return days;
}

TEST(ClosedAssets, AHolidayMakesATradeWaitForTheFirstDayOnWhichAllAreOpen) {
  auto table = flat(20, 2);
  table.prices.col(0).tail(15).setConstant(20);   // from the 6th on
  table.prices(7, 1) = table.prices(8, 1) = NAN;  // the 8th and 9th
  const auto run = rehearse(table, plan_of(Vector2d(0.5, 0.5), "6d"), {1000, 1, 0});
  EXPECT_THAT(trade_days(run), ElementsAre("02", "10"));  // decided on the 7th, due on the 8th
  EXPECT_THAT(log_of(run, Kind::wait), ElementsAre("B-08"));
  EXPECT_EQ(run.trades[1].decided, *parse_day("2024-01-07"));
  EXPECT_THAT(log_of(run, Kind::suspension), ElementsAre());
}

TEST(ClosedAssets, ASuspensionIsPinnedAndTheOthersTrade) {
  auto table = flat(20, 3);
  table.prices.col(0).tail(15).setConstant(20);
  for (int t = 4; t < 16; ++t) table.prices(t, 1) = NAN;  // from the 5th to the 16th
  const auto run = rehearse(table, plan_of(Eigen::Vector3d(0.4, 0.4, 0.2), "6d"), {1000, 1, 0});
  // On the 8th B has been closed for four rows: the trade waits, until on the 10th it is a suspension.
  EXPECT_THAT(trade_days(run), ElementsAre("02", "10", "20"));
  EXPECT_THAT(log_of(run, Kind::suspension), ElementsAre("B-10", "B-14"));
  // 800 and 200 are open of 1,400; B keeps its 400, and A and C share 1,000 as 2 to 1.
  EXPECT_NEAR(run.trades[1].orders[0].value, 1000 * 2.0 / 3 - 800, 1e-9);
  EXPECT_NEAR(run.trades[1].orders[1].value, 1000 / 3.0 - 200, 1e-9);
  RehearsalOptions options{1000, 1, 0};
  options.holiday_rows = 20;  // now it is a long holiday
  EXPECT_THAT(trade_days(rehearse(table, plan_of(Eigen::Vector3d(0.4, 0.4, 0.2), "6d"), options)),
              ElementsAre("02", "17"));
}

TEST(ClosedAssets, WhoHasNoPriceWhenItIsBoughtIsNamed) {
  auto table = flat(20, 2);
  table.prices.col(1).head(12).setConstant(NAN);
  EXPECT_THAT(message_of([&] {
                (void)rehearse(table, plan_of(Vector2d(0.5, 0.5), "never"), {1000, 1, 0});
              }),
              testing::AllOf(HasSubstr("B"), HasSubstr("no price up to 2024-01-02"), HasSubstr("50.00%")));
  EXPECT_NO_THROW((void)rehearse(table, plan_of(Vector2d(1, 0), "never"), {1000, 1, 0}));
}

TEST(Ends, AreCashedOnTheirDayAtTheLastPriceLessTheHaircut) {
  auto table = flat(20, 2);
  table.prices.col(1).tail(10).setConstant(NAN);  // its last price is of the 10th
  RehearsalOptions options{1000, 1, 0};
  options.ends = {{"B", *parse_day("2024-01-12"), 0.3}};
  const auto plan = plan_of(Vector2d(0.5, 0.5), "6d");
  const auto run = rehearse(table, plan, options);
  EXPECT_EQ(run.net[10], 1000);
  EXPECT_EQ(run.net[11], 850);
  EXPECT_EQ(run.running.haircuts, 150);
  EXPECT_THAT(log_of(run, Kind::end), ElementsAre("B-12"));
  EXPECT_EQ(run.trades.back().orders[0].value, 350) << "what is left goes into the other";
  options.ends[0].day = *parse_day("2024-01-09");
  EXPECT_THAT(message_of([&] { (void)rehearse(table, plan, options); }),
              testing::AllOf(HasSubstr("ends on 2024-01-09"), HasSubstr("price on 2024-01-10")));
  options.ends.clear();
  options.ended_after = 4;
  EXPECT_THAT(log_of(rehearse(table, plan, options), Kind::end), ElementsAre("B-14"));
  table.prices(18, 1) = 10;
  EXPECT_THAT(message_of([&] { (void)rehearse(table, plan, options); }),
              testing::AllOf(HasSubstr("ended on 2024-01-14"), HasSubstr("price on 2024-01-19")));
}

TEST(Dividends, AreThePriceAndTheDividendOverThePriceBefore) {
  auto table = flat(12, 1);
  table.prices.col(0) << 10, 10, 11, 12, 11, 10.5, 12, 12, 13, 13, 12, 14;
  RehearsalOptions options{1000, 1, 0};
  options.actions = {{"A", table.days[5], 1, 0.8}, {"A", table.days[9], 1, 0.5, table.days[10]}};
  options.withholding = 0.25;
  const auto run = rehearse(table, plan_of(Eigen::VectorXd::Ones(1), "never"), options);
  EXPECT_NEAR(run.net[5] / run.net[4], (10.5 + 0.75 * 0.8) / 11, 1e-14);
  EXPECT_NEAR(run.net[9] - run.net[8], 100 * 0.75 * 0.5, 1e-10) << "owed from the ex-day on";
  EXPECT_NEAR(run.end.cash, 100 * 0.75 * 1.3, 1e-10);
  EXPECT_NEAR(run.running.dividends, 100 * 0.75 * 1.3, 1e-10);
  EXPECT_EQ(run.end.owed, 0);
  EXPECT_THAT(log_of(run, Kind::dividend), ElementsAre("A-06", "A-10"));
}

TEST(Dividends, OfWhatIsNotHeldAreNone) {
  const auto table = flat(12, 2);
  RehearsalOptions options{1000, 0, 0};
  options.actions = {{"B", table.days[5], 1, 0.8}, {"A", table.days[6], 1, 0.1}};
  const auto run = rehearse(table, plan_of(Vector2d(1, 0), "never"), options);
  EXPECT_NEAR(run.running.dividends, 10, 1e-10);
  EXPECT_THAT(log_of(run, Kind::dividend), ElementsAre("A-07"));
}

TEST(Dividends, CannotBeSpentBeforeTheyArePaid) {
  const auto table = flat(12, 1);
  RehearsalOptions options{1000, 0, 0};
  options.actions = {{"A", table.days[2], 1, 1, table.days[6]}};
  const auto run = rehearse(table, plan_of(Eigen::VectorXd::Ones(1), "4d"), options);
  EXPECT_THAT(trade_days(run), ElementsAre("01", "09"));  // nothing to spend on the 5th
  EXPECT_NEAR(run.end.units[0], 110, 1e-10);
}

TEST(Splits, ChangeUnitsAndPayOutFractions) {
  auto table = flat(10, 1);
  table.prices.col(0).tail(5).setConstant(10 / 1.5);
  RehearsalOptions options{1000, 1, 0};
  options.actions = {{"A", table.days[5], 1.5, 0}};
  auto plan = plan_of(Eigen::VectorXd::Ones(1), "never");
  const auto whole = rehearse(table, plan, options);
  EXPECT_NEAR(whole.end.units[0], 150, 1e-10);
  EXPECT_THAT(log_of(whole, Kind::split), ElementsAre("A-06"));
  EXPECT_THAT(log_of(whole, Kind::dividend), ElementsAre());
  plan.terms.lots = {1};
  options.wealth = 995;  // 99 shares, which become 148.5
  const auto run = rehearse(table, plan, options);
  EXPECT_EQ(run.end.units[0], 148);
  EXPECT_NEAR(run.end.cash, 5 + 0.5 * 10 / 1.5, 1e-10);
  EXPECT_NEAR(run.net[9], 995, 1e-10);
}

TEST(Charges, RunByCalendarDays) {
  auto table = flat(3, 2);
  table.days = {*parse_day("2024-01-05"), *parse_day("2024-01-08"), *parse_day("2024-01-09")};
  auto plan = plan_of(Vector2d(0.5, -0.2), "never");
  plan.terms.costs.resize(2);
  plan.terms.costs[0].custody = 0.0365;
  plan.terms.costs[1].borrowing = 0.073;
  RehearsalOptions options{1000, 0, 0};
  options.cash_rate = 0.365;
  const auto run = rehearse(table, plan, options);
  // Three days on 500 and on 200 short; 700 in cash, of which 200 are the proceeds and earn nothing.
  EXPECT_NEAR(run.running.custody, 500 * 0.0001 * 4, 1e-12);
  EXPECT_NEAR(run.running.borrowing, 200 * 0.0002 * 4, 1e-12);
  const double first = 500 * 0.001 * 3, cash = 700 + first - (500 * 0.0001 + 200 * 0.0002) * 3;
  EXPECT_NEAR(run.running.interest, first + (cash - 200) * 0.001, 1e-12);
  EXPECT_NEAR(run.gross[1], 1000 + first, 1e-12) << "interest is return, fees are not";
  options.proceeds_earn = true;
  EXPECT_NEAR(rehearse(table, plan, options).gross[1], 1000 + 700 * 0.001 * 3, 1e-12);
  options.overdraft_rate = 0.0365;
  EXPECT_NEAR(rehearse(table, plan_of(Vector2d(1.5, 0), "never"), options).net[1], 1000 - 500 * 0.0001 * 3, 1e-12);
}

TEST(Flows, ArePaidAfterTheValuationAndLeaveTheReturnAlone) {
  auto table = flat(10, 1);
  table.prices.col(0) << 10, 10, 11, 12, 12, 9, 9, 9, 9, 9;
  RehearsalOptions options{1000, 1, 0};
  options.flows = {{table.days[3], -300}, {table.days[5], 0.5, true}};
  const auto run = rehearse(table, plan_of(Eigen::VectorXd::Ones(1), "never"), options);
  EXPECT_NEAR(run.net[3], 900, 1e-10);
  EXPECT_NEAR(run.before[5], 675, 1e-10);
  EXPECT_NEAR(run.flow[5], 337.5, 1e-10);
  EXPECT_NEAR(run.growth, 9.0 / 10 - 1, 1e-12) << "time-weighted";
  EXPECT_EQ(run.trades.back().reason, Trade::Reason::withdrawal);
  options.flows = {{*parse_day("2024-01-11"), 1}};
  EXPECT_THAT(message_of([&] { (void)rehearse(table, plan_of(Eigen::VectorXd::Ones(1), "never"), options); }),
              testing::AllOf(HasSubstr("flow of 2024-01-11"), HasSubstr("outside")));
}

TEST(TargetWeights, ByDateCountFromTheirDay) {
  auto table = flat(12, 2);
  auto plan = plan_of({}, "3d");
  plan.by_date = {{*parse_day("2023-12-01"), Vector2d(1, 0)}, {*parse_day("2024-01-06"), Vector2d(0.25, 0.75)}};
  const auto run = rehearse(table, plan, {1000, 0, 0});
  EXPECT_THAT(trade_days(run), ElementsAre("01", "07"));
  EXPECT_NEAR(run.end.units[1], 75, 1e-10);
  EXPECT_THAT(run.targets, ElementsAre(Eigen::VectorXd(Vector2d(1, 0)), Eigen::VectorXd(Vector2d(0.25, 0.75))));
  plan.by_date.erase(plan.by_date.begin());
  EXPECT_THAT(message_of([&] {
                (void)rehearse(table, plan, {1000, 0, 0});
              }),
              HasSubstr("its first weights are of 2024-01-06"));
}

TEST(TargetWeights, AFailedReestimationKeepsTheOldOnesAndMarksTheRun) {
  const auto table = flat(12, 2);
  auto plan = plan_of({}, "2d");
  plan.estimation = Reestimation{Schedule::parse("5d", ""), [](const Look& look) {
                                   if (look.row > 0) throw InputError("limits", "they cannot all hold", "Loosen one");
                                   return Eigen::VectorXd(Vector2d(0.5, 0.5));
                                 }};
  const auto run = rehearse(table, plan, {1000, 0, 0});
  EXPECT_TRUE(run.marked);
  EXPECT_THAT(log_of(run, Kind::failure), ElementsAre("-06", "-11"));
  const auto failure = std::ranges::find(run.log, Kind::failure, &Event::kind);
  EXPECT_THAT(failure->words, HasSubstr("they cannot all hold"));
  EXPECT_EQ(run.trades.size(), 1u);
}

TEST(TargetWeights, AReestimationOfTheWrongShapeIsNone) {
  const auto table = flat(30, 2);
  auto plan = plan_of({}, "5d");
  for (const Eigen::VectorXd& wrong : {Eigen::VectorXd(Eigen::Vector3d(0.2, 0.2, 0.2)),
                                       Eigen::VectorXd(Vector2d(0.5, NAN)), Eigen::VectorXd(Vector2d(INFINITY, 0))}) {
    const auto from = [&](std::size_t row) {
      return Reestimation{Schedule::parse("10d", ""), [&wrong, row](const Look& look) {
                            return look.row >= row ? wrong : Eigen::VectorXd(Vector2d(0.3, 0.7));
                          }};
    };
    plan.estimation = from(0);
    EXPECT_THAT(message_of([&] { (void)rehearse(table, plan, {1000, 0, 0}); }), HasSubstr("gave no weights"));
    plan.estimation = from(10);
    const auto run = rehearse(table, plan, {1000, 0, 0});
    EXPECT_TRUE(run.marked);
    EXPECT_EQ(run.targets.size(), 1u) << "the older ones are kept";
    EXPECT_EQ(run.end.units[0], 30);
  }
}

TEST(Lots, OfNothingAreRefused) {
  const auto table = flat(10, 2);
  auto plan = plan_of(Vector2d(0.5, 0.5), "5d");
  for (const double lot : {0.0, -1.0, double(INFINITY), double(NAN)}) {
    for (std::size_t i = 0; i < 2; ++i) {
      plan.terms.lots = {1, 1};
      plan.terms.lots[i] = lot;
      EXPECT_THAT(message_of([&] {
                    (void)rehearse(table, plan, {1000, 0, 0});
                  }),
                  testing::AllOf(HasSubstr("a lot of"), HasSubstr(i == 0 ? "A" : "B")));
    }
  }
}

TEST(Rules, OfOnesOwnAreAskedAtEveryClose) {
  auto table = flat(12, 2);
  table.prices(6, 0) = 20;
  auto plan = plan_of(Vector2d(0.5, 0.5), "never");
  plan.rule = [](const Look& look) -> std::optional<Destination> {
    if (look.row == 0 || look.weights()[0] > 0.6) return Destination{look.targets};
    return std::nullopt;
  };
  const auto run = rehearse(table, plan, {1000, 0, 0});
  EXPECT_THAT(trade_days(run), ElementsAre("01", "07"));
}

TEST(Sizes, FixedAtTheLookLeaveWhatPricesDoInCash) {
  auto table = flat(6, 2);
  table.prices(1, 0) = 8;
  RehearsalOptions options{1000, 1, 0};
  options.size = RehearsalOptions::Size::decision;
  const auto run = rehearse(table, plan_of(Vector2d(0.5, 0.5), "never"), options);
  EXPECT_NEAR(run.end.units[0], 50, 1e-10);
  EXPECT_NEAR(run.end.cash, 100, 1e-10);
  table.prices(1, 0) = 12;  // 100 are missing: both purchases are smaller
  const auto dear = rehearse(table, plan_of(Vector2d(0.5, 0.5), "never"), options);
  EXPECT_NEAR(dear.end.units[0], 50 / 1.1, 1e-10);
  EXPECT_NEAR(dear.end.cash, 0, 1e-9);
}

TEST(Pending, IsWhatADecisionWouldTradeWhenPricesEnd) {
  auto table = flat(11, 2);
  table.prices.col(0).tail(3).setConstant(30);
  const auto run = rehearse(table, plan_of(Vector2d(0.5, 0.5), "10d"), {1000, 2, 0});
  ASSERT_TRUE(run.pending);
  EXPECT_EQ(run.pending->decided, *parse_day("2024-01-11"));
  EXPECT_NEAR(run.pending->trade.orders[0].value, -500, 1e-9);
  EXPECT_NEAR(run.end.units[0], 50, 1e-10) << "nothing was traded";
}

TEST(Starts, FromWhatIsHeld) {
  auto table = flat(6, 2);
  table.prices.col(0).setConstant(20);
  RehearsalOptions options;
  options.delay = 1;
  options.start = Ledger{Vector2d(30, 20), 200};
  const auto run = rehearse(table, plan_of(Vector2d(0.5, 0.5), "never"), options);
  EXPECT_EQ(run.net[0], 1000);
  ASSERT_EQ(run.trades.size(), 1u);
  EXPECT_NEAR(run.trades[0].orders[0].value, -100, 1e-9);
  EXPECT_NEAR(run.turnover_after_first, run.turnover_per_year, 1e-15) << "no purchase from cash";
}

TEST(Schedules, ThatNeverLookAreRefused) {
  EXPECT_THAT(message_of([] {
                (void)rehearse(flat(12, 1), plan_of(Eigen::VectorXd::Ones(1), "1q"), {1000, 1, 0});
              }),
              HasSubstr("it never looks between 2024-01-01 and 2024-01-12"));
  EXPECT_NO_THROW((void)rehearse(flat(12, 1), plan_of(Eigen::VectorXd::Ones(1), "1q|band:5pp"), {1000, 1, 0}));
}

TEST(BandSchedules, TradeOnTheDayOnWhichOneIsLeft) {
  // Half and half; the first stands at 55 / (55 + 45) = 55.0% on the 5th, and above on the 7th.
  auto table = flat(10, 2);
  table.prices.col(0) << 10, 10, 10, 10, 11, 11, 11.1, 11.1, 11.1, 11.1;
  table.prices.col(1) << 10, 10, 10, 10, 9, 9, 9, 9, 9, 9;
  EXPECT_THAT(trade_days(rehearse(table, plan_of(Vector2d(0.5, 0.5), "band:5pp"), {1000, 0, 0})),
              ElementsAre("01", "07"));
  EXPECT_THAT(trade_days(rehearse(table, plan_of(Vector2d(0.5, 0.5), "band:5pp"), {1000, 1, 0})),
              ElementsAre("02", "08"));
  EXPECT_THAT(trade_days(rehearse(table, plan_of(Vector2d(0.5, 0.5), "4d+band:5pp"), {1000, 0, 0})),
              ElementsAre("01", "09"));
  EXPECT_THAT(trade_days(rehearse(table, plan_of(Vector2d(0.5, 0.5), "8d|band:5pp"), {1000, 0, 0})),
              ElementsAre("01", "07"));
}

}  // namespace
}  // namespace inchtide

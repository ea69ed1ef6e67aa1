// The runs of a study: what each portfolio comes to on each schedule, and what stands beside them.

#include <gmock/gmock.h>

#include "inchtide/base/errors.hpp"
#include "inchtide/prices/actions.hpp"
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
using test::three;
using test::walk;
using testing::Contains;
using testing::ElementsAre;
using testing::HasSubstr;
using testing::IsEmpty;
using testing::Not;

TEST(StudyRuns, NeedASplitWithPricesOnBothSides) {
  const auto sources = three();
  Settings settings;
  const auto universe = universe_of(sources, settings);
  const auto basis = basis_of(universe, sources, settings);
  const auto portfolios = portfolios_of(basis, sources, settings);
  const auto message = [&] {
    return message_of([&] { (void)runs_of(universe, basis, portfolios, sources, settings); });
  };
  EXPECT_THAT(message(), HasSubstr("split: none was given, so the weights would be chosen by the very prices"));
  settings.split = day("2030-01-01");
  EXPECT_THAT(message(), HasSubstr("2030-01-01 leaves no prices on one side of it"));
}

TEST(StudyRuns, HoldingOnEndsAtThePriceRelativeAfterItsCosts) {
  const auto sources = three();
  Settings settings;
  settings.split = day("2022-01-03");
  settings.assets = {"TIDEMILL"};
  settings.benchmark = "KELPFARM";
  settings.aims = {Aim::parse("equal", "")};
  settings.schedules = {Schedule::parse("never", "")};
  settings.costs = {CostClass::parse("20bp", "")};
  settings.wealth = 1000;
  const auto universe = universe_of(sources, settings);
  const auto basis = basis_of(universe, sources, settings, settings.split);
  const auto runs = runs_of(universe, basis, portfolios_of(basis, sources, settings), sources, settings);
  ASSERT_EQ(runs.all.size(), 2u);
  // Decided on the last day before the split, bought on the next.
  EXPECT_EQ(runs.all[0].days.front(), day("2021-12-31"));
  const auto at = [&](std::size_t asset, const char* text) {
    const auto& bars = sources.bars[asset];
    return bars.of(PriceField::close)[std::size_t(std::ranges::find(bars.days, day(text)) - bars.days.begin())];
  };
  EXPECT_NEAR(runs.all[0].net[runs.all[0].net.size() - 1], 1000 / 1.002 * at(0, "2023-12-29") / at(0, "2022-01-03"),
              1e-9);
  EXPECT_NEAR(runs.all[1].net[runs.all[1].net.size() - 1], 1000 * at(1, "2023-12-29") / at(1, "2022-01-03"), 1e-9);
  EXPECT_THAT(texts_of(runs.warnings), IsEmpty());
}

TEST(StudyRuns, SayWhatIsNotInThem) {
  auto sources = three();
  test::take_out(sources.bars[1], day("2023-06-01"), day("2023-06-14"));
  Settings settings;
  settings.split = day("2022-01-03");
  settings.mixes = {"TIDEMILL=150%"};
  const auto universe = universe_of(sources, settings);
  const auto basis = basis_of(universe, sources, settings, settings.split);
  Portfolios geared;
  geared.all.push_back(evaluate(basis.estimate, {}, Eigen::Vector3d(1.5, 0, 0), "geared", 0));
  const auto runs = runs_of(universe, basis, geared, sources, settings);
  EXPECT_EQ(runs.all.front().days.size(), 521u) << "days on which one asset is closed are part of the walk";
  EXPECT_THAT(texts_of(runs.warnings), testing::UnorderedElementsAre(
                                           HasSubstr("geared borrows 50.00% of wealth, for nothing"),
                                           "No trading costs were given: these runs trade for free. Give some (10bp)"));
}

TEST(StudyRuns, SayThatAMisprintIsKnownInHindsight) {
  Rehearsed one;
  one.settings.drop_misprints = true;
  const auto index_of = [&](const char* when) {
    return std::size_t(std::ranges::find(one.sources.bars[0].days, day(when)) - one.sources.bars[0].days.begin());
  };
  auto& closes = one.sources.bars[0].of(PriceField::close);
  const auto hindsight = Contains(HasSubstr("nobody knew on its day"));
  closes[index_of("2021-06-01")] *= 10;
  EXPECT_THAT(texts_of(one.runs().warnings), testing::Not(hindsight)) << "before the walk it was known when it began";
  closes[index_of("2022-06-01")] *= 10;
  EXPECT_THAT(texts_of(one.runs().warnings), Contains(HasSubstr(": TIDEMILL on 2022-06-01")));
  closes[index_of("2023-06-01")] /= 10;
  EXPECT_THAT(texts_of(one.runs().warnings), Contains(HasSubstr(": TIDEMILL on 2022-06-01 and 1 more")));
  one.settings.assets = {"KELPFARM", "HOLLBOND"};
  EXPECT_THAT(texts_of(one.runs().warnings), testing::Not(hindsight)) << "it is no part of the walk";
}

TEST(StudyRuns, TheWindowOfAnEstimateEndsWithTheLastDayBeforeTheSplit) {
  Rehearsed one;
  one.settings.estimate_over = Interval::parse("1y", "");
  const auto universe = universe_of(one.sources, one.settings);
  const auto basis = basis_before_split(universe, one.sources, one.settings);
  auto by_hand = one.settings;
  by_hand.split.reset();
  by_hand.estimate_over.reset();
  by_hand.from = day("2020-12-31");
  by_hand.to = day("2021-12-31");
  const auto then = basis_of(universe_of(one.sources, by_hand), one.sources, by_hand);
  EXPECT_EQ(basis.returns.days.back(), day("2021-12-31"));
  EXPECT_EQ(basis.returns.returns, then.returns.returns);
  EXPECT_LT((basis.estimate.expected_return - then.estimate.expected_return).cwiseAbs().maxCoeff(), 1e-14);
}

TEST(StudyRuns, BeginWithWhatIsHeld) {
  Rehearsed one;
  one.settings.start_from_current = true;
  EXPECT_THAT(message_of([&] { (void)one.runs(); }), HasSubstr("what is held now, which isn't known"));
  one.sources.current = WeightList{"held", {"TIDEMILL", "KELPFARM"}, {0.5, 0.3}};
  const auto run = one.runs().all.front();
  EXPECT_NEAR(run.net[0], 1e6, 1e-6);
  EXPECT_LT(run.trades.front().turnover, 1) << "less than a purchase from cash";
  // All of it in one, and another, of which nothing is held, has no price that day.
  one.sources.current = WeightList{"held", {"TIDEMILL"}, {1}};
  test::take_out(one.sources.bars[1], day("2021-12-31"), day("2021-12-31"));
  const auto whole = one.runs().all.front();
  EXPECT_EQ(whole.days.front(), day("2021-12-31"));
  EXPECT_NEAR(whole.net[0], 1e6, 1e-6);
  EXPECT_NEAR(whole.trades.front().turnover, 1 - run.targets.front()[0], 1e-3);
}

TEST(StudyRuns, FlowsComeOnTheirCalendar) {
  Rehearsed one;
  one.settings.flows = {{"keepers", Schedule::parse("1m@first", ""), {}, {}, -1000},
                        {"harvest", Schedule::parse("1m@first", ""), 10, {}, 5000},
                        {"once", {}, {}, day("2023-05-10"), 0.01, true}};
  const auto run = one.runs().all.front();
  std::vector<double> flows;
  for (double flow : run.flow) {
    if (flow != 0) flows.push_back(flow);
  }
  ASSERT_EQ(flows.size(), 25u);  // 24 months, and the one; the gifts come with a payment
  EXPECT_EQ(flows[9], 4000);
  std::rotate(one.settings.flows.begin(), one.settings.flows.begin() + 2,
              one.settings.flows.end());  // the one comes first
  EXPECT_EQ(one.runs().all.front().flow, run.flow);
  EXPECT_NEAR(flows[17], 0.01 * run.before[std::ranges::find(run.days, day("2023-05-10")) - run.days.begin()], 1e-9);
}

TEST(StudyRuns, CostsOfWhatIsLeftOutAreNone) {
  Rehearsed one;
  one.settings.assets = {"TIDEMILL", "KELPFARM"};
  const auto growth = one.runs().all.front().growth;
  one.settings.costs.push_back(CostClass::parse("HOLLBOND=5bp", ""));
  EXPECT_EQ(one.runs().all.front().growth, growth);
  one.settings.costs.push_back(CostClass::parse("NOBODY=5bp", ""));
  EXPECT_THAT(message_of([&] { (void)one.runs(); }), HasSubstr("cost class 'NOBODY': no asset has this code"));
}

TEST(StudyRuns, ARunThatBuysNothingIsSaid) {
  Rehearsed one;
  EXPECT_THAT(texts_of(one.runs().warnings), Not(Contains(HasSubstr("no order was made"))));
  one.settings.smallest_order = 2 * one.settings.wealth;
  EXPECT_THAT(texts_of(one.runs().warnings),
              Contains(HasSubstr("minimum-variance, 1q: no order was made, so all wealth stayed in cash")));
}

TEST(StudyRuns, AFlowWhoseDaysNeverComeIsSaid) {
  Rehearsed one;
  one.settings.flows = {{"gift", Schedule::parse("1y", ""), 10, {}, 1000}};  // a year's last day is in December
  EXPECT_THAT(texts_of(one.runs().warnings), Contains(HasSubstr("flow 'gift': none of its days is in the walk")));
  one.settings.flows[0].month = 12;
  EXPECT_THAT(texts_of(one.runs().warnings), Not(Contains(HasSubstr("flow 'gift'"))));
}

TEST(StudyRuns, RawClosesWithActionsHoldRealUnitsAndAreCreditedTheirDividends) {
  // One asset that halves by a split and pays a dividend; its price is otherwise 40, then 20, in 2022 and 2023.
  Rehearsed one;
  auto& bars = one.sources.bars[0];
  auto& closes = bars.of(PriceField::close);
  const auto row = [&](const char* text) {
    return std::size_t(std::ranges::lower_bound(bars.days, day(text)) - bars.days.begin());
  };
  for (std::size_t t = 0; t < closes.size(); ++t) {
    closes[t] = (t >= row("2022-06-01") ? 20.0 : 40.0) * (t < row("2022-01-03") ? 1 + 0.01 * double(t % 5) : 1);
  }
  one.settings.assets = {bars.asset};
  one.settings.aims = {Aim::parse("equal", "")};
  one.settings.schedules = {Schedule::parse("never", "")};
  one.settings.costs.clear();
  // Without actions it is refused, unless it is said to be real.
  EXPECT_THAT(message_of([&] { (void)one.runs(); }), HasSubstr("move like a split on 2022-06-01"));
  one.settings.to = day("2022-06-01");
  EXPECT_THAT(message_of([&] { (void)one.runs(); }), HasSubstr("move like a split on 2022-06-01"));
  one.settings.to = day("2022-05-31");
  EXPECT_NO_THROW((void)one.runs()) << "a walk that ends before it knows nothing of it";
  one.settings.to.reset();
  one.settings.real_moves = {bars.asset};
  EXPECT_LT(one.runs().all.front().growth, -0.4);
  one.settings.real_moves.clear();
  auto hundredths = one;
  auto& in_hundredths = hundredths.sources.bars[0].of(PriceField::close);
  for (std::size_t t = row("2022-06-01"); t < closes.size(); ++t) in_hundredths[t] = 4000;
  EXPECT_THAT(
      message_of([&] { (void)hundredths.runs(); }),
      HasSubstr("move like ones in another unit on 2022-06-01, and no actions say so: a rehearsal would make or "
                "lose money that nobody did. Bring the file to one unit"));
  one.sources.actions = {{bars.asset, day("2022-06-01"), 2, 0},
                         {bars.asset, day("2023-03-01"), 1, 0.5, day("2023-04-03")}};
  one.settings.withholding = 0.2;
  EXPECT_THAT(texts_of(one.runs().warnings), Not(Contains(HasSubstr("Nothing is withheld"))));
  auto without = one;
  without.sources.actions.reset();
  without.settings.real_moves = {bars.asset};
  EXPECT_THAT(texts_of(without.runs().warnings), Contains(HasSubstr("Nothing is withheld from dividends")));
  one.settings.lots = {{"all", 1}};
  const auto run = one.runs().all.front();
  EXPECT_EQ(run.end.units[0], 50'000);
  EXPECT_NEAR(run.end.cash, 50'000 * 0.5 * 0.8, 1e-9);
  EXPECT_NEAR(run.growth, 0.02, 1e-12);
}

TEST(StudyRuns, AreRefusedWithTheReasonWhereNoScheduleSuitsAnyPortfolio) {
  Rehearsed one;
  one.settings.aims = {Aim::parse("equal", ""), Aim::parse("minimum-variance", "")};
  one.settings.schedules = {Schedule::parse("1m:after-costs", "")};
  EXPECT_THAT(
      message_of([&] { (void)one.runs(); }),
      HasSubstr("no return is behind equal, minimum-variance. Give another schedule too, such as 1q, or an aim"));
  one.settings.benchmark = "KELPFARM";
  EXPECT_THAT(message_of([&] { (void)one.runs(); }), HasSubstr("no return is behind"))
      << "a benchmark is no run of ours";
  one.settings.schedules.push_back(Schedule::parse("1q", ""));
  EXPECT_THAT(texts_of(one.runs().warnings), Contains(HasSubstr("equal has no return to weigh against costs")));
}

TEST(StudyRuns, ForeignDividendsTakeTheRateOfTheirDay) {
  Rehearsed one;
  const auto bars = one.sources.bars[0];
  one.settings.aims = {Aim::parse("equal", "")};
  one.settings.schedules = {Schedule::parse("never", "")};
  one.settings.costs.clear();
  one.settings.assets = {bars.asset};
  one.settings.currency = "HLC";
  one.sources.tags = {{"currency"}, {bars.asset, "KELPFARM", "HOLLBOND"}, {{"MRD"}, {"HLC"}, {"HLC"}}};
  RateHistory rates{"MRD", "HLC", {}, {}};
  std::vector<Day> days;
  for (const Day d : bars.days) {  // two, and four from 2023 on; none in June 2023
    if (d > day("2023-06-01") && d < day("2023-07-01")) continue;
    days.push_back(d);
    rates.rates.push_back(d < day("2023-01-01") ? 2 : 4);
  }
  rates.days = DayList(days);
  one.sources.rates = {rates};
  const CorporateAction split{bars.asset, day("2012-03-01"), 2, 0}, long_ago{bars.asset, day("2012-03-01"), 1, 0.5};
  const CorporateAction paid{bars.asset, day("2023-03-01"), 1, 0.5};
  const CorporateAction at_the_end{bars.asset, bars.days.back(), 1, 0.1};
  one.sources.actions = {{"KELPFARM", day("2022-03-01"), 1, 0.1}, split, long_ago, paid, at_the_end};
  const auto run = one.runs().all.front();
  EXPECT_NEAR(run.running.dividends, run.end.units[0] * (0.5 + 0.1) * 4, 1e-9);
  EXPECT_NEAR(run.end.cash, run.running.dividends, 1e-9);
  one.sources.actions->push_back({bars.asset, day("2023-06-21"), 1, 0.25});
  EXPECT_EQ(message_of([&] { (void)one.runs(); }),
            bars.asset +
                ", 2023-06-21: its dividend of 0.25 MRD has no rate of that day. Give rates of MRD in HLC "
                "around it, or leave the dividend out");
  one.sources.actions->back().dividend = 0;
  one.sources.actions->back().split = 3;
  const auto tripled = one.runs().all.front();
  EXPECT_NEAR(tripled.end.units[0], 3 * run.end.units[0], 1e-9 * run.end.units[0]) << "a split needs no rate";
}

/// The first asset's shares are split in two ten days before the walk begins: no move of its price.
void split_before_the_walk(Rehearsed& one) {
  auto& bars = one.sources.bars[0];
  const auto first = std::size_t(std::ranges::lower_bound(bars.days, *one.settings.split) - bars.days.begin());
  for (std::size_t t = first - 10; t < bars.days.size(); ++t) {
    bars.of(PriceField::close)[t] /= 2;
    bars.of(PriceField::volume)[t] *= 2;
  }
  one.sources.actions = {{bars.asset, bars.days[first - 10], 2, 0}};
}

/// Coefficient x sd of the 20 returns up to the decision x root of value / a million x value.
double impact_by_hand(const Rehearsed& one, const std::string& asset, Day decided, double value) {
  const auto& bars = *std::ranges::find(one.sources.bars, asset, &BarHistory::asset);
  const auto& closes = bars.of(PriceField::close);
  const auto at = std::size_t(std::ranges::find(bars.days, decided) - bars.days.begin());
  double sum = 0, squares = 0;
  for (std::size_t t = at - 19; t <= at; ++t) {
    double relative = closes[t] / closes[t - 1];
    if (one.sources.actions && one.sources.actions->front().asset == asset &&
        one.sources.actions->front().ex_day == bars.days[t]) {
      relative *= 2;
    }
    sum += relative - 1;
    squares += (relative - 1) * (relative - 1);
  }
  const double sd = std::sqrt((squares - sum * sum / 20) / 19);
  return 0.5 * sd * std::sqrt(value / 1e6) * value;
}

TEST(StudyRuns, AdjustedClosesHaveTheirDividendsAlready) {
  Rehearsed one;
  auto& bars = one.sources.bars[0];
  bars.of(PriceField::adjusted_close) = bars.of(PriceField::close);
  const auto without = one.runs().all.front();
  one.sources.actions = {{bars.asset, day("2022-06-01"), 1, 0.5}, {"NOBODY", day("2022-06-01"), 1, 0.5}};
  const auto run = one.runs().all.front();
  EXPECT_EQ(run.running.dividends, 0);
  EXPECT_EQ(run.net, without.net);
}

TEST(StudyRuns, ImpactHangsOnVolumes) {
  Rehearsed one;
  one.settings.costs = {{"all"}};
  one.settings.costs[0].buy.impact = one.settings.costs[0].sell.impact = 0.5;
  EXPECT_THAT(message_of([&] { (void)one.runs(); }), HasSubstr("no closes with volumes, which impact hangs on"));
  for (auto& bars : one.sources.bars) {
    for (double close : bars.of(PriceField::close)) bars.of(PriceField::volume).push_back(1e6 / close);
  }
  one.settings.schedules = {Schedule::parse("2m", "")};
  // Days on which nothing was traded are none of those whose mean it is.
  auto& traded = one.sources.bars[1].of(PriceField::volume);
  for (std::size_t t = 0; t < traded.size(); t += 4) traded[t] = 0;
  for (const bool split : {false, true}) {
    if (split) split_before_the_walk(one);
    const auto run = one.runs().all.front();
    ASSERT_GT(run.trades.size(), 3u);
    std::size_t orders = 0;
    for (const auto& trade : run.trades) {  // the first is decided by days before the walk
      for (const auto& order : trade.orders) {
        const auto& asset = run.assets[std::size_t(order.asset)];
        const double value = std::abs(order.value), expected = impact_by_hand(one, asset, trade.decided, value);
        EXPECT_NEAR(order.cost.impact, expected, 1e-6 * expected + 1e-9) << asset << to_string(trade.decided);
        ++orders;
      }
    }
    EXPECT_GT(orders, 8u);
  }
}

TEST(StudyRuns, ImpactNeedsVolumesOfWhatPaysItAlone) {
  Rehearsed one;
  one.settings.aims = {Aim::parse("equal", "")};
  one.settings.costs = {CostClass::parse("20bp", ""), {"KELPFARM"}};
  one.settings.costs[1].buy.impact = one.settings.costs[1].sell.impact = 0.5;
  auto& bars = one.sources.bars[1];
  for (double close : bars.of(PriceField::close)) bars.of(PriceField::volume).push_back(1e6 / close);
  const auto runs = one.runs();
  for (const auto& trade : runs.all.front().trades) {
    for (const auto& order : trade.orders) {
      const bool pays = runs.all.front().assets[std::size_t(order.asset)] == "KELPFARM";
      EXPECT_EQ(order.cost.impact > 0, pays);
      EXPECT_GT(order.cost.commission, 0);
    }
  }
  EXPECT_THAT(texts_of(runs.warnings), testing::Not(Contains(HasSubstr("pay no impact"))));
  // Nothing is known to be traded over a summer: on its 21st day nothing is left that impact could hang on.
  const auto begin = std::ranges::lower_bound(bars.days, day("2022-06-01")) - bars.days.begin();
  const auto end = std::ranges::lower_bound(bars.days, day("2022-09-01")) - bars.days.begin();
  for (auto t = begin; t < end; ++t) bars.of(PriceField::volume)[std::size_t(t)] = 0;
  EXPECT_THAT(
      texts_of(one.runs().warnings),
      Contains("Orders decided when nothing is known to have been traded for 21 days pay no impact: KELPFARM (on " +
               to_string(bars.days[std::size_t(begin) + 20]) + " and " + std::to_string(end - begin - 21) +
               " more days). Give volumes, or leave the impact out"));
  for (auto t = begin + 22; t < end; ++t) bars.of(PriceField::volume)[std::size_t(t)] = 1000;
  EXPECT_THAT(texts_of(one.runs().warnings), Contains(HasSubstr(" and 1 more day).")));
  bars.of(PriceField::volume)[std::size_t(begin) + 21] = 1000;
  EXPECT_THAT(texts_of(one.runs().warnings),
              Contains(HasSubstr("(on " + to_string(bars.days[std::size_t(begin) + 20]) + ").")));
}

TEST(StudyRuns, WhatHasNoReturnToWeighAgainstCostsIsPassedOver) {
  Rehearsed one;
  one.settings.aims = {Aim::parse("equal", ""), Aim::parse("maximum-sharpe", "")};
  one.settings.schedules = {Schedule::parse("1q:after-costs", ""), Schedule::parse("never", "")};
  const auto runs = one.runs();
  std::vector<std::string> names;
  for (const auto& run : runs.all) names.push_back(run.name);
  EXPECT_THAT(names, ElementsAre("equal, never", "maximum-sharpe, 1q:after-costs", "maximum-sharpe, never"));
  EXPECT_THAT(texts_of(runs.warnings),
              Contains("equal has no return to weigh against costs, so 1q:after-costs is not run for it"));
}

TEST(StudyRuns, CostAwareSchedulesWeighCostsByTheLatestEstimate) {
  Rehearsed one;
  one.settings.aims = {Aim::parse("maximum-sharpe", "")};
  one.settings.schedules = {Schedule::parse("1q:after-costs", "")};
  one.settings.delay = 0;
  one.settings.reestimate = Schedule::parse("1y", "");
  one.settings.estimate_over = Interval::parse("1y", "");
  const auto run = one.runs().all.front();
  EXPECT_FALSE(run.marked);
  // By hand, what it traded to at the end of 2022: by the year up to then, from what was held on that close.
  const auto row = std::ranges::find(run.days, day("2022-12-30")) - run.days.begin();
  ASSERT_LT(row, Eigen::Index(run.days.size()));
  auto then = one.settings;
  then.to = day("2022-12-30");
  then.last = Interval::parse("1y", "");
  const auto universe = universe_of(one.sources, then);
  const auto basis = basis_of(universe, one.sources, then);
  std::vector<Notice> warnings;
  const auto walk = walk_of(universe_of(one.sources, one.settings), one.settings, warnings).only(run.assets);
  Eigen::VectorXd held = run.weights.row(row - 1).transpose();
  const double cash = 1 - held.sum();
  held = held.cwiseProduct((walk.prices.row(row).array() / walk.prices.row(row - 1).array()).matrix().transpose());
  held /= held.sum() + cash;
  auto facts = basis.facts;
  facts.current = held;
  facts.costs = TradingCosts{held, proportional(asset_costs(one.settings.costs, run.assets, {})), one.settings.horizon};
  const auto frontier = trace_frontier(basis.estimate, basis.limits, facts);
  const auto chosen = choose(frontier, one.settings.aims.front(), basis.risk_free, {}).weights;
  EXPECT_LT((run.weights.row(row).transpose() - chosen).cwiseAbs().maxCoeff(), 1e-9);
  EXPECT_GT((chosen - held).cwiseAbs().maxCoeff(), 0.01) << "it traded";
}

TEST(StudyRuns, EqualWeightsStandBesideTheOthers) {
  Rehearsed one;
  const auto runs = one.runs();
  ASSERT_EQ(runs.all.size(), 2u);
  EXPECT_EQ(runs.all.back().name, "equal, 1q");
  EXPECT_LT((runs.all.back().targets.back().array() - 1.0 / 3).abs().maxCoeff(), 1e-15);
  EXPECT_GT(runs.all.back().costs_paid, 0) << "they pay as the others do";
  one.settings.aims = {Aim::parse("equal", "")};
  EXPECT_EQ(one.runs().all.size(), 1u);
}

TEST(StudyRuns, ARunThatCannotBeMadeCostsNoOther) {
  Rehearsed one;
  one.settings.schedules = {Schedule::parse("1q", ""), Schedule::parse("5y", ""), Schedule::parse("3m", "")};
  const auto runs = one.runs();
  EXPECT_EQ(runs.all.size(), 3u);  // with equal weights
  ASSERT_EQ(runs.failed.size(), 1u);
  EXPECT_EQ(runs.failed[0].name, "minimum-variance, 5y");
  EXPECT_THAT(runs.failed[0].why.text(), HasSubstr("it never looks"));
  EXPECT_THAT(texts_of(runs.warnings),
              Contains(HasSubstr("minimum-variance, 5y could not be rehearsed: schedule '5y': it never looks")));
  auto two = one;  // one warning a reason, which counts those that it stands for
  two.settings.aims.push_back(Aim::parse("equal", ""));
  EXPECT_THAT(texts_of(two.runs().warnings),
              Contains(HasSubstr("minimum-variance, 5y and 1 more could not be rehearsed")));
  two.settings.schedules.push_back(Schedule::parse("6y", ""));
  const auto failed = two.runs();
  EXPECT_EQ(failed.failed.size(), 4u);
  EXPECT_THAT(texts_of(failed.warnings), Contains(HasSubstr("could not be rehearsed")).Times(2));
  EXPECT_THAT(texts_of(failed.warnings),
              testing::IsSupersetOf({HasSubstr("minimum-variance, 5y and 1 more could not be rehearsed"),
                                     HasSubstr("minimum-variance, 6y and 1 more could not be rehearsed")}));
  one.settings.lots = {{"all", 1}};
  EXPECT_NO_THROW((void)one.runs());
  for (auto& bars : one.sources.bars) bars.of(PriceField::adjusted_close) = bars.of(PriceField::close);
  EXPECT_THAT(message_of([&] { (void)one.runs(); }), HasSubstr("adjusted closes, which are no prices of a unit"));
}

TEST(StudyRuns, DaysWithoutTheBenchmarkAreCountedOnTheWalkAlone) {
  Rehearsed one;
  one.sources.bars.push_back(walk("HOLLIN40", 9));
  one.settings.benchmark = "HOLLIN40";
  const auto said = HasSubstr("HOLLIN40: it has no price on");
  test::take_out(one.sources.bars.back(), day("2021-03-01"), day("2021-03-05"));
  EXPECT_THAT(texts_of(one.runs().warnings), testing::Not(Contains(said)));
  test::take_out(one.sources.bars.back(), day("2022-03-01"), day("2022-03-03"));
  EXPECT_THAT(texts_of(one.runs().warnings),
              Contains("HOLLIN40: it has no price on 3 of the days of the walk, where its last one counts"));
}

TEST(StudyRuns, CanBeStopped) {
  const auto sources = three();
  Settings settings;
  settings.split = day("2022-01-03");
  const auto universe = universe_of(sources, settings);
  const auto basis = basis_of(universe, sources, settings, settings.split);
  const auto portfolios = portfolios_of(basis, sources, settings);
  EXPECT_THROW((void)runs_of(universe, basis, portfolios, sources, settings, {[] { return true; }, {}}), Interrupted);
}

}  // namespace
}  // namespace inchtide

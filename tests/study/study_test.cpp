// The steps of a study, on values alone: what is settled, left out, converted and said, and that nothing looks ahead.

#include <gmock/gmock.h>

#include <map>

#include "inchtide/base/errors.hpp"
#include "inchtide/prices/periods.hpp"
#include "inchtide/study/runs.hpp"
#include "support/messages.hpp"
#include "support/walks.hpp"

namespace inchtide {
namespace {

using test::day;
using test::message_of;
using test::texts_of;
using test::three;
using test::walk;
using testing::AllOf;
using testing::Contains;
using testing::ElementsAre;
using testing::HasSubstr;
using testing::IsEmpty;
using testing::Not;

/// One price a quarter, its last.
void keep_quarter_ends(BarHistory& bars) {
  const Interval quarter{1, Unit::quarter};
  std::vector<Day> days;
  std::vector<double> closes;
  for (std::size_t row = 0; row < bars.days.size(); ++row) {
    const bool last = row + 1 == bars.days.size();
    if (!last && quarter.period_of(bars.days[row + 1]) == quarter.period_of(bars.days[row])) continue;
    days.push_back(bars.days[row]);
    closes.push_back(bars.of(PriceField::close)[row]);
  }
  bars.days = DayList(std::move(days));
  bars.of(PriceField::close) = closes;
}

Tags tagged(const std::vector<std::pair<std::string, std::string>>& currencies) {
  Tags tags{{"currency"}, {}, {}};
  for (const auto& [asset, currency] : currencies) {
    tags.assets.push_back(asset);
    tags.rows.push_back({currency});
  }
  return tags;
}

TEST(StudyUniverse, TakesTheBenchmarkFromAmongTheAssets) {
  Settings settings;
  settings.benchmark = "hollbond";
  settings.assets = {"kelpfarm", "HOLLBOND"};
  const auto universe = universe_of(three(), settings);
  EXPECT_THAT(universe.assets, ElementsAre("KELPFARM"));
  EXPECT_EQ(universe.benchmark, "HOLLBOND");
  EXPECT_EQ(universe.prices.codes(), (std::vector<std::string>{"KELPFARM", "HOLLBOND"}));
  EXPECT_THAT(texts_of(universe.warnings), Contains(HasSubstr("HOLLBOND is the benchmark")));
  EXPECT_EQ(universe.bars.size(), 2u);
}

TEST(StudyUniverse, SaysWhichCodeHasNoPrices) {
  Settings settings;
  settings.assets = {"KELPFORM"};
  EXPECT_THAT(message_of([&] { (void)universe_of(three(), settings); }),
              HasSubstr("assets: no prices of 'KELPFORM'. Did you mean 'KELPFARM'?"));
  settings.assets.clear();
  settings.benchmark = "NOBODY";
  EXPECT_THAT(message_of([&] { (void)universe_of(three(), settings); }), HasSubstr("benchmark: no prices of 'NOBODY'"));
  EXPECT_THAT(message_of([&] { (void)universe_of({}, {}); }), HasSubstr("none is left to look at"));
}

TEST(StudyUniverse, WhatCannotBeReadCostsNoOtherUnlessItIsAskedFor) {
  auto sources = three();
  sources.passed_over.emplace_back("BEACONET", Notice(Where::in_file("BEACONET.csv", 7, "close"), "'x' is no number"));
  const auto universe = universe_of(sources, {});
  EXPECT_EQ(universe.assets.size(), 3u);
  ASSERT_EQ(universe.passed_over.size(), 1u);
  EXPECT_EQ(universe.passed_over[0].second.where.line, 7u);
  EXPECT_THAT(texts_of(universe.warnings),
              Contains("BEACONET is passed over: BEACONET.csv, line 7, column close: 'x' is no number"));
  Settings settings;
  settings.benchmark = "BEACONET";
  EXPECT_THAT(message_of([&] { (void)universe_of(sources, settings); }), HasSubstr("BEACONET.csv, line 7"));
  settings.benchmark.reset();
  settings.assets = {"TIDEMILL"};
  EXPECT_THAT(universe_of(sources, settings).passed_over, IsEmpty()) << "nobody asked for it";
}

TEST(StudyUniverse, AFieldThatStandsInIsNamedWhereOneWasChosen) {
  Settings settings;
  EXPECT_THAT(texts_of(universe_of(three(), settings).warnings), Not(Contains(HasSubstr("Another field"))));
  settings.fields.preferred = PriceField::price;
  settings.fields_chosen = true;
  EXPECT_THAT(
      texts_of(universe_of(three(), settings).warnings),
      Contains(HasSubstr("Another field than the one chosen is used where that is missing: TIDEMILL (close for")));
  settings.fields.preferred = PriceField::close;
  EXPECT_THAT(texts_of(universe_of(three(), settings).warnings), Not(Contains(HasSubstr("Another field"))));
}

TEST(StudyUniverse, AnAssetOfASinglePriceIsPassedOverUnlessItIsTheOnlyOne) {
  auto sources = three();
  sources.bars.push_back(BarHistory{"KELP2"});
  sources.bars.back().days = {day("2020-01-02")};
  sources.bars.back().of(PriceField::close) = {10};
  const auto universe = universe_of(sources, {});
  ASSERT_EQ(universe.passed_over.size(), 1u);
  EXPECT_EQ(universe.passed_over[0].first, "KELP2");
  EXPECT_EQ(universe.assets.size(), 3u);
  Sources alone;
  alone.bars = {sources.bars.back()};
  EXPECT_THAT(message_of([&] { (void)universe_of(alone, {}); }), HasSubstr("KELP2: it holds a single price"));
}

TEST(StudyUniverse, ActionsOfAssetsWithoutPricesAreNamed) {
  auto sources = three();
  sources.actions = {{"TIDEMILL", day("2020-01-06"), 1, 0.5}, {"NOBODY", day("2020-01-06"), 2, 0}};
  EXPECT_THAT(texts_of(universe_of(sources, {}).warnings),
              Contains("actions: they name assets without prices: NOBODY"));
  sources.actions->pop_back();
  EXPECT_THAT(texts_of(universe_of(sources, {}).warnings), Not(Contains(HasSubstr("without prices"))));
}

TEST(StudyUniverse, ConvertsByRatesAndLeavesOutWithoutThem) {
  auto sources = three();
  sources.tags = tagged({{"TIDEMILL", "HLC"}, {"KELPFARM", "MRD"}, {"HOLLBOND", "HLC"}});
  EXPECT_THAT(message_of([&] { (void)universe_of(sources, {}); }),
              HasSubstr("currency: the tags name several: HLC, MRD. Choose the base one"));
  Settings settings;
  settings.currency = "HLC";
  const auto without = universe_of(sources, settings);
  EXPECT_THAT(without.assets, ElementsAre("TIDEMILL", "HOLLBOND"));
  EXPECT_THAT(without.left_out, ElementsAre("KELPFARM (MRD)"));
  EXPECT_TRUE(std::ranges::any_of(without.warnings, [](const Notice& n) { return n.offers(Means::rates); }));
  // A rate that names no second currency is in the base one; 2 HLC for an MRD doubles every price.
  const auto& days = sources.bars[1].days;
  sources.rates = {{"MRD", "", days, std::vector<double>(days.size(), 2.0)}};
  const auto with = universe_of(sources, settings);
  EXPECT_EQ(with.assets.size(), 3u);
  const auto codes = with.prices.codes();
  const auto column = std::ranges::find(codes, "KELPFARM") - codes.begin();
  EXPECT_EQ(with.prices.prices(5, Eigen::Index(column)), 2 * sources.bars[1].of(PriceField::close)[5]);
  EXPECT_EQ(with.conversions.size(), 1u);
}

TEST(StudyUniverse, AWindowOfAPeriodBeginsWithTheEndOfTheOneBefore) {
  // Where one month alone has ended, that is before the first price.
  Sources sources;
  sources.bars = {walk("TIDEMILL", 1, day("2021-03-02"), day("2021-04-20"))};
  Settings settings;
  settings.every = Interval{1, Unit::month};
  settings.last = Interval{1, Unit::month};
  EXPECT_EQ(universe_of(sources, settings, Purpose::looking).prices.days.front(), day("2021-03-02"));
  sources.bars = {walk("TIDEMILL", 1, day("2021-01-04"), day("2021-04-20"))};
  EXPECT_EQ(universe_of(sources, settings, Purpose::looking).prices.days.front(), day("2021-02-26"));
}

TEST(StudyUniverse, ShortHistoriesAreShortenedLeftOutOrKept) {
  auto sources = three();
  sources.bars[2] = walk("HOLLBOND", 3, day("2021-01-01"));
  Settings settings;
  const auto shortened = universe_of(sources, settings);
  EXPECT_EQ(shortened.prices.days.front(), day("2021-01-01"));
  EXPECT_THAT(
      texts_of(shortened.warnings),
      Contains("HOLLBOND begins on 2021-01-01: 3.0 of 6.0 years are not used. Leaving short histories out keeps "
               "them (leave-out)"));
  settings.short_histories = ShortHistories::leave_out;
  const auto without = universe_of(sources, settings);
  EXPECT_THAT(without.assets, ElementsAre("TIDEMILL", "KELPFARM"));
  EXPECT_EQ(without.prices.days.front(), day("2018-01-01"));
  settings.short_histories = ShortHistories::keep;
  EXPECT_EQ(universe_of(sources, settings).prices.days.front(), day("2018-01-01"));
}

TEST(StudyUniverse, TheWindowCountsBackFromItsLastDay) {
  Settings settings;
  settings.last = Interval{2, Unit::year};
  settings.to = day("2022-06-30");
  const auto universe = universe_of(three(), settings);
  EXPECT_EQ(universe.prices.days.back(), day("2022-06-30"));
  EXPECT_EQ(study_returns(universe, settings).assets.observations(), 24u);
  settings.last.reset();
  settings.trading_days = 100;
  EXPECT_EQ(universe_of(three(), settings).prices.rows(), 100u);
  settings.trading_days = 100000;
  EXPECT_THAT(message_of([&] { (void)universe_of(three(), settings); }),
              HasSubstr("100000 trading days were asked for"));
}

TEST(StudyUniverse, MonthsThatFitAreNotWorthAWord) {
  EXPECT_THAT(texts_of(universe_of(three(), {}).warnings), IsEmpty());
}

TEST(StudyUniverse, ALongerIntervalIsTakenWhereNotAllHaveMonthsAndSaid) {
  auto sources = three();
  keep_quarter_ends(sources.bars[2]);
  Settings settings;
  const auto complaint = [&](Interval every) {
    settings.every = every;
    return message_of([&] { (void)universe_of(sources, settings); });
  };
  EXPECT_THAT(complaint({1, Unit::month}),
              AllOf(HasSubstr("HOLLBOND: it has prices in"), HasSubstr("take a longer interval (1q)")));
  settings.every = Interval{1, Unit::quarter};
  EXPECT_NO_THROW((void)universe_of(sources, settings));
  // Ten years of quarters are enough to go by of themselves.
  sources.bars[0] = walk("TIDEMILL", 1, day("2010-01-04"));
  sources.bars[1] = walk("KELPFARM", 2, day("2010-01-04"));
  auto long_fund = walk("HOLLBOND", 3, day("2010-01-04"));
  keep_quarter_ends(long_fund);
  sources.bars[2] = long_fund;
  const auto universe = universe_of(sources, {});
  EXPECT_EQ(universe.every.text(), "1q");
  EXPECT_TRUE(std::ranges::any_of(universe.warnings, [](const Notice& n) { return n.offers(Means::interval); }));
}

TEST(StudyUniverse, FindingsAreSaidInOneLineAndRefusedByTheStrict) {
  auto sources = three();
  sources.bars[0].of(PriceField::close)[700] *= 10;
  const auto universe = universe_of(sources, {});
  const auto said = std::ranges::find_if(universe.warnings, [](const Notice& n) { return n.offers(Means::inspect); });
  ASSERT_NE(said, universe.warnings.end());
  EXPECT_THAT(said->text(), HasSubstr("The prices have 1 warning (TIDEMILL on "));
  Settings strict;
  strict.strict = true;
  EXPECT_THROW((void)universe_of(sources, strict), InputError);
  EXPECT_NO_THROW((void)universe_of(sources, strict, Purpose::looking)) << "who looks at them sees them";
  Settings dropping;
  dropping.drop_misprints = true;
  EXPECT_EQ(universe_of(sources, dropping).misprints.size(), 1u);
}

TEST(StudyUniverse, AnAssetOfOnePriceCostsNoOther) {
  auto sources = three();
  sources.bars.pop_back();
  auto& one = sources.bars[0];
  one = one.between(one.days.back(), std::nullopt);
  Settings settings;
  const auto universe = universe_of(sources, settings);
  EXPECT_THAT(universe.assets, ElementsAre("KELPFARM"));
  EXPECT_THAT(
      texts_of(universe.warnings),
      Contains("TIDEMILL is passed over: TIDEMILL: it holds a single price, on 2023-12-29. Give at least two days"));
  sources.bars.pop_back();
  EXPECT_THAT(message_of([&] { (void)universe_of(sources, settings); }), HasSubstr("TIDEMILL"));
}

TEST(StudyBasis, NothingOnTheSplitOrAfterItCounts) {
  const auto split = day("2022-01-03");
  Settings settings;
  settings.benchmark = "HOLLBOND";
  for (auto every : {Interval{1, Unit::month}, Interval{1, Unit::week}, Interval{1, Unit::day}}) {
    settings.every = every;
    const auto sources = three();
    auto changed = sources;
    for (auto& bars : changed.bars) {
      for (std::size_t row = 0; row < bars.days.size(); ++row) {
        if (bars.days[row] >= split) bars.of(PriceField::close)[row] *= 1.5 + 0.1 * std::sin(double(row));
      }
    }
    const auto one = basis_of(universe_of(sources, settings), sources, settings, split);
    const auto other = basis_of(universe_of(changed, settings), changed, settings, split);
    EXPECT_EQ(one.estimate.expected_return, other.estimate.expected_return);
    EXPECT_EQ(one.estimate.covariance.matrix(), other.estimate.covariance.matrix());
    EXPECT_EQ(one.facts.benchmark->variance, other.facts.benchmark->variance);
    // And what comes before does count.
    const auto later = basis_of(universe_of(changed, settings), changed, settings, day("2023-01-02"));
    EXPECT_NE(one.estimate.expected_return, later.estimate.expected_return);
  }
}

TEST(StudyBasis, SaysWhatShortHistoriesThatAreKeptCostAll) {
  auto sources = three();
  Settings settings;
  settings.short_histories = ShortHistories::keep;
  settings.align = AlignPolicy::parse("any", "here");
  const auto warnings = [&] { return texts_of(study_returns(universe_of(sources, settings), settings).warnings); };
  sources.bars[1] = walk("KELPFARM", 2, day("2018-02-05"));
  EXPECT_THAT(warnings(), IsEmpty()) << "a month is not worth a word";
  sources.bars[1] = walk("KELPFARM", 2, day("2020-03-10"));
  EXPECT_THAT(warnings(), ElementsAre(AllOf(HasSubstr("KELPFARM has prices from 2020-03-31 on: 26 of 71 months"),
                                            HasSubstr("(leave-out)"))));
  sources.bars[0] = walk("TIDEMILL", 1, day("2018-01-01"), day("2020-05-29"));
  EXPECT_THAT(warnings(), ElementsAre(HasSubstr("TIDEMILL has prices up to 2020-05-29: 69 of 71 months")));
  sources.bars[0] = walk("TIDEMILL", 1, day("2018-01-01"), day("2020-03-10"));
  EXPECT_THAT(message_of(warnings), AllOf(HasSubstr("KELPFARM has prices from 2020-03-31 on"),
                                          HasSubstr("TIDEMILL has prices up to 2020-03-31: there is no month")));
  settings.short_histories = ShortHistories::leave_out;
  EXPECT_THAT(warnings(), IsEmpty());
}

/// What comes first among assets that are young, have holes and end early has no say in the figures of the others.
TEST(StudyBasis, TheOrderOfAssetsChangesNothing) {
  auto sources = three();
  sources.bars.push_back(walk("MARROWSH", 4, day("2019-03-11")));
  test::take_out(sources.bars[0], day("2020-05-20"), day("2020-07-10"));
  test::take_out(sources.bars[1], day("2019-12-30"), day("2019-12-31"));
  Settings settings;
  settings.short_histories = ShortHistories::keep;
  settings.align = AlignPolicy::parse("any", "here");
  settings.split = day("2022-01-03");
  settings.reestimate = Schedule::parse("1q", "");
  settings.estimate_over = Interval::parse("30m", "");
  settings.aims = {Aim::parse("minimum-variance", "")};
  settings.schedules = {Schedule::parse("1m", "")};
  settings.costs = {CostClass::parse("20bp", "")};
  settings.limits = {Limit::parse("each <= 40%")};
  std::map<std::string, double> expected;
  double wealth = 0;
  for (int order = 0; order < 4; ++order) {
    const auto universe = universe_of(sources, settings);
    const auto basis = basis_of(universe, sources, settings, settings.split);
    const auto runs = runs_of(universe, basis, portfolios_of(basis, sources, settings), sources, settings);
    const auto& run = runs.all.front();
    EXPECT_FALSE(run.marked);
    for (std::size_t i = 0; i < basis.estimate.assets.size(); ++i) {
      const auto at = Eigen::Index(i);
      for (const auto& [what, figure] : {std::pair{"expected ", basis.estimate.expected_return[at]},
                                         {"variance ", basis.estimate.covariance.variance(at)},
                                         {"last target ", run.targets.back()[at]}}) {
        const auto [known, is_new] = expected.emplace(what + basis.estimate.assets[i], figure);
        EXPECT_NEAR(known->second, figure, 1e-9) << what << basis.estimate.assets[i];
      }
    }
    const double end = run.net[run.net.size() - 1];
    if (order == 0) wealth = end;
    EXPECT_NEAR(end / wealth, 1, 1e-9);
    std::rotate(sources.bars.begin(), sources.bars.begin() + 1, sources.bars.end());
  }
}

TEST(StudyBasis, IsTheEstimateOfTheReturnsOfTheWindow) {
  // The same by the stages, one by one.
  const auto sources = three();
  Settings settings;
  settings.from = day("2019-01-01");
  settings.risk_free = 0.01;
  const auto basis = basis_of(universe_of(sources, settings), sources, settings);
  std::vector<PriceHistory> histories;
  for (const auto& bars : sources.bars) histories.push_back(bars.history(PriceField::close));
  const Interval monthly{1, Unit::month};
  const auto prices = align_common(histories).table.between(settings.from, std::nullopt);
  const auto estimate = sample_estimate(simple_returns(period_ends(prices, monthly).table, monthly));
  EXPECT_EQ(basis.estimate.expected_return, estimate.expected_return);
  EXPECT_EQ(basis.estimate.covariance.matrix(), estimate.covariance.matrix());
  EXPECT_EQ(basis.risk_free, 0.01);
}

TEST(StudyBasis, LogReturnsBecomeSimpleOnes) {
  const auto sources = three();
  Settings settings;
  settings.returns = ReturnKind::log;
  const auto universe = universe_of(sources, settings);
  const auto basis = basis_of(universe, sources, settings);
  EXPECT_EQ(basis.estimate.returns, ReturnKind::simple);
  const auto logs = estimate_by(study_returns(universe, settings).assets, {}).estimate;
  const double m = logs.expected_return[0], s = logs.covariance.variance(0);
  EXPECT_NEAR(basis.estimate.expected_return[0], std::exp(m + s / 2) - 1, 1e-14);
  EXPECT_THAT(texts_of(basis.warnings), ElementsAre(HasSubstr("The estimate is of log returns")));
}

TEST(StudyBasis, ABenchmarkStandsBesideLogReturnsToo) {
  const auto sources = three();
  Settings settings;
  settings.benchmark = "HOLLBOND";
  const auto missed_by = [&](ReturnKind kind) {
    settings.returns = kind;
    const auto basis = basis_of(universe_of(sources, settings), sources, settings);
    return basis.facts.benchmark.value().tracking_error(basis.estimate.covariance, Eigen::Vector2d(0.5, 0.5));
  };
  // Of the same prices: a month's simple and log returns differ by half the square.
  EXPECT_NEAR(missed_by(ReturnKind::log) / missed_by(ReturnKind::simple), 1, 0.1);
  settings.returns = ReturnKind::log;
  settings.limits = {Limit::parse("tracking-error <= 21.5%")};
  const auto basis = basis_of(universe_of(sources, settings), sources, settings);
  const auto chosen = portfolios_of(basis, sources, settings).all.front();
  EXPECT_NEAR(chosen.tracking_error.value(), 0.215, 1e-9) << "minimum variance would miss it by more";
}

TEST(StudyBasis, LimitsOnWhatIsLeftOutArePassedOverAndAddedOnesAreNot) {
  const auto sources = three();
  Settings settings;
  settings.assets = {"TIDEMILL", "KELPFARM"};
  settings.limits = {Limit::parse("HOLLBOND <= 10%", "bonds"), Limit::parse("each <= 80%")};
  const auto with_bonds = [&](const Settings& how) {
    auto all = sources;
    all.tags = tagged({{"HOLLBOND", ""}});
    return basis_of(universe_of(all, how), all, how);
  };
  const auto basis = with_bonds(settings);
  ASSERT_EQ(basis.limits.size(), 1u);
  EXPECT_THAT(texts_of(basis.warnings),
              Contains("Limit bonds 'HOLLBOND <= 10%' is passed over: HOLLBOND is not among the assets"));
  settings.limits = {Limit::parse("KELPFRAM <= 10%")};
  EXPECT_EQ(with_bonds(settings).limits.size(), 1u) << "what nobody knows is not passed over: choosing will name it";
  settings.limits = {Limit::parse("HOLLBOND <= 10%", "bonds"), Limit::parse("each <= 80%")};
  auto added = settings;
  std::swap(added.limits, added.added_limits);
  EXPECT_EQ(with_bonds(added).limits.size(), 2u) << "choosing portfolios will name it";
}

}  // namespace
}  // namespace inchtide

// The first steps of a study, on values alone: what is settled, left out, converted and said of prices.

#include <gmock/gmock.h>

#include <fmt/format.h>

#include <functional>

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
  EXPECT_THAT(texts_of(with.warnings), Not(Contains(HasSubstr("without a rate"))));
}

TEST(StudyUniverse, RatesOfACurrencyInItselfAreRefused) {
  auto sources = three();
  sources.tags = tagged({{"TIDEMILL", "HLC"}, {"KELPFARM", "MRD"}, {"HOLLBOND", "HLC"}});
  const std::vector<Day> days = sources.bars[1].days;
  sources.rates = {{"MRD", "", DayList(days), std::vector<double>(days.size(), 2)}};
  Settings settings;
  settings.currency = "MRD";
  EXPECT_THAT(message_of([&] { (void)universe_of(sources, settings); }),
              AllOf(HasSubstr("rates of MRD: they are in the base currency"), HasSubstr("MRD-HLC.csv")));
  sources.rates->front().to = "HLC";
  const auto universe = universe_of(sources, settings);
  EXPECT_EQ(universe.prices.prices(5, 0), sources.bars[0].of(PriceField::close)[5] / 2);
}

TEST(StudyUniverse, PricesWithoutARateAreSaidWhereTheyWereAskedFor) {
  auto sources = three();
  sources.tags = tagged({{"TIDEMILL", "HLC"}, {"KELPFARM", "MRD"}, {"HOLLBOND", "HLC"}});
  const std::vector<Day> all = sources.bars[1].days;
  const auto begin = std::ranges::lower_bound(all, day("2021-01-04"));
  sources.rates = {{"MRD", "", DayList(std::vector<Day>(begin, all.end())), std::vector<double>(all.end() - begin, 2)}};
  Settings settings;
  settings.currency = "HLC";
  const auto said = [&] { return texts_of(universe_of(sources, settings).warnings); };
  const auto lost = begin - all.begin();
  EXPECT_THAT(said(), Contains(HasSubstr(fmt::format("Prices without a rate into HLC of their day or the 5 days before "
                                                     "are not used: KELPFARM ({}, 2018-01-01 to 2021-01-01)",
                                                     lost))));
  settings.from = day("2020-12-31");
  EXPECT_THAT(said(), Contains(HasSubstr("KELPFARM (2, 2020-12-31 to 2021-01-01)")));
  settings.from = day("2021-01-01");
  EXPECT_THAT(said(), Contains(HasSubstr("KELPFARM (1, 2021-01-01)")));
  settings.from = day("2021-01-04");
  EXPECT_THAT(said(), Not(Contains(HasSubstr("without a rate"))));
  settings.from.reset();
  settings.last = Interval{2, Unit::year};
  EXPECT_THAT(said(), Not(Contains(HasSubstr("without a rate"))));
}

TEST(StudyUniverse, CodesThatNothingHasAreRefusedWhereverTheyStand) {
  const auto sources = three();
  const auto complaint = [&](auto set) {
    Settings settings;
    set(settings);
    return message_of([&] { (void)universe_of(sources, settings); });
  };
  EXPECT_THAT(complaint([](Settings& s) { s.fields.of_asset["tidemil"] = PriceField::close; }),
              HasSubstr("field of an asset: no prices of 'tidemil'. Did you mean 'TIDEMILL'?"));
  EXPECT_THAT(complaint([](Settings& s) { s.real_moves = {"KELPFRM"}; }), HasSubstr("Did you mean 'KELPFARM'?"));
  EXPECT_THAT(complaint([](Settings& s) {
                s.ends = {{"HOLBOND", day("2023-06-30")}};
              }),
              HasSubstr("end of an asset: no prices of 'HOLBOND'. Did you mean 'HOLLBOND'?"));
  // Those of assets that the study leaves out are none.
  EXPECT_EQ(complaint([](Settings& s) {
              s.assets = {"TIDEMILL"};
              s.fields.of_asset["kelpfarm"] = PriceField::close;
              s.real_moves = {"KELPFARM"};
              s.ends = {{"KELPFARM", day("2023-06-30")}};
            }),
            "nothing was thrown");
}

TEST(StudyUniverse, ActionsThatNoPriceTakesAreSaid) {
  auto sources = three();
  sources.actions = {{"TIDEMILL", day("2020-01-06"), 1, 0.5}};
  const auto said = [&] { return texts_of(universe_of(sources, {}).warnings); };
  EXPECT_THAT(said(), Not(Contains(HasSubstr("change nothing"))));
  for (auto& bars : sources.bars) bars.of(PriceField::adjusted_close) = bars.of(PriceField::close);
  EXPECT_THAT(said(), Contains(HasSubstr("actions: they change nothing: no price that is used is a raw close")));
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

TEST(StudyUniverse, AHistoryIsShortWithinTheWindowThatWasAskedForOrNot) {
  // The third has prices from 2021 to the middle of 2023; the first two from 2018 to the end of 2023.
  auto sources = three();
  sources.bars[2] = walk("HOLLBOND", 3, day("2021-01-01"), day("2023-06-30"));
  const auto is_left_out = [&](const std::function<void(Settings&)>& ask) {
    Settings settings;
    settings.short_histories = ShortHistories::leave_out;
    ask(settings);
    const auto universe = universe_of(sources, settings);
    EXPECT_EQ(universe.assets.size() == 2, !universe.short_effects.empty());
    return universe.assets.size() == 2;
  };
  EXPECT_TRUE(is_left_out([](Settings&) {}));
  EXPECT_TRUE(is_left_out([](Settings& s) { s.from = day("2021-02-01"); })) << "it ends early";
  EXPECT_TRUE(is_left_out([](Settings& s) { s.to = day("2023-05-31"); })) << "it begins late";
  EXPECT_TRUE(is_left_out([](Settings& s) { s.to = day("2020-05-31"); })) << "it has nothing there";
  EXPECT_TRUE(is_left_out([](Settings& s) { s.from = day("2023-08-01"); }));
  EXPECT_FALSE(is_left_out([](Settings& s) {
    s.from = day("2021-02-01");
    s.to = day("2023-05-31");
  }));
  const auto last = [](const char* span) {
    return [span](Settings& s) {
      s.to = day("2023-05-31");
      s.last = Interval::parse(span, "");
    };
  };
  EXPECT_FALSE(is_left_out(last("2y")));
  EXPECT_TRUE(is_left_out(last("3y")));
  EXPECT_FALSE(is_left_out([](Settings& s) {
    s.from = day("2021-02-01");
    s.trading_days = 400;
  }));
  EXPECT_TRUE(is_left_out([](Settings& s) {
    s.from = day("2021-02-01");
    s.trading_days = 700;
  })) << "they reach beyond its end";
}

TEST(StudyUniverse, AWindowInWhichOnlySomeHavePricesNamesTheOthers) {
  auto sources = three();
  sources.bars[2] = walk("HOLLBOND", 3, day("2018-01-01"), day("2020-06-30"));
  Settings settings;
  settings.from = day("2021-01-01");
  EXPECT_THAT(message_of([&] { (void)universe_of(sources, settings); }),
              AllOf(HasSubstr("no price from 2021-01-01 has HOLLBOND (2018-01-01 to 2020-06-30)"),
                    HasSubstr("leave-out"), Not(HasSubstr("TIDEMILL"))));
  settings.short_histories = ShortHistories::leave_out;
  EXPECT_THAT(universe_of(sources, settings).assets, ElementsAre("TIDEMILL", "KELPFARM"));
}

TEST(StudyUniverse, WhatShortHistoriesCostIsOfTheWindowThatWasAskedFor) {
  auto sources = three();
  sources.bars[2] = walk("HOLLBOND", 3, day("2021-01-01"), day("2023-06-30"));
  Settings settings;
  const auto said = [&] {
    const auto universe = universe_of(sources, settings);
    const auto found =
        std::ranges::find_if(universe.warnings, [](const Notice& one) { return one.offers(Means::short_histories); });
    return found == universe.warnings.end() ? std::string() : found->text();
  };
  const auto last = three().bars[0].days.back();
  ASSERT_EQ(last, day("2023-12-29"));
  EXPECT_THAT(said(), HasSubstr("HOLLBOND begins on 2021-01-01: 3.5 of 6.0 years are not used"));
  settings.to = day("2023-06-30");
  EXPECT_THAT(said(), HasSubstr("HOLLBOND begins on 2021-01-01: 3.0 of 5.5 years are not used"));
  settings.last = Interval{2, Unit::year};
  EXPECT_EQ(said(), "") << "all have those two years";
  settings.to.reset();
  const auto counted_back = [](const std::string& span) {
    return "HOLLBOND ends on 2023-06-30: the last " + span +
           " are counted back from there, 0.5 years before the end of TIDEMILL";
  };
  EXPECT_THAT(said(), HasSubstr(counted_back("2y")));
  EXPECT_EQ(universe_of(sources, settings).prices.days.back(), day("2023-06-30"));
  EXPECT_LE(universe_of(sources, settings).prices.days.front(), day("2021-06-30"));
  settings.from = day("2018-01-01");
  EXPECT_THAT(said(), HasSubstr(counted_back("2y"))) << "counting back beats a first day";
  settings.from.reset();
  settings.last.reset();
  settings.trading_days = 100;
  EXPECT_THAT(said(), HasSubstr(counted_back("100 days")));
  settings.from = day("2022-01-03");
  EXPECT_EQ(said(), "") << "so many days are there from the first on";
  settings.from = day("2020-07-01");
  EXPECT_THAT(said(), HasSubstr("HOLLBOND begins on 2021-01-01: 0.5 of 0.9 years are not used"));
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

TEST(StudyUniverse, FindingsOutsideTheWindowAreNoneOfItsPrices) {
  auto sources = three();
  const auto misprint = sources.bars[0].days[700], before = sources.bars[0].days[650],
             after = sources.bars[0].days[750];
  sources.bars[0].of(PriceField::close)[700] *= 10;
  Settings settings;
  settings.strict = true;
  const auto refused = [&](std::optional<Day> from, std::optional<Day> to) {
    settings.from = from;
    settings.to = to;
    return message_of([&] { (void)universe_of(sources, settings); }) != "nothing was thrown";
  };
  EXPECT_TRUE(refused(before, after));
  EXPECT_TRUE(refused(misprint, {}));
  EXPECT_TRUE(refused({}, misprint));
  EXPECT_FALSE(refused(after, {}));
  EXPECT_FALSE(refused({}, before));
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

}  // namespace
}  // namespace inchtide

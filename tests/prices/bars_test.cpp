#include "inchtide/prices/bars.hpp"
#include "inchtide/prices/price_table.hpp"

#include <fmt/format.h>

#include <cmath>

#include "inchtide/prices/field_choice.hpp"
#include "support/messages.hpp"

namespace inchtide::bars {
namespace {

using testing::ElementsAre;
using testing::HasSubstr;

Day day(int year, unsigned month, unsigned d) {
  return std::chrono::sys_days{std::chrono::year{year} / int(month) / int(d)};
}

// Six days over two months, Friday to Friday; the third has no close.
BarHistory kelp() {
  BarHistory bars{"KELPFARM", "HLC"};
  bars.days = {day(2024, 1, 29), day(2024, 1, 30), day(2024, 1, 31), day(2024, 2, 1), day(2024, 2, 2), day(2024, 2, 5)};
  bars.of(PriceField::open) = {10, 11, 12, 13, 14, 15};
  bars.of(PriceField::high) = {12, 15, 14, 16, 15, 18};
  bars.of(PriceField::low) = {9, 10, 8, 12, 11, 14};
  bars.of(PriceField::close) = {11, 12, NAN, 14, 13, 17};
  bars.of(PriceField::volume) = {100, 200, 300, 400, 500, 600};
  return bars;
}

TEST(DayLists, ShareUntilOneIsEdited) {
  DayList a{day(2024, 1, 1), day(2024, 1, 2)}, b{day(2024, 1, 1), day(2024, 1, 2)};
  EXPECT_FALSE(a.shares_with(b));
  EXPECT_TRUE(b.share(a));
  EXPECT_TRUE(a.shares_with(b));
  b.push_back(day(2024, 1, 3));
  EXPECT_EQ(a.size(), 2u);
  EXPECT_EQ(b.size(), 3u);
  EXPECT_FALSE(b.share(a));
}

TEST(Bars, AFieldIsTheDaysThatHaveIt) {
  const auto history = kelp().history(PriceField::close);
  EXPECT_THAT(history.prices, ElementsAre(11, 12, 14, 13, 17));
  EXPECT_EQ(history.days[2], day(2024, 2, 1));
  EXPECT_EQ(history.currency, "HLC");
  EXPECT_THAT(test::message_of([] { kelp().history(PriceField::adjusted_close); }),
              HasSubstr("KELPFARM: it has no adjusted close. It has: open, high, low, close, volume"));
  EXPECT_THAT(test::message_of([] { BarHistory{"X"}.history(PriceField::close); }), HasSubstr("It has no figures"));
}

TEST(Bars, CoarserOnesTakeFirstOpenHighestHighLowestLowLastCloseAndAllVolume) {
  const auto months = bars_every(kelp(), {1, Unit::month});
  EXPECT_THAT(months.days, ElementsAre(day(2024, 1, 31), day(2024, 2, 5)));
  EXPECT_THAT(months.of(PriceField::open), ElementsAre(10, 13));
  EXPECT_THAT(months.of(PriceField::high), ElementsAre(15, 18));
  EXPECT_THAT(months.of(PriceField::low), ElementsAre(8, 11));
  EXPECT_THAT(months.of(PriceField::close), ElementsAre(12, 17));  // the hole takes the last close before it
  EXPECT_THAT(months.of(PriceField::volume), ElementsAre(600, 1500));
}

TEST(Bars, EveryKDaysWorksForAnyK) {
  for (int k = 1; k <= 8; ++k) {
    const auto coarse = bars_every(kelp(), {k, Unit::day});
    EXPECT_EQ(coarse.days.size(), std::size_t(1 + (5 + k - 1) / k)) << k;
    EXPECT_EQ(coarse.of(PriceField::volume).front(), 100) << k;
    double all = 0;
    for (double volume : coarse.of(PriceField::volume)) all += volume;
    EXPECT_EQ(all, 2100) << k;  // no row is lost
    EXPECT_EQ(coarse.of(PriceField::close).back(), 17) << k;
  }
}

TEST(Bars, BlocksOfDaysEndWhereThoseOfATableOfPricesDo) {
  const auto bars = kelp();
  PriceTable table;
  table.days = bars.days;
  table.assets = {{"KELPFARM", "HLC", PriceField::volume}};
  table.prices = Eigen::Map<const Eigen::VectorXd>(bars.of(PriceField::volume).data(), 6);
  for (int k = 1; k <= 7; ++k) {
    const auto ends = period_ends(table, {k, Unit::day}, true).table.days;
    EXPECT_EQ(std::vector<Day>(bars_every(bars, {k, Unit::day}).days), ends) << k;
    // From a later row on: the rows before it make blocks of k, counted back from it.
    const auto from = bars_every(bars, {k, Unit::day}, bars.days[3]);
    EXPECT_THAT(std::vector<Day>(from.days), testing::Contains(bars.days[3])) << k;
  }
}

TEST(Bars, AtTheAdjustedLevelKeepTheirShape) {
  auto bars = kelp();
  bars.of(PriceField::adjusted_close) = {5.5, 6, NAN, 14, 6.5, 17};
  const auto level = at_adjusted_level(bars);
  EXPECT_EQ(level.of(PriceField::close)[0], 5.5);
  EXPECT_EQ(level.of(PriceField::high)[0], 6);   // 12 x 5.5/11
  EXPECT_EQ(level.of(PriceField::low)[4], 5.5);  // 11 x 6.5/13
  EXPECT_EQ(level.of(PriceField::volume)[0], 100);
  EXPECT_EQ(at_adjusted_level(kelp()).of(PriceField::high), kelp().of(PriceField::high));
}

TEST(Bars, AreCutAndSpreadByDay) {
  const auto cut = kelp().between(day(2024, 1, 30), day(2024, 2, 1));
  EXPECT_THAT(cut.of(PriceField::open), ElementsAre(11, 12, 13));
  EXPECT_TRUE(kelp().between(day(2025, 1, 1), std::nullopt).days.empty());
  EXPECT_THAT(kelp().rows_with(PriceField::close).of(PriceField::volume), ElementsAre(100, 200, 400, 500, 600));
  const auto spread = kelp().on_days(DayList{day(2024, 1, 28), day(2024, 2, 2), day(2024, 2, 3)});
  EXPECT_TRUE(std::isnan(spread.of(PriceField::open)[0]));
  EXPECT_EQ(spread.of(PriceField::open)[1], 14);
  EXPECT_TRUE(std::isnan(spread.of(PriceField::open)[2]));
}

TEST(Bars, EveryFieldHasAFigureADay) {
  for (auto field : {PriceField::open, PriceField::high, PriceField::low, PriceField::close, PriceField::volume}) {
    auto bars = kelp();
    EXPECT_NO_THROW(bars.check());
    bars.of(field).pop_back();
    EXPECT_THAT(test::message_of([&] { bars.check(); }),
                HasSubstr(fmt::format("KELPFARM: 5 figures of {} for 6 days", to_string(field))));
  }
}

TEST(FieldChoice, IsTheAssetsOwnThenThePreferredOneThenTheBestThereIs) {
  const FieldChoice choice{PriceField::close, {{"kelpfarm", PriceField::price}}};
  const std::vector<PriceField> all = {PriceField::open, PriceField::price, PriceField::close,
                                       PriceField::adjusted_close};
  EXPECT_EQ(choice.wanted("KELPFARM"), PriceField::price);
  EXPECT_EQ(choice.pick("KELPFARM", all), PriceField::price);
  EXPECT_EQ(choice.pick("TIDEMILL", all), PriceField::close);
  EXPECT_EQ(choice.pick("TIDEMILL", {PriceField::price, PriceField::adjusted_close}), PriceField::adjusted_close);
  EXPECT_THAT(test::message_of([&] { (void)choice.pick("TIDEMILL", {PriceField::open}); }),
              HasSubstr("TIDEMILL: it has neither"));
}

TEST(Fields, AreNamedAsPeopleDo) {
  EXPECT_EQ(field_named("Adjusted_Close"), PriceField::adjusted_close);
  EXPECT_EQ(field_named("adjusted"), PriceField::adjusted_close);
  EXPECT_EQ(field_named("HIGH"), PriceField::high);
  EXPECT_FALSE(field_named("hight"));
}

}  // namespace
}  // namespace inchtide::bars

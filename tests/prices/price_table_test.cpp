#include "inchtide/prices/price_table.hpp"

#include "inchtide/base/errors.hpp"
#include "support/messages.hpp"
#include "support/walks.hpp"

namespace inchtide {
namespace {

using test::day;
using test::message_of;
using testing::ElementsAre;
using testing::HasSubstr;

PriceHistory history(const std::string& code, const std::vector<const char*>& days, std::vector<double> prices) {
  PriceHistory h{code, "HLC", PriceField::close, {}, std::move(prices)};
  for (const char* text : days) h.days.push_back(day(text));
  return h;
}

TEST(Align, MatchesRowsByDayAndNeverByPosition) {
  const auto a = history("A", {"2024-01-02", "2024-01-03", "2024-01-05"}, {10, 11, 13});
  const auto b = history("B", {"2024-01-01", "2024-01-03", "2024-01-04", "2024-01-05"}, {1, 3, 4, 5});
  const auto aligned = align_common({a, b});
  EXPECT_THAT(aligned.table.days, ElementsAre(day("2024-01-03"), day("2024-01-05")));
  EXPECT_EQ(aligned.table.prices(0, 0), 11);
  EXPECT_EQ(aligned.table.prices(0, 1), 3);
  EXPECT_EQ(aligned.table.prices(1, 0), 13);
  EXPECT_EQ(aligned.table.prices(1, 1), 5);
  EXPECT_EQ(aligned.days_seen, 5u);
  EXPECT_EQ(aligned.days_dropped, 3u);
  // A lacks the 4th within its span; B lacks the 2nd within its own.
  EXPECT_THAT(aligned.coverage[0].holes, ElementsAre(day("2024-01-04")));
  EXPECT_THAT(aligned.coverage[1].holes, ElementsAre(day("2024-01-02")));
}

TEST(Align, AnyKeepsHolesAndCarryFillsThemUpToItsReach) {
  const auto a = history("A", {"2024-01-02", "2024-01-03", "2024-01-10"}, {10, 11, 12});
  const auto b = history("B", {"2024-01-03", "2024-01-04", "2024-01-05", "2024-01-09", "2024-01-10"}, {1, 2, 3, 4, 5});
  const auto any = align({a, b}, AlignPolicy::parse("any", ""));
  EXPECT_EQ(any.table.rows(), 6u);
  EXPECT_EQ(any.days_dropped, 0u);
  EXPECT_TRUE(std::isnan(any.table.prices(0, 1)));
  EXPECT_TRUE(std::isnan(any.table.prices(2, 0)));
  // Carried up to two days: A has 11 on the 4th and 5th; on the 9th it is six days old, so that day is dropped, and so
  // is the 2nd, when B has no price yet.
  const auto carried = align({a, b}, AlignPolicy::parse("carry:2", ""));
  EXPECT_THAT(carried.table.days,
              ElementsAre(day("2024-01-03"), day("2024-01-04"), day("2024-01-05"), day("2024-01-10")));
  EXPECT_THAT(carried.table.prices.col(0), ElementsAre(11, 11, 11, 12));
  EXPECT_EQ(carried.days_dropped, 2u);
  EXPECT_EQ(carried.coverage[0].filled, 2u);
  EXPECT_EQ(carried.coverage[1].filled, 0u);
  for (const char* text : {"", "most", "carry", "carry:", "carry:0", "carry:1.5", "carry:-2"}) {
    EXPECT_THROW(AlignPolicy::parse(text, "--align"), InputError) << text;
  }
  EXPECT_EQ(AlignPolicy::parse("carry:7", "").text(), "carry:7");
}

TEST(Align, HolesAreLookedForAmongHistoriesOfTheSameCalendar) {
  auto a = history("A", {"2024-01-02", "2024-01-04", "2024-01-05"}, {1, 1, 1});
  auto b = history("B", {"2024-01-02", "2024-01-03", "2024-01-05"}, {1, 1, 1});
  auto c = history("C", {"2024-01-01", "2024-01-03", "2024-01-05"}, {1, 1, 1});
  a.calendar = b.calendar = "home";
  c.calendar = "abroad";
  const auto coverage = coverage_of({a, b, c});
  EXPECT_THAT(coverage[0].holes, ElementsAre(day("2024-01-03")));  // when B has a price
  EXPECT_EQ(coverage[0].away, 0u);
  EXPECT_TRUE(coverage[2].holes.empty());
  EXPECT_EQ(coverage[2].away, 2u);  // the 2nd and the 4th
}

TEST(Align, SpansLieBetweenHolesAndHoldEveryPrice) {
  auto a = history("A", {"2024-01-02", "2024-01-03", "2024-01-08", "2024-01-09", "2024-01-11"}, {1, 1, 1, 1, 1});
  auto b = history("B", {"2024-01-01", "2024-01-02", "2024-01-04", "2024-01-05", "2024-01-10", "2024-01-12"},
                   {1, 1, 1, 1, 1, 1});
  const auto coverage = coverage_of({a, b});
  EXPECT_THAT(coverage[0].holes, ElementsAre(day("2024-01-04"), day("2024-01-05"), day("2024-01-10")));
  std::vector<std::string> spans;
  for (const auto& span : coverage[0].priced) spans.push_back(to_string(span.first) + " " + to_string(span.last));
  EXPECT_THAT(spans, ElementsAre("2024-01-02 2024-01-03", "2024-01-08 2024-01-09", "2024-01-11 2024-01-11"));
  EXPECT_EQ(coverage[1].priced.size(), 4u);  // the 1st and 2nd, the 4th and 5th, the 10th, the 12th
}

TEST(PeriodEnds, AHoleAtTheEndTakesTheLastPriceWithinThePeriod) {
  const auto a = history("A", {"2024-01-30", "2024-02-28"}, {1, 2});
  const auto b = history("B", {"2024-01-31", "2024-03-28"}, {3, 4});
  const auto ends = period_ends(align({a, b}, AlignPolicy::parse("any", "")).table, {1, Unit::month}, true).table;
  EXPECT_THAT(ends.days, ElementsAre(day("2024-01-31"), day("2024-02-28"), day("2024-03-28")));
  EXPECT_EQ(ends.prices(0, 0), 1);
  EXPECT_EQ(ends.prices(0, 1), 3);
  EXPECT_TRUE(std::isnan(ends.prices(1, 1)));
  EXPECT_TRUE(std::isnan(ends.prices(2, 0)));
}

TEST(Align, WithoutACommonDayNamesTheTwoThatExcludeEachOther) {
  const auto a = history("A", {"2024-01-02", "2024-01-03"}, {1, 2});
  const auto b = history("B", {"2024-01-03", "2024-01-04"}, {1, 2});
  const auto c = history("C", {"2024-01-04", "2024-01-05"}, {1, 2});
  EXPECT_THAT(message_of([&] {
                align_common({a, b, c});
              }),
              HasSubstr("A (2024-01-02 to 2024-01-03) and C (2024-01-04 to 2024-01-05) share no day"));
}

TEST(Align, RefusesTwoHistoriesOfOneCode) {
  const auto a = history("A", {"2024-01-02"}, {1}), b = history("a", {"2024-01-02"}, {1});
  EXPECT_THAT(message_of([&] { align_common({a, b}); }), HasSubstr("two histories have this code"));
}

TEST(History, ChecksItsRows) {
  EXPECT_THAT(message_of([] {
                history("A", {"2024-01-02", "2024-01-02"}, {1, 2}).check("f");
              }),
              HasSubstr("f: 2024-01-02 comes twice"));
  EXPECT_THAT(message_of([] {
                history("A", {"2024-01-03", "2024-01-02"}, {1, 2}).check("f");
              }),
              HasSubstr("2024-01-02 comes after 2024-01-03"));
  EXPECT_THAT(message_of([] { history("A", {"2024-01-02"}, {0}).check("f"); }), HasSubstr("price on 2024-01-02 is 0"));
  EXPECT_THROW(history("A", {"2024-01-02"}, {NAN}).check("f"), InputError);
  EXPECT_THROW(history("A", {}, {}).check("f"), InputError);
}

TEST(Spikes, AreMisprintsThatComeBackAndNotSplitsOrCrashes) {
  const std::vector<const char*> days = {"2024-01-02", "2024-01-03", "2024-01-04", "2024-01-05"};
  const auto spikes = find_spikes(history("A", days, {10, 100, 10.2, 10.1}));
  ASSERT_EQ(spikes.size(), 1u);
  EXPECT_EQ(spikes[0].day, day("2024-01-03"));
  EXPECT_EQ(spikes[0].price, 100);
  EXPECT_EQ(spikes[0].before, 10);
  EXPECT_EQ(spikes[0].after, 10.2);
  const auto twice = find_spikes(history("A", days, {10, 100, 101, 10.2}));
  ASSERT_EQ(twice.size(), 2u);
  for (const auto& one : twice) {
    EXPECT_EQ(one.before, 10) << "of the whole misprint";
    EXPECT_EQ(one.after, 10.2);
  }
  EXPECT_EQ(find_spikes(history("A", days, {10, 1, 10, 10})).size(), 1u);
  EXPECT_TRUE(find_spikes(history("A", days, {10, 5, 5.1, 5})).empty());
  EXPECT_TRUE(find_spikes(history("A", days, {10, 2, 2.1, 2})).empty());
  // Back at another level, it was no misprint: by a factor of three, within half of the level before.
  EXPECT_EQ(find_spikes(history("A", days, {10, 100, 14, 14}), 3).size(), 1u);
  EXPECT_TRUE(find_spikes(history("A", days, {10, 100, 16, 16}), 3).empty());
  EXPECT_TRUE(find_spikes(history("A", days, {16, 100, 10, 10}), 3).empty());
}

TEST(Spikes, AreDroppedOnlyWhenAskedAndListed) {
  auto prices = history("A", {"2024-01-02", "2024-01-03", "2024-01-04", "2024-01-05"}, {10, 100, 10.2, 10.1});
  const auto dropped = drop_spikes(prices);
  ASSERT_EQ(dropped.size(), 1u);
  EXPECT_EQ(dropped[0].price, 100);
  EXPECT_THAT(prices.prices, ElementsAre(10, 10.2, 10.1));
  EXPECT_THAT(prices.days, ElementsAre(day("2024-01-02"), day("2024-01-04"), day("2024-01-05")));
}

TEST(PeriodEnds, TakeTheLastTradingDayOfEachMonth) {
  const auto table =
      align_common(
          {history("A",
                   {"2024-01-30", "2024-01-31", "2024-02-01", "2024-02-28", "2024-03-28", "2024-03-29", "2024-04-02"},
                   {1, 2, 3, 4, 5, 6, 7})})
          .table;
  const auto ends = period_ends(table, {1, Unit::month});
  EXPECT_THAT(ends.table.days, ElementsAre(day("2024-01-31"), day("2024-02-28"), day("2024-03-29")));
  EXPECT_TRUE(ends.last_unfinished);
  EXPECT_FALSE(ends.last_kept);
  const auto kept = period_ends(table, {1, Unit::month}, true);
  EXPECT_EQ(kept.table.days.back(), day("2024-04-02"));
  EXPECT_TRUE(kept.last_kept);
}

TEST(PeriodEnds, AWeekendDoesNotLeaveAMonthUnfinished) {
  // 2024-03-29 was a Friday and the 31st a Sunday.
  const auto table = align_common({history("A", {"2024-02-29", "2024-03-29"}, {1, 2})}).table;
  EXPECT_FALSE(period_ends(table, {1, Unit::month}).last_unfinished);
}

TEST(PeriodEnds, ATableCutFromALongerOneKnowsThatItsMonthIsOver) {
  const auto whole =
      align_common({history("A", {"2024-02-29", "2024-03-27", "2024-04-02"}, {1, 2, 3})}).table;  // the 28th: a holiday
  EXPECT_FALSE(period_ends(whole.between({}, day("2024-03-31")), {1, Unit::month}).last_unfinished);
  EXPECT_TRUE(period_ends(whole.between({}, day("2024-03-27")), {1, Unit::month}).last_unfinished);
}

TEST(PeriodEnds, EveryKthDayWorksForAnyK) {
  std::vector<const char*> days = {"2024-01-01", "2024-01-02", "2024-01-03", "2024-01-04",
                                   "2024-01-05", "2024-01-08", "2024-01-09"};
  const auto table = align_common({history("A", days, {1, 2, 3, 4, 5, 6, 7})}).table;
  for (int k = 1; k <= 8; ++k) {
    const auto picked = period_ends(table, {k, Unit::day}).table;
    ASSERT_EQ(picked.rows(), std::size_t((6 / k) + 1));
    for (std::size_t i = 0; i < picked.rows(); ++i)
      EXPECT_EQ(picked.prices(Eigen::Index(i), 0), double(1 + k * int(i)));
    EXPECT_EQ(period_ends(table, {k, Unit::day}).last_unfinished, 6 % k != 0);
    // Counted from the first row, wherever in a week or a longer table it stands.
    const auto later = period_ends(table.between(day("2024-01-04"), {}), {k, Unit::day});
    EXPECT_EQ(later.last_unfinished, 3 % k != 0) << k;
  }
}

TEST(PriceTable, CutsAndPicks) {
  const auto table = align_common({history("A", {"2024-01-02", "2024-01-03"}, {1, 2}),
                                   history("B", {"2024-01-02", "2024-01-03"}, {3, 4})})
                         .table;
  EXPECT_EQ(table.only({"b"}).prices(1, 0), 4);
  EXPECT_EQ(table.between(day("2024-01-03"), {}).rows(), 1u);
  EXPECT_THAT(message_of([&] { table.between(day("2025-01-01"), {}); }),
              HasSubstr("The prices run from 2024-01-02 to 2024-01-03"));
  EXPECT_THAT(message_of([&] { table.only({"C"}); }), HasSubstr("C: no asset has this code"));
}

TEST(PeriodEnds, OfDaysAreCountedFromTheFirstRowWhateverItsNumber) {
  // Rows that alignment dropped count: 0 1 2 3 4, then 5 and 6 dropped, 7.
  std::vector<const char*> days = {"2024-01-01", "2024-01-02", "2024-01-03", "2024-01-04",
                                   "2024-01-05", "2024-01-08", "2024-01-09", "2024-01-10"};
  const auto all = history("A", days, {1, 2, 3, 4, 5, 6, 7, 8});
  const auto most = history("B", {days[0], days[1], days[2], days[3], days[4], days[7]}, {1, 2, 3, 4, 5, 8});
  const auto table = align_common({all, most}).table.between(day("2024-01-02"), {});
  ASSERT_FALSE(table.numbers.empty());
  EXPECT_NO_THROW(table.check());
  EXPECT_FALSE(period_ends(table, {3, Unit::day}).last_unfinished) << "from 1 to 7 are twice three";
  EXPECT_TRUE(period_ends(table, {4, Unit::day}).last_unfinished);
  auto wrong = table;
  wrong.numbers.back() = wrong.numbers.front();
  EXPECT_THAT(test::message_of([&] { wrong.check(); }), testing::HasSubstr("comes after"));
}

}  // namespace
}  // namespace inchtide

#include "inchtide/base/day.hpp"

#include "inchtide/base/errors.hpp"

namespace inchtide::calendar {
namespace {

using namespace std::chrono;
using testing::HasSubstr;

Day day(int y, unsigned m, unsigned d) {
  return sys_days{year{y} / month{m} / std::chrono::day{d}};
}

TEST(Day, ReadsIsoDaysAndNothingElse) {
  EXPECT_EQ(parse_day("2024-02-29"), day(2024, 2, 29));
  for (const char* text : {"2023-02-29", "2024-13-01", "2024-00-10", "24-01-01", "2024/01/02", "2024-1-2", "02.01.2024",
                           "2024-01-02T00:00", "", "2024-01-0x", "2024-01-32"}) {
    EXPECT_FALSE(parse_day(text)) << text;
  }
}

TEST(Day, WritesWhatItReads) {
  for (const char* text : {"1970-01-01", "2024-02-29", "2018-12-31", "1899-03-01"}) {
    EXPECT_EQ(to_string(*parse_day(text)), text);
  }
}

TEST(Day, ABadDayNamesItsPlace) {
  try {
    day_from("31.12.2024", "--from");
    FAIL();
  } catch (const InputError& error) {
    EXPECT_THAT(error.what(), HasSubstr("--from: '31.12.2024' is not a day. Write it as YYYY-MM-DD"));
  }
}

TEST(Interval, ReadsCountsAndUnits) {
  EXPECT_EQ(Interval::parse("1m", ""), (Interval{1, Unit::month}));
  EXPECT_EQ(Interval::parse("m", ""), (Interval{1, Unit::month}));
  EXPECT_EQ(Interval::parse("15d", ""), (Interval{15, Unit::day}));
  for (const char* text : {"", "0m", "-1m", "1.5m", "1x", "m1", "1mm", "1 m"}) {
    EXPECT_THROW(Interval::parse(text, "--every"), InputError) << text;
  }
}

TEST(Interval, KnowsItsPeriodsPerYear) {
  EXPECT_EQ(Interval::parse("1d", "").periods_per_year(), 252);
  EXPECT_EQ(Interval::parse("2w", "").periods_per_year(), 26);
  EXPECT_EQ(Interval::parse("3m", "").periods_per_year(), 4);
  EXPECT_EQ(Interval::parse("2y", "").periods_per_year(), 0.5);
}

TEST(Interval, PeriodsFollowTheCalendar) {
  const Interval monthly{1, Unit::month}, quarterly{1, Unit::quarter}, weekly{1, Unit::week};
  EXPECT_EQ(monthly.period_of(day(2024, 1, 31)) + 1, monthly.period_of(day(2024, 2, 1)));
  EXPECT_EQ(monthly.period_end(monthly.period_of(day(2024, 2, 3))), day(2024, 2, 29));
  EXPECT_EQ(quarterly.period_end(quarterly.period_of(day(2023, 4, 1))), day(2023, 6, 30));
  // 2024-01-01 was a Monday: its week ends on Sunday the 7th.
  EXPECT_EQ(weekly.period_end(weekly.period_of(day(2024, 1, 1))), day(2024, 1, 7));
  EXPECT_NE(weekly.period_of(day(2024, 1, 7)), weekly.period_of(day(2024, 1, 8)));
}

TEST(Interval, EveryDayLiesInThePeriodThatEndsOnOrAfterIt) {
  for (int count : {1, 2, 3, 5, 7}) {
    for (Unit unit : {Unit::week, Unit::month, Unit::quarter, Unit::year}) {
      const Interval interval{count, unit};
      for (Day d = day(1968, 11, 1); d < day(1972, 3, 1); d += days{1}) {
        const auto period = interval.period_of(d);
        ASSERT_LE(d, interval.period_end(period));
        ASSERT_GT(d, interval.period_end(period - 1));
      }
    }
  }
}

TEST(Interval, CountingBackStaysInTheMonth) {
  EXPECT_EQ((Interval{1, Unit::month}.before(day(2024, 3, 31))), day(2024, 2, 29));
  EXPECT_EQ((Interval{2, Unit::year}.before(day(2024, 2, 29))), day(2022, 2, 28));
  EXPECT_EQ((Interval{2, Unit::week}.before(day(2024, 3, 8))), day(2024, 2, 23));
  EXPECT_EQ((Interval{30, Unit::day}.before(day(2024, 3, 31))), day(2024, 3, 1));
}

}  // namespace
}  // namespace inchtide::calendar

// Whether histories have an interval, alone and together; how many rows a year has.

#include "inchtide/prices/periods.hpp"

#include <set>

#include "inchtide/base/errors.hpp"
#include "support/messages.hpp"

namespace inchtide {
namespace {

using std::chrono::days;
using test::message_of;
using testing::AllOf;
using testing::HasSubstr;

/// Prices on the weekdays of so many years from 2018 on that `takes` takes.
template <typename Takes>
PriceHistory history(const std::string& asset, int years, Takes takes) {
  PriceHistory h{asset, "HLC", PriceField::close, {}, {}};
  const Day first = *parse_day("2018-01-01");
  std::vector<Day> all;
  for (Day day = first; day < first + days{365 * years}; day += days{1}) {
    if (std::chrono::weekday{day}.iso_encoding() <= 5 && takes(day)) all.push_back(day);
  }
  h.prices.assign(all.size(), 10);
  h.days = DayList(std::move(all));
  return h;
}

bool ends_month(Day day, unsigned every) {
  const std::chrono::year_month_day ymd{day};
  const Day last{ymd.year() / ymd.month() / std::chrono::last};
  return unsigned(ymd.month()) % every == 0 && last - day < days{3} &&
         (std::chrono::weekday{day}.iso_encoding() == 5 || day == last);
}

const auto all_days = [](Day) { return true; };
const auto quarters = [](Day day) { return ends_month(day, 3); };

TEST(Periods, AnAssetWithPricesInFewerThanHalfOfThemIsNamedWithBothWaysOut) {
  const std::vector<PriceHistory> both = {history("SHARE", 5, all_days), history("FUND", 5, quarters)};
  const Interval monthly{1, Unit::month};
  EXPECT_THAT(message_of([&] { check_interval(both, monthly, {}); }),
              AllOf(HasSubstr("FUND: it has prices in "), HasSubstr("no monthly returns"),
                    HasSubstr("take a longer interval (1q)"), HasSubstr("Leave it out")));
  EXPECT_EQ(interval_that_fits(both, monthly), (Interval{1, Unit::quarter}));
  EXPECT_EQ(interval_that_fits({both[0]}, monthly), monthly);
  const auto yearly = history("YEARLY", 8, [](Day day) { return ends_month(day, 12); });
  EXPECT_EQ(interval_that_fits({both[0], yearly}, monthly), (Interval{1, Unit::year})) << "a quarter does not fit";
  EXPECT_NO_THROW(check_interval(both, {1, Unit::quarter}, {}));
  EXPECT_NO_THROW(check_interval({both[0]}, {1, Unit::day}, {}));
}

TEST(Periods, TooFewCommonEndsNameWhoCostsMost) {
  // Weekly prices on Mondays, Thursdays and each weekday: two of them never meet.
  const auto on = [](unsigned weekday) {
    return [weekday](Day day) {
      return std::chrono::weekday{day}.iso_encoding() == weekday || day == *parse_day("2018-01-04");
    };
  };
  const std::vector<PriceHistory> apart = {
      history("EVERY", 3, all_days), history("MONDAYS", 3, on(1)), history("THURSDAYS", 3, [&](Day day) {
        return on(4)(day) || (std::chrono::year_month_day{day}.day() == std::chrono::day{1});
      })};
  EXPECT_THAT(message_of([&] {
                check_interval(apart, {1, Unit::week}, {});
              }),
              AllOf(HasSubstr("there is a day on which all assets have a price"), HasSubstr("more without it")));
  // What each costs, by hand: without MONDAYS or THURSDAYS every week has a common day but those that are common
  // already.
  const auto few = message_of([&] { check_interval(apart, {1, Unit::week}, {}); });
  const auto common = [&](const std::vector<PriceHistory>& some) {
    std::set<long> weeks;
    for (const Day day : some[0].days) {
      const bool all =
          std::ranges::all_of(some, [&](const PriceHistory& h) { return std::ranges::binary_search(h.days, day); });
      if (all) weeks.insert(Interval{1, Unit::week}.period_of(day));
    }
    return long(weeks.size());
  };
  const long more = common({apart[0], apart[2]}) - common(apart);
  EXPECT_THAT(few, HasSubstr("MONDAYS (" + std::to_string(more) + " more without it)"));
  // Whoever comes first, the same are named.
  for (auto order : {apart, {apart[1], apart[0], apart[2]}, {apart[2], apart[1], apart[0]}}) {
    EXPECT_THAT(message_of([&] {
                  check_interval(order, {1, Unit::week}, {});
                }),
                AllOf(HasSubstr("MONDAYS"), HasSubstr("THURSDAYS"), HasSubstr("more without it")));
  }
  EXPECT_NO_THROW(check_interval(apart, {1, Unit::week}, AlignPolicy::parse("carry:5", "")));
}

TEST(Periods, RowsPerYearAreMeasured) {
  const auto per_year = [](const PriceHistory& h) { return align_common({h}).table.rows_per_year(); };
  EXPECT_EQ(per_year(history("A", 3, all_days)), 252) << "261 weekdays";
  EXPECT_EQ(per_year(history("A", 3, [](Day day) { return day.time_since_epoch().count() % 25 != 0; })), 252);
  EXPECT_EQ(per_year(history("A", 3, [](Day day) { return std::chrono::weekday{day}.iso_encoding() == 3; })), 52);
  EXPECT_EQ(per_year(history("A", 3, [](Day day) { return ends_month(day, 1); })) < 12.6, true);
  PriceTable every_day, week;
  for (int d = 0; d < 800; ++d) every_day.days.push_back(Day{days{d}});
  EXPECT_EQ(every_day.rows_per_year(), 365);
  for (int d = 0; d < 5; ++d) week.days.push_back(*parse_day("2024-01-08") + days{d});  // Monday to Friday
  EXPECT_EQ(week.rows_per_year(), 252);
  // Rows that alignment dropped were days all the same.
  const auto half = align_common(
      {history("A", 3, all_days), history("B", 3, [](Day day) { return day.time_since_epoch().count() % 2 == 0; })});
  EXPECT_EQ(half.table.rows_per_year(), 252);
}

}  // namespace
}  // namespace inchtide

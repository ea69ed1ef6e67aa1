#include "inchtide/prices/currency.hpp"

#include "support/messages.hpp"

namespace inchtide {
namespace {

using test::message_of;
using testing::ElementsAre;
using testing::HasSubstr;

std::vector<Day> days_of(const std::vector<const char*>& texts) {
  std::vector<Day> days;
  for (const char* text : texts) days.push_back(*parse_day(text));
  return days;
}

const std::vector<Day> three_days = days_of({"2024-01-02", "2024-01-03", "2024-01-12"});
const PriceHistory abroad{"MARROWGL", "MRD", PriceField::close, three_days, {100, 110, 120}};

TEST(Convert, MultipliesByTheRateOfTheSameDay) {
  const auto home = convert(abroad, "HLC", {{"MRD", "HLC", three_days, {1.5, 1.4, 1.3}}}, 5);
  EXPECT_THAT(home.history.prices, ElementsAre(100 * 1.5, 110 * 1.4, 120 * 1.3));
  EXPECT_EQ(home.history.currency, "HLC");
  EXPECT_EQ(home.path, "MRD -> HLC");
  EXPECT_EQ(home.carried, 0u);
  // The holder's return is the product of both, not their sum: 1.1 x 1.4 / 1.5 - 1.
  EXPECT_NEAR(home.history.prices[1] / home.history.prices[0] - 1, 1.1 * 1.4 / 1.5 - 1, 1e-15);
}

TEST(Convert, TurnsARateUpsideDown) {
  const auto home = convert(abroad, "HLC", {{"HLC", "MRD", three_days, {0.5, 0.8, 0.4}}}, 5);
  EXPECT_THAT(home.history.prices, ElementsAre(200, 137.5, 300));
}

TEST(Convert, GoesThroughOneCrossCurrency) {
  const std::vector<RateHistory> rates = {{"MRD", "USX", three_days, {2, 2, 2}}, {"HLC", "USX", three_days, {4, 5, 8}}};
  const auto home = convert(abroad, "HLC", rates, 5);
  EXPECT_THAT(home.history.prices, ElementsAre(50, 44, 30));
  EXPECT_EQ(home.path, "MRD -> USX -> HLC");
}

TEST(Convert, CarriesARateOnlySoFarAndCounts) {
  const std::vector<RateHistory> rates = {{"MRD", "HLC", days_of({"2024-01-02"}), {1.5}}};
  const auto home = convert(abroad, "HLC", rates, 5);
  EXPECT_THAT(home.history.days, ElementsAre(three_days[0], three_days[1]));
  EXPECT_EQ(home.carried, 1u);
  EXPECT_THAT(home.dropped, ElementsAre(three_days[2]));
  EXPECT_EQ(convert(abroad, "HLC", rates, 10).carried, 2u);
}

TEST(Convert, NeverLooksAhead) {
  const auto home = convert(abroad, "HLC", {{"MRD", "HLC", days_of({"2024-01-03", "2024-01-12"}), {1.4, 1.3}}}, 5);
  EXPECT_EQ(home.history.days.front(), three_days[1]);
  EXPECT_THAT(home.dropped, ElementsAre(three_days[0]));
}

TEST(Convert, LeavesTheBaseCurrencyAlone) {
  EXPECT_EQ(convert(abroad, "mrd", {}, 5).history.prices, abroad.prices);
}

TEST(Convert, SaysWhatIsMissing) {
  EXPECT_THAT(message_of([] {
                convert(abroad, "HLC", {{"USX", "HLC", three_days, {1, 1, 1}}}, 5);
              }),
              HasSubstr("MARROWGL: no rates lead from MRD to HLC. Give rates of MRD in HLC"));
  EXPECT_THAT(message_of([] {
                convert(abroad, "HLC", {{"MRD", "HLC", days_of({"2025-01-02"}), {1}}}, 5);
              }),
              HasSubstr("none of its prices has a rate (MRD -> HLC). The rates run from 2025-01-02"));
  EXPECT_THAT(message_of([] {
                convert(abroad, "HLC", {{"MRD", "HLC", three_days, {1, -1, 1}}}, 5);
              }),
              HasSubstr("rates of MRD in HLC: the rate on 2024-01-03 is -1"));
  for (std::size_t bad = 0; bad < 3; ++bad) {
    for (double rate : {0.0, double(NAN), double(INFINITY)}) {
      std::vector<double> rates{1, 1, 1};
      rates[bad] = rate;
      EXPECT_THAT(message_of([&] {
                    convert(abroad, "HLC", {{"MRD", "HLC", three_days, rates}}, 5);
                  }),
                  HasSubstr("the rate on " + to_string(three_days[bad])));
    }
  }
}

}  // namespace
}  // namespace inchtide

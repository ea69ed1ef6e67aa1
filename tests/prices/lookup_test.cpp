#include "inchtide/prices/lookup.hpp"

#include <cmath>

#include "inchtide/prices/price_table.hpp"
#include "support/messages.hpp"

namespace inchtide {
namespace {

const Day friday = *parse_day("2024-03-01"), monday = *parse_day("2024-03-04");
const PriceHistory kelp{"KELPFARM", "HLC", PriceField::close, {friday, monday}, {10, 11}};

TEST(PriceOn, NamesTheDayThatItTook) {
  EXPECT_EQ(price_on(kelp, friday).taken, friday);
  EXPECT_EQ(price_on(kelp, monday - std::chrono::days{1}).taken, friday);
  EXPECT_EQ(price_on(kelp, monday - std::chrono::days{1}).price, 10);
  EXPECT_EQ(price_on(kelp, monday + std::chrono::days{400}).price, 11);
  EXPECT_THAT(test::message_of([] { price_on(kelp, friday - std::chrono::days{1}); }),
              testing::HasSubstr("KELPFARM: it has no price on 2024-02-29 or before. Its prices begin on 2024-03-01"));
}

TEST(Rebased, BeginsAt100OnTheFirstDayThatAllHave) {
  const PriceHistory tide{"TIDEMILL", "HLC", PriceField::close, {monday, monday + std::chrono::days{1}}, {50, 60}};
  auto longer = kelp;
  longer.days.push_back(monday + std::chrono::days{1});
  longer.prices.push_back(5.5);
  const auto grown = rebased(align({longer, tide}, AlignPolicy::parse("any", "")).table);
  ASSERT_EQ(grown.rows(), 2u);
  EXPECT_EQ(grown.days[0], monday);
  EXPECT_NEAR((grown.prices - (Eigen::Matrix2d() << 100, 100, 50, 120).finished()).norm(), 0, 1e-13);
  PriceTable empty = grown;
  empty.prices.col(0).setConstant(NAN);
  EXPECT_THAT(test::message_of([&] { rebased(empty); }), testing::HasSubstr("no day has a price of every asset"));
}

TEST(CumulativeGrowth, BeginsAtNothing) {
  const auto growth = cumulative_growth(align_common({kelp}).table);
  EXPECT_EQ(growth.prices(0, 0), 0);
  EXPECT_NEAR(growth.prices(1, 0), 0.1, 1e-15);
}

}  // namespace
}  // namespace inchtide

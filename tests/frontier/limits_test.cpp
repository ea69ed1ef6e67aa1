#include "inchtide/frontier/limits.hpp"

#include <random>

#include "inchtide/base/errors.hpp"
#include "support/limits.hpp"
#include "support/messages.hpp"

namespace inchtide::limits {
namespace {

using test::limits_of;
using test::message_of;
using testing::ElementsAre;
using testing::HasSubstr;

const std::vector<std::string> assets = {"TIDEMILL", "KELPFARM", "HOLLBOND"};

TEST(Limit, ReadsOneAssetEachRangesAndEqualities) {
  const auto cap = Limit::parse("KELPFARM <= 12%", "food");
  EXPECT_EQ(cap.name, "food");
  EXPECT_EQ(cap.asset(), "KELPFARM");
  EXPECT_EQ(cap.upper, 0.12);
  EXPECT_FALSE(cap.lower);
  const auto each = Limit::parse("each>=1%");
  EXPECT_TRUE(each.asset().empty());
  EXPECT_EQ(each.lower, 0.01);
  const auto range = Limit::parse("5% <= kelpfarm <= 12.5%");
  EXPECT_EQ(range.lower, 0.05);
  EXPECT_EQ(range.upper, 0.125);
  const auto turned = Limit::parse("12% >= KELPFARM >= 5%");
  EXPECT_EQ(turned.lower, 0.05);
  EXPECT_EQ(turned.upper, 0.12);
  const auto front = Limit::parse("5% <= KELPFARM");
  EXPECT_EQ(front.lower, 0.05);
  EXPECT_FALSE(front.upper);
  const auto equal = Limit::parse("HOLLBOND = 20%");
  EXPECT_EQ(equal.lower, 0.2);
  EXPECT_EQ(equal.upper, 0.2);
}

TEST(Limit, QuotesAndPrefixProtectACode) {
  EXPECT_EQ(Limit::parse("'BB-A <= x' <= 5%").asset(), "BB-A <= x");
  EXPECT_EQ(Limit::parse("asset:each <= 5%").asset(), "each");
  EXPECT_EQ(Limit::parse("asset:'a b' <= 5%").asset(), "a b");
}

TEST(Limit, SaysWhatIsWrongWithATextThatIsNone) {
  EXPECT_THAT(message_of([] { Limit::parse("KELPFARM <= 30", "food"); }),
              HasSubstr("limit food 'KELPFARM <= 30': '30' has no % sign. Write 30% or 3000%"));
  EXPECT_THAT(message_of([] { Limit::parse("KELPFARM < 30%"); }), HasSubstr("Write <="));
  EXPECT_THAT(message_of([] { Limit::parse("KELPFARM"); }), HasSubstr("not an inequality"));
  EXPECT_THAT(message_of([] { Limit::parse(""); }), HasSubstr("it is empty"));
  EXPECT_THAT(message_of([] { Limit::parse("<= 5%"); }), HasSubstr("it bounds nothing"));
  EXPECT_THAT(message_of([] { Limit::parse("10% <= KELPFARM <= 5%"); }), HasSubstr("lies above its upper end"));
  EXPECT_THAT(message_of([] { Limit::parse("5% <= KELPFARM >= 1%"); }), HasSubstr("the same end"));
  EXPECT_THAT(message_of([] { Limit::parse("5% = KELPFARM <= 9%"); }), HasSubstr("a range takes"));
  EXPECT_THAT(message_of([] { Limit::parse("'KELPFARM <= 5%"); }), HasSubstr("a quote is not closed"));
  for (const char* other : {"each <= nan%", "KELPFARM <= inf%", "average:yield >= nan", "gross <= x%"}) {
    EXPECT_THAT(message_of([&] { Limit::parse(other); }), HasSubstr("is not a figure")) << other;
  }
  for (const char* other : {"2 * gross <= 130%", "gross <= 2 * short", "average <= 3"}) {
    EXPECT_THAT(message_of([&] { Limit::parse(other); }), HasSubstr("is not offered")) << other;
  }
}

TEST(Bounds, AreTheTightestOfAllLimits) {
  const auto bounds = bounds_of(
      limits_of({"each <= 50%", "kelpfarm <= 40%", "each >= 2%", "HOLLBOND >= 20%", "HOLLBOND <= 60%"}), assets);
  EXPECT_THAT(bounds.upper, ElementsAre(0.5, 0.4, 0.5));
  EXPECT_THAT(bounds.lower, ElementsAre(0.02, 0.02, 0.2));
  EXPECT_THAT(bounds.upper_limit, ElementsAre(0, 1, 0));
  EXPECT_THAT(bounds.lower_limit, ElementsAre(2, 2, 3));
}

TEST(Bounds, AreLongOnlyUnlessALimitGivesALowerEnd) {
  EXPECT_THAT(bounds_of({}, assets).lower, ElementsAre(0, 0, 0));
  EXPECT_THAT(bounds_of(limits_of({"KELPFARM >= -10%"}), assets).lower, ElementsAre(0, -0.1, 0));
}

TEST(Bounds, AnUnknownAssetIsNamedWithTheNearestKnown) {
  EXPECT_THAT(message_of([] { bounds_of(limits_of({"KELPFRAM <= 5%"}), assets); }),
              HasSubstr("no asset has the code 'KELPFRAM'. Did you mean 'KELPFARM'?"));
}

std::vector<std::string> conflict_in(const std::vector<std::string>& texts, std::string* message = nullptr) {
  try {
    bounds_of(limits_of(texts), assets);
  } catch (const InfeasibleLimits& error) {
    if (message != nullptr) *message = error.what();
    return error.names();
  }
  return {};
}

TEST(Bounds, TurnoverIsTheLargerOfPurchasesAndSales) {
  std::mt19937_64 random(17);
  std::uniform_real_distribution<double> uniform(0, 0.5);
  const std::vector<std::string> three = {"A", "B", "C"};
  for (int round = 0; round < 200; ++round) {
    LimitFacts facts;
    const auto drawn = [&] { return Eigen::Vector3d(uniform(random), uniform(random), uniform(random)); };
    facts.current = drawn();
    if (round % 4 == 0) facts.current /= facts.current.sum();
    const auto rows_of = [&] { return bounds_of(limits_of({"turnover <= 300%"}), three, facts).rows; };
    const auto bought = [&](const Eigen::VectorXd& w) { return (w - facts.current).cwiseMax(0).sum(); };
    const auto sold = [&](const Eigen::VectorXd& w) { return (facts.current - w).cwiseMax(0).sum(); };
    Eigen::VectorXd whole = drawn();
    whole /= whole.sum();
    const auto plain = rows_of();
    ASSERT_EQ(plain.size(), 1u);
    EXPECT_NEAR(plain[0].value(whole), std::max(bought(whole), sold(whole)), 1e-14) << "what is bought sums to 1";
    // What costs take of the budget isn't known before: each side has a row of its own, or the larger alone.
    facts.costs =
        TradingCosts{facts.current, {Eigen::VectorXd::Constant(3, 0.01), Eigen::VectorXd::Constant(3, 0.01)}, 1};
    const auto rows = rows_of();
    const Eigen::VectorXd any = drawn();
    EXPECT_NEAR(rows.at(0).value(any), sold(any), 1e-14);
    if (facts.current.sum() < 1 - 1e-12) {
      EXPECT_NEAR(rows.at(1).value(any), bought(any), 1e-14);
    }
    for (const auto& row : rows) EXPECT_EQ(row.upper, 3);
  }
}

TEST(Conflict, IsGivenInTheUsersWordsAndFigures) {
  std::string message;
  EXPECT_THAT(conflict_in({"each >= 40%", "KELPFARM <= 90%"}, &message), ElementsAre("each >= 40%"));
  EXPECT_THAT(message, HasSubstr("over 3 assets they need 120%, the budget is 100%"));
  EXPECT_THAT(conflict_in({"each <= 30%"}, &message), ElementsAre("each <= 30%"));
  EXPECT_THAT(message, HasSubstr("over 3 assets they allow 90%, the budget is 100%"));
  EXPECT_THAT(conflict_in({"each <= 50%", "KELPFARM >= 20%", "KELPFARM <= 10%"}, &message),
              ElementsAre("KELPFARM >= 20%", "KELPFARM <= 10%"));
  EXPECT_THAT(message, HasSubstr("KELPFARM would have to be at least 20% and at most 10%"));
}

TEST(Conflict, HasNoMemberThatCanBeDropped) {
  const std::vector<std::string> all = {"TIDEMILL >= 50%", "each <= 60%", "KELPFARM >= 30%", "HOLLBOND >= 30%",
                                        "TIDEMILL <= 70%"};
  const auto conflict = conflict_in(all);
  ASSERT_THAT(conflict, ElementsAre("TIDEMILL >= 50%", "KELPFARM >= 30%", "HOLLBOND >= 30%"));
  for (std::size_t dropped = 0; dropped < conflict.size(); ++dropped) {
    std::vector<std::string> rest;
    for (std::size_t k = 0; k < conflict.size(); ++k) {
      if (k != dropped) rest.push_back(conflict[k].c_str());
    }
    EXPECT_TRUE(conflict_in(rest).empty()) << "without " << conflict[dropped];
  }
}

TEST(Violations, NameTheLimitTheAssetAndTheSize) {
  const auto found = violations_of(limits_of({"each <= 50%"}), assets, Eigen::Vector3d(0.7, -0.1, 0.3));
  ASSERT_EQ(found.size(), 3u);
  EXPECT_EQ(found[0].limit, "budget = 100%");
  EXPECT_NEAR(found[0].by, 0.1, 1e-15);
  EXPECT_EQ(found[1].limit, "each <= 50%");
  EXPECT_EQ(found[1].asset, "TIDEMILL");
  EXPECT_NEAR(found[1].by, 0.2, 1e-15);
  EXPECT_EQ(found[2].limit, "long only");
}

TEST(Limit, ACodeOfOneLetterMayStandInQuotes) {
  EXPECT_EQ(Limit::parse("'A' <= 10%").asset(), "A");
  EXPECT_THAT(test::message_of([] { (void)Limit::parse("'' <= 10%"); }), testing::HasSubstr("is not a quoted code"));
}

TEST(Bounds, OfEqualLimitsTheFirstIsTheBoundAndTheOthersAreItsTies) {
  const std::vector<std::string> assets = {"A", "B"};
  const auto bounds = bounds_of({Limit::parse("B <= 70%"), Limit::parse("each <= 70%"), Limit::parse("B >= 5%"),
                                 Limit::parse("each >= 5%"), Limit::parse("A <= 90%")},
                                assets, {});
  EXPECT_EQ(bounds.upper_limit, (std::vector<int>{1, 0}));
  EXPECT_EQ(bounds.lower_limit, (std::vector<int>{3, 2}));
  EXPECT_THAT(bounds.upper_ties, testing::ElementsAre(std::pair(1, 1)));
  EXPECT_THAT(bounds.lower_ties, testing::ElementsAre(std::pair(1, 3)));
}

}  // namespace
}  // namespace inchtide::limits

#include "inchtide/base/notice.hpp"

#include <gmock/gmock.h>

#include "inchtide/base/errors.hpp"

namespace inchtide {
namespace {

using std::chrono::operator""y;

TEST(Where, IsToldFromTheLargeToTheSmall) {
  EXPECT_EQ(Where::in_file("prices/KELPFARM.csv", 12, "close").text(), "prices/KELPFARM.csv, line 12, column close");
  EXPECT_EQ(Where::in_file("mandate.toml", 3).with("estimate.every").text(), "mandate.toml, line 3, estimate.every");
  const std::chrono::sys_days day = 2024y / std::chrono::March / 4;
  EXPECT_EQ(Where::of_asset("KELPFARM", day).text(), "KELPFARM, 2024-03-04");
  EXPECT_EQ(Where::of_limit("no bonds", "sector:bonds <= 0%").text(), "limit no bonds 'sector:bonds <= 0%'");
  EXPECT_EQ(Where::of_limit("each <= 5%", "each <= 5%").text(), "limit 'each <= 5%'");
  EXPECT_TRUE(Where().empty());
  EXPECT_EQ(Where("a list").with("place 3").text(), "a list, place 3");
}

TEST(Notice, LeavesOutWhatItDoesNotHave) {
  EXPECT_EQ(Notice("A sentence").text(), "A sentence");
  EXPECT_EQ(Notice({}, "A sentence", {"Do this"}).text(), "A sentence. Do this");
  EXPECT_EQ(Notice("costs", "they are too high").text(), "costs: they are too high");
  EXPECT_EQ(Notice("costs", "they are too high", {"Lower them"}).led_by("Left out").text(),
            "Left out: costs: they are too high. Lower them");
}

TEST(Notice, SpellsItsMeansAsItsReaderKnowsThem) {
  const Notice notice(
      "returns", "there are too few",
      {{Means::prices, "Give a longer history"}, {Means::interval, "take a shorter interval"}, "wait a while"});
  EXPECT_EQ(notice.text(),
            "returns: there are too few. Give a longer history, take a shorter interval, or wait a while");
  const auto option = [](Means means) { return means == Means::interval ? "--every" : ""; };
  EXPECT_EQ(notice.text(option),
            "returns: there are too few. Give a longer history, take a shorter interval (--every), or wait a while");
  EXPECT_TRUE(notice.offers(Means::prices));
  EXPECT_FALSE(notice.offers(Means::assets));
}

TEST(Error, CopiesKeepWhatItSays) {
  std::exception_ptr kept;
  try {
    throw InfeasibleLimits("They conflict", {{"one", "each <= 5%", std::nullopt, 0.05}});
  } catch (const Error& error) {
    EXPECT_STREQ(error.what(), "They conflict. Loosen or drop one of them");
    kept = std::current_exception();
  }
  try {
    std::rethrow_exception(kept);
  } catch (const InfeasibleLimits& error) {
    const auto copy = error;
    ASSERT_EQ(copy.limits().size(), 1u);
    EXPECT_EQ(copy.limits()[0].text, "each <= 5%");
    EXPECT_EQ(copy.limits()[0].upper, 0.05);
    EXPECT_FALSE(copy.limits()[0].lower.has_value());
    EXPECT_TRUE(copy.notice().offers(Means::limits));
  }
}

}  // namespace
}  // namespace inchtide

// Limits that cannot all hold: the set that is named against a general linear-programming library, in exact arithmetic.

#include <fmt/format.h>

#include <random>

#include "inchtide/base/errors.hpp"
#include "inchtide/frontier/frontier.hpp"
#include "support/limits.hpp"
#include "support/messages.hpp"
#include "support/problems.hpp"
#include "support/programme.hpp"
#include "support/rounds.hpp"

namespace inchtide::conflicts {
namespace {

using test::limits_of;
using testing::HasSubstr;
using testing::Not;

const int all_rounds = test::rounds(3000);

struct Set {
  std::vector<std::string> assets;
  LimitFacts facts;
  Limits limits;
};

Set random_set(std::mt19937_64& random) {
  const auto pick = [&](int below) { return int(random() % std::uint64_t(below)); };
  Set set;
  const int n = 3 + pick(5);
  set.facts.tags.columns = {"sector", "yield"};
  for (int i = 0; i < n; ++i) {
    set.assets.push_back(fmt::format("A{}", i));
    set.facts.tags.assets.push_back(set.assets.back());
    set.facts.tags.rows.push_back(
        {std::string(1, char('x' + (i < 3 ? i : pick(3)))), fmt::format("{}", 0.1 * pick(60))});
  }
  set.facts.current = Eigen::VectorXd::Constant(n, 1.0 / n);
  const auto asset = [&] { return set.assets[std::size_t(pick(n))]; };
  const auto sector = [&] { return std::string("sector:") + char('x' + pick(3)); };
  std::vector<std::string> texts;
  const int count = 2 + pick(5);
  for (int k = 0; k < count; ++k) {
    switch (pick(13)) {
      case 0: texts.push_back(fmt::format("{} >= {}%", asset(), 5 + pick(60))); break;
      case 1: texts.push_back(fmt::format("{} = {}%", asset(), 5 + pick(60))); break;
      case 2: texts.push_back(fmt::format("{} >= {}%", sector(), 10 + pick(80))); break;
      case 3: texts.push_back(fmt::format("{} <= {}%", sector(), 5 + pick(60))); break;
      case 4: texts.push_back(fmt::format("{} <= 0.{:02} * {}", sector(), 1 + pick(98), sector())); break;
      case 5: texts.push_back(fmt::format("each <= {}%", 10 + pick(60))); break;
      case 6: texts.push_back(fmt::format("every sector <= {}%", 25 + pick(50))); break;
      case 7: texts.push_back(fmt::format("average:yield >= {}", 0.1 * (10 + pick(55)))); break;
      case 8: texts.push_back(fmt::format("average:yield <= {}", 0.1 * (1 + pick(40)))); break;
      case 9: texts.push_back(fmt::format("short <= {}%", 1 + pick(30))); break;
      case 10: texts.push_back(fmt::format("gross <= {}%", 90 + pick(60))); break;
      case 11: texts.push_back(fmt::format("turnover <= {}%", 1 + pick(40))); break;
      default: texts.push_back(fmt::format("each in {} >= {}%", sector(), 2 + pick(20))); break;
    }
  }
  if (pick(4) == 0) texts.push_back(pick(2) == 0 ? "budget = 90%" : "budget = 130%");
  std::ranges::sort(texts);
  texts.erase(std::unique(texts.begin(), texts.end()), texts.end());
  std::ranges::shuffle(texts, random);
  set.limits = limits_of(texts);
  return set;
}

bool opens(const Limits& limits) {
  return std::ranges::any_of(limits, [](const Limit& limit) {
    return limit.kind == Limit::Kind::short_total || limit.kind == Limit::Kind::gross;
  });
}

TEST(Conflicts, NameASetThatCannotHoldAndOfWhichEveryMemberIsNeeded) {
  std::mt19937_64 random(1330);
  int none = 0, with_sizes = 0;
  for (int round = 0; round < all_rounds; ++round) {
    const auto set = random_set(random);
    const bool open = opens(set.limits), holds = test::can_hold(set.limits, set.assets, set.facts, open);
    std::string all;
    for (const auto& limit : set.limits) all += limit.text + "; ";
    try {
      bounds_of(set.limits, set.assets, set.facts);
      EXPECT_TRUE(holds) << round << ": " << all;
    } catch (const InfeasibleLimits& error) {
      EXPECT_FALSE(holds) << round << ": " << all << error.what();
      Limits named;
      for (const auto& limit : set.limits) {
        if (std::ranges::count(error.names(), limit.name) > 0) named.push_back(limit);
      }
      ASSERT_EQ(named.size(), error.names().size());
      EXPECT_FALSE(test::can_hold(named, set.assets, set.facts, open)) << round << ": " << all << error.what();
      for (std::size_t k = 0; k < named.size(); ++k) {
        auto fewer = named;
        fewer.erase(fewer.begin() + std::ptrdiff_t(k));
        EXPECT_TRUE(test::can_hold(fewer, set.assets, set.facts, open))
            << round << ": " << named[k].text << " is not needed; " << all << error.what();
      }
      ++none;
      with_sizes += opens(named);
    }
  }
  EXPECT_GT(none, all_rounds / 4);
  EXPECT_GT(with_sizes, all_rounds / 30);
}

TEST(Conflicts, LimitsThatOpenShortPositionsCountAsWhatTheyAre) {
  LimitFacts facts;
  facts.tags = {{"sector"}, {"A", "B", "C"}, {{"x"}, {"x"}, {"y"}}};
  const std::vector<std::string> assets = {"A", "B", "C"};
  // 34% + 80% leave -14% for B.
  try {
    bounds_of(limits_of({"A = 34%", "sector:y >= 80%", "short <= 10%"}), assets, facts);
    FAIL();
  } catch (const InfeasibleLimits& error) {
    EXPECT_EQ(error.names(), (std::vector<std::string>{"A = 34%", "sector:y >= 80%", "short <= 10%"}));
    EXPECT_THAT(error.what(), HasSubstr("miss by 4%"));
  }
  EXPECT_NO_THROW(bounds_of(limits_of({"A = 34%", "sector:y >= 80%", "short <= 15%"}), assets, facts));
  // A ceiling that shorts could reach under.
  const auto estimate =
      test::estimate_of(Eigen::Vector2d(0.05, 0.06), (Eigen::Matrix2d() << 0.04, 0.054, 0.054, 0.09).finished());
  const auto limits = limits_of({"volatility <= 18%", "short <= 5%"});
  try {
    trace_frontier(estimate, limits);
    FAIL();
  } catch (const InfeasibleLimits& error) {
    EXPECT_EQ(error.names().size(), 2u) << error.what();
  }
  EXPECT_NO_THROW(trace_frontier(estimate, limits_of({"volatility <= 18%", "short <= 200%"})));
}

TEST(Conflicts, TheFirstAssetIsNamedLikeAnyOther) {
  const auto message = test::message_of([&] {
    (void)trace_frontier(test::estimate_of(Eigen::Vector3d(0.1, 0.2, 0.3), Eigen::Matrix3d::Identity()),
                         limits_of({"A1 >= 60%", "A2 >= 60%", "A3 <= 50%"}));
  });
  EXPECT_THAT(message, testing::AllOf(HasSubstr("A1 >= 60%"), HasSubstr("A2 >= 60%"), Not(HasSubstr("A3"))));
}

TEST(Conflicts, FiguresAreOfItsMembersAlone) {
  const auto estimate = test::estimate_of(Eigen::Vector3d(0.1, 0.2, 0.3), Eigen::Matrix3d::Identity());
  const auto limits = limits_of({"A1 >= 30%", "A2 >= 60%", "A3 >= 60%"});
  const auto of_members = testing::AllOf(HasSubstr("they need 120%"), Not(HasSubstr("A1 >=")));
  EXPECT_THAT(test::message_of([&] { (void)trace_frontier(estimate, limits); }), of_members);
  auto changed = bounds_of(limits_of({"A1 >= 3%", "A2 >= 6%", "A3 >= 6%"}), estimate.assets);
  changed.lower *= 10;
  EXPECT_THAT(test::message_of([&] { (void)trace_frontier(estimate, changed); }), of_members);
}

TEST(Conflicts, OnlyWhatCannotBeAbsentHasToBeHeld) {
  const auto estimate = test::estimate_of(Eigen::VectorXd::LinSpaced(5, 0.01, 0.05), Eigen::MatrixXd::Identity(5, 5));
  EXPECT_THAT(test::message_of([&] {
                (void)trace_frontier(estimate, limits_of({"holdings <= 2", "A1 >= 10%", "A2 >= 10%", "A3 >= 10%",
                                                          "A4 <= 0%", "A5 <= 0%"}));
              }),
              HasSubstr("3 assets have to be held"));
}

}  // namespace
}  // namespace inchtide::conflicts

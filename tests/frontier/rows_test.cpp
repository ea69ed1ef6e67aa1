// Limits that tie several assets together: reading them, tracing under them, proofs and prices, against enumeration.

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <random>

#include "inchtide/base/errors.hpp"
#include "inchtide/frontier/frontier.hpp"
#include "inchtide/weights/allocation.hpp"
#include "support/certified.hpp"
#include "support/enumeration.hpp"
#include "support/limits.hpp"
#include "support/messages.hpp"
#include "support/problems.hpp"
#include "support/rounds.hpp"

namespace inchtide::rows {
namespace {

using test::limits_of;
using test::LongMatrix;
using test::LongVector;
using test::message_of;
using testing::AllOf;
using testing::ElementsAre;
using testing::HasSubstr;

const std::vector<std::string> assets = {"TIDEMILL", "GALEWORK", "KELPFARM", "OYSTERCO", "HOLLBOND"};

Tags tags() {
  Tags tags;
  tags.columns = {"sector", "yield", "name"};
  tags.assets = assets;
  tags.rows = {{"power", "2.1", "Tide Mill"},
               {"power", "0.4", "Gale Works"},
               {"food", "3.5", "Kelp Farm"},
               {"food", "1.0", "Oyster Co"},
               {"bonds", "4.0", "Bonds"}};
  return tags;
}

Bounds bounds_under(const std::vector<std::string>& texts) {
  return bounds_of(limits_of(texts), assets, tags());
}

// ---- reading --------------------------------------------------------------------------------------------------------

TEST(RowLimits, AMultipleOfOneAssetIsARangeOfItsWeight) {
  const auto range = [](const char* text) {
    const auto bounds = bounds_under({text});
    EXPECT_TRUE(bounds.rows.empty());
    return std::pair(bounds.lower[2], bounds.upper[2]);
  };
  EXPECT_EQ(range("10% <= 2 * KELPFARM <= 50%"), std::pair(0.05, 0.25));
  EXPECT_EQ(range("0.5 * KELPFARM <= 20%"), std::pair(0.0, 0.4));
  EXPECT_EQ(range("-50% <= -2 * KELPFARM <= -10%"), std::pair(0.05, 0.25));
  EXPECT_EQ(range("-4 * KELPFARM >= -60%"), std::pair(0.0, 0.15));
  EXPECT_EQ(range("-4 * KELPFARM <= -20%").first, 0.05);
}

TEST(RowLimits, TotalsOfTagsAreRows) {
  const auto bounds = bounds_under({"Sector:Power <= 30%", "10% <= sector:food <= 40%", "every sector <= 60%"});
  ASSERT_EQ(bounds.rows.size(), 5u);
  EXPECT_THAT(bounds.rows[0].coefficients, ElementsAre(1, 1, 0, 0, 0));
  EXPECT_EQ(bounds.rows[0].upper, 0.3);
  EXPECT_TRUE(std::isinf(bounds.rows[0].lower));
  EXPECT_EQ(bounds.rows[0].label, "Sector:Power");
  EXPECT_EQ(bounds.rows[1].lower, 0.1);
  EXPECT_EQ(bounds.rows[4].label, "sector:bonds");
  EXPECT_EQ(bounds.rows[4].limit, 2);
  EXPECT_EQ(bounds.upper.minCoeff(), INFINITY) << "single assets are left alone";
}

TEST(RowLimits, EverySectorIsEveryOneThatSomeAssetIsIn) {
  const std::vector<std::string> few = {"TIDEMILL", "HOLLBOND"};
  const auto bounds = bounds_of(limits_of({"every sector >= 20%"}), few, tags());
  ASSERT_EQ(bounds.rows.size(), 2u) << "there is no food among them";
  // A single total that none is in cannot be above 0.
  EXPECT_THAT(message_of([&] { bounds_of(limits_of({"sector:food >= 5%"}), few, tags()); }),
              HasSubstr("sector:food would have to be at least 5%, the ranges of its assets allow 0%"));
  EXPECT_NO_THROW(bounds_of(limits_of({"sector:food <= 5%"}), few, tags()));
}

TEST(RowLimits, ScopesBoundSomeOfTheAssets) {
  const auto in = bounds_under({"each in sector:power <= 20%"}),
             outside = bounds_under({"each outside sector:bonds <= 50%"});
  EXPECT_THAT(in.upper, ElementsAre(0.2, 0.2, INFINITY, INFINITY, INFINITY));
  EXPECT_THAT(outside.upper, ElementsAre(0.5, 0.5, 0.5, 0.5, INFINITY));
  EXPECT_TRUE(in.rows.empty());
}

TEST(RowLimits, OneCanBeInTermsOfAnother) {
  const auto bounds =
      bounds_under({"sector:power <= 2 * sector:food", "KELPFARM = OYSTERCO", "0.5 * HOLLBOND >= KELPFARM"});
  EXPECT_THAT(bounds.rows[0].coefficients, ElementsAre(1, 1, -2, -2, 0));
  EXPECT_EQ(bounds.rows[0].upper, 0);
  EXPECT_THAT(bounds.rows[1].coefficients, ElementsAre(0, 0, 1, -1, 0));
  EXPECT_EQ(bounds.rows[1].lower, 0);
  EXPECT_EQ(bounds.rows[1].upper, 0);
  EXPECT_THAT(bounds.rows[2].coefficients, ElementsAre(0, 0, -1, 0, 0.5));
  EXPECT_EQ(bounds.rows[2].lower, 0);
}

TEST(RowLimits, AveragesAreInTheUnitOfTheirColumn) {
  const auto bounds = bounds_under({"average:yield >= 2.5"});
  EXPECT_THAT(bounds.rows[0].coefficients, ElementsAre(2.1, 0.4, 3.5, 1.0, 4.0));
  EXPECT_EQ(bounds.rows[0].lower, 2.5);
}

TEST(RowLimits, WhatIsWrongIsNamed) {
  const auto complaint = [](const char* text) { return message_of([&] { bounds_under({text}); }); };
  EXPECT_THAT(complaint("sektor:power <= 30%"), HasSubstr("the tags have no column 'sektor'. Did you mean 'sector'?"));
  EXPECT_THAT(complaint("sector:powr <= 30%"), HasSubstr("no asset has sector 'powr'. Did you mean 'power'?"));
  EXPECT_THAT(complaint("every sectr <= 30%"), HasSubstr("Did you mean 'sector'?"));
  EXPECT_THAT(complaint("every sector:power <= 30%"), HasSubstr("names no tag"));
  EXPECT_THAT(complaint("sector:power <= 30"), HasSubstr("Write 30% or 3000%"));
  EXPECT_THAT(complaint("each inside sector:power <= 30%"), HasSubstr("is not a scope"));
  EXPECT_THAT(complaint("each in power <= 30%"), HasSubstr("'power' is not a tag's value"));
  EXPECT_THAT(complaint("x * sector:power <= 30%"), HasSubstr("'x' is not a factor"));
  EXPECT_THAT(complaint("sector: <= 30%"), HasSubstr("'sector:' is half a name"));
  EXPECT_THAT(complaint("average:name >= 2"), HasSubstr("the name of TIDEMILL is 'Tide Mill', no figure"));
  EXPECT_THAT(complaint("average:yield >= 2.5%"), HasSubstr("'2.5%' is not a figure"));
  EXPECT_THAT(complaint("2 * gross <= 130%"), HasSubstr("a limit on 'gross' is not offered"));
  EXPECT_THAT(message_of([] { bounds_of(limits_of({"sector:power <= 30%"}), assets); }),
              HasSubstr("there are no tags"));
}

TEST(RowLimits, ConflictsComeWithFiguresAndNoMemberTooMany) {
  const auto conflict = [](const std::vector<std::string>& texts) {
    try {
      bounds_under(texts);
    } catch (const InfeasibleLimits& error) {
      // None can be dropped: without any one of them the rest hold.
      for (std::size_t k = 0; k < error.names().size(); ++k) {
        auto rest = error.names();
        rest.erase(rest.begin() + std::ptrdiff_t(k));
        EXPECT_NO_THROW(bounds_under(rest)) << texts[0];
      }
      return std::string(error.what());
    }
    return std::string();
  };
  EXPECT_THAT(conflict({"each <= 30%", "sector:power >= 70%", "HOLLBOND >= 1%"}),
              AllOf(HasSubstr("'each <= 30%', 'sector:power >= 70%'"),
                    HasSubstr("sector:power would have to be at least 70%, the ranges of its assets allow 60%")));
  EXPECT_THAT(conflict({"sector:power <= 30%", "sector:food <= 30%", "HOLLBOND <= 35%", "each >= 1%"}),
              HasSubstr("'sector:power <= 30%', 'sector:food <= 30%', 'HOLLBOND <= 35%'"));
  EXPECT_THAT(conflict({"average:yield >= 3.8", "HOLLBOND <= 50%"}),
              HasSubstr("average:yield would have to be at least 3.8"));
  EXPECT_THAT(conflict({"sector:power >= 60%", "sector:food >= 60%"}), HasSubstr("they miss by 20%"));
  EXPECT_THAT(conflict({"sector:power >= 60%", "10% <= sector:power <= 50%"}),
              HasSubstr("sector:power would have to be at least 60% and at most 50%"));
  EXPECT_EQ(conflict({"sector:power >= 60%", "sector:food >= 40%"}), "");
}

// ---- tracing --------------------------------------------------------------------------------------------------------

struct Rowed {
  test::Problem problem;
  std::string text;
};

// A random problem with rows: totals, differences and averages, with ends that some random weights satisfy.
Rowed random_rowed(std::mt19937_64& random, int n, int rows) {
  const auto pick = [&](int below) { return int(random() % std::uint64_t(below)); };
  const test::Traits traits{pick(3) == 0, pick(3) == 0, pick(3) == 0, pick(4) == 0, pick(2) == 0};
  Rowed rowed{test::random_problem(random, n, traits), ""};
  auto& bounds = rowed.problem.bounds;
  // Weights that hold: between the bounds, summing to 1.
  Eigen::VectorXd inside = bounds.lower;
  double rest = 1 - inside.sum();
  for (int round = 0; rest > 1e-15 && round < 100; ++round) {
    const int i = pick(n);
    const double more = std::min({rest, bounds.upper[i] - inside[i], rest * (1 + pick(4)) / 4});
    inside[i] += more;
    rest -= more;
  }
  for (int i = 0; i < n && rest > 0; ++i) {
    const double more = std::min(rest, bounds.upper[i] - inside[i]);
    inside[i] += more;
    rest -= more;
  }
  for (int r = 0; r < rows; ++r) {
    LimitRow row{-1, "row", Eigen::VectorXd::Zero(n), -INFINITY, INFINITY};
    for (int i = 0; i < n; ++i) {
      const int kind = pick(4);
      row.coefficients[i] = kind == 0 ? 0 : kind == 1 ? -1 : traits.integers ? 1 : kind == 2 ? 1 : 0.5 + 0.25 * pick(6);
    }
    const double value = row.coefficients.dot(inside);
    const int ends = pick(5);
    const double slack = 0.1 * pick(3);  // often none: the row touches where other things meet
    if (ends != 0) row.upper = value + slack;
    if (ends < 2) row.lower = value - 0.05 * pick(3);
    if (ends == 4) row.lower = row.upper = value;
    bounds.rows.push_back(row);
  }
  if (rows > 1 && pick(4) == 0) {  // a redundant one
    bounds.rows.back() = bounds.rows.front();
    bounds.rows.back().coefficients *= 2;
    bounds.rows.back().lower *= 2;
    bounds.rows.back().upper *= 2;
  }
  return rowed;
}

TEST(RowLimits, RandomProblemsAgreeWithTryingEveryActiveSet) {
  std::mt19937_64 random(41);
  int compared = 0;
  for (int round = 0; round < test::rounds(60); ++round) {
    const auto [problem, text] = random_rowed(random, 2 + int(random() % 4), 1 + int(random() % 2));
    const auto frontier = trace_frontier(problem.estimate, problem.bounds);
    std::vector<Portfolio> portfolios{frontier.minimum_variance()};
    if (frontier.corners().size() > 1) {
      const double top = frontier.corners().front().expected_return, bottom = frontier.corners().back().expected_return;
      portfolios.push_back(frontier.at_return(0.37 * top + 0.63 * bottom));
      portfolios.push_back(frontier.corner(0));
    }
    compared += test::expect_least(problem, portfolios, round);
  }
  EXPECT_GT(compared, test::rare(100));
}

TEST(RowLimits, EveryCornerAndSegmentOfRandomProblemsIsCertified) {
  std::mt19937_64 random(42);
  int corners = 0;
  for (int round = 0; round < test::rounds(400); ++round) {
    const auto [problem, text] = random_rowed(random, 1 + int(random() % 40), 1 + int(random() % 6));
    corners += test::expect_certified(trace_frontier(problem.estimate, problem.bounds), round);
  }
  EXPECT_GT(corners, test::rare(1000));
}

TEST(RowLimits, ARowThatNeverBindsChangesNothing) {
  std::mt19937_64 random(43);
  for (int round = 0; round < test::rounds(20); ++round) {
    auto problem = test::random_problem(random, 12, {});
    const auto without = trace_frontier(problem.estimate, problem.bounds);
    problem.bounds.rows.push_back({-1, "all", Eigen::VectorXd::Ones(12), 0.5, 1.5});
    const auto with = trace_frontier(problem.estimate, problem.bounds);
    ASSERT_EQ(with.corners().size(), without.corners().size());
    for (std::size_t k = 0; k < with.corners().size(); ++k) {
      EXPECT_LT((with.weights(k) - without.weights(k)).cwiseAbs().maxCoeff(), 1e-10);
    }
  }
}

TEST(RowLimits, PricesAreWhatLooseningBrings) {
  std::mt19937_64 random(44);
  Eigen::VectorXd m(5);
  m << 0.09, 0.11, 0.05, 0.07, 0.03;
  Eigen::MatrixXd x(40, 5);
  std::normal_distribution<double> normal;
  for (auto& value : x.reshaped()) value = normal(random);
  const Eigen::MatrixXd s = 0.03 / 40 * test::product(x.transpose(), x);
  auto estimate = test::estimate_of(m, s);
  estimate.assets = assets;
  const auto volatility_with = [&](double power) {
    const auto limits = limits_of({fmt::format("sector:power >= {}%", 100 * power), "each >= 2%"});
    return choose(trace_frontier(estimate, limits, tags()), Aim::parse("minimum-variance", ""), 0);
  };
  const auto at = volatility_with(0.6);
  ASSERT_EQ(at.binding.size(), 1u);
  EXPECT_EQ(at.binding[0].limit, "sector:power >= 60%");
  constexpr double step = 1e-4;
  const double slope = (volatility_with(0.6 + step).volatility - volatility_with(0.6 - step).volatility) / (2 * step);
  EXPECT_NEAR(*at.binding[0].loosening, 0.01 * slope, 1e-8);
}

TEST(RowLimits, ViolationsOfGivenWeightsNameTheTotal) {
  const auto found = violations_of(limits_of({"sector:power <= 30%", "average:yield >= 2"}), assets,
                                   (Eigen::VectorXd(5) << 0.3, 0.3, 0.2, 0.2, 0).finished(), tags());
  ASSERT_EQ(found.size(), 2u);
  EXPECT_EQ(found[0].asset, "sector:power");
  EXPECT_NEAR(found[0].by, 0.3, 1e-15);
  EXPECT_EQ(found[1].asset, "average:yield");
  EXPECT_NEAR(found[1].by, 2 - (0.3 * 2.1 + 0.3 * 0.4 + 0.2 * 3.5 + 0.2), 1e-12);
}

// More rows at once than any buffer begins with; a closed form: within its pair each asset has weights by 1 / variance.
TEST(RowLimits, ManyBindAtOnce) {
  constexpr int pairs = 40;
  const auto variance = [](int i) { return 0.01 + 0.001 * ((7 * i) % 13); };
  Eigen::VectorXd variances(2 * pairs);
  for (int i = 0; i < 2 * pairs; ++i) variances[i] = variance(i);
  const auto estimate =
      test::estimate_of(Eigen::VectorXd::LinSpaced(2 * pairs, 0.01, 0.1), Eigen::MatrixXd(variances.asDiagonal()));
  auto bounds = Bounds::long_only(2 * pairs);
  for (int k = 1; k < pairs; ++k) {
    const Eigen::VectorXd pair = Eigen::VectorXd::Unit(2 * pairs, 2 * k) + Eigen::VectorXd::Unit(2 * pairs, 2 * k + 1);
    bounds.rows.push_back({-1, "pair", pair, 0.025, 0.025});
  }
  const auto least = trace_frontier(estimate, bounds).minimum_variance().weights;
  for (int i = 0; i < 2 * pairs; ++i) {
    EXPECT_NEAR(least[i], 0.025 * variance(i ^ 1) / (variance(i) + variance(i ^ 1)), 1e-12) << i;
  }
}

}  // namespace
}  // namespace inchtide::rows

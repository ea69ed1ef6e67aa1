// What limits hold back along a frontier: against solving again with the figure moved, and against the aims' prices.

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <random>

#include "inchtide/base/errors.hpp"
#include "inchtide/frontier/frontier.hpp"
#include "inchtide/weights/allocation.hpp"
#include "support/problems.hpp"
#include "support/rounds.hpp"

namespace inchtide::multipliers {
namespace {

constexpr double risk_free = 0.015;

struct Rule {
  const char* left;  // all but the figure
  double figure;
  const char* unit = "%";
};

Limits limits_of(const std::vector<Rule>& rules) {
  Limits limits;
  for (const auto& [left, figure, unit] : rules) {
    limits.push_back(Limit::parse(fmt::format("{} {:.17g}{}", left, *unit == '%' ? 100 * figure : figure, unit), left));
  }
  return limits;
}

LimitFacts facts_of(const Estimate& estimate) {
  LimitFacts facts;
  facts.tags.columns = {"sector", "yield"};
  facts.tags.assets = estimate.assets;
  for (std::size_t i = 0; i < estimate.assets.size(); ++i) {
    facts.tags.rows.push_back({i % 2 == 0 ? "x" : "y", fmt::format("{}", 1 + i % 4)});
  }
  facts.current = Eigen::VectorXd::Constant(estimate.size(), 1.0 / double(estimate.size()));
  return facts;
}

/// The least variance / 2 - lambda x return, where what the budget leaves earns the risk-free rate (what costs take of
/// the budget earns nothing).
double least_objective(const Frontier& frontier, double lambda) {
  const auto at = frontier.at_lambda(lambda);
  return at.volatility * at.volatility / 2 - lambda * (at.expected_return - frontier.bounds().budget * risk_free);
}

double figure_of(const std::vector<Multiplier>& some, int limit) {
  const auto found = std::ranges::find(some, limit, &Multiplier::limit);
  return found == some.end() ? 0 : found->figure;
}

std::vector<Rule> random_rules(std::mt19937_64& random, int n) {
  const std::vector<Rule> kinds = {{"A1 =", 0.2},
                                   {"A1 <=", 0.15},
                                   {"2 * A2 >=", 0.3},
                                   {"-1 * A2 <=", -0.2},
                                   {"each <=", 1.4 / n},
                                   {"-2 * A3 =", -0.5},
                                   {"sector:x =", 0.35},
                                   {"sector:y >=", 0.55},
                                   {"every sector <=", 0.6},
                                   {"turnover <=", 0.3},
                                   {"gross <=", 1.25},
                                   {"average:yield >=", 2.6, ""},
                                   {"average:yield =", 2.4, ""},
                                   {"short <=", 0.1},
                                   {"budget =", 0.9}};
  std::vector<Rule> rules;
  for (int k = 0; k < 3; ++k) {
    const auto& rule = kinds[random() % kinds.size()];
    const auto same = [&](const Rule& one) { return std::string_view(one.left) == rule.left; };
    if (std::ranges::none_of(rules, same)) rules.push_back(rule);
  }
  return rules;
}

TEST(Multipliers, BelowACeilingOnVolatilityAreThoseWithoutIt) {
  std::mt19937_64 random(78);
  int checked = 0;
  for (int round = 0; round < 40; ++round) {
    const auto estimate = test::random_problem(random, 6, {}).estimate;
    const std::vector<Rule> rules = {{"each <=", 0.4}, {"sector:x <=", 0.5}};
    const auto whole = trace_frontier(estimate, limits_of(rules), facts_of(estimate));
    const auto& corners = whole.corners();
    if (corners.size() < 5) continue;
    auto with_ceiling = rules;
    with_ceiling.push_back({"volatility <=", (corners[2].volatility + corners[3].volatility) / 2});
    const auto cut = trace_frontier(estimate, limits_of(with_ceiling), facts_of(estimate));
    ASSERT_EQ(cut.corners().size(), corners.size() - 2);
    const auto all = whole.multipliers(risk_free), some = cut.multipliers(risk_free);
    for (std::size_t k = 1; k < some.size(); ++k) {
      for (int limit = 0; limit < 2; ++limit) {
        EXPECT_NEAR(figure_of(some[k].below, limit), figure_of(all[k + 2].below, limit), 1e-12) << round << " " << k;
        EXPECT_NEAR(figure_of(some[k].above, limit), figure_of(all[k + 2].above, limit), 1e-12) << round << " " << k;
        checked += figure_of(some[k].above, limit) > 1e-6;
      }
    }
  }
  EXPECT_GT(checked, 20);
}

TEST(Multipliers, AreWhatMovingTheFigureBringsBetweenCorners) {
  std::mt19937_64 random(77);
  int checked = 0, unique = 0, equalities = 0;
  for (int round = 0; round < test::rounds(600); ++round) {
    const int n = 4 + int(random() % 4);
    const auto estimate = test::random_problem(random, n, {}).estimate;
    auto facts = facts_of(estimate);
    if (round % 3 == 0) {
      const double rate = 0.001 * double(1 + random() % 8);
      facts.costs =
          TradingCosts{facts.current, {Eigen::VectorXd::Constant(n, rate), Eigen::VectorXd::Constant(n, rate / 2)}, 2};
    }
    const auto rules = random_rules(random, n);
    const auto traced = [&](const std::vector<Rule>& some) { return trace_frontier(estimate, limits_of(some), facts); };
    try {
      const auto frontier = traced(rules);
      const auto all = frontier.multipliers(risk_free);
      const auto& corners = frontier.corners();
      ASSERT_EQ(all.size(), corners.size());
      for (std::size_t k = 0; k + 1 < corners.size(); ++k) {
        const double part = 0.35, high = corners[k].lambda_low, low = corners[k + 1].lambda_high;
        const double lambda = (1 - part) * high + part * low;
        if (high - low < 1e-4) continue;  // moving a figure would leave the way
        for (int limit = 0; limit < int(rules.size()); ++limit) {
          const double said = (1 - part) * figure_of(all[k].below, limit) + part * figure_of(all[k + 1].above, limit);
          const auto& own = frontier.limits()[std::size_t(limit)];
          const bool equality = own.lower && own.upper, has_upper = own.upper.has_value();
          const double step = 1e-6;
          const auto moved = [&](double by) {
            auto others = rules;
            others[std::size_t(limit)].figure += by;
            return least_objective(traced(others), lambda);
          };
          const double here = least_objective(frontier, lambda), sign = !equality && has_upper ? -1 : 1;
          double slopes[] = {sign * (moved(step) - here) / step, sign * (here - moved(-step)) / step};
          std::ranges::sort(slopes);  // they differ where limits touch that are more than fix the weights
          EXPECT_GE(said, slopes[0] - 4e-6) << round << " " << own.text << " way " << k;
          EXPECT_LE(said, slopes[1] + 4e-6) << round << " " << own.text << " way " << k;
          unique += slopes[1] - slopes[0] < 1e-5;
          ++checked;
          equalities += equality && std::abs(said) > 1e-5;
        }
      }
    } catch (const InfeasibleLimits&) {
    }
  }
  EXPECT_GT(checked, test::rounds(600));
  EXPECT_GT(equalities, 20);
  EXPECT_GT(unique, checked * 9 / 10);
}

TEST(Multipliers, AreThePricesOfPortfoliosChosenOnTheWay) {
  std::mt19937_64 random(5);
  const auto estimate = test::random_problem(random, 8, {}).estimate;
  const auto frontier =
      trace_frontier(estimate, limits_of({{"each <=", 0.3}, {"sector:y >=", 0.55}, {"average:yield >=", 2.6, ""}}),
                     facts_of(estimate));
  const auto all = frontier.multipliers(risk_free);
  const auto& corners = frontier.corners();
  int bound = 0;
  for (std::size_t k = 0; k + 1 < corners.size(); ++k) {
    const double part = 0.6;
    const double aimed = (1 - part) * corners[k].expected_return + part * corners[k + 1].expected_return;
    const auto chosen = choose(frontier, {Aim::Kind::target_return, aimed}, risk_free);
    for (const auto& limit : chosen.binding) {
      const auto at = std::ranges::find(frontier.limits(), limit.limit, &Limit::name) - frontier.limits().begin();
      const double figure = (1 - part) * figure_of(all[k].below, int(at)) + part * figure_of(all[k + 1].above, int(at));
      EXPECT_NEAR(*limit.loosening, (limit.per_unit ? 1 : 0.01) * figure / chosen.volatility, 1e-10) << limit.limit;
      ++bound;
    }
  }
  EXPECT_GT(bound, 4);
}

// Of two assets on the way from the second to the first, capped at 70%: by hand.
TEST(Multipliers, OfACapByHand) {
  const auto estimate =
      test::estimate_of(Eigen::Vector3d(0.02, 0.06, 0.10), Eigen::Vector3d(0.01, 0.04, 0.09).asDiagonal());
  const auto frontier = trace_frontier(estimate, limits_of({{"A3 <=", 0.5}}));
  const auto all = frontier.multipliers(0);
  // At the top: half in A3, half in A2. Below, A2 gives way to A1 or A3 to A2: whichever, A3's cap holds while
  // 0.09 w3 - 0.10 lambda < 0.04 w2 - 0.06 lambda, with w2 free between.
  ASSERT_GE(frontier.corners().size(), 3u);
  EXPECT_TRUE(all[0].above.empty());
  const double lambda = frontier.corners()[0].lambda_low;
  const Eigen::VectorXd w = frontier.weights(0);
  EXPECT_NEAR(figure_of(all[0].below, 0), 0.04 * w[1] - 0.06 * lambda - (0.09 * w[2] - 0.10 * lambda), 1e-12);
  EXPECT_EQ(figure_of(all.back().above, 0), 0) << "the least variance holds less of A3";
  EXPECT_TRUE(all.back().below.empty());
}

TEST(Multipliers, OfAnEqualityAreThereAllAlongAndOfOneCornerThereAreNone) {
  const auto estimate =
      test::estimate_of(Eigen::Vector3d(0.02, 0.06, 0.10), Eigen::Vector3d(0.01, 0.04, 0.09).asDiagonal());
  const auto frontier = trace_frontier(estimate, limits_of({{"A2 =", 0.5}, {"A3 <=", 0.3}}));
  const auto all = frontier.multipliers(0);
  ASSERT_GT(all.size(), 1u);
  for (std::size_t k = 0; k + 1 < all.size(); ++k) {
    // Between A1 and A3: raising A2 takes from the one that is free, A1 while A3 stands at its cap.
    EXPECT_NE(figure_of(all[k].below, 0), 0) << "the equality binds everywhere";
  }
  const auto one = trace_frontier(estimate, limits_of({{"each =", 1.0 / 3}})).multipliers(0);
  ASSERT_EQ(one.size(), 1u);
  EXPECT_TRUE(one[0].above.empty() && one[0].below.empty());
}

}  // namespace
}  // namespace inchtide::multipliers

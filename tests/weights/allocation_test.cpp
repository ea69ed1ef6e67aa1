#include "inchtide/weights/allocation.hpp"

#include <fmt/format.h>

#include "inchtide/base/errors.hpp"
#include "support/messages.hpp"
#include "support/problems.hpp"

namespace inchtide {
namespace {

using testing::ElementsAre;
using testing::HasSubstr;

Aim aim_of(const char* text) {
  return Aim::parse(text, "--aim");
}

TEST(Aim, ReadsAndWritesItsText) {
  for (const char* text : {"minimum-variance", "maximum-sharpe", "target-return=8%", "target-volatility=10.5%", "equal",
                           "utility=2.5", "maximum-diversification", "inverse-volatility", "equal-risk-contribution"}) {
    EXPECT_EQ(aim_of(text).text(), text);
  }
  EXPECT_DOUBLE_EQ(aim_of("target-return=8%").target, 0.08);
  for (const char* text : {"", "max-sharp", "target-return", "target-return=8", "equal=1%", "minimum variance",
                           "utility", "utility=0", "utility=-2", "utility=4%", "inverse-volatility=3"}) {
    EXPECT_THROW(aim_of(text), InputError) << text;
  }
}

TEST(Choose, GivesWhatTheAimAsksFor) {
  std::mt19937_64 random(3);
  const auto problem = test::random_problem(random, 8, {});
  const auto frontier = trace_frontier(problem.estimate, Limits{});
  const double middle = (frontier.corners().front().expected_return + frontier.corners().back().expected_return) / 2;
  const auto at_return = choose(frontier, Aim{Aim::Kind::target_return, middle}, 0);
  EXPECT_NEAR(at_return.expected_return, middle, 1e-14);
  const auto at_volatility = choose(frontier, Aim{Aim::Kind::target_volatility, at_return.volatility}, 0);
  EXPECT_LT((at_volatility.weights - at_return.weights).norm(), 1e-9);
  const auto equal = choose(frontier, aim_of("equal"), 0);
  EXPECT_LT((equal.weights.array() - 0.125).abs().maxCoeff(), 1e-16);
  EXPECT_TRUE(equal.violations.empty());
}

TEST(Choose, UtilityIsTheBestOfTheFrontierForItsAversion) {
  std::mt19937_64 random(13);
  const auto problem = test::random_problem(random, 9, {});
  const auto frontier = trace_frontier(problem.estimate, Limits{});
  const auto utility_of = [](const Allocation& a, double aversion) {
    return a.expected_return - aversion / 2 * a.volatility * a.volatility;
  };
  for (double aversion : {0.01, 1.0, 3.0, 10.0, 100.0, 1e6}) {
    const auto best = choose(frontier, Aim{Aim::Kind::utility, aversion}, 0);
    ASSERT_TRUE(best.certificate && best.certificate->holds());
    const double top = frontier.corners().front().expected_return, least = frontier.corners().back().expected_return;
    for (int k = 0; k <= 200; ++k) {
      const auto other = choose(frontier, Aim{Aim::Kind::target_return, least + (top - least) * k / 200}, 0);
      EXPECT_GE(utility_of(best, aversion), utility_of(other, aversion) - 1e-12);
    }
  }
  EXPECT_THROW(frontier.at_lambda(-1), InputError);
  // The price of a limit is the utility that a point of it is worth.
  const auto limited = [&](double most) {
    const Limits limits{Limit::parse("each <= " + std::to_string(100 * most) + "%")};
    return choose(trace_frontier(problem.estimate, limits), Aim{Aim::Kind::utility, 3}, 0);
  };
  const double slope = (utility_of(limited(0.3001), 3) - utility_of(limited(0.2999), 3)) / 0.0002;
  ASSERT_EQ(limited(0.3).binding.size(), 1u);
  EXPECT_NEAR(*limited(0.3).binding[0].loosening, 0.01 * slope, 1e-7);
}

TEST(Choose, SaysWhatReturnAnAssetLeftOutWouldNeed) {
  std::mt19937_64 random(16);
  const auto problem = test::random_problem(random, 10, {});
  const Limits limits{Limit::parse("each <= 40%")};
  const auto frontier = trace_frontier(problem.estimate, limits);
  for (const char* text : {"maximum-sharpe", "utility=4"}) {
    const auto chosen = choose(frontier, aim_of(text), 0.01);
    ASSERT_FALSE(chosen.left_out.empty());
    for (const auto& out : chosen.left_out) {
      const auto i = std::ranges::find(chosen.assets, out.asset) - chosen.assets.begin();
      const auto weight_with = [&](double expected_return) {
        auto estimate = problem.estimate;
        estimate.expected_return[i] = expected_return;
        return choose(trace_frontier(estimate, limits), aim_of(text), 0.01).weights[i];
      };
      EXPECT_EQ(out.expected_return, problem.estimate.expected_return[i]);
      EXPECT_LT(weight_with(*out.would_need - 1e-6), 1e-9) << text << out.asset;
      EXPECT_GT(weight_with(*out.would_need + 1e-4), 1e-7) << text << out.asset;
    }
  }
  const auto least = choose(frontier, aim_of("minimum-variance"), 0);
  for (const auto& out : least.left_out) EXPECT_FALSE(out.would_need) << "returns don't count for it";
}

TEST(Choose, RiskSharesAndEffectiveHoldings) {
  Eigen::Matrix2d s;
  s << 0.04, 0.006, 0.006, 0.01;
  const auto given = evaluate(test::estimate_of(Eigen::Vector2d(0.08, 0.03), s), {}, Eigen::Vector2d(0.6, 0.4), "", 0);
  // 0.6 (0.6 x 0.04 + 0.4 x 0.006) = 0.01584 of 0.01888.
  EXPECT_NEAR(given.risk_shares[0], 0.01584 / 0.01888, 1e-14);
  EXPECT_NEAR(given.risk_shares.sum(), 1, 1e-14);
  EXPECT_NEAR(given.effective_holdings(), 1 / 0.52, 1e-14);
}

TEST(Choose, NamesTheRowThatBindsWhereAnotherHasRoom) {
  // The first two hold all; a total of three has room, that of the last two binds.
  const auto estimate = test::estimate_of(Eigen::Vector4d(0.10, 0.09, 0.03, 0.02), 0.04 * Eigen::Matrix4d::Identity());
  auto bounds = Bounds::long_only(4);
  bounds.rows.push_back({-1, "three", Eigen::Vector4d(1, 1, 1, 0), -INFINITY, 0.99});
  bounds.rows.push_back({-1, "last two", Eigen::Vector4d(0, 0, 1, 1), 0.6, INFINITY});
  const auto chosen = choose(trace_frontier(estimate, bounds), aim_of("maximum-sharpe"), 0.01);
  EXPECT_NEAR(chosen.weights[2] + chosen.weights[3], 0.6, 1e-9);
  ASSERT_EQ(chosen.binding.size(), 1u);
  EXPECT_EQ(chosen.binding[0].limit, "last two");
}

TEST(Choose, TheHighestRatioWithinBothCeilingsIsAtTheOneOnVolatility) {
  const auto estimate =
      test::estimate_of(Eigen::Vector3d(0.10, 0.06, 0.02), Eigen::Vector3d(0.09, 0.04, 0.01).asDiagonal());
  LimitFacts facts;
  facts.benchmark = BenchmarkRisk::of_weights(estimate.covariance, Eigen::Vector3d(0.5, 0.3, 0.2));
  const auto within = [&](const Limits& limits, const char* aim) {
    return choose(trace_frontier(estimate, limits, facts), aim_of(aim), 0.01);
  };
  const Limits tracking{Limit::parse("tracking-error <= 5%")};
  auto both = tracking;
  for (const char* aim : {"maximum-sharpe", "utility=1"}) {
    const double free = within(tracking, aim).volatility;
    both = tracking;
    both.push_back(Limit::parse(fmt::format("volatility <= {:.6f}%", 98 * free)));
    const auto chosen = within(both, aim);
    EXPECT_NEAR(chosen.volatility, 0.98 * free, 1e-7) << aim;
    EXPECT_LE(facts.benchmark->tracking_error(estimate.covariance, chosen.weights), 0.05 + 1e-9) << aim;
  }
}

TEST(Choose, TheHighestUtilityWithinATrackingErrorIsThatOfAGrid) {
  std::mt19937_64 random(16);
  int bound = 0;
  for (int round = 0; round < 20; ++round) {
    const auto estimate = test::random_problem(random, 3, {}).estimate;
    LimitFacts facts;
    facts.benchmark = BenchmarkRisk::of_weights(estimate.covariance, Eigen::Vector3d(0.2, 0.5, 0.3));
    const double aversion = 1 + double(random() % 8), most = 0.01 * double(3 + random() % 10);
    const Limits limits{Limit::parse(fmt::format("tracking-error <= {:.6f}%", 100 * most))};
    const auto chosen = choose(trace_frontier(estimate, limits, facts), Aim{Aim::Kind::utility, aversion}, 0);
    const auto utility = [&](const Eigen::VectorXd& w) {
      return estimate.expected_return.dot(w) - aversion / 2 * estimate.covariance.portfolio_variance(w);
    };
    const double error = facts.benchmark->tracking_error(estimate.covariance, chosen.weights);
    EXPECT_LE(error, most + 1e-9);
    bound += error > most - 1e-6 ? 1 : 0;
    double best = -INFINITY;
    for (int a = 0; a <= 200; ++a) {
      for (int b = 0; a + b <= 200; ++b) {
        const Eigen::Vector3d w(a / 200.0, b / 200.0, 1 - (a + b) / 200.0);
        if (facts.benchmark->tracking_error(estimate.covariance, w) <= most) best = std::max(best, utility(w));
      }
    }
    EXPECT_GE(utility(chosen.weights), best - 1e-12) << round;
    EXPECT_LE(utility(chosen.weights), best + 2e-3) << round << ": the grid is fine enough";
  }
  EXPECT_GT(bound, 5);
}

TEST(Choose, ACeilingOnVolatilityHasAPriceToUtilityWhereItBinds) {
  const auto estimate = test::estimate_of(Eigen::Vector3d(0.10, 0.06, 0.02),
                                          Eigen::Matrix3d(Eigen::Vector3d(0.09, 0.04, 0.01).asDiagonal()));
  const auto chosen = [&](double aversion, double ceiling) {
    const Limits limits{Limit::parse(fmt::format("volatility <= {:.10f}%", 100 * ceiling))};
    return choose(trace_frontier(estimate, limits), Aim{Aim::Kind::utility, aversion}, 0);
  };
  const auto has_price = [](const Allocation& a) {
    return std::ranges::any_of(a.binding, [](const BindingLimit& b) { return b.text.starts_with("volatility"); });
  };
  for (const double aversion : {1.0, 2.0, 4.0, 9.0}) {
    const double free = chosen(aversion, 0.3).volatility;  // the highest return has just that
    EXPECT_FALSE(has_price(chosen(aversion, 1.02 * free))) << aversion << ": there is room";
    if (free > 0.2999) continue;
    const auto at = chosen(aversion, 0.95 * free);
    EXPECT_NEAR(at.volatility, 0.95 * free, 1e-9);
    EXPECT_TRUE(has_price(at)) << aversion;
  }
}

TEST(Choose, UtilityNeedsAnAversion) {
  const auto estimate = test::estimate_of(Eigen::Vector2d(0.1, 0.05), 0.04 * Eigen::Matrix2d::Identity());
  const auto frontier = trace_frontier(estimate, Limits{});
  for (const double aversion : {0.0, -1.0, double(NAN), double(INFINITY)}) {
    EXPECT_THROW((void)choose(frontier, Aim{Aim::Kind::utility, aversion}, 0), InputError) << aversion;
  }
}

TEST(Choose, MaximumDiversificationBeatsOtherPortfoliosAndKeepsLimits) {
  std::mt19937_64 random(14);
  const auto problem = test::random_problem(random, 7, {});
  const Limits limits{Limit::parse("each <= 30%")};
  const auto frontier = trace_frontier(problem.estimate, limits);
  const auto best = choose(frontier, aim_of("maximum-diversification"), 0);
  EXPECT_TRUE(best.certificate->holds());
  EXPECT_LE(best.weights.maxCoeff(), 0.3 + 1e-9);
  const double ratio = best.average_volatility / best.volatility;
  std::exponential_distribution<double> draw;
  for (int k = 0; k < 3000; ++k) {
    Eigen::VectorXd w(7);
    for (double& x : w) x = draw(random);
    w /= w.sum();
    if (w.maxCoeff() > 0.3) continue;
    const auto other = evaluate(problem.estimate, limits, w, "", 0);
    EXPECT_LE(other.average_volatility / other.volatility, ratio + 1e-12);
  }
}

TEST(Choose, EqualRiskContributionsAreEqual) {
  std::mt19937_64 random(15);
  for (int n : {1, 2, 5, 30}) {
    const auto problem = test::random_problem(random, n, {});
    const auto w = equal_risk_weights(problem.estimate);
    const Eigen::VectorXd contributions = w.cwiseProduct(problem.estimate.covariance.product(w));
    EXPECT_NEAR(w.sum(), 1, 1e-14);
    EXPECT_GT(w.minCoeff(), 0);
    EXPECT_LT((contributions.array() * n / contributions.sum() - 1).abs().maxCoeff(), 1e-11);
  }
  // Two assets: in proportion to 1 / volatility, whatever their correlation.
  const auto two = test::estimate_of(Eigen::Vector2d(0.1, 0.1), Eigen::Matrix2d{{0.04, -0.01}, {-0.01, 0.09}});
  EXPECT_LT((equal_risk_weights(two) - Eigen::Vector2d(0.6, 0.4)).norm(), 1e-12);
  EXPECT_LT((inverse_volatility_weights(two) - Eigen::Vector2d(0.6, 0.4)).norm(), 1e-15);
  const auto riskless = test::estimate_of(Eigen::Vector2d(0.1, 0.02), Eigen::Matrix2d{{0.04, 0}, {0, 0}});
  EXPECT_THROW(equal_risk_weights(riskless), InputError);
  EXPECT_THROW(inverse_volatility_weights(riskless), InputError);
  const auto opposite = test::estimate_of(Eigen::Vector2d(0.1, 0.02), Eigen::Matrix2d{{0.04, -0.04}, {-0.04, 0.04}});
  EXPECT_THROW(equal_risk_weights(opposite), InputError);
}

TEST(Evaluate, FiguresOfGivenWeights) {
  Eigen::Matrix2d s;
  s << 0.04, 0.006, 0.006, 0.01;
  const auto estimate = test::estimate_of(Eigen::Vector2d(0.08, 0.03), s);
  const auto given = evaluate(estimate, {Limit::parse("each <= 55%")}, Eigen::Vector2d(0.6, 0.4), "held", 0.02);
  // Variance 0.36 x 0.04 + 0.16 x 0.01 + 2 x 0.24 x 0.006 = 0.01888; return 0.048 + 0.012.
  EXPECT_NEAR(given.volatility, std::sqrt(0.01888), 1e-16);
  EXPECT_NEAR(given.expected_return, 0.06, 1e-16);
  EXPECT_NEAR(given.sharpe, 0.04 / std::sqrt(0.01888), 1e-14);
  EXPECT_NEAR(given.diversification_benefit(), 0.6 * 0.2 + 0.4 * 0.1 - std::sqrt(0.01888), 1e-15);
  ASSERT_EQ(given.violations.size(), 1u);
  EXPECT_EQ(given.violations[0].asset, "A1");
  EXPECT_NEAR(given.violations[0].by, 0.05, 1e-15);
  EXPECT_THAT(given.largest(5), ElementsAre(0, 1));
}

TEST(Evaluate, WhatTheBudgetLeavesEarnsTheRiskFreeRate) {
  const auto estimate = test::estimate_of(Eigen::Vector2d(0.08, 0.03), 0.04 * Eigen::Matrix2d::Identity());
  const auto full = evaluate(estimate, {}, Eigen::Vector2d(1, 0), "full", 0.02);
  const auto half = evaluate(estimate, {}, Eigen::Vector2d(0.5, 0), "half", 0.02);
  EXPECT_NEAR(half.sharpe, full.sharpe, 1e-14);
}

TEST(Evaluate, RefusesWeightsThatDoNotFit) {
  const auto estimate = test::estimate_of(Eigen::Vector2d(0.08, 0.03), 0.04 * Eigen::Matrix2d::Identity());
  EXPECT_THROW(evaluate(estimate, {}, Eigen::Vector3d(1, 0, 0), "x", 0), InputError);
  EXPECT_THROW(evaluate(estimate, {}, Eigen::Vector2d(NAN, 1), "x", 0), InputError);
}

// The price of a limit is what loosening it brings: compared with solving again under a limit loosened a little.
void check_price(const char* aim_text, const std::function<double(const Allocation&)>& worth) {
  std::mt19937_64 random(12);
  const auto estimate = test::random_problem(random, 7, {}).estimate;
  const auto limits_at = [](double cap) {
    Limits limits{Limit::parse("each <= 100%", "cap")};
    limits[0].upper = cap;
    return limits;
  };
  const auto chosen_at = [&](double cap) {
    const auto limits = limits_at(cap);
    return choose(trace_frontier(estimate, limits), aim_of(aim_text), 0.01);
  };
  const double cap = 0.22, step = 1e-7;
  const auto chosen = chosen_at(cap);
  ASSERT_EQ(chosen.binding.size(), 1u) << aim_text;
  EXPECT_EQ(chosen.binding[0].limit, "cap");
  const double slope = (worth(chosen_at(cap + step)) - worth(chosen_at(cap - step))) / (2 * step);
  ASSERT_TRUE(chosen.binding[0].loosening);
  EXPECT_GT(slope, 0);
  EXPECT_NEAR(*chosen.binding[0].loosening / (0.01 * slope), 1, 1e-5) << aim_text;
}

TEST(PriceOfALimit, EqualsFiniteDifferences) {
  check_price("minimum-variance", [](const Allocation& a) { return -a.volatility; });
  check_price("maximum-sharpe", [](const Allocation& a) { return a.sharpe; });
}

TEST(PriceOfALimit, ForTargetsToo) {
  check_price("target-return=5%", [](const Allocation& a) { return -a.volatility; });
  check_price("target-volatility=7.5%", [](const Allocation& a) { return a.expected_return; });
}

TEST(PriceOfALimit, AtAVertexIsWhatLooseningThatLimitAloneBrings) {
  // All weights stand at a bound: 60%, 40%, 0%. The gradient Sw is 0.006, 0.008, 0.020. Loosening A1's cap alone takes
  // weight from A2, which gains 0.008 - 0.006 per unit; loosening A2's takes it from A1, which gains nothing.
  Eigen::Matrix3d s;
  s << 0.01, 0, 0.02, 0, 0.02, 0.02, 0.02, 0.02, 0.5;
  const auto estimate = test::estimate_of(Eigen::Vector3d(0.10, 0.08, 0.01), s);
  const Limits limits{Limit::parse("A1 <= 60%", "one"), Limit::parse("A2 <= 40%", "two")};
  const auto chosen = choose(trace_frontier(estimate, limits), aim_of("minimum-variance"), 0);
  EXPECT_THAT(chosen.weights, ElementsAre(0.6, 0.4, 0.0));
  ASSERT_EQ(chosen.binding.size(), 2u);
  EXPECT_NEAR(*chosen.binding[0].loosening, 0.01 * 0.002 / chosen.volatility, 1e-12);
  EXPECT_NEAR(*chosen.binding[1].loosening, 0, 1e-15);
}

TEST(PriceOfALimit, ARangeBindsWhereItsEndIsTouched) {
  // No correlation: the least variance has weights in proportion to 1 / variance, 4 : 2 : 1 of sevenths.
  const auto estimate = test::estimate_of(Eigen::Vector3d(0.05, 0.05, 0.05),
                                          Eigen::Matrix3d(Eigen::Vector3d(0.01, 0.02, 0.04).asDiagonal()));
  const auto names = [&](const std::vector<std::string>& texts) {
    Limits limits;
    for (const auto& text : texts) limits.push_back(Limit::parse(text));
    std::vector<std::string> names;
    for (const auto& one : choose(trace_frontier(estimate, limits), aim_of("minimum-variance"), 0).binding) {
      names.push_back(one.limit);
    }
    return names;
  };
  EXPECT_THAT(names({"10% <= A1 <= 90%", "A3 <= 10%"}), ElementsAre("A3 <= 10%"));
  EXPECT_THAT(names({"10% <= A1 <= 50%"}), ElementsAre("10% <= A1 <= 50%"));
  EXPECT_THAT(names({"20% <= A3 <= 50%"}), ElementsAre("20% <= A3 <= 50%"));
  EXPECT_THAT(names({"A1 >= 40%", "A1 <= 40%"}), ElementsAre("A1 >= 40%", "A1 <= 40%")) << "two that leave one weight";
  EXPECT_THAT(names({"A1 = 40%"}), ElementsAre("A1 = 40%"));
}

TEST(Aim, UtilityNeedsAnAversion) {
  EXPECT_THAT(test::message_of([] {
                Aim{Aim::Kind::utility, 0}.check();
              }),
              testing::HasSubstr("0 is no risk aversion"));
  EXPECT_NO_THROW((Aim{Aim::Kind::utility, 0.01}.check()));
}

/// What getting there would cost stands beside given weights, and is no part of their return: they may be held already.
TEST(Evaluate, CostsStandBesideTheReturnOfGivenWeights) {
  const auto estimate =
      test::estimate_of(Eigen::Vector2d(0.08, 0.04), Eigen::Matrix2d(Eigen::Vector2d(0.04, 0.01).asDiagonal()));
  LimitFacts facts;
  facts.current = Eigen::Vector2d(1, 0);
  CostRates rates{Eigen::Vector2d(0.1, 0.1), Eigen::Vector2d(0.1, 0.1)};
  facts.costs = TradingCosts{facts.current, rates, 2};
  const auto evaluated = evaluate(estimate, {}, Eigen::Vector2d(0.5, 0.3), "ours", 0.02, facts);
  EXPECT_NEAR(evaluated.expected_return, 0.5 * 0.08 + 0.3 * 0.04 + 0.2 * 0.02, 1e-15);
  EXPECT_NEAR(evaluated.trading_cost.value(), 0.1 * 0.5 + 0.1 * 0.3, 1e-15);
}

}  // namespace
}  // namespace inchtide

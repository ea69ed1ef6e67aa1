// Limits on absolute sizes (gross, short, turnover), other budgets and ceilings on volatility: reading them, tracing
// under them, proofs and prices, against enumeration.

#include <fmt/format.h>

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

namespace inchtide::bends {
namespace {

using test::limits_of;
using test::message_of;
using testing::ElementsAre;
using testing::HasSubstr;

const std::vector<std::string> assets = {"TIDEMILL", "GALEWORK", "KELPFARM", "HOLLBOND"};

LimitFacts holding(const Eigen::VectorXd& current) {
  LimitFacts facts;
  facts.current = current;
  return facts;
}

Estimate four_assets() {
  std::mt19937_64 random(5);
  auto problem = test::random_problem(random, 4, {});
  problem.estimate.assets = assets;
  problem.estimate.expected_return = Eigen::Vector4d(0.10, 0.07, 0.05, 0.02);
  return problem.estimate;
}

// ---- reading --------------------------------------------------------------------------------------------------------

TEST(BentLimits, SizesAreSumsOfAbsoluteValues) {
  const Eigen::Vector4d now(0.4, 0.3, 0.2, 0.1), weights(0.7, -0.2, 0.5, 0);
  const auto bounds = bounds_of(limits_of({"gross <= 150%", "short <= 25%", "turnover <= 60%"}), assets, holding(now));
  ASSERT_EQ(bounds.rows.size(), 3u);
  EXPECT_NEAR(bounds.rows[0].value(weights), 1.4, 1e-15);
  EXPECT_NEAR(bounds.rows[1].value(weights), 0.2, 1e-15);
  EXPECT_NEAR(bounds.rows[2].value(weights), (0.3 + 0.5 + 0.3 + 0.1) / 2, 1e-15);
  EXPECT_EQ(bounds.rows[2].upper, 0.6);
  EXPECT_EQ(bounds.rows[2].label, "turnover");
}

TEST(TradingCosts, BuyingAndSellingHaveTheirOwnRates) {
  const TradingCosts costs{
      Eigen::Vector3d(0.5, 0.3, 0.2), {Eigen::Vector3d(0.01, 0.02, 0.03), Eigen::Vector3d(0.04, 0.05, 0.06)}, 1};
  EXPECT_NEAR(costs.of(Eigen::Vector3d(0.7, 0.3, 0)), 0.2 * 0.01 + 0.2 * 0.06, 1e-17);
  EXPECT_EQ(costs.of(costs.current), 0);
  EXPECT_NO_THROW(costs.check(3));
  auto wrong = costs;
  wrong.rates.buy[1] = -0.01;
  EXPECT_THAT(message_of([&] { wrong.check(3); }), HasSubstr("a rate is negative"));
  wrong = costs;
  wrong.rates.sell[1] = -0.01;
  EXPECT_THAT(message_of([&] { wrong.check(3); }), HasSubstr("a rate is negative"));
  wrong = costs;
  wrong.rates.sell[1] = 0;
  EXPECT_NO_THROW(wrong.check(3)) << "trading for nothing";
}

TEST(TradingCosts, AreTakenFromTheReturnsOfTheFrontier) {
  // All into the first asset: the whole is sold and bought, at equal rates, over two years.
  const auto estimate =
      test::estimate_of(Eigen::Vector2d(0.10, 0.05), Eigen::Matrix2d(Eigen::Vector2d(0.04, 0.02).asDiagonal()));
  auto bounds = Bounds::long_only(2);
  bounds.costs = TradingCosts{Eigen::Vector2d(0, 1), {Eigen::Vector2d(0.01, 0.01), Eigen::Vector2d(0.01, 0.01)}, 2};
  const auto frontier = trace_frontier(estimate, bounds);
  // All is sold and x is bought, both at 1%: x + 0.01 x + 0.01 = 1.
  const double bought = 0.99 / 1.01;
  EXPECT_NEAR(frontier.corner(0).weights[0], bought, 1e-12);
  EXPECT_NEAR(frontier.corner(0).expected_return, 0.10 * bought - (0.01 * bought + 0.01) / 2, 1e-12);
}

// Held near the best before costs: trading little or nothing is best, and many weights lie where their costs bend.
TEST(TradingCosts, LeaveTheBestRatioNearWhatIsHeldCertifiedAndUnbeaten) {
  std::mt19937_64 random(29);
  std::normal_distribution<double> normal;
  int checked = 0;
  for (int round = 0; round < 60; ++round) {
    const auto problem = test::random_problem(random, 4, {});
    const auto free = trace_frontier(problem.estimate, problem.bounds);
    if (free.why_no_maximum_sharpe(0.01)) continue;
    Eigen::VectorXd held = free.maximum_sharpe(0.01).portfolio.weights;
    for (double& weight : held) weight = std::max(0.0, weight + (weight > 0 ? 0.02 * normal(random) : 0));
    auto bounds = problem.bounds;
    bounds.costs =
        TradingCosts{held / held.sum(), {Eigen::Vector4d::Constant(0.002), Eigen::Vector4d::Constant(0.003)}, 2};
    const auto frontier = trace_frontier(problem.estimate, bounds);
    if (frontier.why_no_maximum_sharpe(0.01)) continue;
    const auto best = frontier.maximum_sharpe(0.01);
    EXPECT_TRUE(best.portfolio.certificate.holds()) << round;
    for (const auto& corner : frontier.corners()) {
      EXPECT_LE((corner.expected_return - 0.01) / corner.volatility, best.sharpe + 1e-9) << round;
    }
    ++checked;
  }
  EXPECT_GT(checked, 30);
}

TEST(TradingCosts, EndTheFrontierWhereTheyAreTheSameEitherWayToo) {
  std::mt19937_64 random(31);
  for (const double sell : {0.002, 0.004}) {
    const auto problem = test::random_problem(random, 4, {});
    auto bounds = problem.bounds;
    bounds.costs = TradingCosts{
        Eigen::Vector4d::Constant(0.25), {Eigen::Vector4d::Constant(0.004), Eigen::Vector4d::Constant(sell)}, 1};
    const auto frontier = trace_frontier(problem.estimate, bounds);
    EXPECT_TRUE(frontier.ends_at_costs());
    EXPECT_GT(frontier.corners().back().lambda_low, 0);
    EXPECT_THAT(message_of([&] { (void)frontier.at_lambda(1e-9); }), HasSubstr("after costs the frontier ends"));
  }
}

TEST(BentLimits, TurnoverCountsTheCashThatComesAndGoes) {
  // From 80% invested to a budget of 100%: 20% out of cash.
  const Eigen::Vector4d now(0.2, 0.2, 0.2, 0.2);
  const auto bounds = bounds_of(limits_of({"turnover <= 60%"}), assets, holding(now));
  EXPECT_NEAR(bounds.rows[0].value(Eigen::Vector4d(0.4, 0.2, 0.2, 0.2)), (0.2 + 0.2) / 2, 1e-15);
  const auto smaller = bounds_of(limits_of({"budget = 80%", "turnover <= 60%"}), assets, holding(now));
  EXPECT_NEAR(smaller.rows[0].value(now), 0, 1e-15);
}

TEST(BentLimits, PassingWhatIsHeldIsNoCornerWhereTurnoverIsSlack) {
  const std::vector<std::string> ranges{"each >= -100%", "each <= 200%"};
  const auto plain = trace_frontier(four_assets(), limits_of(ranges));
  auto with_turnover = ranges;
  with_turnover.emplace_back("turnover <= 900%");
  // Held now is, of each asset, a weight that it passes somewhere else on the way down.
  Eigen::Vector4d now;
  for (Eigen::Index i = 0; i < 4; ++i) {
    const double top = plain.corners().front().expected_return, bottom = plain.corners().back().expected_return;
    now[i] = plain.at_return(bottom + (0.2 + 0.17 * double(i)) * (top - bottom)).weights[i];
  }
  const auto slack = trace_frontier(four_assets(), limits_of(with_turnover), holding(now));
  ASSERT_EQ(slack.corners().size(), plain.corners().size());
  for (std::size_t k = 0; k < plain.corners().size(); ++k) {
    EXPECT_LT((slack.weights(k) - plain.weights(k)).cwiseAbs().maxCoeff(), 1e-10) << k;
  }
}

TEST(BentLimits, ShortsOpenOnlyWhereALimitSaysSo) {
  EXPECT_EQ(bounds_of(limits_of({"each <= 60%"}), assets).lower.minCoeff(), 0);
  EXPECT_EQ(bounds_of(limits_of({"short <= 0%"}), assets).lower.minCoeff(), 0);
  // Opened ends lie farther out than the limit lets any weight go.
  EXPECT_LE(bounds_of(limits_of({"short <= 20%"}), assets).lower.maxCoeff(), -0.2);
  EXPECT_LE(bounds_of(limits_of({"gross <= 130%"}), assets).lower.maxCoeff(), -0.15);
  EXPECT_THAT(bounds_of(limits_of({"short <= 20%", "each >= 0%"}), assets).lower, ElementsAre(0, 0, 0, 0));
}

TEST(BentLimits, WhatIsWrongIsNamed) {
  const auto complaint = [](const char* text) { return message_of([&] { bounds_of(limits_of({text}), assets); }); };
  EXPECT_THAT(complaint("gross >= 130%"), HasSubstr("gross cannot be bounded this way: only a ceiling"));
  EXPECT_THAT(complaint("short = 10%"), HasSubstr("short cannot be bounded this way"));
  EXPECT_THAT(complaint("budget <= 100%"), HasSubstr("Write it like budget = 100%"));
  EXPECT_THAT(complaint("held <= 10%"), HasSubstr("a ceiling is written each <= 10%"));
  EXPECT_THAT(complaint("holdings <= 2.5"), HasSubstr("'2.5' is no number of positions"));
  EXPECT_THAT(complaint("holdings <= 12%"), HasSubstr("'12%' is no number of positions"));
  EXPECT_THAT(complaint("gross <= 130"), HasSubstr("Write 130% or 13000%"));
  EXPECT_THAT(complaint("turnover <= 25%"), HasSubstr("the weights held now are not known"));
  EXPECT_THAT(complaint("tracking-error <= 4%"), HasSubstr("the benchmark's returns are not known"));
  EXPECT_THAT(complaint("volatility <= -1%"), HasSubstr("volatility is never negative"));
}

TEST(BentLimits, ConflictsHaveFiguresAndNoMemberTooMany) {
  const auto estimate = four_assets();
  const auto conflict = [&](const std::vector<std::string>& texts, const LimitFacts& facts = {}) {
    try {
      trace_frontier(estimate, limits_of(texts), facts);
    } catch (const InfeasibleLimits& error) {
      for (std::size_t k = 0; k < error.names().size(); ++k) {
        auto rest = error.names();
        rest.erase(rest.begin() + std::ptrdiff_t(k));
        EXPECT_NO_THROW(trace_frontier(estimate, limits_of(rest), facts)) << texts[0];
      }
      return std::string(error.what());
    }
    return std::string();
  };
  EXPECT_THAT(conflict({"gross <= 90%", "each <= 50%"}),
              HasSubstr("'gross <= 90%': gross would have to be at most 90%, the ranges of its assets and the budget "
                        "need 100%"));
  EXPECT_THAT(
      conflict({"TIDEMILL >= 60%", "turnover <= 20%", "each <= 80%"}, holding(Eigen::Vector4d(0.25, 0.25, 0.25, 0.25))),
      HasSubstr("turnover would have to be at most 20%, the ranges of its assets and the budget need 35%"));
  EXPECT_THAT(conflict({"budget = 100%", "budget = 90%"}), HasSubstr("the weights have one sum"));
  EXPECT_THAT(conflict({"budget = 130%", "each <= 30%"}), HasSubstr("they allow 120%, the budget is 130%"));
  EXPECT_THAT(conflict({"each <= 30%", "holdings <= 3"}),
              HasSubstr("3 positions can come to 90% at most, the budget is 100%"));
  EXPECT_THAT(conflict({"each >= 1%", "holdings <= 3"}), HasSubstr("4 assets have to be held"));
  EXPECT_THAT(conflict({"volatility <= 1%", "KELPFARM >= 5%", "each <= 90%"}),
              HasSubstr("the least volatility that they leave is"));
}

// ---- tracing --------------------------------------------------------------------------------------------------------

// A random problem with bent rows whose ends some random weights satisfy.
test::Problem random_bent(std::mt19937_64& random, int n, int rows) {
  const auto pick = [&](int below) { return int(random() % std::uint64_t(below)); };
  const test::Traits traits{pick(3) == 0, pick(3) == 0, pick(3) == 0, pick(4) == 0, pick(2) == 0};
  auto problem = test::random_problem(random, n, traits);
  auto& bounds = problem.bounds;
  if (pick(2) == 0) bounds.lower = bounds.lower.array().min(-0.3);
  if (pick(4) == 0 && bounds.lower.sum() <= 0.9) bounds.budget = 0.9;
  const Eigen::VectorXd zero = Eigen::VectorXd::Zero(n);
  Eigen::VectorXd current(n);
  for (auto& weight : current) weight = 0.05 * pick(7);
  const auto add = [&](double straight, double bend, const Eigen::VectorXd& at, double most) {
    bounds.rows.push_back({-1, "size", Eigen::VectorXd::Constant(n, straight), -INFINITY, most,
                           Eigen::VectorXd::Constant(n, bend), at, 0});
  };
  for (int r = 0; r < rows; ++r) {
    const int kind = pick(4);
    if (kind == 0) add(0, 1, zero, bounds.budget + 0.1 * pick(8));
    if (kind == 1) add(-0.5, 0.5, zero, 0.05 * pick(8));
    if (kind == 2) add(0, 0.5, current, std::abs(current.sum() - bounds.budget) / 2 + 0.1 * pick(8));
    if (kind == 3) {
      LimitRow row{-1, "total", zero, -INFINITY, 0.2 + 0.1 * pick(6)};
      for (auto& coefficient : row.coefficients) coefficient = pick(2);
      bounds.rows.push_back(row);
    }
  }
  return problem;
}

TEST(BentLimits, RandomProblemsAgreeWithTryingEveryActiveSet) {
  std::mt19937_64 random(61);
  int compared = 0, infeasible = 0;
  for (int round = 0; round < test::rounds(120); ++round) {
    const auto problem = random_bent(random, 2 + int(random() % 2), 1 + int(random() % 2));
    try {
      const auto frontier = trace_frontier(problem.estimate, problem.bounds);
      std::vector<Portfolio> portfolios{frontier.minimum_variance(), frontier.corner(0)};
      if (frontier.corners().size() > 1) {
        const double top = frontier.corners().front().expected_return,
                     bottom = frontier.corners().back().expected_return;
        portfolios.push_back(frontier.at_return(0.37 * top + 0.63 * bottom));
      }
      compared += test::expect_least(problem, portfolios, round);
    } catch (const InfeasibleLimits&) {
      EXPECT_TRUE(std::isinf(test::least_by_enumeration(problem, 0))) << round << " has a solution";
      ++infeasible;
    }
  }
  EXPECT_GT(compared, test::rare(100));
  EXPECT_GT(infeasible, test::rare(3));
}

TEST(BentLimits, EveryCornerAndSegmentOfRandomProblemsIsCertified) {
  std::mt19937_64 random(62);
  int corners = 0;
  for (int round = 0; round < test::rounds(300); ++round) {
    const auto problem = random_bent(random, 1 + int(random() % 40), 1 + int(random() % 4));
    try {
      corners += test::expect_certified(trace_frontier(problem.estimate, problem.bounds), round);
    } catch (const InfeasibleLimits&) {
    }
  }
  EXPECT_GT(corners, test::rare(1000));
}

TEST(BentLimits, ACertificateSeesAWrongSideOfABend) {
  // Two equal assets, 80% now in the first: 10% may move. The certificate of anything else must fail.
  const auto estimate =
      test::estimate_of(Eigen::Vector2d(0.05, 0.05), Eigen::Matrix2d(Eigen::Vector2d(0.04, 0.04).asDiagonal()));
  auto facts = holding(Eigen::Vector2d(0.8, 0.2));
  const auto frontier = trace_frontier(estimate, limits_of({"turnover <= 10%"}), facts);
  const auto least = frontier.minimum_variance();
  EXPECT_NEAR(least.weights[0], 0.7, 1e-12);
  const Eigen::Vector2d stays(0.8, 0.2), beyond(0.6, 0.4);
  EXPECT_FALSE(certify(estimate.covariance, estimate.expected_return, frontier.bounds(), stays, 0, least.row_prices)
                   .holds(1e-6));
  EXPECT_FALSE(certify(estimate.covariance, estimate.expected_return, frontier.bounds(), beyond, 0, least.row_prices)
                   .holds(1e-6));
  EXPECT_FALSE(certify(estimate.covariance, estimate.expected_return, frontier.bounds(), least.weights, 0,
                       Eigen::VectorXd::Zero(2))
                   .holds(1e-6));
}

TEST(BentLimits, PricesAreWhatLooseningBrings) {
  auto estimate = four_assets();
  estimate.expected_return[3] = -0.05;  // worth selling short
  const auto facts = holding(Eigen::Vector4d(0.1, 0.1, 0.7, 0.1));
  const auto sharpe_with = [&](double gross, double turnover) {
    const auto limits = limits_of(
        {fmt::format("gross <= {}%", 100 * gross), fmt::format("turnover <= {}%", 100 * turnover), "each <= 55%"});
    return choose(trace_frontier(estimate, limits, facts), Aim::parse("maximum-sharpe", ""), 0.01);
  };
  const auto at = sharpe_with(1.2, 0.4);
  constexpr double step = 1e-4;
  const auto slope = [&](double gross, double turnover) {
    return (sharpe_with(1.2 + gross, 0.4 + turnover).sharpe - sharpe_with(1.2 - gross, 0.4 - turnover).sharpe) /
           (2 * step);
  };
  int checked = 0;
  for (const auto& binding : at.binding) {
    if (binding.limit.starts_with("gross")) {
      EXPECT_NEAR(*binding.loosening, 0.01 * slope(step, 0), 1e-7);
      ++checked;
    } else if (binding.limit.starts_with("turnover")) {
      EXPECT_NEAR(*binding.loosening, 0.01 * slope(0, step), 1e-7);
      ++checked;
    }
  }
  EXPECT_EQ(checked, 2) << "both bind";
}

TEST(BentLimits, NoRoomToTradeKeepsWhatIsHeld) {
  const Eigen::Vector4d now(0.4, 0.3, 0.2, 0.1);
  const auto frontier = trace_frontier(four_assets(), limits_of({"turnover <= 0%"}), holding(now));
  ASSERT_EQ(frontier.corners().size(), 1u);
  EXPECT_LT((frontier.weights(0) - now).cwiseAbs().maxCoeff(), 1e-15);
  EXPECT_TRUE(frontier.corner(0).certificate.holds());
}

TEST(BentLimits, WhatTheBudgetLeavesEarnsTheRiskFreeRate) {
  // Two uncorrelated assets: the ratio does not depend on how much is invested, the weights do in proportion.
  const auto estimate =
      test::estimate_of(Eigen::Vector2d(0.08, 0.05), Eigen::Matrix2d(Eigen::Vector2d(0.04, 0.01).asDiagonal()));
  const auto whole = trace_frontier(estimate, Limits{}).maximum_sharpe(0.02);
  for (double budget : {0.6, 1.3}) {
    const auto limits = limits_of({fmt::format("budget = {}%", 100 * budget)});
    const auto part = trace_frontier(estimate, limits).maximum_sharpe(0.02);
    EXPECT_NEAR(part.sharpe, whole.sharpe, 1e-12);
    EXPECT_LT((part.portfolio.weights - budget * whole.portfolio.weights).cwiseAbs().maxCoeff(), 1e-12);
    EXPECT_NEAR(part.portfolio.sharpe(0.02), part.sharpe, 1e-12);
  }
}

// ---- a ceiling on volatility ----------------------------------------------------------------------------------------

TEST(VolatilityCeiling, EndsThePathAndNothingElse) {
  std::mt19937_64 random(63);
  for (int round = 0; round < test::rounds(60); ++round) {
    auto problem = test::random_problem(random, 2 + int(random() % 20), {false, false, false, false, round % 2 == 0});
    if (round % 3 == 0) {  // with a row, which has prices along the path
      const auto n = problem.estimate.size();
      LimitRow half{-1, "the first half", Eigen::VectorXd::Zero(n), 0.3, 0.6};
      half.coefficients.head((n + 1) / 2).setOnes();
      problem.bounds = Bounds::long_only(n);
      problem.bounds.rows.push_back(half);
    }
    const auto whole = trace_frontier(problem.estimate, problem.bounds);
    const double most = whole.corners().front().volatility, least = whole.corners().back().volatility;
    const auto corner = whole.corners()[random() % whole.corners().size()].volatility;
    for (double ceiling : {least + 0.4 * (most - least), corner, most, 2 * most, least}) {
      auto bounds = problem.bounds;
      bounds.volatility = LimitFigure{ceiling, -1};
      const auto cut = trace_frontier(problem.estimate, bounds);
      EXPECT_NEAR(cut.corners().front().volatility, std::min(ceiling, most), 1e-9 * most);
      EXPECT_EQ(cut.at_ceiling(), ceiling < most);
      for (std::size_t k = 0; k < cut.corners().size(); ++k) {
        const auto portfolio = cut.corner(k);
        const auto same = whole.at_return(portfolio.expected_return);
        EXPECT_LT((same.weights - portfolio.weights).cwiseAbs().maxCoeff(), 1e-8) << round;
        if (k > 0) {  // proven optimal between corners as well, by the prices that were kept
          const double between = (cut.corners()[k].expected_return + cut.corners()[k - 1].expected_return) / 2;
          EXPECT_LT((cut.at_return(between).weights - whole.at_return(between).weights).cwiseAbs().maxCoeff(), 1e-8);
        }
        EXPECT_TRUE(k == 0 || cut.corners()[k].expected_return < cut.corners()[k - 1].expected_return);
      }
      EXPECT_LT((cut.minimum_variance().weights - whole.minimum_variance().weights).cwiseAbs().maxCoeff(), 1e-12);
    }
  }
}

TEST(VolatilityCeiling, BoundsTheRatioAndHasAPrice) {
  const auto estimate = four_assets();
  const auto free_ratio = trace_frontier(estimate, Limits{}).maximum_sharpe(0.019);
  const double ceiling = 0.97 * free_ratio.portfolio.volatility;
  const auto ratio_under = [&](double most, double cap) {
    const auto limits =
        limits_of({fmt::format("volatility <= {}%", 100 * most), fmt::format("TIDEMILL <= {}%", 100 * cap)});
    return choose(trace_frontier(estimate, limits), Aim::parse("maximum-sharpe", ""), 0.019);
  };
  const auto at = ratio_under(ceiling, 0.9);
  EXPECT_NEAR(at.volatility, ceiling, 1e-12);
  ASSERT_FALSE(at.binding.empty());
  EXPECT_EQ(at.binding.back().text.substr(0, 10), "volatility");
  constexpr double step = 1e-5;
  const double slope = (ratio_under(ceiling + step, 0.9).sharpe - ratio_under(ceiling - step, 0.9).sharpe) / (2 * step);
  EXPECT_GT(slope, 0);
  EXPECT_NEAR(*at.binding.back().loosening, 0.01 * slope, 1e-6);
}

}  // namespace
}  // namespace inchtide::bends

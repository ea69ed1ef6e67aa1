// One portfolio without the frontier: the same as the frontier's, cold or warm.

#include "inchtide/frontier/single.hpp"

#include <cmath>
#include <random>

#include "inchtide/base/errors.hpp"
#include "support/problems.hpp"
#include "support/rounds.hpp"

namespace inchtide {
namespace {

TEST(SinglePortfolio, IsTheFrontiersFromAnyStart) {
  std::mt19937_64 random(101);
  const auto pick = [&](int below) { return int(random() % std::uint64_t(below)); };
  for (int round = 0; round < test::rounds(300); ++round) {
    const int n = 1 + pick(40);
    const auto problem = test::random_problem(random, n, {pick(3) == 0, false, pick(4) == 0, false, pick(2) == 0});
    const auto frontier = trace_frontier(problem.estimate, problem.bounds);
    for (double lambda : {0.0, 0.1, 1.0}) {
      const auto expected = frontier.at_lambda(lambda);
      const auto cold = single_portfolio(problem.estimate, problem.bounds, lambda);
      Eigen::VectorXd near = Eigen::VectorXd::Zero(n);
      for (auto& weight : near) weight = pick(3) * 0.1;
      const auto warm = single_portfolio(problem.estimate, problem.bounds, lambda, near);
      EXPECT_TRUE(cold.certificate.holds() && warm.certificate.holds());
      EXPECT_LT((cold.weights - expected.weights).cwiseAbs().maxCoeff(), 1e-10) << round << " " << lambda;
      EXPECT_LT((warm.weights - cold.weights).cwiseAbs().maxCoeff(), 1e-10) << round << " " << lambda;
    }
  }
}

TEST(SingleMaximumSharpe, IsTheFrontiersFromAnyStart) {
  std::mt19937_64 random(103);
  const auto pick = [&](int below) { return int(random() % std::uint64_t(below)); };
  int compared = 0, at_top = 0;
  for (int round = 0; round < test::rounds(600); ++round) {
    const int n = 1 + pick(40);
    const auto problem = test::random_problem(random, n, {pick(3) == 0, false, pick(4) == 0, false, pick(2) == 0});
    const auto frontier = trace_frontier(problem.estimate, problem.bounds);
    const double risk_free = 0.01 * (pick(8) - 2);
    Eigen::VectorXd near = Eigen::VectorXd::Zero(n);
    for (auto& weight : near) weight = pick(3) * 0.1;
    const auto solve = [&](const Eigen::VectorXd& from) {
      return single_maximum_sharpe(problem.estimate, problem.bounds, risk_free, from);
    };
    if (frontier.why_no_maximum_sharpe(risk_free)) {
      EXPECT_THROW((void)solve({}), InputError);
      continue;
    }
    const auto expected = frontier.maximum_sharpe(risk_free);
    const auto sharpe = [&](const Portfolio& p) {
      return (p.expected_return - problem.bounds.budget * risk_free) / p.volatility;
    };
    for (const auto& found : {solve({}), solve(near), solve(expected.portfolio.weights)}) {
      EXPECT_TRUE(found.certificate.holds()) << round;
      EXPECT_NEAR(sharpe(found), expected.sharpe, 1e-12 * std::max(1.0, std::abs(expected.sharpe))) << round;
      EXPECT_LT((found.weights - expected.portfolio.weights).cwiseAbs().maxCoeff(), 1e-8) << round;
    }
    ++compared;
    at_top += expected.at_top;
  }
  EXPECT_GT(compared, test::rare(300));
  EXPECT_GT(at_top, test::rare(10));
}

// Caps that a few assets fill exactly: the best weights are often all at a bound.
TEST(SinglePortfolio, IsTheFrontiersWhereCapsLeaveNothingFree) {
  std::mt19937_64 random(104);
  int corners = 0;
  for (int round = 0; round < test::rounds(300); ++round) {
    const int held = 1 + int(random() % 8), n = held + int(random() % 20);
    auto problem = test::random_problem(random, n, {});
    problem.bounds = Bounds::long_only(n);
    problem.bounds.upper.setConstant(1.0 / held);
    const auto frontier = trace_frontier(problem.estimate, problem.bounds);
    Eigen::VectorXd near = Eigen::VectorXd::Zero(n);  // another corner, or one that misses the budget
    for (int k = 0; k < held; ++k) near[int(random() % std::uint64_t(n))] = 1.0 / held;
    for (const double lambda : {0.0, 0.3, 3.0, 300.0}) {
      const auto expected = frontier.at_lambda(lambda);
      for (const auto& from : {Eigen::VectorXd(), near}) {
        const auto found = single_portfolio(problem.estimate, problem.bounds, lambda, from);
        EXPECT_TRUE(found.certificate.holds()) << round;
        EXPECT_LT((found.weights - expected.weights).cwiseAbs().maxCoeff(), 1e-10) << round << " " << lambda;
      }
      const auto inside = expected.weights.array() > 1e-9 && expected.weights.array() < 1.0 / held - 1e-9;
      corners += !inside.any();
    }
    if (frontier.why_no_maximum_sharpe(0)) continue;
    const auto best = frontier.maximum_sharpe(0);
    const auto found = single_maximum_sharpe(problem.estimate, problem.bounds, 0, near);
    EXPECT_NEAR(found.expected_return / found.volatility, best.sharpe, 1e-12 * std::abs(best.sharpe)) << round;
  }
  EXPECT_GT(corners, test::rare(300));
}

TEST(SinglePortfolio, SingularProblemsAndRowsComeFromTheFrontier) {
  std::mt19937_64 random(102);
  for (int round = 0; round < test::rounds(60); ++round) {
    auto problem = test::random_problem(random, 2 + int(random() % 20), {true, true, true, true, round % 2 == 0});
    if (round % 3 == 0) {
      LimitRow row{-1, "total", Eigen::VectorXd::Zero(problem.estimate.size()), -INFINITY, 0.9};
      row.coefficients.head(problem.estimate.size() / 2).setOnes();
      problem.bounds.rows.push_back(row);
    }
    try {
      const auto expected = trace_frontier(problem.estimate, problem.bounds).minimum_variance();
      const auto found = single_portfolio(problem.estimate, problem.bounds);
      EXPECT_NEAR(found.volatility, expected.volatility, 1e-8) << round;
      EXPECT_TRUE(found.certificate.holds());
    } catch (const InfeasibleLimits&) {
    }
  }
}

}  // namespace
}  // namespace inchtide

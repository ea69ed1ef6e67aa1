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

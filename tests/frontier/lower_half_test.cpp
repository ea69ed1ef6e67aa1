// The lower half of the frontier: from the minimum variance down to the least return.

#include <cmath>
#include <random>

#include "inchtide/frontier/frontier.hpp"
#include "support/problems.hpp"
#include "support/rounds.hpp"

namespace inchtide {
namespace {

TEST(LowerHalf, GoesOnFromTheMinimumVariance) {
  std::mt19937_64 random(93);
  for (int round = 0; round < test::rounds(30); ++round) {
    const auto problem =
        test::random_problem(random, 2 + int(random() % 15), {false, false, false, false, round % 2 == 0});
    const auto upper = trace_frontier(problem.estimate, problem.bounds);
    const auto lower = trace_lower_half(problem.estimate, problem.bounds);
    EXPECT_LT((lower.front().weights - upper.minimum_variance().weights).cwiseAbs().maxCoeff(), 1e-9);
    for (std::size_t k = 0; k < lower.size(); ++k) {
      EXPECT_TRUE(lower[k].certificate.holds());
      EXPECT_NEAR(lower[k].expected_return, problem.estimate.expected_return.dot(lower[k].weights), 1e-14);
      EXPECT_LE(lower[k].lambda, 0);
      EXPECT_TRUE(k == 0 || lower[k].expected_return < lower[k - 1].expected_return);
    }
    // The lowest return is the linear problem's: the worst assets filled first.
    Eigen::VectorXd w = problem.bounds.lower;
    double rest = 1 - w.sum();
    while (rest > 1e-15) {
      Eigen::Index worst = -1;
      for (Eigen::Index i = 0; i < w.size(); ++i) {
        const bool room = problem.bounds.upper[i] - w[i] > 1e-15;
        if (room && (worst < 0 || problem.estimate.expected_return[i] < problem.estimate.expected_return[worst]))
          worst = i;
      }
      const double more = std::min(rest, problem.bounds.upper[worst] - w[worst]);
      w[worst] += more;
      rest -= more;
    }
    EXPECT_NEAR(lower.back().expected_return, problem.estimate.expected_return.dot(w), 1e-12);
  }
}

}  // namespace
}  // namespace inchtide

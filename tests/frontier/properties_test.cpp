// Ten thousand random problems under mixed limits: certificates everywhere, the properties of a frontier, and for the
// small ones the optimum by trying every active set.

#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>
#include <random>

#include "inchtide/base/errors.hpp"
#include "inchtide/frontier/frontier.hpp"
#include "support/enumeration.hpp"
#include "support/problems.hpp"
#include "support/rounds.hpp"

namespace inchtide {
namespace {

const int problems = test::rounds(10000);

// Ranges, totals, sizes, a budget; ties, duplicates, integer data, riskless assets, singular matrices, redundant rows.
test::Problem mixed_problem(std::mt19937_64& random, int n) {
  const auto pick = [&](int below) { return int(random() % std::uint64_t(below)); };
  auto problem =
      test::random_problem(random, n, {pick(3) == 0, pick(3) == 0, pick(3) == 0, pick(4) == 0, pick(2) == 0});
  auto& bounds = problem.bounds;
  if (pick(5) == 0) {  // without variance
    Eigen::MatrixXd s = problem.estimate.covariance.matrix();
    const int i = pick(n);
    s.row(i).setZero();
    s.col(i).setZero();
    problem.estimate.covariance = Covariance::dense(s);
  }
  if (pick(4) == 0) bounds.lower = bounds.lower.array().min(-0.3);
  if (pick(5) == 0 && bounds.lower.sum() <= 0.9 && bounds.upper.sum() >= 0.9) bounds.budget = 0.9;
  const Eigen::VectorXd zero = Eigen::VectorXd::Zero(n);
  Eigen::VectorXd current(n);
  for (auto& weight : current) weight = 0.05 * pick(7);
  for (int r = n <= 8 ? pick(3) : pick(6); r > 0; --r) {
    LimitRow row{-1, "row", zero, -INFINITY, INFINITY};
    const int kind = pick(7);
    if (kind == 0) row.bend = Eigen::VectorXd::Ones(n);
    if (kind == 1) row.coefficients.setConstant(-0.5);
    if (kind == 1 || kind == 2) row.bend = Eigen::VectorXd::Constant(n, 0.5);
    row.bend_at = kind == 2 ? current : zero;
    if (kind <= 2) {
      row.upper = row.value(Eigen::VectorXd::Constant(n, bounds.budget / n)) + 0.1 * pick(5);
    } else {
      for (auto& coefficient : row.coefficients) coefficient = pick(3) == 0 ? -1 : pick(2);
      const double middle = row.coefficients.mean() * bounds.budget;
      if (kind != 4) row.upper = middle + 0.1 * pick(4);
      if (kind == 4 || kind == 5) row.lower = middle - 0.1 * pick(4);
      row.bend_at.resize(0);
    }
    bounds.rows.push_back(row);
    if (kind >= 3 && pick(5) == 0) bounds.rows.push_back(row);  // redundant
  }
  return problem;
}

// As many active sets are tried as a few milliseconds allow.
constexpr long most_active_sets = 7000;

void check_against_enumeration(const test::Problem& problem, const Portfolio& portfolio, int round) {
  const auto& w = portfolio.weights;
  const double objective =
      w.dot(problem.estimate.covariance.product(w)) / 2 - portfolio.lambda * problem.estimate.expected_return.dot(w);
  const auto tried = test::least_of_few(problem, portfolio.lambda, most_active_sets);
  if (!tried) return;
  const double least = double(*tried);
  // Where every optimal active set is singular the enumeration knows no better: never a lower value, at least.
  EXPECT_LE(objective, least + 1e-9 * (1 + std::abs(least))) << round;
}

TEST(RandomFrontiers, AreCertifiedConvexAndContinuous) {
  std::mt19937_64 random(111);
  std::map<std::string, int> outcome;
  for (int round = 0; round < problems; ++round) {
    const int n = 1 + int(random() % 60);
    const auto problem = mixed_problem(random, n);
    try {
      const auto frontier = trace_frontier(problem.estimate, problem.bounds);
      const auto& all = frontier.corners();
      for (std::size_t k = 0; k < all.size(); ++k) {
        EXPECT_TRUE(frontier.corner(k).certificate.holds()) << round;
        EXPECT_GE(all[k].lambda_high, all[k].lambda_low);
        if (k == 0) continue;
        EXPECT_LT(all[k].expected_return, all[k - 1].expected_return) << round;
        EXPECT_LE(all[k].volatility, all[k - 1].volatility * (1 + 1e-12) + 1e-8) << round;
        const double middle = (all[k].expected_return + all[k - 1].expected_return) / 2;
        const auto between = frontier.at_return(middle);
        EXPECT_TRUE(between.certificate.holds()) << round;
        // Convex in (variance, return): half way in return, no more than half way in variance.
        EXPECT_LE(std::pow(between.volatility, 2),
                  (std::pow(all[k].volatility, 2) + std::pow(all[k - 1].volatility, 2)) / 2 * (1 + 1e-10) + 1e-15);
      }
      const std::size_t some = random() % all.size();
      EXPECT_LT((frontier.at_return(all[some].expected_return).weights - frontier.weights(some)).cwiseAbs().maxCoeff(),
                1e-7)
          << round << ": at a corner's return the corner";
      if (n <= 8) {
        check_against_enumeration(problem, round % 2 == 0 ? frontier.minimum_variance() : frontier.corner(some), round);
      }
      ++outcome["solved"];
    } catch (const InfeasibleLimits&) {
      ++outcome["infeasible"];
      if (n <= 8) {
        EXPECT_TRUE(std::isinf(test::least_of_few(problem, 0, most_active_sets).value_or(INFINITY))) << round;
      }
    } catch (const UncertifiedAnswer& error) {  // refused, never wrong
      ++outcome["refused"];
      std::printf("problem %d of %d assets is refused: %s\n", round, n, error.what());
    }
  }
  EXPECT_GT(outcome["solved"], problems / 2);
  EXPECT_LE(outcome["refused"], problems / 5000) << "of 10,000 a few may defeat double precision, and say so";
}

// Returns that differ by a millionth or less, down to 1e-13, as those that are shrunk nearly to one figure: the path
// comes from a lambda of up to 1e11.
TEST(RandomFrontiers, WalkThroughReturnsThatNearlyTie) {
  std::mt19937_64 random(113);
  int solved = 0, refused = 0;
  for (int round = 0; round < problems / 5; ++round) {
    const int n = 1 + int(random() % 60);
    auto problem = mixed_problem(random, n);
    const double apart = std::pow(10.0, -6 - int(random() % 8));
    for (auto& value : problem.estimate.expected_return) value += apart * double(random() % 4);
    try {
      const auto frontier = trace_frontier(problem.estimate, problem.bounds);
      const auto& all = frontier.corners();
      for (std::size_t k = 0; k < all.size(); ++k) {
        EXPECT_TRUE(frontier.corner(k).certificate.holds()) << round;
        if (k == 0) continue;
        EXPECT_LT(all[k].expected_return, all[k - 1].expected_return) << round;
        const double middle = (all[k].lambda_high + std::min(all[k - 1].lambda_low, 1e300)) / 2;
        EXPECT_TRUE(frontier.at_lambda(middle).certificate.holds()) << round;
      }
      if (n <= 8) check_against_enumeration(problem, frontier.minimum_variance(), round);
      ++solved;
    } catch (const InfeasibleLimits&) {
    } catch (const UncertifiedAnswer& error) {
      ++refused;
      std::printf("problem %d of %d assets is refused: %s\n", round, n, error.what());
    }
  }
  EXPECT_GT(solved, problems / 10);
  EXPECT_LE(refused, problems / 2000) << "of 2,000 a few may defeat double precision, and say so";
}

// The two forms take different ways through the solver. Specific risk makes every portfolio the only best one.
TEST(RandomFrontiers, AreTheSameFromFactorsAsFromTheirMatrix) {
  std::mt19937_64 random(114);
  std::normal_distribution<double> normal;
  int compared = 0;
  for (int round = 0; round < problems / 20; ++round) {
    const int n = 2 + int(random() % 50);
    auto problem = mixed_problem(random, n);
    Eigen::MatrixXd loadings(n, 3);
    for (auto& loading : loadings.reshaped()) loading = 0.1 * normal(random);
    const Eigen::VectorXd specific = Eigen::VectorXd::LinSpaced(n, 0.005, 0.05);
    auto structured = problem.estimate, dense = problem.estimate;
    structured.covariance = Covariance::factors(loadings, Eigen::Vector3d(1, 0.5, 2).asDiagonal(), specific);
    dense.covariance = Covariance::dense(structured.covariance.matrix());
    try {
      const auto a = trace_frontier(structured, problem.bounds), b = trace_frontier(dense, problem.bounds);
      const double top = b.corners().front().expected_return, bottom = b.corners().back().expected_return;
      EXPECT_NEAR(a.corners().front().expected_return, top, 1e-12) << round;
      for (int k = 0; k <= 6; ++k) {
        const double target = bottom + (top - bottom) * k / 6;
        EXPECT_LT((a.at_return(target).weights - b.at_return(target).weights).cwiseAbs().maxCoeff(), 1e-8) << round;
      }
      ++compared;
    } catch (const InfeasibleLimits&) {
    }
  }
  EXPECT_GT(compared, problems / 40);
}

TEST(RandomFrontiers, DoNotDependOnTheOrderOfAssetsOrLimits) {
  std::mt19937_64 random(112);
  int compared = 0;
  for (int round = 0; round < test::rounds(200); ++round) {
    const int n = 2 + int(random() % 30);
    auto problem = test::random_problem(random, n, {false, false, false, false, round % 2 == 0});
    for (int r = 0; r < 3; ++r) {
      LimitRow row{-1, "row", Eigen::VectorXd::Zero(n), -INFINITY, INFINITY};
      for (auto& coefficient : row.coefficients) coefficient = double(random() % 2);
      row.upper = row.coefficients.mean() + 0.05;
      problem.bounds.rows.push_back(row);
    }
    std::vector<Eigen::Index> order(static_cast<std::size_t>(n));
    std::iota(order.begin(), order.end(), Eigen::Index{0});
    std::shuffle(order.begin(), order.end(), random);
    auto turned = problem;
    turned.estimate.expected_return = problem.estimate.expected_return(order);
    turned.estimate.covariance = Covariance::dense(problem.estimate.covariance.matrix()(order, order));
    turned.bounds.lower = problem.bounds.lower(order);
    turned.bounds.upper = problem.bounds.upper(order);
    for (auto& row : turned.bounds.rows) row.coefficients = row.coefficients(order).eval();
    std::ranges::reverse(turned.bounds.rows);
    try {
      const auto one = trace_frontier(problem.estimate, problem.bounds);
      const auto other = trace_frontier(turned.estimate, turned.bounds);
      // Where limits coincide, what is named a corner may differ; the portfolios may not.
      for (std::size_t k = 0; k < one.corners().size(); ++k) {
        const Eigen::VectorXd expected = one.weights(k)(order);
        const auto same = other.at_lambda(one.corners()[k].lambda_low);
        EXPECT_LT((same.weights - expected).cwiseAbs().maxCoeff(), 1e-10) << round;
      }
      ++compared;
    } catch (const InfeasibleLimits&) {
    }
  }
  EXPECT_GT(compared, test::rare(100));
}

// Covariances of a day or of a century, returns in points or in percent: the weights are the same. What counts as
// nothing has to be measured against the problem's own figures for that.
TEST(RandomFrontiers, DoNotDependOnTheUnits) {
  std::mt19937_64 random(113);
  for (int round = 0; round < test::rounds(400); ++round) {
    const int n = 2 + int(random() % 20);
    const auto problem = test::random_problem(
        random, n, {round % 3 == 0, round % 5 == 0, round % 4 == 0, round % 7 == 0, round % 2 == 0});
    const auto plain = trace_frontier(problem.estimate, problem.bounds);
    for (double unit : {1e-7, 1e7}) {
      auto other = problem.estimate;
      other.covariance = Covariance::dense(unit * problem.estimate.covariance.matrix());
      other.expected_return *= std::sqrt(unit);
      const auto scaled = trace_frontier(other, problem.bounds);
      ASSERT_EQ(scaled.corners().size(), plain.corners().size()) << round << ", " << unit;
      for (std::size_t k = 0; k < plain.corners().size(); ++k) {
        EXPECT_LT((scaled.weights(k) - plain.weights(k)).cwiseAbs().maxCoeff(), 1e-7) << round << ", " << unit;
        EXPECT_NEAR(scaled.corners()[k].volatility, std::sqrt(unit) * plain.corners()[k].volatility,
                    1e-7 * std::sqrt(unit * problem.estimate.covariance.variances().maxCoeff()));
      }
    }
  }
}

}  // namespace
}  // namespace inchtide

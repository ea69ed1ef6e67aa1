// Portfolios of few positions: the search against trying every choice of assets, and its proof.

#include "inchtide/frontier/holdings.hpp"

#include <bit>
#include <cmath>
#include <random>

#include "inchtide/base/errors.hpp"
#include "inchtide/weights/allocation.hpp"
#include "support/messages.hpp"
#include "support/problems.hpp"

namespace inchtide {
namespace {

using test::message_of;
using testing::HasSubstr;

struct Case {
  test::Problem problem;
  int most;
  double least;
  double lambda;
};

Case random_case(std::mt19937_64& random, int n) {
  const auto pick = [&](int below) { return int(random() % std::uint64_t(below)); };
  Case c{test::random_problem(random, n, {pick(3) == 0, pick(3) == 0, pick(4) == 0, pick(4) == 0, pick(3) == 0}),
         1 + pick(n), 0.05 * pick(4), pick(2) == 0 ? 0 : 0.05 * (1 + pick(5))};
  auto& bounds = c.problem.bounds;
  if (pick(3) == 0) {
    for (int i = 0; i < n; ++i) bounds.lower[i] = std::min(bounds.lower[i], pick(2) == 0 ? 0.0 : -0.3);
  }
  if (pick(3) == 0) {
    LimitRow row{0, "total", Eigen::VectorXd::Zero(n), -INFINITY, 0.4 + 0.1 * pick(4)};
    for (auto& coefficient : row.coefficients) coefficient = pick(2);
    bounds.rows.push_back(row);
  }
  if (pick(4) == 0) {
    bounds.rows.push_back({0, "gross", Eigen::VectorXd::Zero(n), -INFINITY, 1.0 + 0.1 * pick(4),
                           Eigen::VectorXd::Ones(n), Eigen::VectorXd::Zero(n)});
  }
  return c;
}

// Every asset out, long or short: the best of all.
double least_by_trying_all(const Case& c) {
  const auto n = c.problem.estimate.size();
  long choices = 1;
  for (Eigen::Index i = 0; i < n; ++i) choices *= 3;
  double best = INFINITY;
  for (long code = 0; code < choices; ++code) {
    auto bounds = c.problem.bounds;
    long rest = code;
    int held = 0;
    for (Eigen::Index i = 0; i < n; ++i, rest /= 3) {
      if (rest % 3 == 0) {
        bounds.lower[i] = std::max(bounds.lower[i], 0.0);
        bounds.upper[i] = std::min(bounds.upper[i], 0.0);
      } else if (rest % 3 == 1) {
        bounds.lower[i] = std::max({bounds.lower[i], c.least, 0.0});
        ++held;
      } else {
        bounds.upper[i] = std::min(bounds.upper[i], -c.least);
        ++held;
      }
    }
    const bool ranges = (bounds.lower.array() <= bounds.upper.array()).all() && bounds.lower.sum() <= 1 + 1e-12 &&
                        bounds.upper.sum() >= 1 - 1e-12;
    if (held > c.most || !ranges) continue;
    try {
      const auto found = trace_frontier(c.problem.estimate, bounds).at_lambda(c.lambda);
      best = std::min(best, found.volatility * found.volatility / 2 - c.lambda * found.expected_return);
    } catch (const InfeasibleLimits&) {
    }
  }
  return best;
}

TEST(Holdings, TheSearchFindsWhatTryingAllFinds) {
  std::mt19937_64 random(81);
  int found = 0, none = 0;
  for (int round = 0; round < 150; ++round) {
    auto c = random_case(random, 3 + int(random() % 4));
    const double best = least_by_trying_all(c);
    auto bounds = c.problem.bounds;
    bounds.holdings = LimitFigure{double(c.most), -1};
    if (c.least > 0) bounds.held = LimitFigure{c.least, -1};
    HoldingsOptions options;
    options.lambda = c.lambda;
    options.gap = 1e-7;
    try {
      const auto answer = choose_holdings(c.problem.estimate, bounds, options);
      const double scale = 1e-8 + 1e-6 * std::abs(best);
      EXPECT_TRUE(answer.proven) << round;
      EXPECT_NEAR(answer.objective, best, scale) << round;
      EXPECT_LE(answer.bound, best + scale) << round << ": the bound must not claim more than is so";
      EXPECT_TRUE(answer.portfolio.certificate.holds());
      const auto& w = answer.portfolio.weights;
      EXPECT_LE((w.array().abs() > 1e-9).count(), c.most);
      EXPECT_LE((c.problem.bounds.lower - w).maxCoeff(), 1e-9);
      EXPECT_LE((w - c.problem.bounds.upper).maxCoeff(), 1e-9);
      for (double weight : w) EXPECT_TRUE(std::abs(weight) < 1e-9 || std::abs(weight) > c.least - 1e-9) << round;
      ++found;
    } catch (const InfeasibleLimits&) {
      EXPECT_TRUE(std::isinf(best)) << round << ": there is one";
      ++none;
    }
  }
  EXPECT_GT(found, 30);
  EXPECT_GT(none, 2);
}

// Ten factors and specific risk: what universes look like.
Estimate factor_like(int n, bool structured) {
  std::mt19937_64 random(82);
  std::normal_distribution<double> normal;
  Eigen::MatrixXd loadings(n, 10);
  for (int i = 0; i < n; ++i) {
    for (int k = 0; k < 10; ++k) loadings(i, k) = k == 0 ? 0.15 + 0.05 * normal(random) : 0.06 * normal(random);
  }
  Eigen::VectorXd specific(n), m(n);
  for (auto& value : specific) value = 0.02 + 0.06 * std::abs(normal(random));
  for (auto& value : m) value = 0.06 + 0.03 * normal(random);
  const auto factors = Covariance::factors(loadings, Eigen::MatrixXd::Identity(10, 10), specific);
  Estimate estimate = test::estimate_of(m, factors.matrix());
  if (structured) estimate.covariance = factors;
  return estimate;
}

TEST(Holdings, DenseAndFactorStructuredAgree) {
  auto bounds = Bounds::long_only(40);
  bounds.holdings = LimitFigure{6, -1};
  bounds.held = LimitFigure{0.05, -1};
  const auto dense = choose_holdings(factor_like(40, false), bounds, {});
  const auto structured = choose_holdings(factor_like(40, true), bounds, {});
  EXPECT_TRUE(dense.proven && structured.proven);
  EXPECT_NEAR(dense.objective, structured.objective, 1e-4 * dense.objective);
}

TEST(Holdings, AStoppedSearchSaysHowFarItGot) {
  const auto estimate = factor_like(60, false);
  auto bounds = Bounds::long_only(60);
  bounds.holdings = LimitFigure{8, -1};
  HoldingsOptions options;
  options.gap = 1e-12;
  const auto whole = choose_holdings(estimate, bounds, options);
  int asked = 0;
  options.should_stop = [&asked] { return ++asked > 3; };
  const auto stopped = choose_holdings(estimate, bounds, options);
  EXPECT_FALSE(stopped.proven);
  EXPECT_GT(stopped.gap(), 0);
  EXPECT_LE(stopped.bound, whole.objective * (1 + 1e-9)) << "it must hold for the best there is";
  EXPECT_GE(stopped.objective, whole.objective * (1 - 1e-9));
}

TEST(Holdings, AFloorOnTheReturnHolds) {
  const auto estimate = factor_like(30, false);
  auto bounds = Bounds::long_only(30);
  bounds.holdings = LimitFigure{5, -1};
  HoldingsOptions options;
  options.least_return = 0.09;
  const auto answer = choose_holdings(estimate, bounds, options);
  EXPECT_GE(answer.portfolio.expected_return, 0.09 - 1e-12);
  EXPECT_GT(answer.objective, choose_holdings(estimate, bounds, {}).objective);
}

TEST(Holdings, AimsHonourThem) {
  const auto estimate = factor_like(25, false);
  const Limits limits{Limit::parse("holdings <= 5"), Limit::parse("held >= 10%"), Limit::parse("each <= 40%")};
  const auto frontier = trace_frontier(estimate, limits);
  for (const char* text :
       {"minimum-variance", "maximum-sharpe", "utility=5", "target-return=7%", "target-volatility=20%"}) {
    const auto chosen = choose(frontier, limits, Aim::parse(text, ""), 0.01);
    EXPECT_TRUE(chosen.violations.empty()) << text;
    EXPECT_LE((chosen.weights.array() > 1e-9).count(), 5) << text;
    EXPECT_FALSE(chosen.notes.empty()) << "the gap is said";
  }
  // No five assets of some random choices have a higher ratio.
  const auto best = choose(frontier, limits, Aim::parse("maximum-sharpe", ""), 0.01);
  std::mt19937_64 random(83);
  for (int round = 0; round < 300; ++round) {
    auto bounds = frontier.bounds();
    bounds.holdings.reset();
    bounds.held.reset();
    bounds.upper.setZero();
    for (int k = 0; k < 5; ++k) {
      const auto i = Eigen::Index(random() % 25);
      bounds.upper[i] = 0.4;
      bounds.lower[i] = 0.1;
    }
    if (bounds.upper.sum() < 1) continue;
    const auto other = trace_frontier(estimate, bounds);
    if (other.why_no_maximum_sharpe(0.01)) continue;
    EXPECT_LE(other.maximum_sharpe(0.01).sharpe, best.sharpe * (1 + 1e-3));
  }
}

TEST(Holdings, TheHighestReturnAtAVolatilityIsThatOfTryingAll) {
  std::mt19937_64 random(35);
  int tried = 0;
  for (int round = 0; round < 40; ++round) {
    constexpr int n = 6;
    const auto problem = test::random_problem(random, n, {round % 3 == 0, false, false, false, false});
    const std::string rules[] = {"holdings <= 2", "holdings <= 3"};
    const int most = 2 + round % 2;
    const Limits limits{Limit::parse(rules[round % 2]), Limit::parse("held >= 10%"), Limit::parse("each <= 60%")};
    const auto frontier = trace_frontier(problem.estimate, limits);
    const double volatility = 0.3 * frontier.corners().front().volatility + 0.7 * frontier.corners().back().volatility;
    double best = -INFINITY, least = INFINITY;
    for (unsigned code = 1; code < 1u << n; ++code) {
      if (std::popcount(code) > most) continue;
      auto bounds = Bounds::long_only(n);
      for (int i = 0; i < n; ++i) {
        bounds.lower[i] = (code >> i & 1) != 0 ? 0.1 : 0;
        bounds.upper[i] = (code >> i & 1) != 0 ? 0.6 : 0;
      }
      if (bounds.upper.sum() < 1) continue;
      const auto own = trace_frontier(problem.estimate, bounds);
      least = std::min(least, own.corners().back().volatility);
      if (own.corners().back().volatility > volatility) continue;
      best = std::max(best, own.at_volatility(std::min(volatility, own.corners().front().volatility)).expected_return);
    }
    const Aim aim{Aim::Kind::target_volatility, volatility};
    if (std::isinf(best)) {
      EXPECT_THAT(message_of([&] { choose(frontier, limits, aim, 0); }), HasSubstr("so little volatility"));
      continue;
    }
    const auto chosen = choose(frontier, limits, aim, 0);
    ++tried;
    EXPECT_NEAR(chosen.expected_return, best, 2e-7) << round;
    EXPECT_LE(chosen.volatility, volatility * (1 + 1e-9));
    EXPECT_THAT(chosen.violations, testing::IsEmpty());
    EXPECT_THAT(chosen.notes.front(), HasSubstr("Proven"));
  }
  EXPECT_GT(tried, 15);
}

TEST(Holdings, ThatCannotHoldIsSaid) {
  auto bounds = Bounds::long_only(4);
  bounds.held = LimitFigure{0.3, -1};
  bounds.upper.setConstant(0.32);
  EXPECT_THAT(message_of([&] { choose_holdings(factor_like(4, false), bounds, {}); }),
              HasSubstr("No choice of 4 positions of at least 30% satisfies the limits"));
}

}  // namespace
}  // namespace inchtide

// Portfolios of few positions: the search against trying every choice of assets, and its proof.

#include "inchtide/frontier/holdings.hpp"

#include <bit>
#include <cmath>
#include <random>

#include "inchtide/base/errors.hpp"
#include "inchtide/frontier/tracked.hpp"
#include "inchtide/weights/allocation.hpp"
#include "support/messages.hpp"
#include "support/problems.hpp"
#include "support/rounds.hpp"

namespace inchtide::holdings {
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
    LimitRow row{-1, "total", Eigen::VectorXd::Zero(n), -INFINITY, 0.4 + 0.1 * pick(4)};
    for (auto& coefficient : row.coefficients) coefficient = pick(2);
    bounds.rows.push_back(row);
  }
  if (pick(4) == 0) {
    bounds.rows.push_back({-1, "gross", Eigen::VectorXd::Zero(n), -INFINITY, 1.0 + 0.1 * pick(4),
                           Eigen::VectorXd::Ones(n), Eigen::VectorXd::Zero(n)});
  }
  return c;
}

// Every asset out, long or short: the least of all that `value_of` makes of the bounds of a choice; it may throw
// InfeasibleLimits.
template <typename ValueOf>
double least_by_trying_all(const Case& c, ValueOf value_of) {
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
      best = std::min(best, value_of(bounds));
    } catch (const InfeasibleLimits&) {
    }
  }
  return best;
}

double objective_of(const Portfolio& p, double lambda) {
  return p.volatility * p.volatility / 2 - lambda * p.expected_return;
}

Bounds with_positions(const Case& c) {
  auto bounds = c.problem.bounds;
  bounds.holdings = LimitFigure{double(c.most), -1};
  if (c.least > 0) bounds.held = LimitFigure{c.least, -1};
  return bounds;
}

TEST(Holdings, TheSearchFindsWhatTryingAllFinds) {
  std::mt19937_64 random(81);
  int found = 0, none = 0;
  for (int round = 0; round < test::rounds(150); ++round) {
    auto c = random_case(random, 3 + int(random() % 4));
    const double best = least_by_trying_all(c, [&](const Bounds& choice) {
      return objective_of(trace_frontier(c.problem.estimate, choice).at_lambda(c.lambda), c.lambda);
    });
    const auto bounds = with_positions(c);
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
  EXPECT_GT(found, test::rare(30));
  EXPECT_GT(none, test::rare(2));
}

// The same under ceilings between the least that all assets together allow and what the best choice has without one.
TEST(Holdings, CeilingsHoldInTheSearchAsInTryingAll) {
  std::mt19937_64 random(84);
  int volatility_binds = 0, tracking_binds = 0, none = 0;
  for (int round = 0; round < test::rounds(600); ++round) {
    const int n = 3 + int(random() % 4);
    auto c = random_case(random, n);
    if (round % 3 != 1) c.lambda = 0.1 + 0.1 * double(random() % 5);
    const auto& estimate = c.problem.estimate;
    const auto part = [&] { return double(random() % 1000) / 1000; };
    Eigen::VectorXd index(n);
    for (auto& weight : index) weight = part();
    index /= index.sum();
    HoldingsOptions options;
    options.lambda = c.lambda;
    options.gap = 1e-6;
    options.benchmark = BenchmarkRisk::of_weights(estimate.covariance, index);
    auto bounds = with_positions(c);
    std::optional<HoldingsAnswer> free;
    try {
      free = choose_holdings(estimate, bounds, options);
    } catch (const InfeasibleLimits&) {
      continue;
    }
    const double error = options.benchmark->tracking_error(estimate.covariance, free->portfolio.weights);
    const bool on_volatility = round % 3 != 1, on_tracking = round % 3 != 0;
    if (on_volatility) bounds.volatility = LimitFigure{free->portfolio.volatility * (0.8 + 0.3 * part()), -1};
    if (on_tracking) bounds.tracking_error = LimitFigure{error * (0.5 + 0.7 * part()), -1};
    if ((on_volatility && !(bounds.volatility->value > 1e-6)) || (on_tracking && !(error > 1e-6))) continue;
    const double best = least_by_trying_all(c, [&](Bounds choice) {
      if (!on_tracking) {
        const auto own = trace_frontier(estimate, choice);
        auto found = own.at_lambda(c.lambda);
        if (on_volatility && found.volatility > bounds.volatility->value) {
          if (own.corners().back().volatility > bounds.volatility->value) return double(INFINITY);
          found = own.at_volatility(bounds.volatility->value);
        }
        return objective_of(found, c.lambda);
      }
      choice.tracking_error = bounds.tracking_error;
      const TrackedFrontier own(estimate, choice, *options.benchmark);
      auto found = c.lambda > 0 ? own.at_lambda(c.lambda).portfolio : own.minimum_variance().portfolio;
      if (on_volatility && found.volatility > bounds.volatility->value) {
        if (own.minimum_variance().portfolio.volatility > bounds.volatility->value) return double(INFINITY);
        found = own.at_volatility(bounds.volatility->value).portfolio;
      }
      return objective_of(found, c.lambda);
    });
    try {
      const auto answer = choose_holdings(estimate, bounds, options);
      const double scale = 1e-8 + 1e-5 * std::abs(best);
      const auto& w = answer.portfolio.weights;
      EXPECT_TRUE(answer.proven) << round;
      EXPECT_NEAR(answer.objective, best, scale) << round;
      EXPECT_LE(answer.bound, best + scale) << round << ": the bound must not claim more than is so";
      const double most = on_volatility ? bounds.volatility->value : INFINITY;
      EXPECT_LE(answer.portfolio.volatility, most * (1 + 1e-8)) << round;
      const double its = options.benchmark->tracking_error(estimate.covariance, w);
      const double nearest = on_tracking ? bounds.tracking_error->value : INFINITY;
      EXPECT_LE(its, nearest * (1 + 1e-7)) << round;
      EXPECT_LE((w.array().abs() > 1e-9).count(), c.most) << round;
      volatility_binds += answer.portfolio.volatility > most * (1 - 1e-7);
      tracking_binds += its > nearest * (1 - 1e-7);
    } catch (const InfeasibleLimits& none_left) {
      EXPECT_TRUE(std::isinf(best)) << round << ": there is one; " << none_left.what();
      ++none;
    }
  }
  EXPECT_GT(volatility_binds, test::rare(50));
  EXPECT_GT(tracking_binds, test::rare(50));
  EXPECT_GT(none, test::rare(10));
}

TEST(Holdings, TheNearestToABenchmarkIsThatOfTryingAll) {
  std::mt19937_64 random(85);
  int found = 0;
  for (int round = 0; round < test::rounds(60); ++round) {
    const int n = 3 + int(random() % 4);
    auto c = random_case(random, n);
    const auto& estimate = c.problem.estimate;
    Eigen::VectorXd index(n);
    for (auto& weight : index) weight = double(1 + random() % 9);
    index /= index.sum();
    HoldingsOptions options;
    options.track = true;
    options.gap = 1e-6;
    options.benchmark = BenchmarkRisk::of_weights(estimate.covariance, index);
    const double best = least_by_trying_all(c, [&](const Bounds& choice) {
      return least_tracking_error(estimate, choice, *options.benchmark).tracking_error;
    });
    if (std::isinf(best)) continue;
    const auto answer = choose_holdings(estimate, with_positions(c), options);
    EXPECT_TRUE(answer.proven) << round;
    EXPECT_NEAR(options.benchmark->tracking_error(estimate.covariance, answer.portfolio.weights), best,
                1e-7 + 1e-5 * best)
        << round;
    EXPECT_LE(std::sqrt(2 * std::max(0.0, answer.bound)), best * (1 + 1e-6) + 1e-7) << round;
    EXPECT_NEAR(answer.objective, best * best / 2, 1e-7 * (1 + best)) << round;
    EXPECT_NEAR(answer.bound, best * best / 2, 1e-6 * (1 + best)) << round << ": it is proven";
    EXPECT_NEAR(answer.portfolio.expected_return, estimate.expected_return.dot(answer.portfolio.weights), 1e-15);
    ++found;
    if (best < 1e-3) continue;
    // Asked for half its square at most: a little more than the best, and a little less.
    options.better_than = 1.02 * best * best / 2;
    EXPECT_GT(choose_holdings(estimate, with_positions(c), options).portfolio.weights.size(), 0) << round;
    options.better_than = 0.98 * best * best / 2;
    EXPECT_EQ(choose_holdings(estimate, with_positions(c), options).portfolio.weights.size(), 0) << round;
  }
  EXPECT_GT(found, test::rare(30));
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
  for (const char* text : {"minimum-variance", "maximum-sharpe", "utility=5", "target-return=7%",
                           "target-volatility=20%", "maximum-diversification"}) {
    const auto chosen = choose(frontier, Aim::parse(text, ""), 0.01);
    EXPECT_TRUE(chosen.violations.empty()) << text;
    EXPECT_LE((chosen.weights.array() > 1e-9).count(), 5) << text;
    EXPECT_FALSE(chosen.notes.empty()) << "the gap is said";
  }
  // No five assets of some random choices have a higher ratio.
  const auto best = choose(frontier, Aim::parse("maximum-sharpe", ""), 0.01);
  const auto spread = choose(frontier, Aim::parse("maximum-diversification", ""), 0.01);
  auto volatilities = estimate;  // in the place of returns
  volatilities.expected_return = estimate.volatilities();
  std::mt19937_64 random(83);
  for (int round = 0; round < test::rounds(300); ++round) {
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
    EXPECT_LE(trace_frontier(volatilities, bounds).maximum_sharpe(0).sharpe,
              spread.average_volatility / spread.volatility * (1 + 1e-3));
  }
  // A blend is half of the few and half riskless: half the volatility, the same ratio.
  const auto blend = choose(frontier, {Aim::Kind::blend_volatility, best.volatility / 2}, 0.01);
  EXPECT_LT((blend.weights - best.weights / 2).cwiseAbs().maxCoeff(), 1e-12);
  EXPECT_NEAR(blend.sharpe, best.sharpe, 1e-12);
}

TEST(Holdings, TrackingNeedsABenchmark) {
  HoldingsOptions options;
  options.track = true;
  auto bounds = Bounds::long_only(4);
  EXPECT_THAT(message_of([&] { choose_holdings(factor_like(4, false), bounds, options); }),
              HasSubstr("the benchmark's returns are not known"));
  options.track = false;
  bounds.holdings = LimitFigure{2, -1};
  bounds.tracking_error = LimitFigure{0.1, -1};
  EXPECT_THAT(message_of([&] { choose_holdings(factor_like(4, false), bounds, options); }),
              HasSubstr("the benchmark's returns are not known"));
}

TEST(Holdings, TheHighestReturnAtAVolatilityIsThatOfTryingAll) {
  std::mt19937_64 random(35);
  int tried = 0;
  for (int round = 0; round < test::rounds(40); ++round) {
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
      EXPECT_THAT(message_of([&] { choose(frontier, aim, 0); }), HasSubstr("so little volatility"));
      continue;
    }
    const auto chosen = choose(frontier, aim, 0);
    ++tried;
    EXPECT_NEAR(chosen.expected_return, best, 2e-7) << round;
    EXPECT_LE(chosen.volatility, volatility * (1 + 1e-9));
    EXPECT_THAT(chosen.violations, testing::IsEmpty());
    EXPECT_THAT(chosen.notes.front(), HasSubstr("Proven"));
  }
  EXPECT_GT(tried, test::rare(15));
}

TEST(Holdings, ThatCannotHoldIsSaid) {
  auto bounds = Bounds::long_only(4);
  bounds.held = LimitFigure{0.3, -1};
  bounds.upper.setConstant(0.32);
  EXPECT_THAT(message_of([&] { choose_holdings(factor_like(4, false), bounds, {}); }),
              HasSubstr("No choice of 4 positions of at least 30% satisfies the limits"));
}

/// With as many positions as assets it is the least volatility of all, and a ceiling there leaves that portfolio.
TEST(Holdings, AVolatilityCeilingAtTheLeastLeavesItAndNeedsNoBenchmark) {
  std::mt19937_64 random(84);
  for (int round = 0; round < 20; ++round) {
    const auto problem = test::random_problem(random, 5, {});
    const auto least = trace_frontier(problem.estimate, problem.bounds).minimum_variance();
    auto bounds = problem.bounds;
    bounds.holdings = LimitFigure{5, -1};
    bounds.volatility = LimitFigure{least.volatility, -1};
    HoldingsOptions options;
    options.lambda = 0.3;
    const auto answer = choose_holdings(problem.estimate, bounds, options);
    EXPECT_LT((answer.portfolio.weights - least.weights).cwiseAbs().maxCoeff(), 1e-4) << round;
  }
}

/// Small problems of factors against the same as whole matrices: what each part of an asset's own variance is worth.
TEST(Holdings, FactorStructuredBoundsClaimNoMoreThanIsSo) {
  std::mt19937_64 random(85);
  std::normal_distribution<double> normal;
  for (int round = 0; round < 40; ++round) {
    const int n = 6;
    const Eigen::MatrixXd loadings = Eigen::MatrixXd::NullaryExpr(n, 2, [&] { return normal(random); });
    Eigen::VectorXd own(n);
    for (double& variance : own) variance = 0.005 + 0.01 * double(random() % 8);
    auto structured = test::estimate_of(Eigen::VectorXd::NullaryExpr(n, [&] { return 0.05 + 0.03 * normal(random); }),
                                        Eigen::MatrixXd::Identity(n, n));
    structured.covariance = Covariance::factors(loadings, 0.02 * Eigen::Matrix2d::Identity(), own);
    auto dense = structured;
    dense.covariance = Covariance::dense(structured.covariance.matrix());
    auto bounds = Bounds::long_only(n);
    bounds.holdings = LimitFigure{2, -1};
    HoldingsOptions options;
    options.lambda = 0.2;
    options.gap = 1e-7;
    const auto one = choose_holdings(structured, bounds, options), other = choose_holdings(dense, bounds, options);
    const double scale = 1e-8 + 1e-6 * std::abs(other.objective);
    EXPECT_NEAR(one.objective, other.objective, scale) << round;
    EXPECT_LE(one.bound, other.objective + scale) << round;
  }
}

}  // namespace
}  // namespace inchtide::holdings

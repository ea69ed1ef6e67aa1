// Portfolios within a ceiling on the tracking error: proofs from scratch, against scans and closed forms.

#include "inchtide/frontier/tracked.hpp"

#include <fmt/format.h>

#include <cmath>
#include <random>

#include "inchtide/base/errors.hpp"
#include "inchtide/weights/allocation.hpp"
#include "support/messages.hpp"
#include "support/problems.hpp"
#include "support/rounds.hpp"

namespace inchtide {
namespace {

using test::message_of;
using testing::HasSubstr;

struct Tracked {
  test::Problem problem;
  BenchmarkRisk benchmark;
  Eigen::VectorXd benchmark_weights;
};

// Long only; a benchmark of all the assets that isn't efficient.
Tracked random_tracked(std::mt19937_64& random, int n) {
  Tracked tracked{test::random_problem(random, n, {}), {}, Eigen::VectorXd(n)};
  for (auto& weight : tracked.benchmark_weights) weight = 1 + double(random() % 9);
  tracked.benchmark_weights /= tracked.benchmark_weights.sum();
  tracked.benchmark = BenchmarkRisk::of_weights(tracked.problem.estimate.covariance, tracked.benchmark_weights);
  return tracked;
}

// By how much the gradient of 1/2 w'Sw - lambda m'w + nu/2 TE^2 lets an exchange of two weights gain: nothing at the
// optimum of this convex problem, whatever produced it. nu follows from the ceiling's price.
double gain_from_any_exchange(const Tracked& tracked, const TrackedPortfolio& found) {
  const auto& estimate = tracked.problem.estimate;
  const auto& w = found.portfolio.weights;
  const double nu = found.ceiling_price / found.tracking_error;
  const Eigen::VectorXd risk = test::product(estimate.covariance.matrix(), w),
                        active = test::product(estimate.covariance.matrix(), w - tracked.benchmark_weights),
                        gradient = risk + nu * active - found.portfolio.lambda * estimate.expected_return;
  double worst_held = -INFINITY, best_open = INFINITY;
  for (Eigen::Index i = 0; i < w.size(); ++i) {
    if (w[i] > 1e-9) worst_held = std::max(worst_held, gradient[i]);
    best_open = std::min(best_open, gradient[i]);
  }
  return (worst_held - best_open) / ((1 + nu) * risk.cwiseAbs().maxCoeff());
}

TEST(TrackedFrontier, EveryPortfolioIsProvenFromScratch) {
  std::mt19937_64 random(71);
  int bound = 0;
  for (int round = 0; round < test::rounds(25); ++round) {
    const auto tracked = random_tracked(random, 3 + int(random() % 12));
    auto bounds = tracked.problem.bounds;
    bounds.tracking_error = LimitFigure{0.02 + 0.01 * double(random() % 3), -1};
    const TrackedFrontier within(tracked.problem.estimate, bounds, tracked.benchmark);
    for (double part : {0.0, 0.2, 0.5, 0.9}) {
      const double wanted = within.least_return() + part * (within.most_return() - within.least_return());
      const auto found = within.at_return(wanted);
      EXPECT_NEAR(found.portfolio.expected_return, wanted, 1e-12);
      EXPECT_NEAR(found.portfolio.weights.sum(), 1, 1e-12);
      EXPECT_GE(found.portfolio.weights.minCoeff(), -1e-12);
      const Eigen::VectorXd active = found.portfolio.weights - tracked.benchmark_weights;
      const Eigen::VectorXd active_risk = test::product(tracked.problem.estimate.covariance.matrix(), active);
      const double error = std::sqrt(active.dot(active_risk));
      EXPECT_NEAR(found.tracking_error, error, 1e-9);
      EXPECT_LE(error, bounds.tracking_error->value + 1e-9);
      EXPECT_LT(gain_from_any_exchange(tracked, found), 1e-6) << round << " " << part;
      bound += found.ceiling_price > 0 ? 1 : 0;
    }
  }
  EXPECT_GT(bound, test::rare(50)) << "the ceiling has to bind for this to say anything";
}

TEST(TrackedFrontier, TheEndsAreWhatTheySay) {
  std::mt19937_64 random(72);
  for (int round = 0; round < test::rounds(20); ++round) {
    const auto tracked = random_tracked(random, 8);
    auto bounds = tracked.problem.bounds;
    bounds.tracking_error = LimitFigure{0.03, -1};
    const TrackedFrontier within(tracked.problem.estimate, bounds, tracked.benchmark);
    const auto least = within.minimum_variance();
    EXPECT_LT(gain_from_any_exchange(tracked, least), 1e-7);
    EXPECT_NEAR(least.portfolio.lambda, 0, 1e-12);
    // No random portfolio within the ceiling has less variance, or more return than the top.
    std::exponential_distribution<double> draw;
    for (int k = 0; k < 2000; ++k) {
      Eigen::VectorXd w(8);
      for (auto& weight : w) weight = draw(random);
      w /= w.sum();
      w = tracked.benchmark_weights + 0.3 * (w - tracked.benchmark_weights);
      if (tracked.benchmark.tracking_error(tracked.problem.estimate.covariance, w) > 0.03) continue;
      EXPECT_GE(tracked.problem.estimate.covariance.portfolio_variance(w),
                least.portfolio.volatility * least.portfolio.volatility * (1 - 1e-12));
      EXPECT_LE(tracked.problem.estimate.expected_return.dot(w), within.most_return() + 1e-12);
    }
  }
}

TEST(TrackedFrontier, AimsAreTheBestOfAScan) {
  std::mt19937_64 random(73);
  for (int round = 0; round < 6; ++round) {
    const auto tracked = random_tracked(random, 7);
    auto bounds = tracked.problem.bounds;
    bounds.tracking_error = LimitFigure{0.025, -1};
    const TrackedFrontier within(tracked.problem.estimate, bounds, tracked.benchmark);
    const double risk_free = within.least_return() - 0.02, lambda = 0.15;
    double ratio = -INFINITY, utility = -INFINITY;
    for (int k = 0; k <= 100; ++k) {
      const auto at =
          within.at_return(within.least_return() + k / 100.0 * (within.most_return() - within.least_return()));
      ratio = std::max(ratio, at.portfolio.sharpe(risk_free));
      utility = std::max(utility, lambda * at.portfolio.expected_return - std::pow(at.portfolio.volatility, 2) / 2);
    }
    const auto best = within.maximum_sharpe(risk_free), useful = within.at_lambda(lambda);
    EXPECT_GE(best.portfolio.sharpe(risk_free), ratio - 1e-12);
    EXPECT_LT(best.portfolio.sharpe(risk_free), ratio + 1e-3);
    EXPECT_GE(lambda * useful.portfolio.expected_return - std::pow(useful.portfolio.volatility, 2) / 2,
              utility - 1e-12);
    const double middle =
        (within.minimum_variance().portfolio.volatility + within.at_return(within.most_return()).portfolio.volatility) /
        2;
    EXPECT_NEAR(within.at_volatility(middle).portfolio.volatility, middle, 1e-10);
  }
}

TEST(TrackedFrontier, ASlackCeilingChangesNothing) {
  std::mt19937_64 random(74);
  const auto tracked = random_tracked(random, 9);
  auto bounds = tracked.problem.bounds;
  bounds.tracking_error = LimitFigure{5, -1};
  const TrackedFrontier within(tracked.problem.estimate, bounds, tracked.benchmark);
  const auto whole = trace_frontier(tracked.problem.estimate, tracked.problem.bounds);
  EXPECT_EQ(within.most_return(), whole.corners().front().expected_return);
  EXPECT_EQ(within.minimum_variance().portfolio.weights, whole.minimum_variance().weights);
  EXPECT_EQ(within.maximum_sharpe(0.01).portfolio.weights, whole.maximum_sharpe(0.01).portfolio.weights);
}

TEST(LeastTrackingError, OfABenchmarkWithinReachIsTheBenchmark) {
  std::mt19937_64 random(75);
  const auto tracked = random_tracked(random, 9);
  const auto least = least_tracking_error(tracked.problem.estimate, tracked.problem.bounds, tracked.benchmark);
  EXPECT_LT((least.portfolio.weights - tracked.benchmark_weights).cwiseAbs().maxCoeff(), 1e-9);
  EXPECT_LT(least.tracking_error, 1e-7);
}

TEST(LeastTrackingError, TwoAssetsInClosedForm) {
  // Uncorrelated, the benchmark 90/10 and at most 70% in the first: 20 points away in each.
  const auto estimate =
      test::estimate_of(Eigen::Vector2d(0.05, 0.07), Eigen::Matrix2d(Eigen::Vector2d(0.04, 0.01).asDiagonal()));
  LimitFacts facts;
  facts.benchmark = BenchmarkRisk::of_weights(estimate.covariance, Eigen::Vector2d(0.9, 0.1));
  const Limits limits{Limit::parse("A1 <= 70%")};
  const auto frontier = trace_frontier(estimate, limits, facts);
  const auto chosen = choose(frontier, Aim::parse("minimum-tracking-error", ""), 0.01);
  EXPECT_NEAR(chosen.weights[0], 0.7, 1e-12);
  EXPECT_NEAR(*chosen.tracking_error, 0.2 * std::sqrt(0.05), 1e-12);
  ASSERT_EQ(chosen.binding.size(), 1u);
  EXPECT_NEAR(*chosen.binding[0].loosening, 0.01 * std::sqrt(0.05), 1e-9) << "a point nearer, in proportion";
}

TEST(LeastTrackingError, ACeilingOnVolatilityHoldsAndHasAPrice) {
  std::mt19937_64 random(78);
  const auto tracked = random_tracked(random, 8);
  const auto& estimate = tracked.problem.estimate;
  LimitFacts facts;
  facts.benchmark = tracked.benchmark;
  const double least = trace_frontier(estimate, Bounds::long_only(8)).minimum_variance().volatility;
  const double ceiling = 0.5 * (least + std::sqrt(tracked.benchmark.variance));
  const auto nearest_below = [&](double volatility) {
    const Limits limits{Limit::parse(fmt::format("volatility <= {}%", 100 * volatility))};
    return choose(trace_frontier(estimate, limits, facts), Aim::parse("minimum-tracking-error", ""), 0);
  };
  const auto at = nearest_below(ceiling);
  EXPECT_NEAR(at.volatility, ceiling, 1e-9);
  EXPECT_TRUE(at.violations.empty());
  // On the way from the benchmark to the least variance every portfolio of so little volatility is farther away.
  const auto calmest = trace_frontier(estimate, Bounds::long_only(8)).minimum_variance().weights;
  for (double part = 0; part <= 1; part += 0.001) {
    const Eigen::VectorXd w = (1 - part) * tracked.benchmark_weights + part * calmest;
    if (std::sqrt(estimate.covariance.portfolio_variance(w)) > ceiling) continue;
    EXPECT_GE(tracked.benchmark.tracking_error(estimate.covariance, w), *at.tracking_error - 1e-12);
  }
  constexpr double step = 1e-5;
  const double slope =
      (*nearest_below(ceiling - step).tracking_error - *nearest_below(ceiling + step).tracking_error) / (2 * step);
  ASSERT_FALSE(at.binding.empty());
  EXPECT_NEAR(*at.binding.front().loosening, 0.01 * slope, 1e-6);
}

TEST(LeastTrackingError, ACeilingAtTheLeastVolatilityLeavesThatPortfolio) {
  std::mt19937_64 random(79);
  for (int round = 0; round < 20; ++round) {
    const auto tracked = random_tracked(random, 6);
    auto bounds = tracked.problem.bounds;
    const auto calmest = trace_frontier(tracked.problem.estimate, bounds).minimum_variance();
    bounds.volatility = LimitFigure{calmest.volatility, -1};
    const auto least = least_tracking_error(tracked.problem.estimate, bounds, tracked.benchmark);
    EXPECT_LT((least.portfolio.weights - calmest.weights).cwiseAbs().maxCoeff(), 1e-5) << round;
  }
}

TEST(TrackingErrorLimit, IsHonouredByAimsAndHasAPrice) {
  std::mt19937_64 random(76);
  const auto tracked = random_tracked(random, 8);
  LimitFacts facts;
  facts.benchmark = tracked.benchmark;
  const auto least_with = [&](double ceiling) {
    const Limits limits{Limit::parse(fmt::format("tracking-error <= {}%", 100 * ceiling)), Limit::parse("A1 >= 2%")};
    return choose(trace_frontier(tracked.problem.estimate, limits, facts), Aim::parse("minimum-variance", ""), 0.01);
  };
  const auto at = least_with(0.03);
  EXPECT_NEAR(*at.tracking_error, 0.03, 1e-9);
  EXPECT_TRUE(at.violations.empty());
  constexpr double step = 1e-5;
  const double slope = (least_with(0.03 - step).volatility - least_with(0.03 + step).volatility) / (2 * step);
  const auto& binding = at.binding.front();
  EXPECT_EQ(binding.limit, "tracking-error <= 3%");
  EXPECT_NEAR(*binding.loosening, 0.01 * slope, 1e-6);
}

TEST(TrackingErrorLimit, ThatCannotHoldIsNamedWithItsFigure) {
  std::mt19937_64 random(77);
  const auto tracked = random_tracked(random, 8);
  LimitFacts facts;
  facts.benchmark = tracked.benchmark;
  const Limits limits{Limit::parse("each <= 90%"), Limit::parse("tracking-error <= 1%"), Limit::parse("A1 >= 80%")};
  try {
    trace_frontier(tracked.problem.estimate, limits, facts);
    FAIL() << "they cannot hold";
  } catch (const InfeasibleLimits& error) {
    EXPECT_EQ(error.names(), (std::vector<std::string>{"tracking-error <= 1%", "A1 >= 80%"}));
    EXPECT_THAT(error.what(), HasSubstr("the least tracking error that they leave is"));
  }
  EXPECT_THAT(message_of([&] {
                const auto frontier = trace_frontier(tracked.problem.estimate, Limits{});
                choose(frontier, Aim::parse("minimum-tracking-error", ""), 0);
              }),
              HasSubstr("Name a benchmark that has prices"));
  // Each of two ceilings can hold, and both together cannot.
  const double lowest = trace_frontier(tracked.problem.estimate, Bounds::long_only(8)).minimum_variance().volatility;
  const Limits two{Limit::parse("tracking-error <= 0.01%"),
                   Limit::parse(fmt::format("volatility <= {}%", 101 * lowest))};
  try {
    trace_frontier(tracked.problem.estimate, two, facts);
    FAIL() << "they cannot hold";
  } catch (const InfeasibleLimits& error) {
    EXPECT_EQ(error.names().size(), 2u) << error.what();
  }
  // Bounds have a ceiling, and nobody knows the benchmark.
  auto ceiling = Bounds::long_only(8);
  ceiling.tracking_error = LimitFigure{0.05, -1};
  const auto frontier = trace_frontier(tracked.problem.estimate, ceiling);
  EXPECT_THAT(message_of([&] { choose(frontier, Aim::parse("minimum-variance", ""), 0); }),
              HasSubstr("the benchmark's returns are not known"));
}

}  // namespace
}  // namespace inchtide

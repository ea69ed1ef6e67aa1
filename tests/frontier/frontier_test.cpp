#include "inchtide/frontier/frontier.hpp"

#include "inchtide/base/errors.hpp"
#include "support/messages.hpp"
#include "support/problems.hpp"
#include "support/rounds.hpp"

namespace inchtide {
namespace {

using test::estimate_of;
using test::message_of;
using test::Problem;
using test::Traits;
using testing::HasSubstr;

Eigen::MatrixXd covariance_of(const Eigen::VectorXd& volatility, double correlation) {
  Eigen::MatrixXd s = correlation * volatility * volatility.transpose();
  s.diagonal() = volatility.cwiseAbs2();
  return s;
}

Bounds bounds_with(Eigen::Index n, double lower, double upper) {
  auto bounds = Bounds::long_only(n);
  bounds.lower.setConstant(lower);
  bounds.upper.setConstant(upper);
  return bounds;
}

// ---- closed forms --------------------------------------------------------------------------------------------------

TEST(TwoAssets, MinimumVarianceAndMaximumSharpeInClosedForm) {
  const double s1 = 0.05, s2 = 0.20, rho = -0.2, m1 = 0.03, m2 = 0.08, rf = 0.01;
  const auto frontier =
      trace_frontier(estimate_of(Eigen::Vector2d(m1, m2), covariance_of(Eigen::Vector2d(s1, s2), rho)), Limits{});
  const double c = rho * s1 * s2;
  const double least = (s2 * s2 - c) / (s1 * s1 + s2 * s2 - 2 * c);
  EXPECT_NEAR(frontier.minimum_variance().weights[0], least, 1e-14);
  // The tangency portfolio is proportional to the inverse covariance times the excess returns.
  const double t1 = s2 * s2 * (m1 - rf) - c * (m2 - rf), t2 = s1 * s1 * (m2 - rf) - c * (m1 - rf);
  const auto best = frontier.maximum_sharpe(rf);
  EXPECT_NEAR(best.portfolio.weights[0], t1 / (t1 + t2), 1e-13);
  EXPECT_FALSE(best.at_top);
}

TEST(TwoAssets, EndsOfTheSweepAreTheAssetsAndEveryReturnHasItsWeights) {
  const auto frontier = trace_frontier(
      estimate_of(Eigen::Vector2d(0.02, 0.10), covariance_of(Eigen::Vector2d(0.10, 0.11), 0.95)), Limits{});
  // With this correlation the minimum variance is all in the first asset.
  EXPECT_EQ(frontier.weights(0), Eigen::Vector2d(0, 1));
  EXPECT_EQ(frontier.minimum_variance().weights, Eigen::Vector2d(1, 0));
  EXPECT_NEAR(frontier.corners().front().volatility, 0.11, 1e-16);
  EXPECT_NEAR(frontier.corners().back().volatility, 0.10, 1e-16);
  for (int step = 0; step <= 20; ++step) {
    const double share = step / 20.0;
    const auto portfolio = frontier.at_return(0.02 + 0.08 * share);
    EXPECT_NEAR(portfolio.weights[1], share, 1e-13);
    EXPECT_NEAR(frontier.at_volatility(portfolio.volatility).weights[1], share, 1e-9);
  }
}

TEST(Equicorrelated, MinimumVarianceIsEqualWeights) {
  for (int n : {2, 5, 40}) {
    const double sigma = 0.2, rho = 0.3;
    const Eigen::VectorXd m = Eigen::VectorXd::LinSpaced(n, 0.02, 0.10);
    const auto least = trace_frontier(estimate_of(m, covariance_of(Eigen::VectorXd::Constant(n, sigma), rho)), Limits{})
                           .minimum_variance();
    EXPECT_LT((least.weights.array() - 1.0 / n).abs().maxCoeff(), 1e-13);
    EXPECT_NEAR(least.volatility * least.volatility, sigma * sigma * (rho + (1 - rho) / n), 1e-15);
  }
}

TEST(Uncorrelated, MaximumSharpeWeighsByExcessOverVariance) {
  const Eigen::Vector3d m(0.04, 0.06, 0.09), s(0.1, 0.15, 0.3);
  const auto best = trace_frontier(estimate_of(m, covariance_of(s, 0)), Limits{}).maximum_sharpe(0.02);
  Eigen::Vector3d w = (m.array() - 0.02) / s.array().square();
  w /= w.sum();
  EXPECT_LT((best.portfolio.weights - w).norm(), 1e-14);
  EXPECT_NEAR(best.sharpe * best.sharpe, ((m.array() - 0.02) / s.array()).square().sum(), 1e-14);
}

// ---- brute force ---------------------------------------------------------------------------------------------------

// Every portfolio of a fine grid within the bounds.
template <typename Visit>
void visit_grid(int n, int steps, Visit visit) {
  std::vector<int> parts(std::size_t(n), 0);
  const std::function<void(int, int)> fill = [&](int i, int left) {
    if (i + 1 == n) {
      parts[std::size_t(i)] = left;
      Eigen::VectorXd w(n);
      for (int k = 0; k < n; ++k) w[k] = double(parts[std::size_t(k)]) / steps;
      visit(w);
      return;
    }
    for (int part = 0; part <= left; ++part) {
      parts[std::size_t(i)] = part;
      fill(i + 1, left - part);
    }
  };
  fill(0, steps);
}

void compare_with_grid(int n, int steps, unsigned seed) {
  std::mt19937_64 random(seed);
  auto problem = test::random_problem(random, n, {});
  problem.bounds.upper.setConstant(0.6);
  problem.bounds.lower[0] = 0.05;
  const auto frontier = trace_frontier(problem.estimate, problem.bounds);
  const double least = frontier.corners().back().expected_return, most = frontier.corners().front().expected_return;
  const double target = (least + most) / 2, exact = frontier.at_return(target).volatility;
  double nearest = 1e9, best_sharpe = -1e9;
  visit_grid(n, steps, [&](const Eigen::VectorXd& w) {
    if (test::limit_breach(problem, w) > 1e-12) return;
    const double e = problem.estimate.expected_return.dot(w);
    const double v = std::sqrt(problem.estimate.covariance.portfolio_variance(w));
    ASSERT_LE(e, most + 1e-12);
    ASSERT_GE(v, frontier.corners().back().volatility - 1e-12);
    if (e >= least && e <= most) {
      ASSERT_GE(v, frontier.at_return(e).volatility - 1e-12);
    }
    if (e >= target) nearest = std::min(nearest, v);
    best_sharpe = std::max(best_sharpe, (e - 0.01) / v);
  });
  EXPECT_GE(nearest, exact - 1e-12);
  EXPECT_LE(nearest, exact * (1 + 3.0 / steps)) << "the grid comes near the exact answer";
  if (!frontier.why_no_maximum_sharpe(0.01)) {
    const double sharpe = frontier.maximum_sharpe(0.01).sharpe;
    EXPECT_GE(sharpe, best_sharpe - 1e-12);
    EXPECT_LE(sharpe, best_sharpe * (1 + 3.0 / steps));
  }
}

TEST(FrontierLine, IsWhereTheWeightsBetweenCornersAre) {
  std::mt19937_64 random(7);
  for (int round = 0; round < 20; ++round) {
    const auto problem = test::random_problem(random, 12, Traits{});
    const auto frontier = trace_frontier(problem.estimate, problem.bounds);
    auto at_rate = problem.estimate;
    at_rate.risk_free = 0.01;
    const auto line = frontier.line(0.01, 4);
    ASSERT_EQ(line.size(), 5 * (frontier.corners().size() - 1) + 1);
    for (std::size_t k = 0; k + 1 < frontier.corners().size(); ++k) {
      for (std::size_t part = 0; part < 5; ++part) {
        const Eigen::VectorXd weights =
            (1 - double(part) / 5) * frontier.weights(k) + double(part) / 5 * frontier.weights(k + 1);
        const auto wanted = risk_and_return(at_rate, weights).front();
        const auto& at = line[5 * k + part];
        EXPECT_NEAR(at.expected_return, wanted.expected_return, 1e-13);
        EXPECT_NEAR(at.volatility, wanted.volatility, 1e-10);
        EXPECT_NEAR(at.sharpe, wanted.sharpe, 1e-7 * (1 + std::abs(wanted.sharpe)));
      }
    }
  }
}

TEST(BruteForce, NoGridPortfolioOfThreeAssetsBeatsTheFrontier) {
  for (unsigned seed : {1u, 2u, 3u, 4u, 5u}) compare_with_grid(3, 100, seed);
}

TEST(BruteForce, NoGridPortfolioOfFourAssetsBeatsTheFrontier) {
  for (unsigned seed : {11u, 12u, 13u}) compare_with_grid(4, 40, seed);
}

TEST(BruteForce, MinimumVarianceEqualsTheBestOfAllActiveSets) {
  std::mt19937_64 random(77);
  for (int trial = 0; trial < test::rounds(60); ++trial) {
    const Traits traits{trial % 2 == 0, trial % 3 == 0, trial % 5 == 0, false, trial % 4 != 0};
    const auto problem = test::random_problem(random, 1 + trial % 6, traits);
    const auto least = trace_frontier(problem.estimate, problem.bounds).minimum_variance();
    const double enumerated = double(test::minimum_variance_by_enumeration(problem));
    EXPECT_NEAR(least.volatility * least.volatility, enumerated, 1e-14) << "trial " << trial;
  }
}

// ---- random problems with an independent certificate
// -----------------------------------------------------------------

void check_whole_frontier(const Problem& problem, int trial) {
  const auto frontier = trace_frontier(problem.estimate, problem.bounds);
  const auto& corners = frontier.corners();
  for (std::size_t k = 0; k < corners.size(); ++k) {
    const Eigen::VectorXd w = frontier.weights(k);
    ASSERT_LT(test::limit_breach(problem, w), 1e-12) << "trial " << trial << " corner " << k;
    ASSERT_LT(test::gain_from_any_exchange(problem, w, corners[k].lambda_low), 2e-9)
        << "trial " << trial << " corner " << k;
    if (k + 1 == corners.size()) break;
    ASSERT_GT(corners[k].expected_return, corners[k + 1].expected_return) << "trial " << trial;
    ASSERT_GE(corners[k].lambda_low, corners[k + 1].lambda_high) << "trial " << trial;
    const Eigen::VectorXd middle = (w + frontier.weights(k + 1)) / 2;
    const double lambda = (corners[k].lambda_low + corners[k + 1].lambda_high) / 2;
    ASSERT_LT(test::gain_from_any_exchange(problem, middle, lambda), 2e-9)
        << "trial " << trial << " after corner " << k;
  }
  EXPECT_EQ(corners.back().lambda_low, 0);
}

TEST(RandomProblems, EveryCornerAndEverySegmentIsOptimal) {
  std::mt19937_64 random(2024);
  for (int trial = 0; trial < test::rounds(400); ++trial) {
    const Traits traits{trial % 2 == 1, trial % 3 == 1, trial % 5 == 1, false, trial % 4 < 3};
    check_whole_frontier(test::random_problem(random, 1 + int(random() % 30), traits), trial);
  }
}

TEST(RandomProblems, SingularCovariancesToo) {
  std::mt19937_64 random(4711);
  for (int trial = 0; trial < test::rounds(100); ++trial) {
    const Traits traits{trial % 2 == 1, trial % 3 == 1, trial % 5 == 1, true, true};
    check_whole_frontier(test::random_problem(random, 2 + int(random() % 20), traits), trial);
  }
}

TEST(RandomProblems, MaximumSharpeIsNotBeatenByRandomPortfolios) {
  std::mt19937_64 random(8);
  std::exponential_distribution<double> draw;
  for (int trial = 0; trial < test::rounds(40); ++trial) {
    const auto problem = test::random_problem(random, 6, {});
    const auto frontier = trace_frontier(problem.estimate, problem.bounds);
    if (frontier.why_no_maximum_sharpe(0.01)) continue;
    const auto best = frontier.maximum_sharpe(0.01);
    EXPECT_TRUE(best.portfolio.certificate.holds());
    for (int other = 0; other < 500; ++other) {
      Eigen::VectorXd w(6);
      for (auto& x : w) x = draw(random);
      w /= w.sum();
      w = 0.9 * best.portfolio.weights + 0.1 * w;
      const double v = std::sqrt(problem.estimate.covariance.portfolio_variance(w));
      ASSERT_LE((problem.estimate.expected_return.dot(w) - 0.01) / v, best.sharpe + 1e-12);
    }
  }
}

TEST(RandomProblems, FactorStructuredCovarianceGivesTheDenseFrontier) {
  std::mt19937_64 random(6);
  std::normal_distribution<double> normal;
  Eigen::MatrixXd loadings(30, 3);
  for (auto& b : loadings.reshaped()) b = 0.1 * normal(random);
  const Eigen::VectorXd specific = Eigen::VectorXd::LinSpaced(30, 0.005, 0.05);
  Eigen::VectorXd m(30);
  for (auto& x : m) x = 0.05 + 0.02 * normal(random);
  auto structured = estimate_of(m, Eigen::MatrixXd::Identity(30, 30));
  structured.covariance = Covariance::factors(loadings, Eigen::Matrix3d::Identity(), specific);
  auto dense = structured;
  dense.covariance = Covariance::dense(structured.covariance.matrix());
  const auto bounds = bounds_with(30, 0, 0.1);
  const auto a = trace_frontier(structured, bounds), b = trace_frontier(dense, bounds);
  ASSERT_EQ(a.corners().size(), b.corners().size());
  for (std::size_t k = 0; k < a.corners().size(); ++k) EXPECT_LT((a.weights(k) - b.weights(k)).norm(), 1e-11);
}

TEST(RandomProblems, AtReturnOnACornerIsTheCorner) {
  std::mt19937_64 random(15);
  const auto problem = test::random_problem(random, 12, {});
  const auto frontier = trace_frontier(problem.estimate, problem.bounds);
  for (std::size_t k = 0; k < frontier.corners().size(); ++k) {
    EXPECT_LT((frontier.at_return(frontier.corners()[k].expected_return).weights - frontier.weights(k)).norm(), 1e-12);
  }
}

// ---- degenerate cases by name
// ----------------------------------------------------------------------------------------

TEST(Degenerate, AllExpectedReturnsEqualLeavesOneCorner) {
  std::mt19937_64 random(1);
  auto problem = test::random_problem(random, 10, {});
  problem.estimate.expected_return.setConstant(0.05);
  const auto frontier = trace_frontier(problem.estimate, problem.bounds);
  ASSERT_EQ(frontier.corners().size(), 1u);
  EXPECT_LT(test::gain_from_any_exchange(problem, frontier.weights(0), 0), 1e-12);
}

TEST(Degenerate, TheTopIsTheLeastRiskyOfThoseOfHighestReturn) {
  // Two of three assets share the highest return: the first corner mixes them by inverse variance.
  const auto frontier = trace_frontier(
      estimate_of(Eigen::Vector3d(0.02, 0.08, 0.08), covariance_of(Eigen::Vector3d(0.02, 0.1, 0.2), 0)), Limits{});
  EXPECT_NEAR(frontier.weights(0)[1], 0.8, 1e-14);
  EXPECT_NEAR(frontier.weights(0)[2], 0.2, 1e-14);
}

TEST(Degenerate, TheBottomHasTheHighestReturnOfThoseOfMinimumVariance) {
  // Two perfectly correlated assets of the same volatility: variance can't tell them apart, return can.
  const auto frontier = trace_frontier(
      estimate_of(Eigen::Vector3d(0.03, 0.05, 0.09), covariance_of(Eigen::Vector3d(0.1, 0.1, 0.3), 1)), Limits{});
  EXPECT_EQ(frontier.minimum_variance().weights, Eigen::Vector3d(0, 1, 0));
}

TEST(Degenerate, DuplicatesAreHeldWithinTheirCaps) {
  const auto problem = Problem{
      estimate_of(Eigen::Vector4d(0.03, 0.08, 0.08, 0.08), covariance_of(Eigen::Vector4d(0.05, 0.2, 0.2, 0.2), 0)),
      Bounds::long_only(4)};
  Eigen::MatrixXd s = problem.estimate.covariance.matrix();
  s.bottomRightCorner(3, 3).setConstant(0.04);
  Problem copies{estimate_of(problem.estimate.expected_return, s), bounds_with(4, 0, 0.3)};
  check_whole_frontier(copies, 0);
}

TEST(Degenerate, ARisklessAssetEndsTheFrontierWithoutVariance) {
  const Eigen::Vector3d m(0.02, 0.05, 0.09), s(0, 0.1, 0.2);
  const auto frontier = trace_frontier(estimate_of(m, covariance_of(s, 0)), Limits{});
  const auto least = frontier.minimum_variance();
  EXPECT_NEAR(least.weights[0], 1, 1e-14);
  EXPECT_EQ(least.weights.tail(2), Eigen::Vector2d(0, 0));
  EXPECT_NEAR(frontier.minimum_variance().volatility, 0, 1e-15);
  // Against its own rate the ratio is the same along the whole first segment; the risky end is chosen.
  const auto tangency = frontier.maximum_sharpe(0.02);
  EXPECT_NEAR(tangency.portfolio.weights[0], 0, 1e-12);
  EXPECT_NEAR(tangency.sharpe, std::sqrt(0.3 * 0.3 + 0.35 * 0.35), 1e-12);
  EXPECT_THAT(
      message_of([&] { frontier.maximum_sharpe(0.01); }),
      HasSubstr("a portfolio without variance has an expected return of 2.00%, above the risk-free rate of 1%"));
}

TEST(Degenerate, LimitsThatTouchAtOnePointLeaveThatPortfolio) {
  std::mt19937_64 random(1);
  auto problem = test::random_problem(random, 4, {});
  for (const auto& bounds : {bounds_with(4, 0, 0.25), bounds_with(4, 0.25, 0.7), bounds_with(4, 0.25, 0.25)}) {
    const auto frontier = trace_frontier(problem.estimate, bounds);
    ASSERT_EQ(frontier.corners().size(), 1u);
    EXPECT_EQ(frontier.weights(0), Eigen::VectorXd::Constant(4, 0.25));
    EXPECT_NO_THROW(frontier.at_return(frontier.corners()[0].expected_return));
  }
}

TEST(Degenerate, ZeroWidthRangesStayPut) {
  const Limits limits{Limit::parse("A1 = 30%"), Limit::parse("A3 = 0%")};
  std::mt19937_64 random(21);
  const auto frontier = trace_frontier(test::random_problem(random, 6, {}).estimate, limits);
  for (std::size_t k = 0; k < frontier.corners().size(); ++k) {
    EXPECT_EQ(frontier.weights(k)[0], 0.3);
    EXPECT_EQ(frontier.weights(k)[2], 0);
  }
}

TEST(Degenerate, OneAssetIsItsOwnFrontier) {
  const auto frontier =
      trace_frontier(estimate_of(Eigen::VectorXd::Constant(1, 0.05), Eigen::MatrixXd::Constant(1, 1, 0.04)), Limits{});
  ASSERT_EQ(frontier.corners().size(), 1u);
  EXPECT_EQ(frontier.weights(0)[0], 1);
  EXPECT_NEAR(frontier.maximum_sharpe(0.01).sharpe, 0.2, 1e-15);
  EXPECT_TRUE(frontier.maximum_sharpe(0.01).at_top);
}

TEST(Degenerate, ALimitThatNeverBindsChangesNothing) {
  std::mt19937_64 random(31);
  const auto estimate = test::random_problem(random, 8, {}).estimate;
  const auto free = trace_frontier(estimate, Limits{}), wide = trace_frontier(estimate, {Limit::parse("each <= 200%")});
  ASSERT_EQ(free.corners().size(), wide.corners().size());
  for (std::size_t k = 0; k < free.corners().size(); ++k) EXPECT_LT((free.weights(k) - wide.weights(k)).norm(), 1e-13);
}

// ---- what it refuses
// -------------------------------------------------------------------------------------------------

TEST(Targets, OutsideTheRangePrintTheRange) {
  const auto frontier =
      trace_frontier(estimate_of(Eigen::Vector2d(0.03, 0.08), covariance_of(Eigen::Vector2d(0.05, 0.2), 0)), Limits{});
  EXPECT_THAT(message_of([&] { frontier.at_return(0.12); }),
              testing::AllOf(HasSubstr("target-return=12%"), HasSubstr("3.2941% (minimum variance) to 8.0000%")));
  EXPECT_THAT(message_of([&] { frontier.at_return(0.02); }), HasSubstr("The range is"));
  EXPECT_THAT(message_of([&] { frontier.at_volatility(0.3); }), HasSubstr("to 20.0000% (highest return)"));
  EXPECT_THROW(frontier.at_volatility(NAN), InputError);
}

TEST(Targets, ThereIsNoMaximumSharpeWhereNothingBeatsTheRiskFreeRate) {
  const auto frontier =
      trace_frontier(estimate_of(Eigen::Vector2d(0.03, 0.08), covariance_of(Eigen::Vector2d(0.05, 0.2), 0)), Limits{});
  EXPECT_THAT(
      message_of([&] { frontier.maximum_sharpe(0.08); }),
      HasSubstr("no portfolio within the limits beats the risk-free rate of 8%: the highest expected return is 8.00%"));
}

TEST(Targets, MaximumSharpeAtTheTopSaysSo) {
  const auto frontier = trace_frontier(
      estimate_of(Eigen::Vector2d(0.01, 0.08), covariance_of(Eigen::Vector2d(0.19, 0.2), 0.9)), Limits{});
  const auto best = frontier.maximum_sharpe(0.0);
  EXPECT_TRUE(best.at_top);
  EXPECT_EQ(best.portfolio.weights, Eigen::Vector2d(0, 1));
  EXPECT_TRUE(best.portfolio.certificate.holds());
}

TEST(Certificate, ExposesWeightsThatAreNotOptimal) {
  std::mt19937_64 random(5);
  const auto problem = test::random_problem(random, 8, {});
  const auto least = trace_frontier(problem.estimate, problem.bounds).minimum_variance();
  const auto judge = [&](const Eigen::VectorXd& w) {
    return certify(problem.estimate.covariance, problem.estimate.expected_return, problem.bounds, w, 0);
  };
  EXPECT_TRUE(judge(least.weights).holds());
  EXPECT_FALSE(judge(Eigen::VectorXd::Constant(8, 0.125)).holds());
  EXPECT_GT(judge(Eigen::VectorXd::Constant(8, 0.2)).limit_violation, 0.5);
  Eigen::VectorXd nudged = least.weights;
  nudged[0] += 1e-6;
  nudged[1] -= 1e-6;
  EXPECT_FALSE(judge(nudged).holds());
}

TEST(Trace, StopsWhereItMeetsANegativeVariance) {
  // Only a caller who vouches for the matrix gets this far with it: A1 against A2 has variance -0.03.
  Eigen::Matrix3d s;
  s << 0.09, 0.08, 0, 0.08, 0.04, 0, 0, 0, 0.01;
  auto estimate = estimate_of(Eigen::Vector3d(0.06, 0.05, 0.02), Eigen::Matrix3d::Identity());
  estimate.covariance = Covariance::known_semidefinite(s);
  EXPECT_THAT(message_of([&] { trace_frontier(estimate, Limits{}); }), HasSubstr("not positive semidefinite"));
}

TEST(Uncorrelated, ManyFreeWeightsInClosedForm) {
  // Nothing binds: weights as one over variance, all of them free at once.
  for (const Eigen::Index n : {33, 80}) {
    const Eigen::VectorXd variances = Eigen::VectorXd::LinSpaced(n, 0.01, 0.09);
    const Eigen::VectorXd returns = Eigen::VectorXd::LinSpaced(n, 0.09, 0.01);
    const auto frontier = trace_frontier(test::estimate_of(returns, variances.asDiagonal()), Bounds::long_only(n));
    const Eigen::VectorXd weights = variances.cwiseInverse() / variances.cwiseInverse().sum();
    EXPECT_LT((frontier.minimum_variance().weights - weights).cwiseAbs().maxCoeff(), 1e-12);
  }
}

/// A frontier that ends at a ceiling has the prices of the whole one on what is left of it.
TEST(VolatilityCeiling, LeavesThePricesBelowItAsTheyAre) {
  std::mt19937_64 random(55);
  int compared = 0;
  for (int round = 0; round < 30; ++round) {
    const auto estimate = test::random_problem(random, 8, {}).estimate;
    auto bounds = bounds_of({Limit::parse("each <= 35%"), Limit::parse("gross <= 130%"), Limit::parse("A1 >= -20%"),
                             Limit::parse("A2 >= -20%"), Limit::parse("A3 >= -20%"), Limit::parse("A4 >= -20%")},
                            estimate.assets, {});
    const auto whole = trace_frontier(estimate, bounds);
    const auto& corners = whole.corners();
    if (corners.size() < 6) continue;
    bounds.volatility = LimitFigure{(corners[1].volatility + corners[2].volatility) / 2, -1};
    const auto below = trace_frontier(estimate, bounds);
    for (std::size_t k = 3; k < corners.size(); ++k) {
      const double lambda = (corners[k].lambda_high + corners[k].lambda_low) / 2;
      if (!std::isfinite(lambda)) continue;
      const auto there = whole.at_lambda(lambda), here = below.at_lambda(lambda);
      ASSERT_EQ(here.row_prices.size(), there.row_prices.size());
      EXPECT_LT((here.row_prices - there.row_prices).cwiseAbs().maxCoeff(), 1e-10);
      ++compared;
    }
  }
  EXPECT_GT(compared, 40);
}

}  // namespace
}  // namespace inchtide

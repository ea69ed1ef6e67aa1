// The benchmark beside covariances of every kind: what a tracking error is made of.

#include "inchtide/estimate/benchmark.hpp"

#include <gmock/gmock.h>

#include <cmath>
#include <random>

#include "inchtide/base/errors.hpp"
#include "support/estimated.hpp"
#include "support/messages.hpp"

namespace inchtide {
namespace {

using test::message_of;
using testing::HasSubstr;

Covariance by_method(const ReturnTable& returns, const char* method) {
  return test::estimated_by(returns.returns, "arithmetic", method).estimate.covariance;
}

ReturnTable moved(int rows, int assets, unsigned seed) {
  return test::monthly(test::returns_with_a_factor(rows, assets, seed));
}

constexpr auto methods = {"sample",    "exponential:20", "constant-correlation", "scaled-identity", "one-factor",
                          "nonlinear", "factors:2"};

double distance(const Covariance& covariance, const Eigen::VectorXd& from, const Eigen::VectorXd& to) {
  return std::sqrt(covariance.portfolio_variance(from - to));
}

TEST(BenchmarkBeside, APortfolioOfWhatItIsMadeOfDoesNotMissIt) {
  const auto returns = moved(120, 6, 3);
  const Eigen::VectorXd made_of = Eigen::VectorXd{{0.3, 0.25, 0.2, 0.15, 0.1, 0}};
  const Eigen::VectorXd benchmark = (returns.returns * made_of).array() - 0.001;
  const Eigen::VectorXd equal = Eigen::VectorXd::Constant(6, 1.0 / 6);
  for (const char* method : methods) {
    const auto covariance = by_method(returns, method);
    const auto beside = benchmark_beside(covariance, returns, benchmark);
    EXPECT_NEAR(beside.tracking_error(covariance, made_of), 0, 1e-6) << method;
    EXPECT_NEAR(beside.tracking_error(covariance, equal), distance(covariance, equal, made_of), 1e-6) << method;
    EXPECT_NEAR(beside.variance, covariance.portfolio_variance(made_of), 1e-7) << method;
  }
}

TEST(BenchmarkBeside, LogReturnsAreTakenForTheSimpleOnesThatPortfoliosAddUp) {
  const auto simple = moved(120, 4, 8);
  const Eigen::VectorXd made_of = Eigen::VectorXd{{0.4, 0.3, 0.3, 0}};
  const Eigen::VectorXd benchmark = (simple.returns * made_of).array().log1p();
  auto logs = simple;
  logs.kind = ReturnKind::log;
  logs.returns = simple.returns.array().log1p();
  const auto covariance = simple_from_log(estimate_by(logs, {}).estimate).covariance;
  const auto beside = benchmark_beside(covariance, logs, benchmark);
  const Eigen::VectorXd equal = Eigen::VectorXd::Constant(4, 0.25);
  EXPECT_NEAR(beside.tracking_error(covariance, made_of), 0, 1e-6);
  EXPECT_NEAR(beside.tracking_error(covariance, equal), distance(covariance, equal, made_of), 1e-6);
}

TEST(BenchmarkBeside, IsTheSamplesOwnBesideTheSamples) {
  std::mt19937 random(4);
  std::normal_distribution<double> normal;
  const auto returns = moved(300, 5, 4);
  Eigen::VectorXd benchmark = returns.returns * Eigen::VectorXd{{0.5, 0.2, 0.2, 0.1, -0.1}};
  for (double& b : benchmark) b += 0.01 * normal(random);
  const auto covariance = by_method(returns, "sample");
  const auto sample = benchmark_risk(returns, benchmark, Denominator::sample);
  const auto beside = benchmark_beside(covariance, returns, benchmark);
  EXPECT_LT((beside.covariances - sample.covariances).norm(), 1e-12 * sample.covariances.norm());
  EXPECT_NEAR(beside.variance / sample.variance, 1, 1e-12);
}

/// As many assets as months, nearly: whatever is fitted, weights known to miss by a figure miss by about that.
TEST(BenchmarkRisk, OfAnAssetIsItsColumnOfTheCovariance) {
  auto returns = moved(90, 4, 5);
  // Some rows span two or three periods.
  long end = 0;
  for (Eigen::Index t = 0; t < 90; ++t) {
    const int span = t % 7 == 0 ? 3 : t % 5 == 0 ? 2 : 1;
    returns.spans.row(t).setConstant(span);
    returns.returns.row(t) = returns.returns.row(t).array() * std::sqrt(span) + 0.02 * span;
    returns.ends.push_back(end += span);
  }
  const auto covariance = sample_estimate(returns).covariance;
  for (Eigen::Index i = 0; i < 4; ++i) {
    const auto risk = benchmark_risk(returns, returns.returns.col(i), Denominator::sample);
    EXPECT_LT((risk.covariances - covariance.matrix().col(i)).norm(), 1e-14) << i;
    EXPECT_NEAR(risk.variance, covariance.variance(i), 1e-14);
  }
}

TEST(BenchmarkBeside, ManyAssetsOfFewRowsMissByAboutWhatTheyDo) {
  std::mt19937 random(5);
  std::normal_distribution<double> normal;
  for (const auto& [rows, assets] : {std::pair{60, 50}, {60, 20}, {40, 60}}) {
    for (const char* method : methods) {
      double squares = 0, of_one = 0;
      constexpr int draws = 40;
      for (int draw = 0; draw < draws; ++draw) {
        Eigen::VectorXd index = Eigen::VectorXd::Constant(assets, draw % 2 == 0 ? 1.0 / assets : 0.0);
        if (draw % 2 == 1) index[draw % assets] = 1;  // one of them alone
        const auto returns = moved(rows, assets, unsigned(draw));
        Eigen::VectorXd benchmark = returns.returns * index;
        for (double& b : benchmark) b += 0.01 * normal(random);
        const auto covariance = by_method(returns, method);
        const auto beside = benchmark_beside(covariance, returns, benchmark);
        (draw % 2 == 0 ? squares : of_one) += 2 * beside.squared_error(covariance, index) / draws;
        for (int k = 0; k < 20; ++k) {
          const Eigen::VectorXd any = Eigen::VectorXd::NullaryExpr(assets, [&] { return normal(random) / 5; });
          EXPECT_GE(beside.squared_error(covariance, any), 0) << method;
        }
      }
      const double missed = 12 * 0.01 * 0.01;
      EXPECT_NEAR(squares / missed, 1, 0.25) << method << rows << "x" << assets;
      EXPECT_NEAR(of_one / missed, 1, 0.25) << method << rows << "x" << assets;
    }
  }
}

TEST(BenchmarkBeside, OfRowsThatItHas) {
  const auto returns = moved(80, 4, 6);
  const Eigen::VectorXd made_of = Eigen::VectorXd{{0.4, 0.4, 0.1, 0.1}};
  Eigen::VectorXd benchmark = returns.returns * made_of;
  benchmark.head(50).setConstant(NAN);
  const auto covariance = by_method(returns, "sample");  // of all rows
  const auto beside = benchmark_beside(covariance, returns, benchmark);
  EXPECT_NEAR(beside.tracking_error(covariance, made_of), 0, 1e-6);
  benchmark.head(78).setConstant(NAN);
  EXPECT_THAT(message_of([&] { (void)benchmark_beside(covariance, returns, benchmark); }),
              HasSubstr("benchmark: 2 of its returns span the days of the assets', 3 are needed"));
}

TEST(BenchmarkBeside, OfAssetsThatNeverMoveIsAllRemainder) {
  std::mt19937 random(7);
  std::normal_distribution<double> normal;
  const auto returns = test::monthly(Eigen::MatrixXd::Constant(30, 2, 0.01));
  const Eigen::VectorXd benchmark = Eigen::VectorXd::NullaryExpr(30, [&] { return 0.02 * normal(random); });
  const auto still = Covariance::dense(Eigen::Matrix2d::Zero());
  const auto beside = benchmark_beside(still, returns, benchmark);
  EXPECT_EQ(beside.covariances, Eigen::Vector2d::Zero());
  EXPECT_NEAR(beside.variance, 12 * (benchmark.array() - benchmark.mean()).square().sum() / 29, 1e-15);
}

/// Twins, next to twins, and assets that never move: there is no one portfolio, and an answer all the same.
TEST(BenchmarkBeside, OfLookAlikesIsAnyPortfolioOfThem) {
  std::mt19937 random(8);
  std::normal_distribution<double> normal;
  Eigen::MatrixXd x = test::returns_with_a_factor(60, 30, 8);
  for (Eigen::Index i = 10; i < 20; ++i) x.col(i) = x.col(i - 10);
  for (Eigen::Index i = 20; i < 29; ++i) {
    for (Eigen::Index t = 0; t < 60; ++t) x(t, i) = x(t, i - 20) + 1e-10 * normal(random);
  }
  x.col(29).setConstant(0.001);
  const auto returns = test::monthly(x);
  const Eigen::VectorXd equal = Eigen::VectorXd::Constant(30, 1.0 / 30);
  const Eigen::VectorXd benchmark = x * equal;
  for (const char* method : {"constant-correlation", "scaled-identity", "sample"}) {
    const auto covariance = by_method(returns, method);
    const auto beside = benchmark_beside(covariance, returns, benchmark);
    EXPECT_TRUE(std::isfinite(beside.variance) && beside.covariances.allFinite()) << method;
    for (int k = 0; k < 50; ++k) {
      const Eigen::VectorXd any = Eigen::VectorXd::NullaryExpr(30, [&] { return normal(random); });
      EXPECT_GE(beside.squared_error(covariance, any), -1e-12) << method;
    }
  }
}

}  // namespace
}  // namespace inchtide

#include <algorithm>
#include <cmath>
#include <random>

#include "inchtide/relations/correlation.hpp"
#include "inchtide/relations/market_model.hpp"
#include "support/linear.hpp"
#include "support/messages.hpp"
#include "support/returns.hpp"

namespace inchtide {
namespace {

using test::message_of;
using test::table_of;
using testing::ElementsAre;
using testing::HasSubstr;

Eigen::MatrixXd returns_of(int t, int n, unsigned seed) {
  std::mt19937_64 random(seed);
  std::normal_distribution<double> normal;
  Eigen::MatrixXd x(t, n);
  for (int row = 0; row < t; ++row) {
    const double market = normal(random);
    for (int i = 0; i < n; ++i) x(row, i) = 100 + 0.01 * (i % 3) * market + 0.02 * normal(random);
  }
  return x;
}

TEST(Correlation, IsThatOfTheDefinitionWithExactOnesAndSymmetry) {
  const auto x = returns_of(60, 7, 1);
  const auto c = correlation_of(table_of(x));
  EXPECT_EQ(c.matrix, c.matrix.transpose());
  EXPECT_EQ(c.matrix.diagonal(), Eigen::VectorXd::Ones(7));
  const Eigen::Matrix<long double, -1, -1> data = x.cast<long double>();
  for (int i = 0; i < 7; ++i) {
    for (int j = 0; j < i; ++j) {
      const auto a = (data.col(i).array() - data.col(i).mean()).eval(),
                 b = (data.col(j).array() - data.col(j).mean()).eval();
      const long double r = (a * b).sum() / std::sqrt(a.square().sum() * b.square().sum());
      EXPECT_NEAR(c.matrix(i, j), double(r), 1e-12);  // means are thousands of deviations: digits are lost in the input
    }
  }
  Eigen::MatrixXd copies(20, 2);
  copies.col(0) = returns_of(20, 1, 2);
  copies.col(1) = -3 * copies.col(0);
  EXPECT_NEAR(correlation_of(table_of(copies)).matrix(0, 1), -1, 1e-12);
}

TEST(Correlation, OfAnAssetThatNeverMovesIsNone) {
  auto x = returns_of(30, 3, 3);
  x.col(1).setConstant(0.01);
  const auto c = correlation_of(table_of(x));
  EXPECT_THAT(c.motionless, ElementsAre("B"));
  EXPECT_TRUE(std::isnan(c.matrix(0, 1)) && std::isnan(c.matrix(1, 2)));
  EXPECT_FALSE(std::isnan(c.matrix(0, 2)));
  EXPECT_EQ(c.matrix(1, 1), 1);
  EXPECT_EQ(average_correlations(c, {}, "sector").at(0).pairs, 1u);
  EXPECT_THAT(message_of([&] { principal_components(c); }), HasSubstr("B: it never moves"));
  EXPECT_THAT(message_of([&] { order_by_clustering(c); }), HasSubstr("B: it never moves"));
  EXPECT_THAT(message_of([] { correlation_of(table_of(Eigen::MatrixXd::Ones(1, 2))); }), HasSubstr("too few"));
}

TEST(FisherInterval, CoversNineteenOfTwenty) {
  // By hand: r = 0.5, T = 28: atanh 0.5 = 0.549306, half width 1.96/5 = 0.391993; tanh(0.157313) and tanh(0.941299).
  const auto interval = fisher_interval(0.5, 28);
  EXPECT_NEAR(interval.low, 0.156028, 1e-5);
  EXPECT_NEAR(interval.high, 0.735818, 1e-5);
  EXPECT_EQ(fisher_interval(0.5, 3).low, -1);
  EXPECT_NEAR(fisher_interval(0.5, 4).low, std::tanh(std::atanh(0.5) - 1.959963984540054), 1e-12)
      << "four tell a little";
  EXPECT_EQ(fisher_interval(1, 30).low, 1);
  // On 2,000 histories of 40 pairs with correlation 0.6; Monte Carlo error 0.5 points, three of them 1.5.
  std::mt19937_64 random(4);
  std::normal_distribution<double> normal;
  int covered = 0;
  for (int round = 0; round < 2000; ++round) {
    Eigen::MatrixXd x(40, 2);
    for (int t = 0; t < 40; ++t) {
      x(t, 0) = normal(random);
      x(t, 1) = 0.6 * x(t, 0) + 0.8 * normal(random);
    }
    const auto around = fisher_interval(correlation_of(table_of(x)).matrix(0, 1), 40);
    covered += around.low <= 0.6 && 0.6 <= around.high ? 1 : 0;
  }
  EXPECT_NEAR(covered / 2000.0, 0.95, 0.015);
}

Correlation four() {
  Correlation c;
  c.assets = {"A", "B", "C", "D"};
  c.matrix.resize(4, 4);
  c.matrix << 1, 0.1, 0.8, -0.2,  //
      0.1, 1, 0.2, 0.7,           //
      0.8, 0.2, 1, -0.3,          //
      -0.2, 0.7, -0.3, 1;
  c.observations = 50;
  return c;
}

TEST(Averages, AreTakenWithinAndAcrossTags) {
  const Tags tags{{"sector"}, {"A", "B", "C", "D"}, {{"food"}, {"power"}, {"Food"}, {""}}};
  const auto averages = average_correlations(four(), tags, "sector");
  ASSERT_EQ(averages.size(), 4u);
  EXPECT_NEAR(averages[0].mean, (0.1 + 0.8 - 0.2 + 0.2 + 0.7 - 0.3) / 6, 1e-15);
  EXPECT_EQ(averages[1].of, "within the same sector");
  EXPECT_NEAR(averages[1].mean, 0.8, 1e-15);
  EXPECT_NEAR(averages[2].mean, 0.15, 1e-15);  // A-B and B-C; D has no sector
  EXPECT_EQ(averages[3].of, "within sector food");
  const auto negative = negative_pairs(four());
  ASSERT_EQ(negative.size(), 2u);
  EXPECT_EQ(std::pair(negative[0].a, negative[0].b), std::pair(Eigen::Index(2), Eigen::Index(3)));  // C and D
  EXPECT_EQ(pairs_of(four()).size(), 6u);
  EXPECT_NEAR(average_correlation(four()), (0.1 + 0.8 - 0.2 + 0.2 + 0.7 - 0.3) / 6, 1e-15);
  EXPECT_NEAR(average_correlation(four(), true), (0.1 + 0.8 + 0.2 + 0.2 + 0.7 + 0.3) / 6, 1e-15);
}

TEST(Orders, BringWhatBelongsTogetherTogether) {
  // A-C and B-D are the closest pairs; joined, they stand side by side.
  EXPECT_THAT(order_by_clustering(four()), ElementsAre(0u, 2u, 1u, 3u));
  const Tags tags{{"sector"}, {"A", "B", "C", "D"}, {{"food"}, {"power"}, {"food"}, {"power"}}};
  EXPECT_THAT(order_by_tag({"A", "B", "C", "D"}, tags, "sector"), ElementsAre(0u, 2u, 1u, 3u));
  const auto moved = four().in_order({0, 2, 1, 3});
  EXPECT_THAT(moved.assets, ElementsAre("A", "C", "B", "D"));
  EXPECT_EQ(moved.matrix(0, 1), 0.8);
  EXPECT_EQ(moved.matrix(3, 2), 0.7);
}

TEST(PrincipalComponents, MakeTheMatrixUpAgain) {
  const auto c = correlation_of(table_of(returns_of(80, 6, 5)));
  const auto p = principal_components(c);
  EXPECT_NEAR(p.shares.sum(), 1, 1e-13);
  EXPECT_TRUE(std::ranges::is_sorted(p.shares, std::greater{}));
  const Eigen::MatrixXd again = p.loadings * (6 * p.shares).asDiagonal() * p.loadings.transpose();
  EXPECT_LT((again - c.matrix).norm(), 1e-13);
}

TEST(MarketModel, IsTheRegressionOnAConstantAndTheBenchmark) {
  std::mt19937_64 random(6);
  std::normal_distribution<double> normal;
  const int t = 48;
  Eigen::VectorXd market(t), asset(t);
  for (int k = 0; k < t; ++k) {
    market[k] = 0.01 + 0.04 * normal(random);
    asset[k] = 0.002 + 1.3 * market[k] + 0.03 * normal(random);
  }
  const double rf = 0.024;
  const auto m = market_models(table_of(asset), market, rf).at(0);
  // By the normal equations of a regression with a constant.
  Eigen::MatrixXd x(t, 2);
  x.col(0).setOnes();
  x.col(1) = market.array() - rf / 12;
  const Eigen::VectorXd y = asset.array() - rf / 12;
  const Eigen::MatrixXd inverse = test::inverse(test::product(x.transpose(), x));
  const Eigen::MatrixXd b = test::product(inverse, test::product(x.transpose(), y));
  const double s2 = (y - test::product(x, b)).squaredNorm() / (t - 2);
  EXPECT_NEAR(m.beta, b(1), 1e-12);
  EXPECT_NEAR(m.alpha, 12 * b(0), 1e-12);
  EXPECT_NEAR(m.beta_error, std::sqrt(s2 * inverse(1, 1)), 1e-12);
  EXPECT_NEAR(m.alpha_error, 12 * std::sqrt(s2 * inverse(0, 0)), 1e-12);
  EXPECT_NEAR(m.specific_volatility, std::sqrt(12 * s2), 1e-12);
  EXPECT_NEAR(m.r_squared, 1 - s2 * (t - 2) / (y.array() - y.mean()).square().sum(), 1e-12);
  EXPECT_NEAR(m.r_squared, m.correlation * m.correlation, 1e-12);
  const auto self = market_models(table_of(market), market, rf).at(0);
  EXPECT_NEAR(self.beta, 1, 1e-14);
  EXPECT_NEAR(self.alpha, 0, 1e-15);
  EXPECT_THAT(message_of([&] { market_models(table_of(asset), Eigen::VectorXd::Constant(t, 0.01), 0); }),
              HasSubstr("the benchmark never moves"));
  EXPECT_THAT(message_of([&] { market_models(table_of(asset.head(2)), market.head(2), 0); }), HasSubstr("too few"));
}

TEST(MarketModel, ThreeReturnsAreEnoughAndTwoAreNot) {
  ReturnTable returns = test::table_of(Eigen::Vector3d(0.01, 0.03, -0.02));
  EXPECT_EQ(market_models(returns, Eigen::Vector3d(0.02, 0.01, -0.01), 0).front().observations, 3u);
  EXPECT_THAT(test::message_of([&] { (void)market_models(returns, Eigen::Vector3d(0.02, NAN, -0.01), 0); }),
              testing::HasSubstr("2 returns beside the benchmark are too few"));
}

}  // namespace
}  // namespace inchtide

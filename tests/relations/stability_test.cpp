// What lasts of a history, rolling correlations and the diversification curve, against definitions and brute force.

#include "inchtide/relations/stability.hpp"

#include <bit>
#include <cmath>
#include <random>

#include "inchtide/relations/diversification.hpp"
#include "support/linear.hpp"
#include "support/messages.hpp"
#include "support/returns.hpp"

namespace inchtide::stability {
namespace {

using test::message_of;
using test::table_of;
using testing::HasSubstr;

Eigen::MatrixXd returns_of(int t, int n, unsigned seed) {
  std::mt19937_64 random(seed);
  std::normal_distribution<double> normal;
  Eigen::MatrixXd x(t, n);
  for (int row = 0; row < t; ++row) {
    const double market = 0.02 * normal(random);
    for (int i = 0; i < n; ++i) x(row, i) = 0.001 * i + market + 0.01 * (1 + i) * normal(random);
  }
  return x;
}

TEST(RankCorrelation, IsSpearmansAndSharesTiedRanks) {
  // Without ties: 1 - 6 sum d^2 / (n (n^2 - 1)); ranks 1 2 3 4 5 against 2 1 4 5 3 differ by 1 1 1 1 2.
  Eigen::VectorXd a(5), b(5);
  a << 10, 20, 30, 40, 50;
  b << 0.2, 0.1, 0.4, 9, 0.3;
  EXPECT_NEAR(rank_correlation(a, b), 1 - 6.0 * 8 / (5 * 24), 1e-14);
  EXPECT_NEAR(rank_correlation(a, a.array().exp().matrix()), 1, 1e-14);
  EXPECT_NEAR(rank_correlation(a, -a), -1, 1e-14);
  // Ranks 1, 2.5, 2.5, 4 against 1 2 3 4: covariance 4.5, variances 4.5 and 5.
  EXPECT_NEAR(rank_correlation(Eigen::Vector4d(1, 2, 2, 3), Eigen::Vector4d(1, 2, 3, 4)), 4.5 / std::sqrt(22.5), 1e-14);
  EXPECT_TRUE(std::isnan(rank_correlation(a, Eigen::VectorXd::Ones(5))));
}

TEST(Stability, ComparesThePartsAsIfEachWereAHistoryOfItsOwn) {
  const auto x = returns_of(101, 6, 1);
  const auto s = stability_of(table_of(x));
  EXPECT_EQ(s.before, 50u);
  EXPECT_EQ(s.after, 51u);
  EXPECT_EQ(s.after_from, Day{std::chrono::days{50}});
  const auto first = correlation_of(table_of(x.topRows(50))), second = correlation_of(table_of(x.bottomRows(51)));
  Eigen::VectorXd before(6), after(6), pairs_before(15), pairs_after(15);
  for (Eigen::Index i = 0, k = 0; i < 6; ++i) {
    before[i] = 12 * x.col(i).head(50).mean();
    after[i] = 12 * x.col(i).tail(51).mean();
    EXPECT_NEAR(s.assets[std::size_t(i)].mean_before, before[i], 1e-13);
    EXPECT_NEAR(s.assets[std::size_t(i)].correlation_after, (second.matrix.col(i).sum() - 1) / 5, 1e-13);
    const double variance = (x.col(i).head(50).array() - x.col(i).head(50).mean()).square().sum() / 49;
    EXPECT_NEAR(s.assets[std::size_t(i)].volatility_before, std::sqrt(12 * variance), 1e-13);
    for (Eigen::Index j = i + 1; j < 6; ++j, ++k) {
      pairs_before[k] = first.matrix(i, j);
      pairs_after[k] = second.matrix(i, j);
    }
  }
  EXPECT_NEAR(s.mean_ranks, rank_correlation(before, after), 1e-14);
  EXPECT_NEAR(s.pair_ranks, rank_correlation(pairs_before, pairs_after), 1e-14);
  EXPECT_NEAR(s.volatility_ranks, 1, 0.2) << "volatilities rise with the asset's number in both parts";
  EXPECT_NEAR(s.average_before, pairs_before.mean(), 1e-14);
  EXPECT_NEAR(s.pair_error, std::sqrt((pairs_after - pairs_before).squaredNorm() / 15), 1e-14);
  EXPECT_NEAR(s.average_error, std::sqrt((pairs_after.array() - pairs_before.mean()).square().mean()), 1e-14);
}

TEST(Stability, CountsBySampleOrPopulation) {
  const auto table = table_of(returns_of(101, 3, 1));
  const auto sample = stability_of(table, Denominator::sample),
             population = stability_of(table, Denominator::population);
  for (std::size_t i = 0; i < 3; ++i) {
    EXPECT_NEAR(population.assets[i].volatility_before / sample.assets[i].volatility_before, std::sqrt(49 / 50.0),
                1e-12);
    EXPECT_NEAR(population.assets[i].volatility_after / sample.assets[i].volatility_after, std::sqrt(50 / 51.0), 1e-12);
    EXPECT_EQ(population.assets[i].correlation_after, sample.assets[i].correlation_after);
  }
}

TEST(Stability, PartsAtADayAndRefusesPartsThatAreTooShort) {
  const auto table = table_of(returns_of(40, 3, 2));
  EXPECT_EQ(stability_of(table, Day{std::chrono::days{30}}).before, 30u);
  EXPECT_EQ(stability_of(table, Day{std::chrono::days{30}}).after_from, Day{std::chrono::days{30}});
  EXPECT_THAT(message_of([&] { stability_of(table, Day{std::chrono::days{38}}); }),
              HasSubstr("38 returns before and 2"));
  EXPECT_THROW(stability_of(table, Day{std::chrono::days{1000}}), InputError);
}

TEST(RollingCorrelation, IsThatOfEachWindowAfresh) {
  const auto x = returns_of(60, 2, 3);
  const auto rolling = rolling_correlation(table_of(x), 0, 1, 24);
  ASSERT_EQ(rolling.values.size(), 37u);
  for (Eigen::Index k = 0; k < 37; ++k) {
    const auto c = correlation_of(table_of(x.middleRows(k, 24)));
    EXPECT_NEAR(rolling.values[std::size_t(k)], c.matrix(0, 1), 1e-13);
    const auto interval = fisher_interval(c.matrix(0, 1), 24);
    EXPECT_NEAR(rolling.low[std::size_t(k)], interval.low, 1e-12);
    EXPECT_NEAR(rolling.high[std::size_t(k)], interval.high, 1e-12);
    EXPECT_EQ(rolling.days[std::size_t(k)], Day{std::chrono::days{k + 23}});
  }
}

TEST(RollingCorrelation, SaysWhenTheWindowIsLongerThanTheHistory) {
  const auto table = table_of(returns_of(20, 2, 4));
  EXPECT_THAT(message_of([&] { rolling_correlation(table, 0, 1, 21); }),
              HasSubstr("rolling correlation of A and B: a window of 21 periods is longer than the 20 there are"));
  EXPECT_THROW(rolling_correlation(table, 0, 1, 3), InputError);
  auto still = table;
  still.returns.col(1).head(10).setConstant(0.5);
  const auto rolling = rolling_correlation(still, 0, 1, 5);
  EXPECT_TRUE(std::isnan(rolling.values[0]));
  EXPECT_FALSE(std::isnan(rolling.values.back()));
}

TEST(Diversification, IsTheRootOfTheMeanVarianceOverAllSubsets) {
  const auto x = returns_of(200, 9, 5);
  Eigen::MatrixXd s = x;
  s.rowwise() -= s.colwise().mean().eval();
  s = (test::product(s.transpose(), s) / 199).eval();
  const auto curve = diversification_curve(Covariance::dense(s), 4000, 6);
  for (int k = 1; k <= 9; ++k) {
    double sum = 0, roots = 0, least = 1e300, most = 0;
    int subsets = 0;
    for (unsigned set = 1; set < (1u << 9); ++set) {
      if (std::popcount(set) != k) continue;
      Eigen::VectorXd w = Eigen::VectorXd::Zero(9);
      for (int i = 0; i < 9; ++i) w[i] = (set >> i & 1) != 0 ? 1.0 / k : 0;
      const double variance = w.dot(test::product(s, w).col(0));
      sum += variance;
      roots += std::sqrt(variance);
      least = std::min(least, std::sqrt(variance));
      most = std::max(most, std::sqrt(variance));
      ++subsets;
    }
    EXPECT_NEAR(curve.expected[k - 1], std::sqrt(sum / subsets), 1e-14);
    // 4,000 draws: the mean within five standard errors, which are below the range / root 4000.
    EXPECT_NEAR(curve.mean[k - 1], roots / subsets, 5 * (most - least) / std::sqrt(4000.0) + 1e-14);
    EXPECT_GE(curve.low[k - 1], least - 1e-14);
    EXPECT_LE(curve.high[k - 1], most + 1e-14);
    EXPECT_LE(curve.mean[k - 1], curve.expected[k - 1] + 5 * (most - least) / std::sqrt(4000.0) + 1e-14);
  }
  EXPECT_NEAR(curve.floor * curve.floor, (s.sum() - s.trace()) / 72, 1e-14);
  EXPECT_EQ(diversification_curve(Covariance::dense(s), 0, 1).mean.size(), 0);
  EXPECT_THROW(diversification_curve(Covariance::dense(s), -1, 1), InputError);
}

TEST(Diversification, OfAssetsThatMoveAgainstEachOtherHasNoFloor) {
  Eigen::Matrix2d s;
  s << 0.04, -0.04, -0.04, 0.04;
  const auto curve = diversification_curve(Covariance::dense(s), 10, 1);
  EXPECT_EQ(curve.floor, 0);
  EXPECT_NEAR(curve.expected[1], 0, 1e-9);
}

/// Of ten assets one is calm. Among d draws of one asset the 5% point is the second least of 21 and the least of 20,
/// the 95% point the second largest of 21 and the largest of 20: how often it is the calm one's, or the wild one's, is
/// known.
TEST(DiversificationCurve, BandsAreTheOrderStatisticsOfTheDraws) {
  Eigen::VectorXd variances = Eigen::VectorXd::Constant(10, 0.04);
  variances[3] = 0.01;
  variances[7] = 0.09;
  const auto covariance = Covariance::dense(variances.asDiagonal());
  for (const int draws : {20, 21}) {
    int calm = 0, wild = 0;
    constexpr int seeds = 600;
    for (int seed = 0; seed < seeds; ++seed) {
      const auto curve = diversification_curve(covariance, draws, std::uint64_t(seed));
      calm += curve.low[0] < 0.15 ? 1 : 0;
      wild += curve.high[0] > 0.25 ? 1 : 0;
    }
    const double none = std::pow(0.9, draws), one = draws * 0.1 * std::pow(0.9, draws - 1);
    const double expected = draws == 20 ? 1 - none : 1 - none - one;
    EXPECT_NEAR(double(calm) / seeds, expected, 0.08) << draws;
    EXPECT_NEAR(double(wild) / seeds, expected, 0.08) << draws;
  }
}

}  // namespace
}  // namespace inchtide::stability

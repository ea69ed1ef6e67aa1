// The bootstrap's bands, and moments over a moving window.

#include <cmath>
#include <random>

#include "inchtide/estimate/bootstrap.hpp"
#include "inchtide/estimate/rolling.hpp"
#include "support/messages.hpp"
#include "support/returns.hpp"

namespace inchtide {
namespace {

using test::message_of;
using test::table_of;
using testing::HasSubstr;

Eigen::MatrixXd normal_returns(int t, int n, unsigned seed, double mean = 0.01) {
  std::mt19937_64 random(seed);
  std::normal_distribution<double> normal;
  Eigen::MatrixXd x(t, n);
  for (auto& value : x.reshaped()) value = mean + 0.04 * normal(random);
  return x;
}

TEST(Bootstrap, IsTheSameForAnyNumberOfThreads) {
  const auto table = table_of(normal_returns(96, 5, 1));
  BootstrapOptions options;
  options.correlations = true;
  options.threads = 1;
  const auto one = bootstrap_bands(table, options);
  options.threads = 2;
  const auto two = bootstrap_bands(table, options);
  EXPECT_EQ(one.mean_low, two.mean_low);
  EXPECT_EQ(one.volatility_high, two.volatility_high);
  EXPECT_EQ(one.correlation_low, two.correlation_low);
  options.seed = 2;
  EXPECT_NE(one.mean_low, bootstrap_bands(table, options).mean_low);
  EXPECT_NEAR(one.block, std::cbrt(96.0), 1e-12);
}

TEST(Bootstrap, WithBlocksOfOneSpreadsTheMeanByItsStandardError) {
  // Draws of single periods: the mean of T of them has the standard deviation s / sqrt(T), s with denominator T. A 90%
  // band of normal means is 2 x 1.645 of these wide.
  const auto x = normal_returns(400, 1, 3);
  BootstrapOptions options;
  options.block = 1;
  options.draws = 20000;
  const auto bands = bootstrap_bands(table_of(x), options);
  const double s = std::sqrt((x.array() - x.mean()).square().mean());
  const double width = 12 * 2 * 1.6449 * s / std::sqrt(400.0);
  EXPECT_NEAR((bands.mean_high[0] - bands.mean_low[0]) / width, 1, 0.03);
  EXPECT_LT(bands.mean_low[0], 12 * x.mean());
  EXPECT_GT(bands.mean_high[0], 12 * x.mean());
}

TEST(Bootstrap, BlocksFollowTheHistory) {
  // In blocks so long that they never end, a draw is the history turned round: every mean is the history's own.
  const auto x = normal_returns(50, 2, 4);
  BootstrapOptions options;
  options.block = 1e15;
  options.draws = 50;
  const auto bands = bootstrap_bands(table_of(x), options);
  EXPECT_NEAR(bands.mean_low[1], 12 * x.col(1).mean(), 1e-14);
  EXPECT_NEAR(bands.mean_high[1], 12 * x.col(1).mean(), 1e-14);
  const Eigen::VectorXd rest = x.col(0).array() - x.col(0).mean();
  EXPECT_NEAR(bands.volatility_high[0], std::sqrt(12 * rest.squaredNorm() / 49), 1e-13);
}

TEST(Bootstrap, RowsStayTogether) {
  Eigen::MatrixXd x = normal_returns(60, 2, 5);
  x.col(1) = -2 * x.col(0);
  BootstrapOptions options;
  options.correlations = true;
  const auto bands = bootstrap_bands(table_of(x), options);
  EXPECT_NEAR(bands.correlation_low(0, 1), -1, 1e-12);
  EXPECT_NEAR(bands.correlation_high(1, 0), -1, 1e-12);
}

TEST(Bootstrap, CoversTheTruthAboutAsOftenAsItSays) {
  // 300 histories of 120 independent normal months: a 90% band of the mean should hold the true mean in about 90%, a
  // little less for so short a history. Monte Carlo error: sqrt(0.9 x 0.1 / 300) = 1.7 points; three of them are 5.2.
  BootstrapOptions options;
  options.draws = 400;
  options.block = 1;
  int covered = 0;
  for (unsigned seed = 0; seed < 300; ++seed) {
    options.seed = seed + 1;
    const auto bands = bootstrap_bands(table_of(normal_returns(120, 1, 1000 + seed)), options);
    covered += bands.mean_low[0] <= 0.12 && 0.12 <= bands.mean_high[0] ? 1 : 0;
  }
  EXPECT_NEAR(covered / 300.0, 0.895, 0.052);
}

TEST(Bootstrap, OptionsOutOfRangeAreNamed) {
  const auto table = table_of(normal_returns(10, 1, 1));
  const auto complaint = [&](auto change) {
    BootstrapOptions options;
    change(options);
    return message_of([&] { bootstrap_bands(table, options); });
  };
  EXPECT_THAT(complaint([](auto& o) { o.draws = 1; }), HasSubstr("bootstrap: 1 draws"));
  EXPECT_THAT(complaint([](auto& o) { o.block = 0.5; }), HasSubstr("blocks of 0.5 periods"));
  EXPECT_THAT(complaint([](auto& o) { o.coverage = 1; }), HasSubstr("a coverage of 1"));
  EXPECT_THAT(message_of([] { bootstrap_bands(table_of(normal_returns(1, 1, 1)), {}); }), HasSubstr("too few"));
}

TEST(RollingMoments, EqualFreshOnesOnEveryWindow) {
  // A thousand days, with means a hundred times the deviations in one asset, so that cancellation would show.
  Eigen::MatrixXd x = normal_returns(1000, 6, 6);
  x.col(2).array() += 4;
  for (Eigen::Index window : {20, 60, 252}) {
    RollingMoments moments(x, window, 100);
    for (Eigen::Index end = window; end <= 1000; ++end) {
      moments.move_to(end);
      const Eigen::MatrixXd rows = x.middleRows(end - window, window);
      const Eigen::RowVectorXd mean = rows.colwise().mean();
      const Eigen::MatrixXd off = rows.rowwise() - mean;
      const Eigen::MatrixXd fresh = off.transpose() * off / double(window - 1);
      const Eigen::VectorXd sd = fresh.diagonal().cwiseSqrt();
      const Eigen::MatrixXd error = (moments.covariance() - fresh).cwiseAbs();
      ASSERT_LT(error.cwiseQuotient(sd * sd.transpose()).maxCoeff(), 1e-12) << window << " to " << end;
      ASSERT_LT((moments.mean().transpose() - mean).norm(), 1e-13);
    }
  }
}

TEST(RollingMoments, AreSharedPerYearAndHeldAsTheyWere) {
  const Eigen::MatrixXd x = normal_returns(300, 5, 11);
  RollingMoments plain(x, 60), yearly(x, 60);
  yearly.count_per_year(252);
  std::vector<Covariance> held;
  for (Eigen::Index end = 60; end <= 300; end += 20) {
    plain.move_to(end);
    yearly.move_to(end);
    held.push_back(yearly.shared_covariance());
    EXPECT_LT((held.back().matrix() - 252 * plain.covariance()).cwiseAbs().maxCoeff(), 1e-12);
    EXPECT_LT((yearly.mean() - 252 * plain.mean()).cwiseAbs().maxCoeff(), 1e-12);
  }
  // Those of earlier windows are still theirs.
  for (std::size_t k = 0; k < held.size(); ++k) {
    RollingMoments fresh(x, 60);
    fresh.move_to(60 + 20 * Eigen::Index(k));
    EXPECT_LT((held[k].matrix() - 252 * fresh.covariance()).cwiseAbs().maxCoeff(), 1e-11) << k;
  }
}

TEST(RollingMoments, KeepTheReturnsAndTheSpansOfEachRow) {
  // From a temporary; every third row spans two periods or three.
  Eigen::VectorXi k = Eigen::VectorXi::Ones(300);
  for (Eigen::Index i = 0; i < 300; i += 3) k[i] = 2 + int(i / 3 % 2);
  Eigen::MatrixXd x = normal_returns(300, 4, 9);
  x.col(1).array() += 2;
  constexpr Eigen::Index window = 40;
  RollingMoments moments(Eigen::MatrixXd(x), window, 70, k);
  for (Eigen::Index end = window; end <= 300; ++end) {
    moments.move_to(end);
    long double total = 0, squares = 0;
    std::vector<long double> mean(4, 0);
    for (Eigen::Index t = end - window; t < end; ++t) {
      total += k[t];
      squares += static_cast<long double>(k[t]) * k[t];
      for (int i = 0; i < 4; ++i) mean[std::size_t(i)] += x(t, i);
    }
    for (auto& m : mean) m /= total;
    for (int i = 0; i < 4; ++i) {
      ASSERT_NEAR(moments.mean()[i], double(mean[std::size_t(i)]), 1e-13);
      for (int j = 0; j < 4; ++j) {
        long double sum = 0;
        for (Eigen::Index t = end - window; t < end; ++t) {
          sum += (x(t, i) - k[t] * mean[std::size_t(i)]) * (x(t, j) - k[t] * mean[std::size_t(j)]);
        }
        ASSERT_NEAR(moments.covariance()(i, j), double(sum / (total - squares / total)), 1e-11) << end;
        ASSERT_NEAR(moments.covariance(Denominator::population)(i, j), double(sum / total), 1e-11) << end;
      }
    }
  }
}

TEST(RollingMoments, DependOnThePositionAndNotOnTheWayThere) {
  const auto x = normal_returns(500, 4, 7);
  RollingMoments steady(x, 120), jumping(x, 120);
  for (Eigen::Index end = 120; end <= 430; ++end) steady.move_to(end);
  jumping.move_to(500);
  jumping.move_to(430);
  EXPECT_LT((steady.covariance() - jumping.covariance()).norm(), 1e-15);
  const Eigen::MatrixXd s = steady.covariance();
  EXPECT_EQ(s, s.transpose());
  EXPECT_LT((s * 119 / 120 - steady.covariance(Denominator::population)).norm(), 1e-16);
}

TEST(RollingMoments, WindowsThatDoNotFitAreNamed) {
  const auto x = normal_returns(50, 2, 8);
  EXPECT_THAT(message_of([&] { RollingMoments(x, 51); }), HasSubstr("window: 51 periods of 50"));
  EXPECT_THAT(message_of([&] { RollingMoments(x, 1); }), HasSubstr("Give 2 to 50 periods"));
  EXPECT_THAT(message_of([&] { RollingMoments(x, 9, 0, Eigen::VectorXi::Ones(49)); }), HasSubstr("spans: 49 for 50"));
  EXPECT_THAT(message_of([&] { RollingMoments(x, 9, 0, Eigen::VectorXi::Zero(50)); }), HasSubstr("at least 1"));
  RollingMoments moments(x, 20);
  EXPECT_THAT(message_of([&] { moments.move_to(19); }), HasSubstr("20 periods up to period 19 of 50"));
}

}  // namespace
}  // namespace inchtide

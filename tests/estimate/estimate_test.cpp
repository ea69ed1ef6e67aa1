#include "inchtide/estimate/estimate.hpp"

#include <random>

#include "inchtide/base/errors.hpp"
#include "inchtide/estimate/benchmark.hpp"
#include "inchtide/estimate/estimators.hpp"
#include "support/messages.hpp"
#include "support/problems.hpp"

namespace inchtide {
namespace {

using test::message_of;
using testing::HasSubstr;

ReturnTable random_returns(int rows, int columns, double offset) {
  std::mt19937_64 random(3);
  std::normal_distribution<double> normal;
  ReturnTable table;
  table.returns.resize(rows, columns);
  for (auto& r : table.returns.reshaped()) r = offset + 0.03 * normal(random);
  for (int t = 0; t < rows; ++t) table.days.push_back(Day{std::chrono::days{19000 + 30 * t}});
  for (int i = 0; i < columns; ++i) table.assets.push_back("A" + std::to_string(i + 1));
  table.spans.setOnes(rows, columns);
  table.every = {1, Unit::month};
  table.periods_per_year = 12;
  return table;
}

TEST(SampleEstimate, AgreesWithLongDouble) {
  const auto table = random_returns(40, 5, 0.01);
  const auto estimate = sample_estimate(table, 0.02);
  const test::LongMatrix x = table.returns.cast<long double>();
  const Eigen::Matrix<long double, 1, Eigen::Dynamic> mean = x.colwise().mean();
  const test::LongMatrix centred = x.rowwise() - mean;
  const test::LongMatrix covariance = 12 * test::product(centred.transpose(), centred) / 39;
  for (Eigen::Index i = 0; i < 5; ++i) {
    EXPECT_NEAR(estimate.expected_return[i], double(12 * mean[i]), 1e-15);
    for (Eigen::Index j = 0; j < 5; ++j) {
      EXPECT_NEAR(estimate.covariance.between(i, j), double(covariance(i, j)), 1e-16);
      EXPECT_EQ(estimate.covariance.between(i, j), estimate.covariance.between(j, i));
    }
  }
  EXPECT_EQ(estimate.denominator, Denominator::sample);
  EXPECT_EQ(estimate.observations, 40u);
}

TEST(SampleEstimate, PortfolioVarianceIsTheVarianceOfTheWeightedSeries) {
  const auto table = random_returns(60, 6, 0.01);
  const auto estimate = sample_estimate(table);
  Eigen::VectorXd w(6);
  w << 0.3, 0.25, -0.1, 0.2, 0.15, 0.2;
  const Eigen::VectorXd series = table.returns * w;
  const double variance = 12 * (series.array() - series.mean()).square().sum() / 59;
  EXPECT_NEAR(estimate.covariance.portfolio_variance(w) / variance, 1, 1e-13);
  EXPECT_NEAR(estimate.expected_return.dot(w), 12 * series.mean(), 1e-15);
}

TEST(SampleEstimate, ALargeOffsetLosesNoMoreThanItsOwnRounding) {
  const auto near = sample_estimate(random_returns(30, 3, 0)), far = sample_estimate(random_returns(30, 3, 1e6));
  // The inputs themselves are rounded to 1e6 x 2^-53 = 1e-10, against deviations of 0.03.
  EXPECT_LT((near.covariance.matrix() - far.covariance.matrix()).cwiseAbs().maxCoeff(), 1e-10);
}

TEST(SampleEstimate, TakesReturnsBetweenTheDaysThatAllHave) {
  auto table = random_returns(20, 3, 0.01);
  // The second asset misses the end of period 4, and its next return spans two periods.
  table.spans(4, 1) = 0;
  table.returns(4, 1) = NAN;
  table.spans(5, 1) = 2;
  table.returns(5, 1) = 0.5;
  // By hand: one row over two periods, compounded for the others.
  Eigen::MatrixXd r(19, 3);
  r.topRows(4) = table.returns.topRows(4);
  r.bottomRows(14) = table.returns.bottomRows(14);
  for (int i : {0, 2}) r(4, i) = (1 + table.returns(4, i)) * (1 + table.returns(5, i)) - 1;
  r(4, 1) = 0.5;
  Eigen::VectorXd k = Eigen::VectorXd::Ones(19);
  k[4] = 2;
  const Eigen::RowVectorXd mean = r.colwise().sum() / 20;
  const Eigen::MatrixXd rest = r - k * mean;
  const Eigen::MatrixXd covariance = 12 * test::product(rest.transpose(), rest) / (20 - 22.0 / 20);
  const auto estimate = sample_estimate(table);
  EXPECT_EQ(estimate.observations, 19u);
  EXPECT_EQ(estimate.long_spans, 1u);
  EXPECT_LT((estimate.expected_return - 12 * mean.transpose()).norm(), 1e-14);
  EXPECT_LT((estimate.covariance.matrix() - covariance).norm(), 1e-15);
}

// Months of log returns with a third of the rows struck out, asset by asset: means and covariances have no bias.
TEST(SampleEstimate, OfPatchyHistoriesHasNoBias) {
  std::mt19937_64 random(1350);
  std::normal_distribution<double> normal;
#ifdef INCHTIDE_SANITIZE
  constexpr int histories = 60;
#else
  constexpr int histories = 1500;
#endif
  for (int n : {2, 3, 4}) {
    Eigen::MatrixXd mix = Eigen::MatrixXd::Identity(n, n) * 0.05;
    mix.row(0).setConstant(0.02);
    const Eigen::MatrixXd truth = test::product(mix.transpose(), mix);
    Eigen::MatrixXd sum = Eigen::MatrixXd::Zero(n, n), squares = sum;
    Eigen::VectorXd means = Eigen::VectorXd::Zero(n), mean_squares = means;
    for (int h = 0; h < histories; ++h) {
      constexpr int periods = 60;
      PriceTable table;
      table.prices.resize(periods + 1, n);
      Eigen::VectorXd level = Eigen::VectorXd::Zero(n);
      for (int i = 0; i < n; ++i) table.assets.push_back({std::string(1, char('A' + i)), "HLC"});
      for (int t = 0; t <= periods; ++t) {
        Eigen::VectorXd shocks(n);
        for (auto& shock : shocks) shock = normal(random);
        if (t > 0) level += test::product(mix.transpose(), shocks) + Eigen::VectorXd::Constant(n, 0.01);
        table.days.push_back(
            Day{(std::chrono::year_month{std::chrono::year{2000}, std::chrono::January} + std::chrono::months{t}) /
                std::chrono::last});
        const bool all_gone = t > 0 && t < periods && random() % 6 == 0;
        for (int i = 0; i < n; ++i) {
          const bool gone = all_gone || (t > 0 && t < periods && random() % 5 == 0);
          table.prices(t, i) = gone ? NAN : std::exp(level[i]);
        }
      }
      const auto e = sample_estimate(returns_of(table, {1, Unit::month}, ReturnKind::log));
      const Eigen::MatrixXd covariance = e.covariance.matrix() / 12;
      sum += covariance;
      squares += covariance.cwiseAbs2();
      means += e.expected_return / 12;
      mean_squares += (e.expected_return / 12).cwiseAbs2();
    }
    const auto within = [&](double total, double total_squares, double expected, const std::string& what) {
      const double mean = total / histories;
      const double error = std::sqrt((total_squares / histories - mean * mean) / histories);
      EXPECT_NEAR(mean, expected, 4.5 * error) << what << " of " << n;
    };
    for (int i = 0; i < n; ++i) {
      within(means[i], mean_squares[i], 0.01, "mean");
      for (int j = 0; j <= i; ++j) within(sum(i, j), squares(i, j), truth(i, j), "covariance");
    }
  }
}

TEST(SampleEstimate, NeedsTwoReturns) {
  EXPECT_THROW(sample_estimate(random_returns(1, 2, 0)), InputError);
}

TEST(Estimate, NamesWhatDoesNotFit) {
  auto estimate = test::estimate_of(Eigen::Vector2d(0.05, 0.06), Eigen::Matrix2d::Identity());
  estimate.assets[1] = "a1";
  EXPECT_THAT(message_of([&] { estimate.check(); }), HasSubstr("a1: it comes twice"));
  estimate.assets[1] = "B";
  estimate.expected_return[1] = NAN;
  EXPECT_THAT(message_of([&] { estimate.check(); }), HasSubstr("B: its expected return is not a finite number"));
}

TEST(Covariance, FactorsAnswerLikeTheDenseMatrix) {
  std::mt19937_64 random(9);
  std::normal_distribution<double> normal;
  Eigen::MatrixXd loadings(7, 2);
  for (auto& b : loadings.reshaped()) b = normal(random);
  Eigen::Matrix2d factor;
  factor << 0.04, 0.01, 0.01, 0.02;
  const Eigen::VectorXd specific = Eigen::VectorXd::LinSpaced(7, 0.01, 0.07);
  const auto covariance = Covariance::factors(loadings, factor, specific);
  Eigen::MatrixXd full = loadings * factor * loadings.transpose();
  full.diagonal() += specific;
  const auto dense = Covariance::dense((full + full.transpose()) / 2);
  const Eigen::VectorXd w = Eigen::VectorXd::LinSpaced(7, -1, 1);
  EXPECT_LT((covariance.matrix() - dense.matrix()).norm(), 1e-15);
  EXPECT_LT((covariance.product(w) - dense.product(w)).norm(), 1e-15);
  const std::vector<int> few{5, 0};
  const Eigen::VectorXd of_few = full.col(5) * 0.3 - full.col(0) * 0.2;
  for (const auto* each : {&covariance, &dense}) {
    EXPECT_LT((each->product(few, Eigen::Vector2d(0.3, -0.2)) - of_few).norm(), 1e-15);
  }
  for (Eigen::Index i = 0; i < 7; ++i) {
    EXPECT_LT((covariance.column(i) - dense.column(i)).norm(), 1e-15);
    EXPECT_NEAR(covariance.between(i, 3), dense.between(i, 3), 1e-16);
    EXPECT_NEAR(covariance.variance(i), dense.variance(i), 1e-16);
  }
}

TEST(Covariance, ABlockIsThatOfTheMatrix) {
  Eigen::MatrixXd loadings(4, 1);
  loadings << 0.1, 0.2, 0.3, 0.4;
  const auto factors =
      Covariance::factors(loadings, Eigen::MatrixXd::Constant(1, 1, 2), Eigen::Vector4d(0.01, 0.02, 0.03, 0.04));
  // 2 x 0.4 x 0.2, and with the specific variances on the diagonal.
  Eigen::Matrix2d expected;
  expected << 0.36, 0.16, 0.16, 0.10;
  const auto some = factors.block({3, 1});
  EXPECT_FALSE(some.is_dense());
  EXPECT_LT((some.matrix() - expected).norm(), 1e-15);
  const auto dense = Covariance::dense(factors.matrix()).block({3, 1});
  EXPECT_TRUE(dense.is_dense());
  EXPECT_LT((dense.matrix() - expected).norm(), 1e-15);
}

TEST(Covariance, RefusesWhatIsNotOne) {
  Eigen::MatrixXd s(2, 2);
  s << 1, 0.5, 0.4, 1;
  EXPECT_THAT(message_of([&] { Covariance::dense(s); }), HasSubstr("entry (2, 1) is 0.4 and (1, 2) is 0.5"));
  EXPECT_THROW(Covariance::dense(Eigen::MatrixXd::Ones(2, 3)), InputError);
  s << 1, NAN, NAN, 1;
  EXPECT_THROW(Covariance::dense(s), InputError);
  s << -1, 0, 0, 1;
  EXPECT_THAT(message_of([&] { Covariance::dense(s); }), HasSubstr("the variance of asset 1 is -1"));
  s << 1, 2, 2, 1;
  // Three correlations of 0.9, 0.9 and -0.9 contradict each other: 1 - 2 x 0.9 is the least eigenvalue.
  Eigen::Matrix3d contradiction;
  contradiction << 1, 0.9, -0.9, 0.9, 1, 0.9, -0.9, 0.9, 1;
  EXPECT_THAT(message_of([&] { Covariance::dense(contradiction); }),
              AllOf(HasSubstr("its least eigenvalue is -0.800"), HasSubstr("repair its correlations")));
  EXPECT_THAT(message_of([&] { Covariance::dense(s); }), HasSubstr("not positive semidefinite"));
  s << 1, 1, 1, 1;
  EXPECT_NO_THROW(Covariance::dense(s));
  EXPECT_THROW(Covariance::factors(Eigen::MatrixXd::Ones(3, 2), Eigen::Matrix3d::Identity(), Eigen::Vector3d::Ones()),
               InputError);
  const Eigen::MatrixXd loadings = Eigen::MatrixXd::Ones(3, 1), one = Eigen::MatrixXd::Ones(1, 1);
  EXPECT_THROW(Covariance::factors(loadings, one, Eigen::Vector3d(0.1, -0.1, 0)), InputError);
  EXPECT_NO_THROW(Covariance::factors(loadings, one, Eigen::Vector3d(0.1, 0.1, 0))) << "no variance of its own is none";
}

TEST(Covariance, ToleratesRoundingInProportionToItsLargestEntry) {
  for (double scale : {1e-6, 1.0, 1e6}) {
    Eigen::MatrixXd s = scale * Eigen::MatrixXd::Identity(3, 3);
    s(2, 0) = 0.5e-10 * scale;
    EXPECT_NO_THROW(Covariance::dense(s)) << scale;
    s(2, 0) = 2e-10 * scale;
    EXPECT_THROW(Covariance::dense(s), InputError) << scale;
  }
}

TEST(Covariance, ChecksBothHalvesOfALargeMatrix) {
  for (const auto& [i, j] : {std::pair{1, 0}, {40, 3}, {69, 68}, {69, 0}}) {
    Eigen::MatrixXd s = 2 * Eigen::MatrixXd::Identity(70, 70);
    EXPECT_NO_THROW(Covariance::dense(s));
    s(i, j) = 0.1;
    EXPECT_THAT(message_of([&] { Covariance::dense(s); }), HasSubstr("not symmetric")) << i << ", " << j;
  }
}

TEST(Estimate, AveragesTheCorrelationsThatThereAre) {
  Estimate estimate;
  Eigen::Matrix4d s = Eigen::Vector4d(4, 9, 0, 25).asDiagonal();
  s(0, 1) = s(1, 0) = 0.5 * 2 * 3;
  s(0, 3) = s(3, 0) = -0.2 * 2 * 5;
  s(1, 3) = s(3, 1) = 0.3 * 3 * 5;
  estimate.covariance = Covariance::dense(s);
  estimate.expected_return = Eigen::Vector4d::Zero();
  EXPECT_NEAR(estimate.average_correlation(), 0.2, 1e-15);  // of three pairs: one asset has no volatility
  estimate.covariance = Covariance::dense(1e-6 * s);
  EXPECT_NEAR(estimate.average_correlation(), 0.2, 1e-14) << "in any unit";
  estimate.covariance = Covariance::dense(Eigen::MatrixXd::Identity(1, 1));
  EXPECT_TRUE(std::isnan(estimate.average_correlation()));
}

TEST(BenchmarkRisk, GivesTheTrackingErrorOfWeights) {
  const auto s = Covariance::dense(Eigen::Vector2d(0.04, 0.09).asDiagonal());
  const auto risk = BenchmarkRisk::of_weights(s, Eigen::Vector2d(1, 0));
  EXPECT_NEAR(risk.tracking_error(s, Eigen::Vector2d(0.4, 0.6)), std::sqrt(0.36 * (0.04 + 0.09)), 1e-15);
  EXPECT_EQ(risk.tracking_error(s, Eigen::Vector2d(1, 0)), 0);
  EXPECT_THROW((BenchmarkRisk{Eigen::Vector2d(0, 0), -1}.check(2)), InputError);
  EXPECT_THROW((BenchmarkRisk{Eigen::Vector2d(0, 0), INFINITY}.check(2)), InputError);
  EXPECT_NO_THROW((BenchmarkRisk{Eigen::Vector2d(0, 0), 0}.check(2)));
}

TEST(BenchmarkRisk, IsThatOfTheBenchmarkAsOneMoreAsset) {
  for (auto denominator : {Denominator::sample, Denominator::population}) {
    const auto all = random_returns(40, 4, 0.01);
    auto assets = all;
    assets.assets.pop_back();
    assets.returns.conservativeResize(Eigen::NoChange, 3);
    assets.spans.conservativeResize(Eigen::NoChange, 3);
    const auto risk = benchmark_risk(assets, all.returns.col(3), denominator);
    EstimateOptions options;
    options.denominator = denominator;
    const auto whole = estimate_by(all, options).estimate.covariance;
    for (Eigen::Index i = 0; i < 3; ++i) EXPECT_NEAR(risk.covariances[i], whole.between(i, 3), 1e-16);
    EXPECT_NEAR(risk.variance, whole.variance(3), 1e-16);
  }
}

TEST(BenchmarkRisk, TakesTwoRows) {
  auto table = random_returns(2, 2, 0);
  EXPECT_NO_THROW(benchmark_risk(table, Eigen::Vector2d(0.01, 0.02), Denominator::sample));
  EXPECT_THAT(message_of([&] { benchmark_risk(table, Eigen::Vector2d(0.01, NAN), Denominator::sample); }),
              HasSubstr("1 of its returns"));
}

TEST(Estimate, SharpeRatiosAreBeyondTheRisklessRate) {
  Estimate estimate;
  estimate.assets = {"A", "B"};
  estimate.expected_return = Eigen::Vector2d(0.08, 0.01);
  estimate.covariance = Covariance::dense(Eigen::Vector2d(0.04, 0).asDiagonal());
  estimate.risk_free = 0.02;
  EXPECT_NEAR(estimate.sharpe_ratios()[0], 0.3, 1e-15);
  EXPECT_TRUE(std::isnan(estimate.sharpe_ratios()[1])) << "it never moves";
}

}  // namespace
}  // namespace inchtide

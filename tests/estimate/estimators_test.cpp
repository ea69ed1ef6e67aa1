// Estimators against their papers' formulas evaluated directly and slowly in long double, and against identities.

#include "inchtide/estimate/estimators.hpp"

#include <cmath>
#include <numbers>
#include <random>

#include "inchtide/estimate/shrinkage.hpp"
#include "support/linear.hpp"
#include "support/messages.hpp"
#include "support/problems.hpp"

namespace inchtide::estimators {
namespace {

using test::eigen_of;
using test::inverse;
using test::LongMatrix;
using test::LongVector;
using test::message_of;
using test::product;
using testing::ElementsAre;
using testing::HasSubstr;
using Real = long double;

// T x N returns with a common factor.
Eigen::MatrixXd returns_of(int t, int n, unsigned seed) {
  std::mt19937_64 random(seed);
  std::normal_distribution<double> normal;
  Eigen::MatrixXd x(t, n);
  for (int row = 0; row < t; ++row) {
    const double market = 0.03 * normal(random);
    for (int i = 0; i < n; ++i)
      x(row, i) = 0.005 + (0.5 + 0.1 * (i % 7)) * market + (0.01 + 0.004 * (i % 5)) * normal(random);
  }
  return x;
}

Eigen::MatrixXd demeaned(Eigen::MatrixXd x) {
  x.rowwise() -= x.colwise().mean().eval();
  return x;
}

ReturnTable table_of(const Eigen::MatrixXd& returns) {
  ReturnTable table;
  for (Eigen::Index t = 0; t < returns.rows(); ++t) table.days.push_back(Day{std::chrono::days{19000 + 30 * (t + 1)}});
  table.start = Day{std::chrono::days{19000}};
  for (Eigen::Index i = 0; i < returns.cols(); ++i) table.assets.push_back("A" + std::to_string(i + 1));
  table.returns = returns;
  table.spans = Eigen::MatrixXi::Ones(returns.rows(), returns.cols());
  table.every = {1, Unit::month};
  return table;
}

Estimated estimated_by(const Eigen::MatrixXd& returns, const char* expected, const char* covariance) {
  EstimateOptions options;
  options.expected = ExpectedMethod::parse(expected, "");
  options.covariance = CovarianceMethod::parse(covariance, "");
  return estimate_by(table_of(returns), options);
}

// ---- linear shrinkage: sums over t, i and j exactly as the papers write them ----------------------------------------

struct Direct {
  LongMatrix x, s;
  Real t;
  long n;

  explicit Direct(const Eigen::MatrixXd& data) : x(data.cast<Real>()), t(Real(data.rows())), n(data.cols()) {
    s = LongMatrix::Zero(n, n);
    for (long i = 0; i < n; ++i) {
      for (long j = 0; j < n; ++j) {
        for (long k = 0; k < x.rows(); ++k) s(i, j) += x(k, i) * x(k, j) / t;
      }
    }
  }
  Real pi(long i, long j) const {
    Real sum = 0;
    for (long k = 0; k < x.rows(); ++k) sum += std::pow(x(k, i) * x(k, j) - s(i, j), Real(2)) / t;
    return sum;
  }
  Real pi_sum() const {
    Real sum = 0;
    for (long i = 0; i < n; ++i) {
      for (long j = 0; j < n; ++j) sum += pi(i, j);
    }
    return sum;
  }
  Real intensity(const LongMatrix& target, Real rho) const {
    return std::clamp((pi_sum() - rho) / (target - s).squaredNorm() / t, Real(0), Real(1));
  }
};

void expect_shrunk(const Shrunk& shrunk, const Direct& direct, const LongMatrix& target, Real rho) {
  const Real intensity = direct.intensity(target, rho);
  EXPECT_NEAR(shrunk.intensity, double(intensity), 1e-11);
  EXPECT_GT(shrunk.intensity, 0.0) << "an intensity of 0 would hide the target";
  const LongMatrix matrix = (intensity * target + (1 - intensity) * direct.s) * direct.t / (direct.t - 1);
  EXPECT_LT(double((shrunk.matrix.cast<Real>() - matrix).cwiseAbs().maxCoeff()), 1e-13 * double(matrix.maxCoeff()));
}

TEST(Shrinkage, ToConstantCorrelationIsThePapersFormula) {
  for (unsigned seed : {1u, 2u, 3u}) {
    const auto x = demeaned(returns_of(40, 8, seed));
    const Direct d(x);
    Real average = 0;
    for (long i = 0; i < d.n; ++i) {
      for (long j = i + 1; j < d.n; ++j) average += d.s(i, j) / std::sqrt(d.s(i, i) * d.s(j, j));
    }
    average *= 2 / Real(d.n * (d.n - 1));
    LongMatrix target = d.s;
    Real rho = 0;
    for (long i = 0; i < d.n; ++i) {
      rho += d.pi(i, i);
      for (long j = 0; j < d.n; ++j) {
        if (i == j) continue;
        target(i, j) = average * std::sqrt(d.s(i, i) * d.s(j, j));
        Real theta_i = 0, theta_j = 0;
        for (long k = 0; k < d.x.rows(); ++k) {
          const Real off = d.x(k, i) * d.x(k, j) - d.s(i, j);
          theta_i += (d.x(k, i) * d.x(k, i) - d.s(i, i)) * off / d.t;
          theta_j += (d.x(k, j) * d.x(k, j) - d.s(j, j)) * off / d.t;
        }
        rho += average / 2 * (std::sqrt(d.s(j, j) / d.s(i, i)) * theta_i + std::sqrt(d.s(i, i) / d.s(j, j)) * theta_j);
      }
    }
    expect_shrunk(shrink_to_constant_correlation(x, 39), d, target, rho);
  }
}

TEST(Shrinkage, ToScaledIdentityIsThePapersFormula) {
  for (unsigned seed : {4u, 5u, 6u}) {
    const auto x = demeaned(returns_of(30, 12, seed));
    const Direct d(x);
    const LongMatrix target = d.s.trace() / Real(d.n) * LongMatrix::Identity(d.n, d.n);
    expect_shrunk(shrink_to_scaled_identity(x, 29), d, target, 0);
  }
}

TEST(Shrinkage, ToOneFactorIsThePapersFormula) {
  for (unsigned seed : {7u, 8u, 9u}) {
    const auto x = demeaned(returns_of(36, 9, seed));
    const Direct d(x);
    const LongVector market = d.x.rowwise().mean();
    const Real m = market.squaredNorm() / d.t;
    const LongVector c = product(d.x.transpose(), market) / d.t;
    LongMatrix target = product(c, c.transpose()) / m;
    target.diagonal() = d.s.diagonal();
    Real rho = 0;
    for (long i = 0; i < d.n; ++i) {
      rho += d.pi(i, i);
      for (long j = 0; j < d.n; ++j) {
        if (i == j) continue;
        // The paper's r_ijt, averaged over t.
        Real r = 0;
        for (long k = 0; k < d.x.rows(); ++k) {
          const Real xi = d.x(k, i), xj = d.x(k, j), xm = market[k];
          r +=
              ((c[j] * m * xi + c[i] * m * xj - c[i] * c[j] * xm) / (m * m) * xm * xi * xj - target(i, j) * d.s(i, j)) /
              d.t;
        }
        rho += r;
      }
    }
    expect_shrunk(shrink_to_one_factor(x, 35), d, target, rho);
  }
}

TEST(Shrinkage, DegenerateReturnsAreNamedOrHandled) {
  Eigen::MatrixXd flat = demeaned(returns_of(20, 3, 1));
  flat.col(1).setZero();
  EXPECT_THAT(message_of([&] { shrink_to_constant_correlation(flat, 19); }), HasSubstr("asset 2 never moves"));
  EXPECT_GT(shrink_to_scaled_identity(flat, 19).matrix(1, 1), 0);
  Eigen::MatrixXd opposite = demeaned(returns_of(20, 1, 1)) * Eigen::RowVector2d(1, -1);
  EXPECT_THAT(message_of([&] { shrink_to_one_factor(opposite, 19); }), HasSubstr("the mean of the assets never moves"));
  EXPECT_THAT(message_of([] { nonlinear_shrinkage(Eigen::MatrixXd::Ones(12, 3)); }),
              HasSubstr("12 periods are too few"));
  EXPECT_THAT(message_of([&] { nonlinear_shrinkage(flat); }), HasSubstr("some combination of the assets never moves"));
}

// ---- nonlinear shrinkage --------------------------------------------------------------------------------------------

// The paper's formula, eigenvalue by eigenvalue, in long double.
LongVector shrunk_eigenvalues(const LongVector& all, long n) {
  const long p = all.size(), kept = std::min(p, n);
  const LongVector lambda = all.tail(kept);
  const Real h = std::pow(Real(n), Real(-1) / 3), c = Real(p) / Real(n), pi = std::numbers::pi_v<Real>;
  const Real r5 = std::sqrt(Real(5));
  LongVector d(p);
  for (long i = 0; i < kept; ++i) {
    Real f = 0, hf = 0;
    for (long j = 0; j < kept; ++j) {
      const Real hj = lambda[j] * h, u = (lambda[i] - lambda[j]) / hj;
      f += 3 / (4 * r5 * hj) * std::max(1 - u * u / 5, Real(0)) / Real(kept);
      hf += (-3 * u / (10 * pi) + 3 / (4 * r5 * pi) * (1 - u * u / 5) * std::log(std::abs((r5 - u) / (r5 + u)))) / hj /
            Real(kept);
    }
    const Real l = lambda[i];
    d[p - kept + i] = p <= n ? l / (std::pow(pi * c * l * f, Real(2)) + std::pow(1 - c - pi * c * l * hf, Real(2)))
                             : 1 / (pi * pi * l * (f * f + hf * hf));
  }
  if (p > n) {
    Real hf0 = 0;
    for (long j = 0; j < kept; ++j) hf0 += 1 / lambda[j] / Real(kept);
    hf0 *= (3 / (10 * h * h) + 3 / (4 * r5 * h) * (1 - 1 / (5 * h * h)) * std::log((1 + r5 * h) / (1 - r5 * h))) / pi;
    for (long i = 0; i < p - n; ++i) d[i] = 1 / (pi * Real(p - n) / Real(n) * hf0);
  }
  return d;
}

void expect_nonlinear(int t, int n, unsigned seed, double tolerance = 1e-10) {
  const auto x = demeaned(returns_of(t, n, seed));
  const LongMatrix data = x.cast<Real>(), s = product(data.transpose(), data) / Real(t - 1);
  const auto eigen = eigen_of(s);
  const LongVector d = shrunk_eigenvalues(eigen.values, t - 1);
  const LongMatrix scaled = eigen.vectors * d.asDiagonal();
  const LongMatrix expected = product(scaled, eigen.vectors.transpose());
  const auto got = nonlinear_shrinkage(x);
  EXPECT_LT(double((got.cast<Real>() - expected).cwiseAbs().maxCoeff() / expected.cwiseAbs().maxCoeff()), tolerance)
      << t << " x " << n;
  // The eigenvectors are the sample's: the two commute.
  const Eigen::MatrixXd sample = s.cast<double>();
  EXPECT_LT((product(got, sample) - product(sample, got)).norm() / product(got, sample).norm(), 1e-11);
}

TEST(NonlinearShrinkage, IsThePapersFormulaWithTheSamplesEigenvectors) {
  expect_nonlinear(60, 20, 1);
  // Eigenvalues so far apart that the kernel's terms cancel: the direct formula loses eight digits there, of sixteen in
  // double (which is why we don't use it so far out) and of nineteen here.
  expect_nonlinear(60, 45, 2, 1e-9);
  expect_nonlinear(30, 60, 3);  // more assets than periods
  expect_nonlinear(21, 80, 4);
}

// Normal returns with a given covariance spectrum, in its own eigenvectors.
Eigen::MatrixXd normal_returns(int t, const Eigen::VectorXd& variances, std::mt19937_64& random) {
  std::normal_distribution<double> normal;
  Eigen::MatrixXd x(t, variances.size());
  for (auto& value : x.reshaped()) value = normal(random);
  return demeaned(x * variances.cwiseSqrt().asDiagonal());
}

TEST(NonlinearShrinkage, KeepsTheTraceAndCutsTheLossOnThreeSpectra) {
  constexpr int n = 100, t = 200, rounds = 20;
  Eigen::VectorXd flat = Eigen::VectorXd::Ones(n), line(n), steps(n);
  for (int i = 0; i < n; ++i) {
    line[i] = 1 + 1.0 * i / (n - 1);           // even from 1 to 2
    steps[i] = i < 20 ? 1 : i < 60 ? 1.5 : 2;  // three levels, near enough to be told apart by no sample
  }
  std::mt19937_64 random(11);
  for (const auto& spectrum : {flat, line, steps}) {
    const Eigen::MatrixXd truth = spectrum.asDiagonal();
    double loss = 0, sample_loss = 0;
    for (int round = 0; round < rounds; ++round) {
      const auto x = normal_returns(t, spectrum, random);
      const Eigen::MatrixXd sample = product(x.transpose(), x) / double(t - 1);
      const auto shrunk = nonlinear_shrinkage(x);
      loss += (shrunk - truth).squaredNorm();
      sample_loss += (sample - truth).squaredNorm();
      EXPECT_NEAR(shrunk.trace() / sample.trace(), 1, 0.01);
    }
    EXPECT_GT(1 - loss / sample_loss, 0.85) << spectrum.head(3).transpose();
  }
}

TEST(PrincipalFactors, KeepVariancesAndBecomeTheSampleWithAllOfThem) {
  const auto x = demeaned(returns_of(60, 7, 12));
  const Eigen::MatrixXd s = product(x.transpose(), x) / 59;
  for (int k : {1, 3, 7}) {
    const auto f = principal_factors(s, k);
    Eigen::MatrixXd whole = product(f.loadings, f.loadings.transpose());
    whole.diagonal() += f.specific_variance;
    EXPECT_LT((whole.diagonal() - s.diagonal()).norm(), 1e-14) << k;
    if (k == 7) {
      EXPECT_LT((whole - s).norm(), 1e-14);
    }
    const Eigen::VectorXd values = eigen_of(s).values;
    EXPECT_NEAR(f.share, values.tail(k).sum() / values.sum(), 1e-12);
  }
  EXPECT_THAT(message_of([&] { principal_factors(s, 8); }), HasSubstr("8 factors of 7 assets"));
}

// ---- the rest -------------------------------------------------------------------------------------------------------

TEST(Estimators, DenominatorsDifferByTheirRatio) {
  const auto x = returns_of(24, 4, 20);
  EstimateOptions options;
  const auto sample = estimate_by(table_of(x), options).estimate;
  options.denominator = Denominator::population;
  const auto population = estimate_by(table_of(x), options).estimate;
  EXPECT_EQ(population.denominator, Denominator::population);
  EXPECT_LT((sample.covariance.matrix() * 23 / 24 - population.covariance.matrix()).norm(), 1e-16);
}

// ---- log returns ----------------------------------------------------------------------------------------------------

TEST(LogEstimates, AreConvertedAsLognormalGrowthHasIt) {
  Estimate log = test::estimate_of(Eigen::Vector2d(0.05, -0.02), Eigen::Matrix2d{{0.04, 0.018}, {0.018, 0.09}});
  log.returns = ReturnKind::log;
  const auto simple = simple_from_log(log);
  EXPECT_EQ(simple.returns, ReturnKind::simple);
  // Against moments of the lognormal distribution by quadrature over the two normal variables.
  constexpr int nodes = 400;
  constexpr Real span = 9;
  const Real a = 0.2L, b = 0.09L, c = std::sqrt(0.09L - b * b);  // Cholesky factor of the covariance
  Real total = 0, first = 0, second = 0, first_squared = 0, mixed = 0;
  for (int i = 0; i <= nodes; ++i) {
    for (int j = 0; j <= nodes; ++j) {
      const Real u = span * (2 * Real(i) / nodes - 1), v = span * (2 * Real(j) / nodes - 1);
      const Real weight = std::exp(-(u * u + v * v) / 2);
      const Real x = std::expm1(0.05L + a * u), y = std::expm1(-0.02L + b * u + c * v);
      total += weight, first += weight * x, second += weight * y;
      first_squared += weight * x * x, mixed += weight * x * y;
    }
  }
  first /= total, second /= total, first_squared /= total, mixed /= total;
  EXPECT_NEAR(simple.expected_return[0], double(first), 1e-12);
  EXPECT_NEAR(simple.expected_return[1], double(second), 1e-12);
  EXPECT_NEAR(simple.covariance.variance(0), double(first_squared - first * first), 1e-12);
  EXPECT_NEAR(simple.covariance.between(0, 1), double(mixed - first * second), 1e-12);
  EXPECT_THAT(message_of([&] { log.check_for_weights(); }), HasSubstr("don't add up across the assets"));
  log.expected_return[1] = 800;
  EXPECT_THAT(message_of([&] { simple_from_log(log); }), HasSubstr("A2: a mean of 800"));
}

TEST(LogEstimates, TakeTheManagersFiguresAsSimpleReturns) {
  auto table = table_of(returns_of(60, 3, 31));
  table.returns = table.returns.array().log1p();
  table.kind = ReturnKind::log;
  EstimateOptions options;
  options.own = {{"a1", 0.07}};
  options.caps = {{"a2", -0.5}};
  const auto converted = simple_from_log(estimate_by(table, options).estimate);
  EXPECT_NEAR(converted.expected_return[0], 0.07, 1e-14);
  EXPECT_NEAR(converted.expected_return[1], -0.5, 1e-14);
  options.own = {{"a1", -1}};
  EXPECT_THAT(message_of([&] { estimate_by(table, options); }), HasSubstr("a loss of everything"));
  for (const char* method : {"geometric", "implied"}) {
    EstimateOptions other;
    other.expected = ExpectedMethod::parse(method, "");
    EXPECT_THAT(message_of([&] { estimate_by(table, other); }), HasSubstr("this method is for simple returns"));
  }
}

TEST(Estimators, ExponentialWeightsHalveAndTheirBiasIsCorrected) {
  const auto x = returns_of(50, 3, 21);
  const auto got = estimated_by(x, "exponential:9", "exponential:9").estimate;
  LongVector w(50);
  for (int t = 0; t < 50; ++t) w[t] = std::pow(Real(0.5), Real(49 - t) / 9);
  w /= w.sum();
  const LongMatrix data = x.cast<Real>();
  const LongVector mean = product(data.transpose(), w);
  LongMatrix s = LongMatrix::Zero(3, 3);
  for (int t = 0; t < 50; ++t) {
    const LongVector off = data.row(t).transpose() - mean;
    s += w[t] * off * off.transpose();
  }
  s *= 12 / (1 - w.squaredNorm());
  EXPECT_LT(double((got.expected_return.cast<Real>() - 12 * mean).norm()), 1e-15);
  EXPECT_LT(double((got.covariance.matrix().cast<Real>() - s).norm()), 1e-16);
  // A half-life that goes on forever is the plain sample.
  const auto plain = estimated_by(x, "arithmetic", "sample").estimate;
  const auto endless = estimated_by(x, "exponential:1e12", "exponential:1e12").estimate;
  EXPECT_LT((plain.covariance.matrix() - endless.covariance.matrix()).norm(), 1e-12);
  EXPECT_THAT(message_of([&] { estimated_by(x, "arithmetic", "exponential:0.01"); }), HasSubstr("leaves one return"));
}

TEST(Estimators, BayesSteinShrinksToTheMinimumVariancePortfoliosMean) {
  const auto x = returns_of(48, 5, 22);
  const auto got = estimated_by(x, "bayes-stein", "sample");
  const LongMatrix data = x.cast<Real>();
  const LongVector mean = data.colwise().mean().transpose();
  const LongMatrix off = data.rowwise() - mean.transpose();
  const LongMatrix v = product(off.transpose(), off) / 47 * (47 / Real(48 - 5 - 2));
  const LongMatrix inverted = inverse(v);
  const LongVector ones = LongVector::Ones(5);
  const Real common = ones.dot(product(inverted, mean).col(0)) / inverted.sum();
  const LongVector apart = mean - common * ones;
  const Real w = 7 / (7 + 48 * apart.dot(product(inverted, apart).col(0)));
  EXPECT_NEAR(*got.expected_intensity, double(w), 1e-12);
  EXPECT_LT(double((got.estimate.expected_return.cast<Real>() - 12 * ((1 - w) * mean + w * common * ones)).norm()),
            1e-14);
  EXPECT_THAT(message_of([] { estimated_by(returns_of(7, 5, 1), "bayes-stein", "sample"); }),
              HasSubstr("7 returns for 5 assets are too few"));
}

TEST(Estimators, BayesSteinHasTheSameIntensityInAnyUnit) {
  const auto x = returns_of(48, 5, 22);
  const auto intensity = [&](double unit) {
    return *estimated_by(unit * x, "bayes-stein", "sample").expected_intensity;
  };
  for (double unit : {1e-6, 1e-3, 1e3}) EXPECT_NEAR(intensity(unit), intensity(1), 1e-9) << unit;
}

TEST(Estimators, BayesSteinRefusesWhatHasNoInverse) {
  const auto singular = HasSubstr("the covariance is singular, and this method needs its inverse");
  Eigen::MatrixXd twins = returns_of(48, 5, 22);
  twins.col(4) = twins.col(1);
  EXPECT_THAT(message_of([&] { estimated_by(twins, "bayes-stein", "sample"); }), singular);
  Eigen::MatrixXd still = returns_of(48, 5, 22);
  still.col(0).setZero();
  EXPECT_THAT(message_of([&] { estimated_by(still, "bayes-stein", "sample"); }), singular);
  EXPECT_THAT(message_of([&] { estimated_by(Eigen::MatrixXd::Zero(48, 5), "bayes-stein", "sample"); }), singular);
}

TEST(Estimators, GeometricMeansCompound) {
  Eigen::MatrixXd x(12, 1);
  x << 0.1, -0.05, 0.02, 0.03, -0.08, 0.04, 0.01, 0, 0.06, -0.02, 0.05, -0.01;
  double wealth = 1;
  for (double r : x.reshaped()) wealth *= 1 + r;
  EXPECT_NEAR(estimated_by(x, "geometric", "sample").estimate.expected_return[0], wealth - 1, 1e-14);  // one year
}

TEST(Estimators, TheMarketModelIsRiskFreePlusBetaTimesPremium) {
  const auto x = returns_of(60, 3, 23);
  const Eigen::VectorXd market = x.col(2);
  EstimateOptions options;
  options.expected = ExpectedMethod::parse("market-model", "");
  options.risk_free = 0.02;
  options.premium = 0.05;
  const auto expected = estimate_by(table_of(x), options, market).estimate.expected_return;
  EXPECT_NEAR(expected[2], 0.07, 1e-15) << "the benchmark's own beta is 1";
  const Eigen::VectorXd m = market.array() - market.mean();
  const double beta = m.dot(x.col(0)) / m.squaredNorm();
  EXPECT_NEAR(expected[0], 0.02 + 0.05 * beta, 1e-14);
  options.premium.reset();
  EXPECT_NEAR(estimate_by(table_of(x), options, market).estimate.expected_return[2], 12 * market.mean(), 1e-14);
  EXPECT_THAT(message_of([&] { estimate_by(table_of(x), options); }), HasSubstr("there is no benchmark"));
}

TEST(Estimators, ImpliedReturnsMakeTheirWeightsOptimal) {
  EstimateOptions options;
  options.expected = ExpectedMethod::parse("implied", "");
  options.risk_free = 0.01;
  options.risk_aversion = 4;
  options.implied_weights = Eigen::Vector3d(0.5, 0.3, 0.2);
  const auto e = estimate_by(table_of(returns_of(60, 3, 24)), options).estimate;
  // max w'(E - rf) - 4/2 w'Sw without limits: w = S^-1 (E - rf) / 4.
  const Eigen::VectorXd excess = e.expected_return.array() - 0.01;
  const Eigen::VectorXd optimal = product(inverse(e.covariance.matrix()), excess) / 4;
  EXPECT_LT((optimal - options.implied_weights).norm(), 1e-12);
  options.implied_weights = Eigen::Vector2d(0.5, 0.5);
  EXPECT_THAT(message_of([&] { estimate_by(table_of(returns_of(60, 3, 24)), options); }),
              HasSubstr("2 weights for 3 assets"));
}

TEST(Estimators, ViewsTakeAnyWeights) {
  const auto positions = [](const char* text) { return View::parse(text, "v", 1).positions; };
  using Positions = std::vector<std::pair<std::string, double>>;
  EXPECT_EQ(positions("50% TIDEMILL + 50% GALEWORK - KELPFARM = 4%"),
            (Positions{{"TIDEMILL", 0.5}, {"GALEWORK", 0.5}, {"KELPFARM", -1}}));
  EXPECT_EQ(positions("2 * HOLLBANK - HOLLBOND = 3%"), (Positions{{"HOLLBANK", 2}, {"HOLLBOND", -1}}));
  EXPECT_EQ(positions("-0.5*A1+'BB-A' = -1%"), (Positions{{"A1", -0.5}, {"BB-A", 1}}));
  EXPECT_EQ(positions("3MINES = 1%"), (Positions{{"3MINES", 1}})) << "a code may begin with a figure";
  for (const char* text : {"A B = 3%", "A + = 3%", "= 3%", "2 * = 3%", "A - 'B = 3%", "A = 3"}) {
    EXPECT_THAT(message_of([&] { positions(text); }), HasSubstr("view v")) << text;
  }
  const auto table = table_of(returns_of(60, 4, 25));
  EstimateOptions options;
  options.expected = ExpectedMethod::parse("views", "");
  options.views = {View::parse("50% A1 + 0.5 * A2 - 2 * A3 = 4%", "v", 1)};
  const Eigen::VectorXd e = estimate_by(table, options).estimate.expected_return;
  EXPECT_NEAR(0.5 * e[0] + 0.5 * e[1] - 2 * e[2], 0.04, 1e-14) << "a certain view holds";
}

TEST(Estimators, ViewsThatContradictEachOtherAreNamed) {
  const auto table = table_of(returns_of(60, 4, 25));
  EstimateOptions options;
  options.expected = ExpectedMethod::parse("views", "");
  options.views = {View::parse("A1 = 9%", "one", 1), View::parse("A2 = 4%", "two", 1),
                   View::parse("A1 - A2 = 2%", "three", 1)};
  EXPECT_THAT(message_of([&] { estimate_by(table, options); }),
              AllOf(HasSubstr("view three: it says 2%, and one and two with 100% confidence say 5%"),
                    HasSubstr("contradict each other")));
  options.views[2].expected_return = 0.05;
  const Eigen::VectorXd thrice = estimate_by(table, options).estimate.expected_return;
  options.views.push_back(View::parse("A3 = 7%", "four", 1));
  EXPECT_NEAR(estimate_by(table, options).estimate.expected_return[2], 0.07, 1e-14) << "one that comes after counts";
  options.views.pop_back();
  options.views.pop_back();
  EXPECT_LT((thrice - estimate_by(table, options).estimate.expected_return).norm(), 1e-14) << "nothing new";
  options.views = {View::parse("A1 = 9%", "one", 0.5), View::parse("A1 = 5%", "other", 0.5)};
  EXPECT_NO_THROW(estimate_by(table, options)) << "less sure ones meet in between";
}

TEST(Estimators, NonlinearShrinkageKeepsItsDenominator) {
  const auto table = table_of(returns_of(60, 4, 25));
  EstimateOptions options;
  options.covariance = CovarianceMethod::parse("nonlinear", "");
  const Eigen::MatrixXd sample = estimate_by(table, options).estimate.covariance.matrix();
  options.denominator = Denominator::population;
  const Eigen::MatrixXd population = estimate_by(table, options).estimate.covariance.matrix();
  EXPECT_LT((population - sample * 59 / 60).norm(), 1e-15);
}

TEST(Estimators, ViewsAreBlendedByPrecision) {
  EstimateOptions options;
  options.expected = ExpectedMethod::parse("implied", "");
  const auto table = table_of(returns_of(60, 4, 25));
  const auto prior = estimate_by(table, options).estimate;
  options.expected = ExpectedMethod::parse("views", "");
  options.views = {View::parse("A1 = 9%", "one", 0.4), View::parse("A2 - A3 = 2%", "two", 0.7)};
  const Eigen::VectorXd got = estimate_by(table, options).estimate.expected_return;
  // The same in its other form, whatever the factor tau: ((tau S)^-1 + P' W^-1 P)^-1 ((tau S)^-1 pi + P' W^-1 q).
  Eigen::MatrixXd p(2, 4);
  p << 1, 0, 0, 0, 0, 1, -1, 0;
  const Eigen::MatrixXd ts = 0.1 * prior.covariance.matrix();
  const Eigen::MatrixXd across = p.transpose();
  const Eigen::VectorXd spread = product(product(p, ts), across).diagonal();
  const Eigen::VectorXd w = Eigen::Vector2d(spread[0] * 0.6 / 0.4, spread[1] * 0.3 / 0.7);
  const Eigen::MatrixXd sure = w.cwiseInverse().asDiagonal() * p;
  const Eigen::MatrixXd precision = inverse(ts) + product(across, sure);
  const Eigen::VectorXd said = Eigen::Vector2d(0.09, 0.02).cwiseQuotient(w);
  const Eigen::VectorXd other =
      product(inverse(precision), product(inverse(ts), prior.expected_return) + product(across, said));
  EXPECT_LT((got - other).norm(), 1e-12);
  for (double tau : {1.0, 1e-3}) {
    const Eigen::MatrixXd scaled = tau / 0.1 * ts;
    const Eigen::VectorXd doubt = tau / 0.1 * w;
    const Eigen::MatrixXd by_precision = inverse(scaled) + product(across, doubt.cwiseInverse().asDiagonal() * p);
    const Eigen::VectorXd same =
        product(inverse(by_precision), product(inverse(scaled), prior.expected_return) +
                                           product(across, Eigen::Vector2d(0.09, 0.02).cwiseQuotient(doubt)));
    EXPECT_LT((got - same).norm(), 1e-12) << "tau cancels";
  }
  // Certain views hold exactly.
  for (auto& view : options.views) view.confidence = 1;
  const Eigen::VectorXd certain = estimate_by(table, options).estimate.expected_return;
  EXPECT_NEAR(certain[0], 0.09, 1e-14);
  EXPECT_NEAR(certain[1] - certain[2], 0.02, 1e-14);
  options.views = {View::parse("A9 = 9%", "who", 0.4)};
  EXPECT_THAT(message_of([&] { estimate_by(table, options); }), HasSubstr("view who: no asset has the code 'A9'"));
  options.views.clear();
  EXPECT_THAT(message_of([&] { estimate_by(table, options); }), HasSubstr("views: there are none"));
  EXPECT_THAT(message_of([] { View::parse("A1", "v", 0.5); }), HasSubstr("it has no '='"));
  EXPECT_THAT(message_of([] { View::parse("A1 = 0.09", "v", 0.5); }), HasSubstr("has no % sign"));
  EXPECT_THAT(message_of([] { View::parse("A1 - = 2%", "v", 0.5); }), HasSubstr("a code is missing"));
}

TEST(Estimators, OwnFiguresWinThenCapsAndBothAreMarked) {
  EstimateOptions options;
  options.own = {{"a1", 0.5}, {"a2", -0.1}};
  options.caps = {{"a3", 0.0001}};
  const auto got = estimate_by(table_of(returns_of(60, 3, 26)), options);
  EXPECT_EQ(got.estimate.expected_return[0], 0.5);
  EXPECT_EQ(got.estimate.expected_return[1], -0.1);
  EXPECT_EQ(got.estimate.expected_return[2], 0.0001);
  EXPECT_THAT(got.own, ElementsAre("A1", "A2"));
  EXPECT_THAT(got.capped, ElementsAre("A3"));
  EXPECT_NE(got.sample_means[0], 0.5);
  options.caps = {{"a1", 0.2}};
  EXPECT_THAT(message_of([&] { estimate_by(table_of(returns_of(60, 3, 26)), options); }),
              HasSubstr("its own figure 50% is above its cap 20%"));
  options.own = {{"b", 0.1}};
  options.caps.clear();
  EXPECT_THAT(message_of([&] { estimate_by(table_of(returns_of(60, 3, 26)), options); }),
              HasSubstr("no asset has this code"));
}

TEST(Estimators, AdviceNamesTooFewReturns) {
  EXPECT_THAT(estimated_by(returns_of(5, 6, 1), "arithmetic", "sample").advice.at(0).problem,
              HasSubstr("5 returns for 6 assets: the sample covariance is singular"));
  EXPECT_THAT(estimated_by(returns_of(20, 6, 1), "arithmetic", "sample").advice.at(0).problem, HasSubstr("loose"));
  EXPECT_TRUE(
      std::isinf(condition_number(estimated_by(returns_of(5, 6, 1), "arithmetic", "sample").estimate.covariance)));
  EXPECT_TRUE(std::isfinite(
      condition_number(estimated_by(returns_of(5, 6, 1), "arithmetic", "scaled-identity").estimate.covariance)));
}

TEST(Methods, AreReadAsTheyAreWritten) {
  for (const char* text :
       {"arithmetic", "geometric", "exponential:36", "bayes-stein", "market-model", "implied", "views"}) {
    EXPECT_EQ(ExpectedMethod::parse(text, "").text(), text);
  }
  for (const char* text : {"sample", "exponential:24.5", "constant-correlation", "scaled-identity", "one-factor",
                           "nonlinear", "factors:3"}) {
    EXPECT_EQ(CovarianceMethod::parse(text, "").text(), text);
  }
  const auto complaint = [](const char* text) {
    return message_of([&] { CovarianceMethod::parse(text, "--covariance"); });
  };
  EXPECT_THAT(complaint("nonliner"),
              HasSubstr("--covariance: there is no method 'nonliner'. Did you mean 'nonlinear'?"));
  EXPECT_THAT(complaint("exponential"), HasSubstr("needs a figure. Write it like exponential:36"));
  EXPECT_THAT(complaint("exponential:0"), HasSubstr("'0' is not a positive number. Give a half-life in periods"));
  EXPECT_THAT(complaint("sample:3"), HasSubstr("takes no figure"));
  EXPECT_THAT(complaint("factors:2.5"), HasSubstr("not a whole number of factors"));
}

}  // namespace
}  // namespace inchtide::estimators

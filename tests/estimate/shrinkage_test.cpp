// Shrunk covariances against their papers' formulas evaluated directly and slowly in long double.

#include "inchtide/estimate/shrinkage.hpp"

#include <cmath>
#include <numbers>
#include <random>

#include "support/estimated.hpp"
#include "support/linear.hpp"
#include "support/messages.hpp"
#include "support/problems.hpp"

namespace inchtide::estimators {
namespace {

using test::eigen_of;
using test::LongMatrix;
using test::LongVector;
using test::message_of;
using test::product;
using test::returns_with_a_factor;
using testing::HasSubstr;
using Real = long double;

Eigen::MatrixXd demeaned(Eigen::MatrixXd x) {
  x.rowwise() -= x.colwise().mean().eval();
  return x;
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
    const auto x = demeaned(returns_with_a_factor(40, 8, seed));
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
    const auto x = demeaned(returns_with_a_factor(30, 12, seed));
    const Direct d(x);
    const LongMatrix target = d.s.trace() / Real(d.n) * LongMatrix::Identity(d.n, d.n);
    expect_shrunk(shrink_to_scaled_identity(x, 29), d, target, 0);
  }
}

TEST(Shrinkage, ToOneFactorIsThePapersFormula) {
  for (unsigned seed : {7u, 8u, 9u}) {
    const auto x = demeaned(returns_with_a_factor(36, 9, seed));
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
  Eigen::MatrixXd flat = demeaned(returns_with_a_factor(20, 3, 1));
  flat.col(1).setZero();
  EXPECT_THAT(message_of([&] { shrink_to_constant_correlation(flat, 19); }), HasSubstr("asset 2 never moves"));
  EXPECT_GT(shrink_to_scaled_identity(flat, 19).matrix(1, 1), 0);
  Eigen::MatrixXd opposite = demeaned(returns_with_a_factor(20, 1, 1)) * Eigen::RowVector2d(1, -1);
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
  const auto x = demeaned(returns_with_a_factor(t, n, seed));
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
  const auto x = demeaned(returns_with_a_factor(60, 7, 12));
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
    EXPECT_LT((f.loadings.colwise().squaredNorm().transpose() - values.reverse().head(k)).norm(), 1e-14) << "in order";
  }
  // Whatever the order of the assets, so much of each has the same sign.
  const Eigen::MatrixXd turned = s.reverse();
  EXPECT_LT((principal_factors(turned, 3).loadings.colwise().reverse() - principal_factors(s, 3).loadings).norm(),
            1e-10);
  EXPECT_THAT(message_of([&] { principal_factors(s, 8); }), HasSubstr("8 factors of 7 assets"));
}

TEST(Shrinkage, OfAnAssetThatNeverMovesIsNothing) {
  const auto estimated = test::estimated_by(Eigen::MatrixXd::Constant(20, 1, 0.01), "arithmetic", "scaled-identity");
  EXPECT_EQ(estimated.estimate.covariance.variance(0), 0);
}

}  // namespace
}  // namespace inchtide::estimators

#include "inchtide/estimate/shrinkage.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <numbers>

#include "base/blas.hpp"
#include "estimate/tolerances.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/range.hpp"

namespace inchtide {
namespace {

/// The sample covariance with denominator T, and the sum over all pairs of the variance of its entries: pi in the
/// papers.
struct Sample {
  Eigen::MatrixXd s;
  Eigen::MatrixXd squares;  // X squared, entry by entry
  Eigen::MatrixXd pi;       // (1/T) sum_t (x_ti x_tj - s_ij)^2 = (1/T) sum_t x_ti^2 x_tj^2 - s_ij^2

  explicit Sample(const Eigen::MatrixXd& x)
      : s(blas::gram(x, 1.0 / double(x.rows()))),
        squares(x.array().square()),
        pi(blas::gram(squares, 1.0 / double(x.rows())) - s.cwiseProduct(s)) {}
};

void check_demeaned(const Eigen::MatrixXd& demeaned, double degrees) {
  if (demeaned.rows() < 2 || demeaned.cols() < 1 || !demeaned.allFinite()) {
    throw InputError("shrinkage", fmt::format("{} x {} returns, not all finite", demeaned.rows(), demeaned.cols()),
                     "Give two rows at least, and no NaN");
  }
  within(degrees, std::numeric_limits<double>::min(), std::numeric_limits<double>::max(), "shrinkage, denominator");
}

/// d F + (1 - d) S with the least d that pays: kappa / T, within 0 and 1.
Shrunk toward(const Eigen::MatrixXd& s, const Eigen::MatrixXd& target, double pi, double rho, double periods,
              double degrees) {
  const double gamma = (target - s).squaredNorm();
  double intensity = gamma > 0 ? (pi - rho) / gamma / periods : 1.0;  // S is the target already
  intensity = std::clamp(intensity, 0.0, 1.0);
  Eigen::MatrixXd matrix = (periods / degrees) * (intensity * target + (1 - intensity) * s);
  return {(matrix + matrix.transpose()).eval() / 2, intensity};
}

/// The Hilbert transform of Epanechnikov's kernel at u: -3u/(10 pi) + 3/(4 sqrt5 pi) (1 - u^2/5) log|(sqrt5 - u)/(sqrt5
/// + u)|. Far out its two terms cancel to about 1/u; there, with y = sqrt5 / u, it is -3/(sqrt5 pi) sum_k
/// y^(2k+1)/((2k+1)(2k+3)).
double hilbert_of_kernel(double u) {
  constexpr double pi = std::numbers::pi;
  const double root5 = std::sqrt(5.0);
  if (std::abs(u) > 2 * root5) {
    const double y = root5 / u;
    double sum = 0, power = y;
    for (int k = 0; std::abs(power) > next_term * std::abs(sum); ++k, power *= y * y) {
      sum += power / ((2 * k + 1.0) * (2 * k + 3.0));
    }
    return -3 / (root5 * pi) * sum;
  }
  const double edge = std::abs((root5 - u) / (root5 + u));
  const bool at_edge = !(edge > 0) || !std::isfinite(edge);  // the logarithm's factor is 0 there
  return -3 / (10 * pi) * u + (at_edge ? 0.0 : 3 / (4 * root5 * pi) * (1 - u * u / 5) * std::log(edge));
}

}  // namespace

Shrunk shrink_to_constant_correlation(const Eigen::MatrixXd& x, double degrees) {
  check_demeaned(x, degrees);
  const auto n = x.cols();
  const double periods = double(x.rows());
  const Sample sample(x);
  const auto& s = sample.s;
  const Eigen::VectorXd deviation = s.diagonal().cwiseSqrt();
  for (Eigen::Index i = 0; i < n; ++i) {
    if (!(deviation[i] > 0)) {
      throw InputError("constant-correlation", fmt::format("asset {} never moves, so it has no correlation", i + 1),
                       "Leave it out, or shrink to scaled-identity");
    }
  }
  if (n < 2) throw InputError("constant-correlation", "one asset has no pair", "Choose sample");
  const Eigen::MatrixXd correlation = deviation.cwiseInverse().asDiagonal() * s * deviation.cwiseInverse().asDiagonal();
  const double average = (correlation.sum() - correlation.trace()) / double(n * (n - 1));
  Eigen::MatrixXd target = average * deviation * deviation.transpose();
  target.diagonal() = s.diagonal();
  // theta_ii,ij = (1/T) sum_t x_ti^3 x_tj - s_ii s_ij, for every pair.
  const Eigen::MatrixXd cubes = x.array().cube();
  Eigen::MatrixXd theta = blas::product(cubes.transpose(), x) / periods;
  theta -= s.diagonal().asDiagonal() * s;
  theta.diagonal().setZero();
  const Eigen::MatrixXd weight = deviation.cwiseInverse() * deviation.transpose();  // sd_j / sd_i
  const double rho = sample.pi.diagonal().sum() + average * weight.cwiseProduct(theta).sum();
  return toward(s, target, sample.pi.sum(), rho, periods, degrees);
}

Shrunk shrink_to_scaled_identity(const Eigen::MatrixXd& x, double degrees) {
  check_demeaned(x, degrees);
  const Sample sample(x);
  const Eigen::MatrixXd target = (sample.s.trace() / double(x.cols())) * Eigen::MatrixXd::Identity(x.cols(), x.cols());
  return toward(sample.s, target, sample.pi.sum(), 0, double(x.rows()), degrees);
}

Shrunk shrink_to_one_factor(const Eigen::MatrixXd& x, double degrees) {
  check_demeaned(x, degrees);
  const double periods = double(x.rows());
  const Sample sample(x);
  const auto& s = sample.s;
  const Eigen::VectorXd market = x.rowwise().mean();
  const Eigen::VectorXd with_market = x.transpose() * market / periods;
  const double variance = market.squaredNorm() / periods;
  if (!(variance > no_common_move * s.diagonal().maxCoeff())) {
    throw InputError("one-factor", "the mean of the assets never moves", "Choose scaled-identity");
  }
  Eigen::MatrixXd target = with_market * with_market.transpose() / variance;
  target.diagonal() = s.diagonal();
  // Of the off-diagonal entries, with z = x * market: 2 v1 - v3 in the authors' notation.
  const Eigen::MatrixXd z = market.asDiagonal() * x;
  const Eigen::MatrixXd v1 =
      blas::product(sample.squares.transpose(), z) / periods - with_market.replicate(1, x.cols()).cwiseProduct(s);
  const Eigen::MatrixXd v3 = blas::gram(z, 1 / periods) - variance * s;
  const double off1 = (v1 * with_market).sum() - v1.diagonal().dot(with_market);
  const double off3 = with_market.dot(v3 * with_market) - v3.diagonal().dot(with_market.cwiseAbs2());
  const double rho = sample.pi.diagonal().sum() + 2 * off1 / variance - off3 / (variance * variance);
  return toward(s, target, sample.pi.sum(), rho, periods, degrees);
}

Eigen::MatrixXd nonlinear_shrinkage(const Eigen::MatrixXd& x) {
  check_demeaned(x, 1);
  const auto p = x.cols();
  const auto n = x.rows() - 1;
  if (n < 12) {
    throw InputError("nonlinear", fmt::format("{} periods are too few", x.rows()), "Give at least 13");
  }
  const auto [values, vectors] = blas::eigen_symmetric(blas::gram(x, 1.0 / double(n)));
  const auto kept = std::min(p, n);  // the others are zero by counting
  const Eigen::VectorXd lambda = values.tail(kept);
  if (!(lambda[0] > no_common_move * lambda[kept - 1])) {
    throw InputError("nonlinear", "some combination of the assets never moves",
                     "Leave a duplicate or a constant asset out, or choose scaled-identity");
  }
  const double h = std::pow(double(n), -1.0 / 3), ratio = double(p) / double(n);
  constexpr double pi = std::numbers::pi;
  const double root5 = std::sqrt(5.0), top = 3 / (4 * root5);
  Eigen::VectorXd moved(p);
  for (Eigen::Index i = 0; i < kept; ++i) {
    double density = 0, hilbert = 0;
    for (Eigen::Index j = 0; j < kept; ++j) {
      const double width = h * lambda[j];
      const double u = (lambda[i] - lambda[j]) / width;
      const double bump = 1 - u * u / 5;
      density += top * std::max(bump, 0.0) / width;
      hilbert += hilbert_of_kernel(u) / width;
    }
    density /= double(kept);
    hilbert /= double(kept);
    const double l = lambda[i];
    const double imaginary = pi * ratio * l * density, real = 1 - ratio - pi * ratio * l * hilbert;
    moved[p - kept + i] = p <= n ? l / (imaginary * imaginary + real * real)
                                 : l / (pi * pi * l * l * (density * density + hilbert * hilbert));
  }
  if (p > n) {
    const double at_zero =
        1 / pi * (3 / (10 * h * h) + top / h * (1 - 1 / (5 * h * h)) * std::log((1 + root5 * h) / (1 - root5 * h))) *
        lambda.cwiseInverse().mean();
    moved.head(p - kept).setConstant(1 / (pi * double(p - n) / double(n) * at_zero));
  }
  const Eigen::MatrixXd scaled = vectors * moved.cwiseSqrt().asDiagonal();
  return blas::gram(scaled.transpose(), 1);
}

PrincipalFactors principal_factors(const Eigen::MatrixXd& covariance, int count) {
  if (covariance.rows() != covariance.cols() || !covariance.allFinite()) {
    throw InputError(
        "factors",
        fmt::format("a covariance of {} x {}, or a figure that is not finite", covariance.rows(), covariance.cols()),
        "Give a row and a column an asset");
  }
  if (count < 1 || count > covariance.rows()) {
    throw InputError("factors", fmt::format("{} factors of {} assets", count, covariance.rows()),
                     fmt::format("Give a number from 1 to {}", covariance.rows()));
  }
  const auto [values, vectors] = blas::eigen_symmetric(covariance);
  PrincipalFactors result;
  result.loadings =
      (vectors.rightCols(count) * values.tail(count).cwiseMax(0).cwiseSqrt().asDiagonal()).rowwise().reverse();
  result.specific_variance = (covariance.diagonal() - result.loadings.rowwise().squaredNorm()).cwiseMax(0);
  result.share = covariance.trace() > 0 ? values.tail(count).sum() / covariance.trace() : 0;
  return result;
}

}  // namespace inchtide

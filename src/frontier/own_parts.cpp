#include "frontier/own_parts.hpp"

#include <Eigen/LU>
#include <algorithm>
#include <cmath>

#include "base/blas.hpp"

namespace inchtide {
namespace {

/// d >= 0 with S - diag(d) positive definite and sum of c d large: the maximum of sum c d + barrier x ln det(S - diag
/// d), one entry after the other, each in closed form from the inverse. All 0 where S is singular.
Eigen::VectorXd own_parts(const Eigen::MatrixXd& s, const Eigen::VectorXd& c) {
  const auto n = s.rows();
  Eigen::VectorXd d = Eigen::VectorXd::Zero(n);
  Eigen::MatrixXd lower = s;
  if (!blas::factorise(lower)) return d;
  Eigen::MatrixXd inverse = s.partialPivLu().inverse();
  inverse = (inverse + inverse.transpose()).eval() / 2;  // the lower half is kept up
  if (!(inverse.diagonal().minCoeff() > 0)) return d;
  const double scale = (c.array() / inverse.diagonal().array()).mean();
  const int sweeps = n <= 200 ? 30 : 8;
  double barrier = scale;
  for (int sweep = 0; sweep < sweeps; ++sweep) {
    barrier = std::max(barrier * (n <= 200 ? 0.7 : 0.4), 1e-3 * scale);
    for (Eigen::Index i = 0; i < n; ++i) {
      const double own = inverse(i, i);
      const double step = std::max(-d[i], std::min(1 / own - barrier / c[i], 0.999 / own));
      if (std::abs(step) <= 1e-12 * s(i, i)) continue;
      d[i] += step;
      const Eigen::VectorXd column = blas::symmetric_column(inverse, n, i);
      blas::add_outer(int(n), step / (1 - step * own), column.data(), inverse.data(), int(n));
    }
  }
  d *= 0.995;
  // What rounding has made of the inverse must not make the rest indefinite.
  for (int attempt = 0; attempt < 40; ++attempt) {
    lower = s;
    lower.diagonal() -= d;
    if (blas::factorise(lower)) return d;
    d *= attempt < 5 ? 0.99 : 0.7;
  }
  return Eigen::VectorXd::Zero(n);
}

}  // namespace

Split split_of(const Covariance& covariance, const Eigen::VectorXd& importance) {
  if (!covariance.is_dense()) {
    const Eigen::VectorXd own = 0.99 * covariance.specific_variance();
    return {own, Covariance::factors(covariance.loadings(), covariance.factor_covariance(),
                                     covariance.specific_variance() - own)};
  }
  Eigen::MatrixXd rest = covariance.matrix();
  Split split{own_parts(rest, importance), {}};
  rest.diagonal() -= split.own;
  split.rest = Covariance::known_semidefinite(std::move(rest));
  return split;
}

}  // namespace inchtide

#include "frontier/own_parts.hpp"

#include <algorithm>
#include <cmath>

#include "base/blas.hpp"
#include "base/dense.hpp"
#include "frontier/tolerances.hpp"

namespace inchtide {
namespace {

/// Of the specific variance, so that what is left isn't singular.
constexpr double most_of_specific = 0.99;
/// Likewise of the parts of a dense matrix.
constexpr double most_of_parts = 0.995;

/// The inverse, of which the lower half is kept up; empty where rounding or S itself is in the way.
Eigen::MatrixXd inverse_of(const Eigen::MatrixXd& s) {
  Eigen::MatrixXd lower = s;
  if (!blas::factorise(lower)) return {};
  Eigen::MatrixXd inverse = dense::inverse(s);
  inverse = (inverse + inverse.transpose()).eval() / 2;
  if (!(inverse.diagonal().minCoeff() > 0)) return {};
  return inverse;
}

/// d >= 0 with S - diag(d) positive definite and sum of c d large: the maximum of sum c d + barrier x ln det(S - diag
/// d), one entry after the other, each in closed form from the inverse.
Eigen::VectorXd dense_parts(const Eigen::MatrixXd& s, const Eigen::VectorXd& c, const Eigen::VectorXd& start) {
  const auto n = s.rows();
  Eigen::VectorXd d = Eigen::VectorXd::Zero(n);
  Eigen::MatrixXd inverse = inverse_of(s);
  if (inverse.size() == 0) return d;
  const double scale = (c.array() / inverse.diagonal().array()).mean();
  int sweeps = n <= 200 ? 30 : 8;
  double barrier = scale;
  if (start.size() > 0) {
    Eigen::MatrixXd rest = s;
    rest.diagonal() -= start;
    auto warm = inverse_of(rest);
    if (warm.size() > 0) {
      inverse = std::move(warm);
      d = start;
      sweeps = 10;
      barrier = 0.03 * scale;
    }
  }
  for (int sweep = 0; sweep < sweeps; ++sweep) {
    barrier = std::max(barrier * (n <= 200 ? 0.7 : 0.4), last_barrier * scale);
    for (Eigen::Index i = 0; i < n; ++i) {
      const double own = inverse(i, i);
      const double step = std::max(-d[i], std::min(1 / own - barrier / c[i], 0.999 / own));
      if (std::abs(step) <= no_own_move * s(i, i)) continue;
      d[i] += step;
      const Eigen::VectorXd column = blas::symmetric_column(inverse, n, i);
      blas::add_outer(int(n), step / (1 - step * own), column.data(), inverse.data(), int(n));
    }
  }
  d *= most_of_parts;
  // What rounding has made of the inverse must not make the rest indefinite.
  for (int attempt = 0; attempt < 40; ++attempt) {
    Eigen::MatrixXd lower = s;
    lower.diagonal() -= d;
    if (blas::factorise(lower)) return d;
    d *= attempt < 5 ? 0.99 : 0.7;
  }
  return Eigen::VectorXd::Zero(n);
}

}  // namespace

Split split_with(const Covariance& covariance, Eigen::VectorXd own) {
  if (!covariance.is_dense()) {
    Eigen::VectorXd rest = covariance.specific_variance() - own;
    return {std::move(own),
            Covariance::factors(covariance.loadings(), covariance.factor_covariance(), std::move(rest))};
  }
  Eigen::MatrixXd rest = covariance.matrix();
  rest.diagonal() -= own;
  return {std::move(own), Covariance::known_semidefinite(std::move(rest))};
}

Eigen::VectorXd own_parts_for(const Covariance& covariance, const Eigen::VectorXd& importance,
                              const Eigen::VectorXd& start) {
  if (!covariance.is_dense()) return most_of_specific * covariance.specific_variance();
  return dense_parts(covariance.matrix(), importance, start);
}

}  // namespace inchtide

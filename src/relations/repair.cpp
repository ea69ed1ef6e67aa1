#include "inchtide/relations/repair.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <stdexcept>

#include "base/blas.hpp"
#include "inchtide/base/errors.hpp"
#include "relations/tolerances.hpp"

namespace inchtide {
namespace {

void check(const Eigen::MatrixXd& r) {
  const auto fail = [](Eigen::Index i, Eigen::Index j, const char* problem) {
    throw InputError(fmt::format("correlation, row {}, column {}", i + 1, j + 1), problem, "Correct it");
  };
  if (r.rows() != r.cols()) {
    throw InputError("correlation", fmt::format("{} rows and {} columns", r.rows(), r.cols()), "Give a square matrix");
  }
  for (Eigen::Index j = 0; j < r.cols(); ++j) {
    for (Eigen::Index i = 0; i < r.rows(); ++i) {
      if (!std::isfinite(r(i, j))) fail(i, j, "it is not a finite number");
      if (r(i, j) != r(j, i)) fail(i, j, "it differs from the figure across the diagonal");
      if (i == j && r(i, j) != 1) fail(i, j, "an asset's correlation with itself is 1");
    }
  }
}

/// (G + Diag(y)) taken apart, its part above 0, and what the dual is there.
class Point {
 public:
  Point(const Eigen::MatrixXd& g, const Eigen::VectorXd& y) : y_(y) {
    Eigen::MatrixXd shifted = g;
    shifted.diagonal() += y;
    auto pairs = blas::eigen_symmetric(std::move(shifted));
    values_ = std::move(pairs.values);
    vectors_ = std::move(pairs.vectors);
    positive_ = Eigen::Index((values_.array() > 0).count());
    const auto above = vectors_.rightCols(positive_);
    const Eigen::MatrixXd scaled = above * values_.tail(positive_).cwiseSqrt().asDiagonal();
    part_ = blas::gram(scaled.transpose(), 1);
    gradient_ = part_.diagonal().array() - 1;
    value_ = 0.5 * values_.cwiseMax(0).squaredNorm() - y.sum();
  }

  const Eigen::MatrixXd& part() const { return part_; }  // positive semidefinite
  const Eigen::VectorXd& y() const { return y_; }
  const Eigen::VectorXd& gradient() const { return gradient_; }
  double value() const { return value_; }
  double least() const { return values_[0]; }

  /// The generalised Hessian times h: diag(P (W o (P' Diag(h) P)) P'), W from the divided differences of max(x, 0).
  Eigen::VectorXd curved(const Eigen::VectorXd& h) const {
    const Eigen::MatrixXd turned = vectors_.transpose() * h.asDiagonal() * vectors_;
    const Eigen::MatrixXd weighted = weights().cwiseProduct(turned);
    return (vectors_ * weighted).cwiseProduct(vectors_).rowwise().sum();
  }

  Eigen::VectorXd curvature_diagonal() const {
    const Eigen::MatrixXd squares = vectors_.cwiseAbs2();
    return (squares * weights()).cwiseProduct(squares).rowwise().sum();
  }

 private:
  const Eigen::MatrixXd& weights() const {
    if (weights_.size() == 0) {
      const auto n = values_.size(), below = n - positive_;
      weights_ = Eigen::MatrixXd::Zero(n, n);
      weights_.bottomRightCorner(positive_, positive_).setOnes();
      for (Eigen::Index a = below; a < n; ++a) {
        for (Eigen::Index b = 0; b < below; ++b) {
          weights_(a, b) = weights_(b, a) = values_[a] / (values_[a] - values_[b]);
        }
      }
    }
    return weights_;
  }

  Eigen::VectorXd y_, values_, gradient_;
  Eigen::MatrixXd vectors_, part_;
  mutable Eigen::MatrixXd weights_;
  Eigen::Index positive_ = 0;
  double value_ = 0;
};

/// Solves the Newton equation by conjugate gradients, scaled by its diagonal.
Eigen::VectorXd newton_step(const Point& point) {
  const Eigen::VectorXd scale = point.curvature_diagonal().cwiseMax(least_curvature);
  const Eigen::VectorXd target = -point.gradient();
  const double goal = std::min(loose_answer, target.norm()) * target.norm();
  Eigen::VectorXd x = Eigen::VectorXd::Zero(target.size()), left = target;
  Eigen::VectorXd z = left.cwiseQuotient(scale), direction = z;
  double along = left.dot(z);
  for (int k = 0; k < 400 && left.norm() > goal; ++k) {
    const Eigen::VectorXd curved = point.curved(direction) + ridge * direction;
    const double bend = direction.dot(curved);
    if (!(bend > 0)) break;
    const double length = along / bend;
    x += length * direction;
    left -= length * curved;
    z = left.cwiseQuotient(scale);
    const double next = left.dot(z);
    direction = z + (next / along) * direction;
    along = next;
  }
  return x.norm() > 0 ? x : target;
}

}  // namespace

RepairedCorrelation nearest_correlation(const Eigen::MatrixXd& correlation) {
  check(correlation);
  const auto n = correlation.cols();
  RepairedCorrelation result;
  Point point(correlation, Eigen::VectorXd::Zero(n));
  result.least_eigenvalue = point.least();
  result.matrix = correlation;
  if (point.least() >= -rounded_eigenvalue * double(n)) return result;  // nothing but rounding

  constexpr int most_steps = 100;
  const double goal = right_diagonal * std::sqrt(double(n));
  while (point.gradient().norm() > goal) {
    if (++result.steps > most_steps) throw UncertifiedAnswer("The nearest correlation matrix could not be found");
    Eigen::VectorXd step = newton_step(point);
    double slope = point.gradient().dot(step);
    if (!(slope < 0)) step = -point.gradient(), slope = -point.gradient().squaredNorm();
    double length = 1;
    Point next(correlation, point.y() + step);
    while (next.value() > point.value() + part_of_fall * length * slope && next.gradient().norm() > goal &&
           length > least_step) {
      length /= 2;
      next = Point(correlation, point.y() + length * step);
    }
    // Near the end the value no longer tells steps apart; the gradient does.
    if (length <= least_step) {
      next = Point(correlation, point.y() + step);
      if (!(next.gradient().norm() < point.gradient().norm())) break;
    }
    point = std::move(next);
  }
  if (point.gradient().norm() > will_do * goal) {
    throw std::runtime_error("the nearest correlation matrix could not be found to 1e-9");
  }
  const Eigen::VectorXd scale = point.part().diagonal().cwiseSqrt().cwiseInverse();  // ones, but for rounding
  result.matrix = scale.asDiagonal() * point.part() * scale.asDiagonal();
  result.matrix = (0.5 * (result.matrix + result.matrix.transpose())).eval().cwiseMax(-1.0).cwiseMin(1.0);
  result.matrix.diagonal().setOnes();
  const Eigen::MatrixXd change = (result.matrix - correlation).cwiseAbs();
  result.distance = change.norm();
  result.largest_change = change.maxCoeff(&result.row, &result.column);
  return result;
}

}  // namespace inchtide

#include "linear.hpp"

#include <Eigen/Eigenvalues>
#include <Eigen/LU>

namespace inchtide::test {
namespace {

template <typename Matrix>
Matrix product_by_columns(const Matrix& a, const Matrix& b) {
  Matrix result = Matrix::Zero(a.rows(), b.cols());
  for (Eigen::Index j = 0; j < b.cols(); ++j) {
    for (Eigen::Index k = 0; k < a.cols(); ++k) result.col(j) += b(k, j) * a.col(k);
  }
  return result;
}

}  // namespace

namespace plain {

Eigen::MatrixXd product(const Eigen::MatrixXd& a, const Eigen::MatrixXd& b) {
  return product_by_columns(a, b);
}

LongMatrix product(const LongMatrix& a, const LongMatrix& b) {
  return product_by_columns(a, b);
}

LongMatrix inverse(const LongMatrix& a) {
  return a.inverse();
}

Eigenpairs<LongMatrix, LongVector> eigen_of(const LongMatrix& symmetric) {
  const Eigen::SelfAdjointEigenSolver<LongMatrix> solver(symmetric);
  return {solver.eigenvalues(), solver.eigenvectors()};
}

// Those of doubles in long double too: one solver to compile, and a yardstick with digits to spare.
Eigen::MatrixXd inverse(const Eigen::MatrixXd& a) {
  return inverse(LongMatrix(a.cast<long double>())).cast<double>();
}

Eigenpairs<Eigen::MatrixXd, Eigen::VectorXd> eigen_of(const Eigen::MatrixXd& symmetric) {
  const auto pairs = eigen_of(LongMatrix(symmetric.cast<long double>()));
  return {pairs.values.cast<double>(), pairs.vectors.cast<double>()};
}

}  // namespace plain

std::optional<LongVector> solution(const LongMatrix& a, const LongVector& b) {
  const Eigen::FullPivLU<LongMatrix> solver(a);
  if (!solver.isInvertible()) return std::nullopt;
  return LongVector(solver.solve(b));
}

}  // namespace inchtide::test

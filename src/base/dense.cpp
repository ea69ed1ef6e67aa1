#include "base/dense.hpp"

#include <Eigen/Cholesky>
#include <Eigen/LU>
#include <Eigen/QR>

namespace inchtide::dense {

Eigen::MatrixXd inverse(const Eigen::MatrixXd& matrix) {
  return matrix.partialPivLu().inverse();
}

Eigen::VectorXd least_squares(const Eigen::MatrixXd& a, const Eigen::VectorXd& b) {
  return a.completeOrthogonalDecomposition().solve(b);
}

Eigen::MatrixXd kernel(const Eigen::MatrixXd& a, double threshold) {
  Eigen::FullPivLU<Eigen::MatrixXd> factors(a);
  factors.setThreshold(threshold);
  if (factors.rank() == a.cols()) return Eigen::MatrixXd(a.cols(), 0);
  return factors.kernel();
}

std::optional<Eigen::MatrixXd> solve_definite(const Eigen::MatrixXd& s, const Eigen::MatrixXd& b, double least) {
  const Eigen::LDLT<Eigen::MatrixXd> factors(s);
  const auto pivots = factors.vectorD();
  if (factors.info() != Eigen::Success || !(pivots.minCoeff() > least * pivots.maxCoeff())) return std::nullopt;
  return factors.solve(b);
}

}  // namespace inchtide::dense

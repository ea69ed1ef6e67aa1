#pragma once
// Linear algebra that tests judge by, in double and long double, compiled once: Eigen's templates are slow to compile.

#include <Eigen/Core>
#include <optional>

namespace inchtide::test {

using LongVector = Eigen::Matrix<long double, Eigen::Dynamic, 1>;
using LongMatrix = Eigen::Matrix<long double, Eigen::Dynamic, Eigen::Dynamic>;

template <typename Matrix, typename Vector>
struct Eigenpairs {
  Vector values;   // ascending
  Matrix vectors;  // columns
};

// For plain matrices; the calls below take any expression.
namespace plain {
Eigen::MatrixXd product(const Eigen::MatrixXd& a, const Eigen::MatrixXd& b);
LongMatrix product(const LongMatrix& a, const LongMatrix& b);
Eigen::MatrixXd inverse(const Eigen::MatrixXd& a);
LongMatrix inverse(const LongMatrix& a);
Eigenpairs<Eigen::MatrixXd, Eigen::VectorXd> eigen_of(const Eigen::MatrixXd& symmetric);
Eigenpairs<LongMatrix, LongVector> eigen_of(const LongMatrix& symmetric);
}  // namespace plain

template <typename A>
using Plain = Eigen::Matrix<typename A::Scalar, Eigen::Dynamic, Eigen::Dynamic>;

template <typename A, typename B>
Plain<A> product(const Eigen::MatrixBase<A>& a, const Eigen::MatrixBase<B>& b) {
  return plain::product(Plain<A>(a), Plain<B>(b));
}
template <typename A>
Plain<A> inverse(const Eigen::MatrixBase<A>& a) {
  return plain::inverse(Plain<A>(a));
}
template <typename A>
auto eigen_of(const Eigen::MatrixBase<A>& symmetric) {
  return plain::eigen_of(Plain<A>(symmetric));
}

// Nothing when a is singular.
std::optional<LongVector> solution(const LongMatrix& a, const LongVector& b);

}  // namespace inchtide::test

#pragma once
// Small dense systems, solved in one file: Eigen's factorisations take the compiler seconds wherever they are used.

#include <Eigen/Core>
#include <optional>

namespace inchtide::dense {

/// By an LU factorisation with its rows exchanged; whatever that makes of a singular matrix.
Eigen::MatrixXd inverse(const Eigen::MatrixXd& matrix);

/// The shortest x that brings |A x - b| to its least, whatever the rank of A.
Eigen::VectorXd least_squares(const Eigen::MatrixXd& a, const Eigen::VectorXd& b);

/// Columns that span all x with A x = 0: pivots below `threshold` of the largest are none. No columns where there is no
/// such x but 0.
Eigen::MatrixXd kernel(const Eigen::MatrixXd& a, double threshold);

/// X with S X = B, of a positive definite S. Nothing where a pivot of its factorisation isn't above `least` times the
/// largest.
std::optional<Eigen::MatrixXd> solve_definite(const Eigen::MatrixXd& s, const Eigen::MatrixXd& b, double least);

}  // namespace inchtide::dense

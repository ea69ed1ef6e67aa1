#pragma once
/// The nearest correlation matrix to one that isn't quite: correlations each estimated over its own days, or moved by
/// hand, can contradict each other, so that some portfolio would have a negative variance.
///
/// The problem is that of Higham 2002, IMA Journal of Numerical Analysis 22(3): least Frobenius distance among positive
/// semidefinite matrices with ones on the diagonal. It is solved through its dual by the Newton method of Qi & Sun
/// 2006, SIAM Journal on Matrix Analysis 28(2), which needs a handful of eigendecompositions.
///
/// @code
/// #include <cassert>
/// Eigen::MatrixXd r(3, 3);
/// r << 1, 0.9, 0.9, 0.9, 1, -0.9, 0.9, -0.9, 1;
/// const auto repaired = inchtide::nearest_correlation(r);
/// assert(repaired.least_eigenvalue < 0 && repaired.distance > 0);
/// assert(repaired.matrix(0, 0) == 1 && repaired.matrix(0, 1) < 0.9);
/// @endcode

#include "inchtide/base/api.hpp"
#include "inchtide/base/eigen.hpp"

namespace inchtide {

struct INCHTIDE_API RepairedCorrelation {
  Eigen::MatrixXd matrix;            ///< symmetric with ones on the diagonal, exactly; positive semidefinite to 1e-12 N
  double least_eigenvalue = 0;       ///< of the matrix that was given
  double distance = 0;               ///< Frobenius norm of the change, 0 when nothing was wrong
  double largest_change = 0;         ///< of a single correlation
  Eigen::Index row = 0, column = 0;  ///< where that is
  int steps = 0;
};

/// @param correlation N x N, symmetric, finite, ones on the diagonal
/// @throws InputError when it isn't that (naming the place); std::runtime_error when the method doesn't settle
[[nodiscard]] INCHTIDE_API RepairedCorrelation nearest_correlation(const Eigen::MatrixXd& correlation);

}  // namespace inchtide

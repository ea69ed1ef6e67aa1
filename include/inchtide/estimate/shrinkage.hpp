#pragma once
/// Covariance matrices drawn toward something simpler, because the sample's has more figures than the history can pin
/// down: its large eigenvalues are too large and its small ones too small, which an optimiser takes for opportunity.
///
/// All work on demeaned returns X, T periods x N assets, per period. Linear shrinkage gives d F + (1 - d) S with the
/// intensity d that has the least expected squared error; S and F here have the denominator of `degrees` while the
/// intensity is the paper's, which divides by T.
///
/// @code
/// #include <cassert>
/// Eigen::MatrixXd X(4, 2);
/// X << 1, 2, -1, 0, 2, -1, -2, -1;
/// const auto shrunk = inchtide::shrink_to_scaled_identity(X, 3);
/// assert(shrunk.intensity > 0 && shrunk.intensity <= 1);
/// assert(shrunk.matrix(0, 1) == shrunk.matrix(1, 0));
/// @endcode

#include "inchtide/base/api.hpp"
#include "inchtide/base/eigen.hpp"

namespace inchtide {

struct INCHTIDE_API Shrunk {
  Eigen::MatrixXd matrix;  ///< N x N, per period
  double intensity = 0;    ///< weight of the target, 0 to 1
};

/// Target: the sample's variances with one correlation for all pairs, the average of theirs. Ledoit & Wolf 2004,
/// "Honey, I shrunk the sample covariance matrix", Journal of Portfolio Management 30(4).
/// @throws InputError when there are fewer than two assets or one of them never moves (its column number is named)
[[nodiscard]] INCHTIDE_API Shrunk shrink_to_constant_correlation(const Eigen::MatrixXd& demeaned, double degrees);

/// Target: the average variance times the identity. Ledoit & Wolf 2004, Journal of Multivariate Analysis 88.
[[nodiscard]] INCHTIDE_API Shrunk shrink_to_scaled_identity(const Eigen::MatrixXd& demeaned, double degrees);

/// Target: one factor, the equally weighted mean of the assets, with the sample's variances. Ledoit & Wolf 2003,
/// Journal of Empirical Finance 10.
/// @throws InputError when that mean never moves
[[nodiscard]] INCHTIDE_API Shrunk shrink_to_one_factor(const Eigen::MatrixXd& demeaned, double degrees);

/// Analytical nonlinear shrinkage: the sample's eigenvectors with each eigenvalue moved by a formula in the density of
/// all of them, and its Hilbert transform, by a kernel of Epanechnikov's. Ledoit & Wolf 2020, Annals of Statistics
/// 48(5), with n = T - 1 for demeaned returns, also where there are more assets than n.
/// @throws InputError when n < 12 (the paper's own bound), or the covariance is zero in more directions than N - n
[[nodiscard]] INCHTIDE_API Eigen::MatrixXd nonlinear_shrinkage(const Eigen::MatrixXd& demeaned);

/// The first `count` principal components and specific variances: S = B B' + diag(d), with the sample's variances.
struct INCHTIDE_API PrincipalFactors {
  Eigen::MatrixXd loadings;           ///< N x count, the largest first, each scaled by the root of its variance; its
                                      ///< largest entry is positive
  Eigen::VectorXd specific_variance;  ///< N, none negative
  double share = 0;                   ///< of all variance that the components explain
};
/// @throws InputError when count isn't from 1 to min(N, T - 1)
[[nodiscard]] INCHTIDE_API PrincipalFactors principal_factors(const Eigen::MatrixXd& covariance, int count);

}  // namespace inchtide

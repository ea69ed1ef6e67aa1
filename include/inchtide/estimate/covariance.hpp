#pragma once
/// A covariance matrix of N assets, per year, in one of two forms that answer the same questions.
///
/// Dense: the N x N matrix S. Factor-structured: loadings B (N x K), factor covariance F (K x K) and specific
/// variances d (N), with S = B F B' + diag(d), which is never formed unless asked for.
///
/// @code
/// #include <cassert>
/// Eigen::MatrixXd S(2, 2);
/// S << 0.04, 0.01, 0.01, 0.09;
/// const auto covariance = inchtide::Covariance::dense(S);
/// assert(covariance.variance(1) == 0.09);
/// assert(covariance.portfolio_variance(Eigen::Vector2d(1, 0)) == 0.04);
/// @endcode

#include <memory>
#include <span>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/eigen.hpp"

namespace inchtide {

class INCHTIDE_API Covariance {
 public:
  Covariance() = default;

  /// @param matrix N x N, finite, symmetric and positive semidefinite to 1e-10 of its largest entry: no portfolio may
  ///        have a negative variance, or what looks like a minimum isn't one. Checking it takes a factorisation.
  /// @throws InputError naming the first pair that differs, the entry that isn't finite, or the variance that is
  /// negative
  [[nodiscard]] static Covariance dense(Eigen::MatrixXd matrix);

  /// The same without the factorisation, for a matrix that is semidefinite by the way it was made, such as X'X.
  [[nodiscard]] static Covariance known_semidefinite(Eigen::MatrixXd matrix);

  /// The same of a matrix that is shared and not looked at: finite, symmetric and semidefinite by the way it was made.
  /// Nobody may change it while it is held.
  [[nodiscard]] static Covariance shared(std::shared_ptr<const Eigen::MatrixXd> matrix);

  /// @param loadings N x K, @param factor_covariance K x K symmetric, @param specific_variance N, none negative
  /// @throws InputError when the shapes don't fit, an entry isn't finite or the factor covariance isn't semidefinite
  [[nodiscard]] static Covariance factors(Eigen::MatrixXd loadings, const Eigen::MatrixXd& factor_covariance,
                                          Eigen::VectorXd specific_variance);

  [[nodiscard]] Eigen::Index size() const { return diagonal_.size(); }
  [[nodiscard]] bool is_dense() const { return matrix_ != nullptr; }

  [[nodiscard]] double variance(Eigen::Index asset) const { return diagonal_[asset]; }
  [[nodiscard]] const Eigen::VectorXd& variances() const { return diagonal_; }
  [[nodiscard]] double between(Eigen::Index a, Eigen::Index b) const;

  /// Column `asset` of S, N entries.
  [[nodiscard]] Eigen::VectorXd column(Eigen::Index asset) const;
  /// The same, written to `out`, which has room for N entries.
  void copy_column(Eigen::Index asset, double* out) const;

  /// S w.
  [[nodiscard]] Eigen::VectorXd product(const Eigen::VectorXd& weights) const;
  /// S w of weights that are 0 but for those of some assets.
  /// @param weights an entry for each of `assets`, which differ
  [[nodiscard]] Eigen::VectorXd product(std::span<const int> assets,
                                        const Eigen::Ref<const Eigen::VectorXd>& weights) const;
  /// w'S w, never below 0.
  [[nodiscard]] double portfolio_variance(const Eigen::VectorXd& weights) const;

  /// The covariance of some assets, in the order given and of the same kind.
  [[nodiscard]] Covariance block(const std::vector<int>& assets) const;

  /// The whole matrix: formed now if factor-structured.
  [[nodiscard]] Eigen::MatrixXd matrix() const;

  [[nodiscard]] const Eigen::MatrixXd& loadings() const { return loadings_; }
  [[nodiscard]] const Eigen::MatrixXd& factor_covariance() const { return factor_covariance_; }
  [[nodiscard]] const Eigen::VectorXd& specific_variance() const { return specific_variance_; }

 private:
  std::shared_ptr<const Eigen::MatrixXd> matrix_;  // shared by copies, never changed
  Eigen::MatrixXd loadings_, factor_covariance_;
  Eigen::MatrixXd scaled_loadings_;  // B F, N x K
  Eigen::VectorXd specific_variance_;
  Eigen::VectorXd diagonal_;
};

}  // namespace inchtide

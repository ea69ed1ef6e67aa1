#include "inchtide/estimate/covariance.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/blas.hpp"
#include "estimate/tolerances.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/range.hpp"
#include "inchtide/base/text.hpp"

namespace inchtide {
namespace {

[[noreturn]] void name_first_fault(const Eigen::MatrixXd& matrix, const std::string& name, double allowed) {
  for (Eigen::Index j = 0; j < matrix.cols(); ++j) {
    for (Eigen::Index i = j; i < matrix.rows(); ++i) {
      if (!std::isfinite(matrix(i, j)) || !std::isfinite(matrix(j, i))) {
        throw InputError(name, fmt::format("entry ({}, {}) is not a finite number", i + 1, j + 1), "Give a figure");
      }
      if (std::abs(matrix(i, j) - matrix(j, i)) > allowed) {
        throw InputError(name,
                         fmt::format("not symmetric: entry ({}, {}) is {} and ({}, {}) is {}", i + 1, j + 1,
                                     matrix(i, j), j + 1, i + 1, matrix(j, i)),
                         "Use the same figure for both");
      }
    }
  }
  throw InputError(name, "it is not symmetric", "Use the same figure for both halves");
}

void check_symmetric(const Eigen::MatrixXd& matrix, const std::string& name) {
  if (matrix.rows() != matrix.cols()) {
    throw InputError(name, fmt::format("it has {} rows and {} columns", matrix.rows(), matrix.cols()),
                     "A covariance matrix is square");
  }
  const double allowed = covariance_slack * (matrix.size() > 0 ? matrix.cwiseAbs().maxCoeff() : 0.0);
  // In blocks that stay in the cache: the two halves are read across and down.
  constexpr Eigen::Index block = 32;
  const auto n = matrix.rows();
  bool fine = matrix.allFinite();
  for (Eigen::Index j = 0; j < n && fine; j += block) {
    for (Eigen::Index i = j; i < n && fine; i += block) {
      const auto rows = std::min(block, n - i), columns = std::min(block, n - j);
      fine =
          ((matrix.block(i, j, rows, columns) - matrix.block(j, i, columns, rows).transpose()).array().abs() <= allowed)
              .all();
    }
  }
  if (!fine) name_first_fault(matrix, name, allowed);
  for (Eigen::Index j = 0; j < n; ++j) {
    if (matrix(j, j) >= 0) continue;
    throw InputError(name, fmt::format("the variance of asset {} is {}", j + 1, matrix(j, j)),
                     "A variance is never negative");
  }
}

/// A matrix without negative eigenvalues has a Cholesky factor once a little is added to its diagonal.
void check_semidefinite(Eigen::MatrixXd matrix, const std::string& name) {
  if (matrix.size() == 0) return;
  matrix.diagonal().array() += covariance_slack * std::max(matrix.diagonal().maxCoeff(), never_zero);
  const Eigen::VectorXd diagonal = matrix.diagonal();
  if (!blas::factorise(matrix)) {  // which has overwritten the lower half
    matrix.diagonal() = diagonal;
    matrix.triangularView<Eigen::StrictlyLower>() = matrix.transpose();
    const double least = blas::eigen_symmetric(matrix).values.minCoeff();
    throw InputError(name,
                     fmt::format("it is not positive semidefinite: some portfolio would have a negative variance (its "
                                 "least eigenvalue is {}, its largest entry {})",
                                 fine_text(least), fine_text(matrix.cwiseAbs().maxCoeff())),
                     "Estimate it from complete histories of the same days, shrink it, or repair its correlations "
                     "with nearest_correlation, which says by how much");
  }
}

}  // namespace

Covariance Covariance::dense(Eigen::MatrixXd matrix) {
  auto result = known_semidefinite(std::move(matrix));
  check_semidefinite(*result.matrix_, "covariance");
  return result;
}

Covariance Covariance::known_semidefinite(Eigen::MatrixXd matrix) {
  check_symmetric(matrix, "covariance");
  Covariance result;
  result.diagonal_ = matrix.diagonal();
  result.matrix_ = std::make_shared<const Eigen::MatrixXd>(std::move(matrix));
  return result;
}

Covariance Covariance::shared(std::shared_ptr<const Eigen::MatrixXd> matrix) {
  if (!matrix || matrix->rows() != matrix->cols()) {
    throw InputError("covariance", "there is none, or it isn't square", "Give N x N");
  }
  Covariance result;
  result.diagonal_ = matrix->diagonal();
  result.matrix_ = std::move(matrix);
  return result;
}

Covariance Covariance::factors(Eigen::MatrixXd loadings, const Eigen::MatrixXd& factor_covariance,
                               Eigen::VectorXd specific_variance) {
  check_symmetric(factor_covariance, "factor covariance");
  check_semidefinite(factor_covariance, "factor covariance");
  if (loadings.cols() != factor_covariance.rows() || loadings.rows() != specific_variance.size()) {
    throw InputError("factor covariance",
                     fmt::format("{} x {} loadings, {} factors and {} specific variances do not fit", loadings.rows(),
                                 loadings.cols(), factor_covariance.rows(), specific_variance.size()),
                     "Give N x K, K x K and N");
  }
  if (!loadings.allFinite() || !specific_variance.allFinite() || (specific_variance.array() < 0).any()) {
    throw InputError("factor covariance", "a loading is not finite or a specific variance is negative",
                     "Check both lists");
  }
  Covariance result;
  result.loadings_ = std::move(loadings);
  result.factor_covariance_ = factor_covariance;
  result.scaled_loadings_ = result.loadings_ * factor_covariance;
  result.specific_variance_ = std::move(specific_variance);
  result.diagonal_ = result.scaled_loadings_.cwiseProduct(result.loadings_).rowwise().sum() + result.specific_variance_;
  return result;
}

double Covariance::between(Eigen::Index a, Eigen::Index b) const {
  if (is_dense()) return (*matrix_)(a, b);
  return scaled_loadings_.row(a).dot(loadings_.row(b)) + (a == b ? specific_variance_[a] : 0.0);
}

Eigen::VectorXd Covariance::column(Eigen::Index asset) const {
  Eigen::VectorXd result(size());
  copy_column(asset, result.data());
  return result;
}

void Covariance::copy_column(Eigen::Index asset, double* out) const {
  if (is_dense()) {
    std::copy_n(matrix_->col(asset).data(), size(), out);
    return;
  }
  Eigen::Map<Eigen::VectorXd> column(out, size());
  column.noalias() = scaled_loadings_ * loadings_.row(asset).transpose();
  column[asset] += specific_variance_[asset];
}

Eigen::VectorXd Covariance::product(const Eigen::VectorXd& weights) const {
  if (weights.size() != size()) {
    throw InputError("weights", fmt::format("{} for a covariance of {} assets", weights.size(), size()),
                     "Give one an asset");
  }
  if (!is_dense()) {
    return scaled_loadings_ * (loadings_.transpose() * weights) + specific_variance_.cwiseProduct(weights);
  }
  // Most portfolios hold few of many assets: only their columns are read.
  Eigen::VectorXd result = Eigen::VectorXd::Zero(size());
  for (Eigen::Index i = 0; i < weights.size(); ++i) {
    if (weights[i] != 0) result += weights[i] * matrix_->col(i);
  }
  return result;
}

Eigen::VectorXd Covariance::product(std::span<const int> assets,
                                    const Eigen::Ref<const Eigen::VectorXd>& weights) const {
  Eigen::VectorXd result = Eigen::VectorXd::Zero(size());
  if (is_dense()) {
    for (std::size_t k = 0; k < assets.size(); ++k) {
      blas::add(int(size()), weights[Eigen::Index(k)], matrix_->col(assets[k]).data(), result.data());
    }
    return result;
  }
  Eigen::VectorXd exposures = Eigen::VectorXd::Zero(loadings_.cols());
  for (std::size_t k = 0; k < assets.size(); ++k) {
    exposures += weights[Eigen::Index(k)] * loadings_.row(assets[k]).transpose();
    result[assets[k]] = specific_variance_[assets[k]] * weights[Eigen::Index(k)];
  }
  blas::multiply(int(size()), int(loadings_.cols()), 1, scaled_loadings_.data(), int(size()), exposures.data(), 1,
                 result.data());
  return result;
}

double Covariance::portfolio_variance(const Eigen::VectorXd& weights) const {
  check_per_asset(weights, size(), "weights");
  return std::max(0.0, weights.dot(product(weights)));
}

Covariance Covariance::block(const std::vector<int>& assets) const {
  for (int asset : assets) whole_within(asset, 0, int(size()) - 1, "covariance of some assets");
  if (is_dense()) return known_semidefinite((*matrix_)(assets, assets));
  return factors(loadings_(assets, Eigen::all), factor_covariance_, specific_variance_(assets));
}

Eigen::MatrixXd Covariance::matrix() const {
  if (is_dense()) return *matrix_;
  Eigen::MatrixXd full = scaled_loadings_ * loadings_.transpose();
  full.diagonal() += specific_variance_;
  return (full + full.transpose()) / 2;
}

}  // namespace inchtide

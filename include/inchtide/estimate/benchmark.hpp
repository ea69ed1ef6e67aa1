#pragma once
/// The benchmark as the assets see it: what a tracking error needs.
///
/// @code
/// #include <cassert>
/// #include <cmath>
/// const auto covariance = inchtide::Covariance::dense(Eigen::Vector2d(0.04, 0.09).asDiagonal());
/// const auto benchmark = inchtide::BenchmarkRisk::of_weights(covariance, Eigen::Vector2d(1, 0));
/// // Half of each: the weights miss the benchmark's by -1/2 and 1/2.
/// assert(std::abs(benchmark.tracking_error(covariance, Eigen::Vector2d(0.5, 0.5)) - std::sqrt(0.0325)) < 1e-15);
/// @endcode

#include "inchtide/base/api.hpp"
#include "inchtide/base/eigen.hpp"
#include "inchtide/estimate/covariance.hpp"
#include "inchtide/returns/conventions.hpp"
#include "inchtide/returns/return_table.hpp"

namespace inchtide {

struct INCHTIDE_API BenchmarkRisk {
  Eigen::VectorXd covariances;  ///< with each asset, per year
  double variance = 0;          ///< its own, per year

  /// A benchmark that is a portfolio of the assets.
  [[nodiscard]] static BenchmarkRisk of_weights(const Covariance& covariance, const Eigen::VectorXd& weights);

  /// @throws InputError where there isn't a covariance with each of so many assets, or a figure is no number
  void check(Eigen::Index assets) const;

  /// Volatility of the difference between a portfolio and the benchmark, per year.
  /// @throws InputError for weights, covariances and a benchmark of different sizes
  [[nodiscard]] double squared_error(const Covariance& covariance, const Eigen::VectorXd& weights) const {
    return covariance.portfolio_variance(weights) - 2 * covariances.dot(weights) + variance;
  }
  [[nodiscard]] double tracking_error(const Covariance& covariance, const Eigen::VectorXd& weights) const;
};

/// Its sample covariances with the assets per year, over the rows that the covariance uses.
/// @param benchmark its returns, a row each; NaN where they span other days than the assets'
/// @throws InputError when fewer than two rows are left
[[nodiscard]] INCHTIDE_API BenchmarkRisk benchmark_risk(const ReturnTable& returns, const Eigen::VectorXd& benchmark,
                                                        Denominator denominator);

/// The benchmark beside a covariance S that isn't the sample's over the same rows: shrunk, weighted, by factors, or of
/// more rows than the benchmark has. Sample covariances with it don't fit there: a portfolio of the very assets that it
/// is made of would miss it, or miss it by less than nothing. So it is taken for a portfolio B of the assets and what
/// that leaves, e, over the rows that it has: covariances S B + q and variance B'S B + 2 B'q + var(e), with the
/// sample's covariances q of e with the assets. The squared tracking error of weights w is then the sample's own with
/// (w - B)'(S - sample)(w - B) added: the sample's where S is, that of S where e is nothing. B is the long-only
/// portfolio that is nearest to it (least squares), which fits little of chance where assets are as many as rows. Where
/// no benchmark could have q beside S, q is made smaller.
/// @throws InputError when fewer than three rows are left, or for another number of assets
[[nodiscard]] INCHTIDE_API BenchmarkRisk benchmark_beside(const Covariance& covariance, const ReturnTable& returns,
                                                          const Eigen::VectorXd& benchmark);

}  // namespace inchtide

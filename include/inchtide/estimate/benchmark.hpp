#pragma once
/// The benchmark as the assets see it: what a tracking error needs.

#include "inchtide/base/eigen.hpp"
#include "inchtide/estimate/covariance.hpp"
#include "inchtide/returns/conventions.hpp"
#include "inchtide/returns/return_table.hpp"

namespace inchtide {

struct BenchmarkRisk {
  Eigen::VectorXd covariances;  ///< with each asset, per year
  double variance = 0;          ///< its own, per year

  /// A benchmark that is a portfolio of the assets.
  [[nodiscard]] static BenchmarkRisk of_weights(const Covariance& covariance, const Eigen::VectorXd& weights);

  /// @throws InputError where there isn't a covariance with each of so many assets, or a figure is no number
  void check(Eigen::Index assets) const;

  /// Volatility of the difference between a portfolio and the benchmark, per year.
  /// @throws InputError for weights, covariances and a benchmark of different sizes
  [[nodiscard]] double tracking_error(const Covariance& covariance, const Eigen::VectorXd& weights) const;
};

/// Its sample covariances with the assets per year, over the rows that the covariance uses.
/// @param benchmark its returns, a row each; NaN where they span other days than the assets'
/// @throws InputError when fewer than two rows are left
[[nodiscard]] BenchmarkRisk benchmark_risk(const ReturnTable& returns, const Eigen::VectorXd& benchmark,
                                           Denominator denominator);

}  // namespace inchtide

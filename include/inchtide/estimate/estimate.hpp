#pragma once
/// What to expect of each asset per year: expected returns and covariance, and where the figures come from.
///
/// @code
/// #include <cassert>
/// #include <cmath>
/// inchtide::Estimate estimate;
/// estimate.assets = {"HOLLBOND", "HOLLBANK"};
/// estimate.expected_return = Eigen::Vector2d(0.03, 0.08);
/// estimate.covariance = inchtide::Covariance::dense(Eigen::Vector2d(0.0025, 0.04).asDiagonal());
/// assert(std::abs(estimate.volatilities()[1] - 0.2) < 1e-15);
/// assert(std::abs(estimate.sharpe_ratios()[1] - 0.4) < 1e-15);
/// @endcode

#include <optional>
#include <string>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/day.hpp"
#include "inchtide/base/eigen.hpp"
#include "inchtide/estimate/covariance.hpp"
#include "inchtide/returns/return_table.hpp"

namespace inchtide {

struct INCHTIDE_API Estimate {
  std::vector<std::string> assets;
  Eigen::VectorXd expected_return;          ///< fraction per year, arithmetic
  Covariance covariance;                    ///< per year
  ReturnKind returns = ReturnKind::simple;  ///< what it is an estimate of; portfolios take simple ones only
  std::optional<Denominator> denominator = Denominator::sample;  ///< of variances; none where it is not known
  double periods_per_year = 12;
  std::size_t observations = 0;  ///< 0 when unknown
  std::size_t long_spans = 0;    ///< returns that span more than one period
  std::size_t rows_dropped = 0;  ///< periods left out because not every asset's return spans the same days
  std::optional<Day> from, to;   ///< first price and last price used
  double risk_free = 0;          ///< fraction per year

  [[nodiscard]] Eigen::Index size() const { return expected_return.size(); }
  /// Volatility of each asset per year.
  [[nodiscard]] Eigen::VectorXd volatilities() const { return covariance.variances().cwiseSqrt(); }
  /// (expected return - risk-free) / volatility of each asset; NaN where it has no volatility.
  [[nodiscard]] Eigen::VectorXd sharpe_ratios() const;
  /// The mean correlation of all pairs that have one; NaN where none has.
  [[nodiscard]] double average_correlation() const;

  /// @throws InputError when the list of assets, the returns and the covariance differ in size, or a return isn't
  /// finite
  void check_figures() const;
  /// The same, and when a code comes twice.
  void check() const;
  /// The same, and for portfolios. @throws InputError also when the estimate is of log returns
  void check_for_weights() const;
};

/// An estimate of simple returns from one of log returns, exact where a year's log returns are jointly normal: with
/// mean m and covariance S per year, E_i = exp(m_i + S_ii / 2) - 1 and C_ij = (1 + E_i)(1 + E_j)(exp(S_ij) - 1).
/// A factor structure becomes a dense matrix. One of simple returns comes back as it is.
/// @throws InputError naming the asset whose figures are too large to be raised to a power
[[nodiscard]] INCHTIDE_API Estimate simple_from_log(const Estimate& estimate);

/// The sample estimate: arithmetic mean per year p m and covariance p X'X / (T-1) of the demeaned returns X.
/// Simple returns add up to a portfolio's return, so w'Sw is exactly the variance of the weighted series.
/// Periods in which the assets' returns don't span the same days are left out and counted.
/// @param risk_free fraction per year, carried along
/// @throws InputError when fewer than two returns are left
[[nodiscard]] INCHTIDE_API Estimate sample_estimate(const ReturnTable& returns, double risk_free = 0);

}  // namespace inchtide

#pragma once
/// Each asset against a benchmark: r - rf = alpha + beta (m - rf) + e, by least squares (Sharpe 1963, Management
/// Science 9).
///
/// @code
/// #include <cassert>
/// #include <cmath>
/// inchtide::ReturnTable returns;
/// returns.assets = {"KELPFARM", "TIDEMILL"};
/// returns.days = std::vector<inchtide::Day>(6);
/// returns.returns.resize(6, 2);
/// returns.returns << 0.01, 0.02, -0.01, 0.01, 0.03, -0.02, 0.00, 0.01, 0.02, 0.02, -0.02, -0.01;
/// returns.spans = Eigen::MatrixXi::Ones(6, 2);
/// const auto models = inchtide::market_models(returns, returns.returns.col(0), 0);
/// assert(std::abs(models[0].beta - 1) < 1e-12 && std::abs(models[0].alpha) < 1e-12);
/// @endcode

#include <string>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/eigen.hpp"
#include "inchtide/returns/return_table.hpp"

namespace inchtide {

/// One asset's regression, with T periods and p of them a year.
struct INCHTIDE_API MarketModel {
  std::string asset;
  double beta = 0, beta_error = 0;    ///< with its standard error
  double alpha = 0, alpha_error = 0;  ///< per year, p times a period's
  double r_squared = 0;            ///< share of variance that the benchmark explains; 0 for an asset that never moves
  double specific_volatility = 0;  ///< of what is left, per root year, denominator T - 2
  double correlation = 0;          ///< with the benchmark; NaN when the asset never moves
  std::size_t observations = 0;
};

/// @param benchmark its returns on the same rows; rows where it has none are left out
/// @param risk_free fraction per year
/// @throws InputError when fewer than three rows are left or the benchmark never moves
[[nodiscard]] INCHTIDE_API std::vector<MarketModel> market_models(const ReturnTable& returns,
                                                                  const Eigen::VectorXd& benchmark, double risk_free);

}  // namespace inchtide

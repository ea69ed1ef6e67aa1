#pragma once
/// How each asset behaved: the usual figures of return and risk.

#include <Eigen/Core>
#include <string>
#include <vector>

#include "inchtide/base/day.hpp"
#include "inchtide/returns/return_table.hpp"

namespace inchtide {

/// Figures of one series of simple returns. With p periods per year, T returns r and their mean m:
///
/// | figure | formula | unit |
/// | --- | --- | --- |
/// | mean_arithmetic | p m | fraction per year |
/// | mean_geometric | (prod(1 + r))^(p/T) - 1 | fraction per year |
/// | variance | p sum (r - m)^2 / (T - 1) | per year |
/// | volatility | sqrt(variance) | fraction per root year |
/// | skewness | m3 / m2^1.5, central moments with 1/T | none |
/// | excess_kurtosis | m4 / m2^2 - 3, central moments with 1/T | none |
/// | standard_error | p s / sqrt(T), s the per-period sd | fraction per year |
struct AssetFigures {
  std::string asset;
  std::size_t observations = 0;  ///< returns used: those of a single period
  std::size_t long_returns = 0;  ///< returns after a hole, left out because they span several periods
  double mean_arithmetic = 0;
  double mean_geometric = 0;
  double volatility = 0;
  double variance = 0;
  double standard_error = 0;   ///< of mean_arithmetic
  double skewness = 0;         ///< 0 for a constant series
  double excess_kurtosis = 0;  ///< 0 for a constant series
  double worst = 0;            ///< lowest return of a period
  Day worst_day{};             ///< the day that period ends
  double best = 0;
  Day best_day{};
  double max_drawdown = 0;  ///< deepest fall of the compounded returns from a peak, 0 or negative
  Day max_drawdown_from{};  ///< the day of the peak
  Day max_drawdown_to{};    ///< the day of the trough
};

/// Figures of column `asset` of `table`.
/// @throws InputError when there are fewer than two returns
AssetFigures figures_of(const ReturnTable& table, Eigen::Index asset);

/// Figures of every column.
std::vector<AssetFigures> figures_of(const ReturnTable& table);

/// The deepest fall from a peak of a series of values.
struct Drawdown {
  double depth = 0;                  ///< 0 or negative fraction
  std::size_t peak = 0, trough = 0;  ///< positions in the series
};

/// @param values positive wealths or prices in time order, at least one
Drawdown deepest_drawdown(const Eigen::Ref<const Eigen::VectorXd>& values);

}  // namespace inchtide

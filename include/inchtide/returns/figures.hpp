#pragma once
/// How each asset behaved: the usual figures of return and risk.
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
/// const auto figures = inchtide::figures_of(returns, 0, {});
/// assert(std::abs(figures.mean_arithmetic - 12 * 0.005) < 1e-15);
/// assert(figures.worst == -0.02);
/// @endcode

#include <optional>
#include <string>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/day.hpp"
#include "inchtide/base/eigen.hpp"
#include "inchtide/returns/return_table.hpp"

namespace inchtide {

/// Mean and central sums of a series, by two passes with the rounding of the mean corrected (Chan, Golub & LeVeque
/// 1983, The American Statistician 37(3)): a large offset costs no more digits than the input's own rounding.
struct INCHTIDE_API SeriesMoments {
  std::size_t count = 0;
  double mean = 0;
  double second = 0, third = 0, fourth = 0;  ///< sums of (x - mean)^2, ^3, ^4, not divided
  double lagged = 0;                         ///< sum of (x_t - mean)(x_{t+1} - mean)

  /// per period squared
  [[nodiscard]] double variance(Denominator denominator) const { return second / divisor(denominator, double(count)); }
  [[nodiscard]] double skewness() const;         ///< (third/T) / (second/T)^1.5; 0 for a constant series
  [[nodiscard]] double excess_kurtosis() const;  ///< (fourth/T) / (second/T)^2 - 3; 0 for a constant series
  [[nodiscard]] double autocorrelation() const;  ///< lagged / second, of lag 1; 0 for a constant series
};

/// @param series at least one finite value
[[nodiscard]] INCHTIDE_API SeriesMoments moments_of(const Eigen::Ref<const Eigen::VectorXd>& series);

struct INCHTIDE_API FigureOptions {
  Denominator denominator = Denominator::sample;
  double target = 0;   ///< per period: what lies below it counts in the downside deviation
  double tail = 0.05;  ///< the share of the worst periods in the expected shortfall, above 0 and at most 1
};

/// Figures of one series of returns, simple or log. With p periods per year, T returns r, their mean m and divisor
/// D (T-1 or T). A return that spans k periods counts as k: with K = sum k, m = sum r / K, its own part of the sums is
/// (r - k m)^2, D = K - sum k^2 / K or K, and K stands for T in exponents, errors and the downside deviation:
///
/// | figure | formula | unit |
/// | --- | --- | --- |
/// | mean_arithmetic | p m | fraction per year |
/// | mean_geometric | (prod(1 + r))^(p/T) - 1; exp(p m) - 1 for log returns | fraction per year |
/// | variance | p sum (r - m)^2 / D | per year |
/// | volatility | sqrt(variance) | fraction per root year |
/// | coefficient_of_variation | volatility / mean_arithmetic: risk per unit of return | none |
/// | downside_deviation | sqrt(p sum min(r - target, 0)^2 / T) | fraction per root year |
/// | expected_shortfall | mean of the worst share `tail` of the T returns, the last in part [1] | fraction per period |
/// | skewness | m3 / m2^1.5, central moments with 1/T | none |
/// | excess_kurtosis | m4 / m2^2 - 3, central moments with 1/T | none |
/// | autocorrelation | of lag 1: sum (r_t - m)(r_{t+1} - m) / sum (r_t - m)^2 | none |
/// | standard_error | p s / sqrt(T), s the per-period sample deviation | fraction per year |
///
/// [1] Acerbi & Tasche 2002, Journal of Banking & Finance 26(7); negative when a loss.
struct INCHTIDE_API AssetFigures {
  std::string asset;
  std::size_t observations = 0;  ///< returns used
  std::size_t long_returns = 0;  ///< of them, those after a hole, which span several periods
  ReturnKind kind = ReturnKind::simple;
  Denominator denominator = Denominator::sample;
  double tail = 0.05;
  double mean_arithmetic = 0;
  double mean_geometric = 0;
  double volatility = 0;
  double variance = 0;
  double standard_error = 0;                       ///< of mean_arithmetic
  std::optional<double> coefficient_of_variation;  ///< none where the mean isn't positive
  double downside_deviation = 0;
  double expected_shortfall = 0;
  double skewness = 0;         ///< 0 for a constant series
  double excess_kurtosis = 0;  ///< 0 for a constant series
  double autocorrelation = 0;  ///< 0 for a constant series
  bool moves = true;           ///< false when all its returns are the same
  double worst = 0;            ///< lowest return of a period
  Day worst_day{};             ///< the day that period ends
  double best = 0;
  Day best_day{};
  double max_drawdown = 0;  ///< deepest fall of the compounded returns from a peak, 0 or negative
  Day max_drawdown_from{};  ///< the day of the peak
  Day max_drawdown_to{};    ///< the day of the trough
};

/// The returns of column `asset` that span one period.
[[nodiscard]] INCHTIDE_API Eigen::VectorXd single_period_returns(const ReturnTable& table, Eigen::Index asset);

/// Figures of column `asset` of `table`.
/// @throws InputError when there are fewer than two returns, or the tail isn't above 0 and at most 1
[[nodiscard]] INCHTIDE_API AssetFigures figures_of(const ReturnTable& table, Eigen::Index asset,
                                                   const FigureOptions& options = {});

/// Figures of every column.
[[nodiscard]] INCHTIDE_API std::vector<AssetFigures> figures_of(const ReturnTable& table,
                                                                const FigureOptions& options = {});

/// What 1 became: every return compounded, whatever it spans.
struct INCHTIDE_API Growth {
  std::vector<Day> days;  ///< the first is the day of the first price
  std::vector<double> values;
};
[[nodiscard]] INCHTIDE_API Growth growth_of(const ReturnTable& table, Eigen::Index asset);

/// The deepest fall from a peak of a series of values.
struct INCHTIDE_API Drawdown {
  double depth = 0;                  ///< 0 or negative fraction
  std::size_t peak = 0, trough = 0;  ///< positions in the series
};

/// @param values positive wealths or prices in time order, at least one
[[nodiscard]] INCHTIDE_API Drawdown deepest_drawdown(const Eigen::Ref<const Eigen::VectorXd>& values);

}  // namespace inchtide

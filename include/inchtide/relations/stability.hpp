#pragma once
/// Whether figures of the past said anything about the time after: the same history in two parts, and correlations over
/// a window that moves along it.
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
/// const auto stability = inchtide::stability_of(returns);
/// assert(stability.before == 3 && stability.after == 3);
/// assert(std::abs(stability.assets[0].mean_before - 12 * 0.01) < 1e-15);
/// @endcode

#include <string>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/eigen.hpp"
#include "inchtide/relations/correlation.hpp"
#include "inchtide/returns/return_table.hpp"

namespace inchtide {

/// The rank correlation of two lists (Spearman 1904, American Journal of Psychology 15): the correlation of their
/// ranks, ties sharing the mean of theirs. NaN when either list is constant.
[[nodiscard]] INCHTIDE_API double rank_correlation(const Eigen::VectorXd& a, const Eigen::VectorXd& b);

/// One asset before and after.
struct INCHTIDE_API BeforeAfter {
  std::string asset;
  double mean_before = 0, mean_after = 0;                ///< arithmetic, fractions per year
  double volatility_before = 0, volatility_after = 0;    ///< fractions per root year
  double correlation_before = 0, correlation_after = 0;  ///< its mean correlation with the others; NaN if motionless
};

struct INCHTIDE_API Stability {
  Day before_from{}, before_to{}, after_from{}, after_to{};  ///< days on which the first and last period of each end
  std::size_t before = 0, after = 0;                         ///< periods
  std::vector<BeforeAfter> assets;
  double mean_ranks = 0, volatility_ranks = 0, correlation_ranks = 0;  ///< rank correlations across assets; NaN if none
  double pair_ranks = 0;                                               ///< of all pair correlations
  double pair_error = 0;     ///< root mean square change of a pair's correlation
  double average_error = 0;  ///< the same had every pair been foretold the average of the first part
  double average_before = 0, average_after = 0;  ///< mean of all pairs
};

/// @param split the first period of the second part is the first that ends on this day or later
/// @throws InputError when a part has fewer than 3 periods common to all (saying how many)
[[nodiscard]] INCHTIDE_API Stability stability_of(const ReturnTable& returns, Day split,
                                                  Denominator denominator = Denominator::sample);
/// In two halves.
[[nodiscard]] INCHTIDE_API Stability stability_of(const ReturnTable& returns,
                                                  Denominator denominator = Denominator::sample);

/// The correlation of two series over a window that moves along.
struct INCHTIDE_API RollingCorrelation {
  std::string a, b;
  std::size_t window = 0;                 ///< periods
  std::vector<Day> days;                  ///< the day on which each window ends
  std::vector<double> values, low, high;  ///< with the 95% interval; NaN while one of the two doesn't move
};

/// @param window periods, at least 4
/// @throws InputError when the window is shorter, or longer than the periods that the two have in common (saying how
///         many there are)
[[nodiscard]] INCHTIDE_API RollingCorrelation rolling_correlation(const ReturnTable& returns, Eigen::Index a,
                                                                  Eigen::Index b, std::size_t window);

}  // namespace inchtide

#pragma once
/// How often returns of each size came, beside a normal distribution of the same mean and deviation.
///
/// @code
/// #include <cassert>
/// Eigen::VectorXd returns(5);
/// returns << -0.02, 0.004, 0.012, 0.015, 0.03;
/// const auto histogram = inchtide::histogram_of(returns, 5);
/// assert(histogram.counts.size() == 5 && histogram.edges.size() == 6);
/// assert(histogram.counts[0] == 1 && histogram.counts[3] == 2);
/// @endcode

#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/eigen.hpp"

namespace inchtide {

/// Bins of equal width. A value on an edge counts in the bin above it, the greatest value in the last bin.
struct INCHTIDE_API Histogram {
  std::vector<double> edges;  ///< one more than bins, ascending
  std::vector<std::size_t> counts;
  double mean = 0, deviation = 0;  ///< of the values, deviation with T-1

  [[nodiscard]] double width() const { return edges[1] - edges[0]; }
  /// How many of the values a normal distribution of this mean and deviation has in a bin.
  [[nodiscard]] double normal_count(std::size_t bin) const;
  /// Its density at x, scaled so that it is comparable with counts.
  [[nodiscard]] double normal_height(double x) const;
};

/// @param bins their number; 0 for the rule of Freedman & Diaconis 1981 (Zeitschrift fuer Wahrscheinlichkeitstheorie
/// 57): a width of 2 IQR / T^(1/3), with 3.49 s / T^(1/3) (Scott 1979, Biometrika 66) where the IQR is 0; at most 500
/// @throws InputError when there are fewer than two values, or bins is negative or above 10,000
[[nodiscard]] INCHTIDE_API Histogram histogram_of(const Eigen::VectorXd& values, int bins = 0);

}  // namespace inchtide

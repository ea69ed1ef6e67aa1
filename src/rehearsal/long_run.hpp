#pragma once
// Series that hang together: products of rows some way apart, with weights that fall to 0 (Newey & West 1987).

#include <algorithm>
#include <cmath>

#include "inchtide/base/eigen.hpp"

namespace inchtide {

// What pairs of rows a lag apart count for, both ways, of so many lags.
inline double lag_weight(Eigen::Index lag, Eigen::Index lags) {
  return lag == 0 ? 1 : 2 * (1 - double(lag) / double(lags + 1));
}

// Lags that suit a mean of so many rows.
inline Eigen::Index usual_lags(Eigen::Index rows) {
  return std::min(rows - 1, Eigen::Index(4 * std::pow(double(rows) / 100, 2.0 / 9)));
}

// Of all lags up to the last, by their weights: the sums over t of a(t) b(t + lag).
[[nodiscard]] double lagged_sum(const Eigen::ArrayXd& a, const Eigen::ArrayXd& b, Eigen::Index lags);

// The standard error of the mean of a series around 0 that may hang together over so many lags.
[[nodiscard]] double long_run_error(const Eigen::ArrayXd& series, Eigen::Index lags);

}  // namespace inchtide

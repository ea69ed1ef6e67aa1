#include "rehearsal/long_run.hpp"

#include <algorithm>
#include <array>

namespace inchtide {
namespace {

constexpr Eigen::Index lags_together = 8;

/// Sums of a(t) b(t + lag) at lags from `first` on, in one pass for all.
Eigen::Array<double, lags_together, 1> lagged_products(const Eigen::ArrayXd& a, const Eigen::ArrayXd& b,
                                                       Eigen::Index first) {
  using Two = Eigen::Array2d;
  std::array<Two, lags_together> sums;
  sums.fill(Two::Zero());
  const double *left = a.data(), *right = b.data() + first;
  const auto rows = std::max<Eigen::Index>(0, a.size() - first - lags_together + 1) / 2 * 2;  // that all lags have
  for (Eigen::Index t = 0; t < rows; t += 2) {
    const Two here = Eigen::Map<const Two>(left + t);
    const auto add = [&](Eigen::Index k) __attribute__((always_inline)) {
      sums[std::size_t(k)] += here * Eigen::Map<const Two>(right + t + k);
    };
    add(0), add(1), add(2), add(3), add(4), add(5), add(6), add(7);
  }
  Eigen::Array<double, lags_together, 1> products;
  for (Eigen::Index k = 0; k < lags_together; ++k) {
    products[k] = sums[std::size_t(k)].sum();
    for (auto t = rows; t + first + k < a.size(); ++t) products[k] += left[t] * right[t + k];
  }
  return products;
}

}  // namespace

double lagged_sum(const Eigen::ArrayXd& a, const Eigen::ArrayXd& b, Eigen::Index lags) {
  double sum = 0;
  for (Eigen::Index first = 0; first <= lags; first += lags_together) {
    const auto products = lagged_products(a, b, first);
    for (auto lag = first; lag <= std::min(lags, first + lags_together - 1); ++lag) {
      sum += lag_weight(lag, lags) * products[lag - first];
    }
  }
  return sum;
}

double long_run_error(const Eigen::ArrayXd& series, Eigen::Index lags) {
  return std::sqrt(std::max(0.0, lagged_sum(series, series, lags))) / double(series.size());
}

}  // namespace inchtide

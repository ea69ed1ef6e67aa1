#include <algorithm>
#include <cmath>

#include "inchtide/rehearsal/luck.hpp"

namespace inchtide {
namespace {

/// 1 up to a half, then straight down to 0 at 1.
double flat_top(double at) {
  return std::clamp(2 * (1 - std::abs(at)), 0.0, 1.0);
}

/// Autocovariances at lags from 0 on, each over all rows.
Eigen::ArrayXd autocovariances(const Eigen::ArrayXd& off, Eigen::Index lags) {
  Eigen::ArrayXd all(lags + 1);
  for (Eigen::Index lag = 0; lag <= lags; ++lag) {
    const auto rows = off.size() - lag;
    all[lag] = (off.head(rows) * off.tail(rows)).sum() / double(off.size());
  }
  return all;
}

/// The last lag before as many in a row that are no more than noise.
Eigen::Index last_that_counts(const Eigen::ArrayXd& covariances, Eigen::Index in_a_row, double noise) {
  Eigen::Index quiet = 0, last = 0;
  for (Eigen::Index lag = 1; lag < covariances.size(); ++lag) {
    if (std::abs(covariances[lag]) < noise * covariances[0]) {
      if (++quiet == in_a_row) return last;
    } else {
      quiet = 0;
      last = lag;
    }
  }
  return last;
}

}  // namespace

double usual_block(const Eigen::VectorXd& series) {
  const double rows = double(series.size()), most = std::max(1.0, std::min(3 * std::sqrt(rows), rows / 3));
  const Eigen::ArrayXd off = series.array() - series.mean();
  const auto in_a_row = std::max(Eigen::Index(5), Eigen::Index(std::ceil(std::sqrt(std::log10(rows)))));
  const auto lags = std::min(Eigen::Index(std::ceil(std::sqrt(rows))) + in_a_row, series.size() - 1);
  const auto covariances = autocovariances(off, lags);
  if (!(covariances[0] > 0)) return 1;
  const double noise = 2 * std::sqrt(std::log10(rows) / rows);
  const auto width = std::min(2 * last_that_counts(covariances, in_a_row, noise), lags);
  double sum = covariances[0], weighted = 0;
  for (Eigen::Index lag = 1; lag <= width; ++lag) {
    const double part = 2 * flat_top(double(lag) / double(width)) * covariances[lag];
    sum += part;
    weighted += part * double(lag);
  }
  if (sum == 0) return most;
  return std::clamp(std::cbrt(weighted * weighted / (sum * sum) * rows), 1.0, most);
}

}  // namespace inchtide

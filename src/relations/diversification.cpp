#include "inchtide/relations/diversification.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>
#include <random>
#include <vector>

#include "inchtide/base/errors.hpp"

namespace inchtide {

DiversificationCurve diversification_curve(const Covariance& covariance, int draws, std::uint64_t seed) {
  if (draws < 0) throw InputError("diversification", fmt::format("{} draws", draws), "Give none or more");
  const Eigen::MatrixXd s = covariance.matrix();
  const auto n = s.cols();
  if (n == 0) throw InputError("diversification", "there is no asset", "Give at least one");
  DiversificationCurve curve;
  curve.draws = draws;
  curve.average_variance = s.diagonal().mean();
  curve.average_covariance = n > 1 ? (s.sum() - s.trace()) / (double(n) * double(n - 1)) : 0;
  curve.floor = std::sqrt(std::max(0.0, curve.average_covariance));
  curve.expected.resize(n);
  for (Eigen::Index k = 1; k <= n; ++k) {
    const double share = 1 / double(k);
    curve.expected[k - 1] =
        std::sqrt(std::max(0.0, share * curve.average_variance + (1 - share) * curve.average_covariance));
  }
  if (draws == 0) return curve;

  // One shuffled order gives a random subset of every size: its first n.
  std::mt19937_64 random(seed);
  std::vector<Eigen::Index> order(static_cast<std::size_t>(n));
  Eigen::MatrixXd volatilities(draws, n);
  for (Eigen::Index draw = 0; draw < draws; ++draw) {
    std::iota(order.begin(), order.end(), 0);
    double sum = 0;  // of the covariances among the first n
    for (std::size_t k = 0; k < order.size(); ++k) {
      std::swap(order[k], order[k + random() % (order.size() - k)]);
      const auto column = s.col(order[k]);
      for (std::size_t j = 0; j < k; ++j) sum += 2 * column[order[j]];
      sum += column[order[k]];
      volatilities(draw, Eigen::Index(k)) = std::sqrt(std::max(0.0, sum)) / double(k + 1);
    }
  }
  curve.mean = volatilities.colwise().mean();
  curve.low.resize(n);
  curve.high.resize(n);
  for (Eigen::Index k = 0; k < n; ++k) {
    auto column = volatilities.col(k);
    std::ranges::sort(column);
    curve.low[k] = column[Eigen::Index(0.05 * (draws - 1))];
    curve.high[k] = column[Eigen::Index(std::ceil(0.95 * (draws - 1)))];
  }
  return curve;
}

}  // namespace inchtide

#include "inchtide/frontier/cloud.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <random>

#include "frontier/pieces.hpp"
#include "frontier/tolerances.hpp"
#include "inchtide/base/errors.hpp"

namespace inchtide {
namespace {

/// Shifts between two points of the walk that are kept, for each asset.
constexpr int shifts_per_asset = 4;

/// Uniform in [0, 1), the same on every machine.
double uniform(std::mt19937_64& random) {
  return double(random() >> 11) * 0x1p-53;
}

}  // namespace

Eigen::MatrixXd random_portfolios(const Frontier& frontier, int count, std::uint64_t seed) {
  if (count < 0) throw InputError("cloud", fmt::format("{} portfolios", count), "Give 0 or more");
  const auto& bounds = frontier.bounds();
  const auto n = bounds.lower.size();
  const auto& corners = frontier.corners();
  // Amid the corners: limits are convex, so what lies between portfolios within them is within them.
  Eigen::VectorXd w = Eigen::VectorXd::Zero(n);
  for (std::size_t k = 0; k < corners.size(); ++k) w += frontier.weights(k) / double(corners.size());
  std::mt19937_64 random(seed);
  Eigen::MatrixXd cloud(n, count);
  const auto holds = [&] {
    return std::ranges::all_of(bounds.rows, [&](const LimitRow& row) {
      const double value = row.value(w), slack = row_slack * std::max(1.0, row.coefficients.cwiseAbs().maxCoeff());
      return value >= row.lower - slack && value <= row.upper + slack;
    });
  };
  for (int c = 0; c < count; ++c) {
    for (Eigen::Index k = 0; k < shifts_per_asset * n; ++k) {
      const auto i = Eigen::Index(random() % std::uint64_t(n)), j = Eigen::Index(random() % std::uint64_t(n));
      const double most = std::min(bounds.upper[i] - w[i], w[j] - bounds.lower[j]);
      const double least = -std::min(w[i] - bounds.lower[i], bounds.upper[j] - w[j]);
      const double shift = least + uniform(random) * (most - least);
      if (i == j || !std::isfinite(shift)) continue;
      const double from_i = w[i], from_j = w[j];
      w[i] += shift;
      w[j] -= shift;
      if (!holds()) {  // stay
        w[i] = from_i;
        w[j] = from_j;
      }
    }
    cloud.col(c) = w;
  }
  return cloud;
}

}  // namespace inchtide

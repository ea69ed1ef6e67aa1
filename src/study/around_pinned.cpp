#include "study/around_pinned.hpp"

#include <algorithm>
#include <cmath>

namespace inchtide {
namespace {

constexpr double rounding_of_ends = 1e-12;  // of wealth: below it an end isn't passed

/// A part of an asset's range over which what it adds to a row rises evenly.
struct EvenPart {
  double slope = 0, length = 0;
};

/// The least value of a row within the ranges and the sum of the weights: all begin at their lower ends, and what is
/// left of the sum goes where it adds least. What an asset adds is convex, so that its own parts come in their
/// order.
double least_of(const Bounds& bounds, const Eigen::VectorXd& straight, const LimitRow& row) {
  double value = row.constant, left = bounds.budget - bounds.lower.sum();
  std::vector<EvenPart> parts;
  for (Eigen::Index i = 0; i < straight.size(); ++i) {
    const double from = bounds.lower[i], to = bounds.upper[i], a = straight[i];
    const double bend = row.bend.size() > 0 ? row.bend[i] : 0, at = row.bend.size() > 0 ? row.bend_at[i] : from;
    value += a * from + bend * std::abs(from - at);
    if (at > from) parts.push_back({a - bend, std::min(at, to) - from});
    if (at < to) parts.push_back({a + bend, to - std::max(at, from)});
  }
  std::ranges::sort(parts, {}, &EvenPart::slope);
  for (const auto& [slope, length] : parts) {
    const double taken = std::min(length, left);
    if (taken <= 0) continue;
    value += slope * taken;
    left -= taken;
  }
  return value;
}

/// The least and the most of a row; of absolute sizes, which have no lower end, the most isn't asked for.
std::pair<double, double> reach_of(const Bounds& bounds, const LimitRow& row) {
  LimitRow turned;
  turned.constant = -row.constant;
  return {least_of(bounds, row.coefficients, row), -least_of(bounds, -row.coefficients, turned)};
}

/// Whether it was; the row is then as wide as the others' ranges and the sum make it.
bool widen_row(LimitRow& row, const Bounds& bounds, const Bounds& before) {
  const auto [least, most] = reach_of(bounds, row);
  const auto [least_before, most_before] = reach_of(before, row);
  if (least > row.upper + rounding_of_ends && least_before <= row.upper + rounding_of_ends) {
    row.upper = least;
    return true;
  }
  if (row.bend.size() == 0 && most < row.lower - rounding_of_ends && most_before >= row.lower - rounding_of_ends) {
    row.lower = most;
    return true;
  }
  return false;
}

std::size_t least_held(const Bounds& bounds) {
  return std::size_t(((bounds.lower.array() > 0) || (bounds.upper.array() < 0)).count());
}

}  // namespace

std::vector<std::string> widen_around(Bounds& bounds, const Bounds& before, const std::vector<Eigen::Index>& pinned) {
  std::vector<std::string> widened;
  const auto tell = [&](int limit, const std::string& label) {
    const auto text = limit >= 0 ? bounds.limits[std::size_t(limit)].text : label;
    if (std::ranges::find(widened, text) == widened.end()) widened.push_back(text);
  };
  for (auto& row : bounds.rows) {
    if (widen_row(row, bounds, before)) tell(row.limit, row.label);
  }
  if (bounds.holdings) {
    const double most = bounds.holdings->value;
    if (double(least_held(bounds)) > most && double(least_held(before)) <= most) {
      bounds.holdings->value = double(least_held(bounds));
      tell(bounds.holdings->limit, "holdings");
    }
  }
  if (bounds.held) {
    for (const auto k : pinned) {
      const double size = std::abs(bounds.lower[k]);
      if (size == 0 || size >= bounds.held->value) continue;
      bounds.held->value = size;
      tell(bounds.held->limit, "held");
    }
  }
  return widened;
}

}  // namespace inchtide

#include "study/around_pinned.hpp"

#include <algorithm>
#include <cmath>

namespace inchtide {
namespace {

constexpr double rounding = 1e-12;  // of wealth: below it an end isn't passed

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

/// Whether it was; the row is then as wide as the others' ranges and the sum make it.
bool widen_row(const Bounds& bounds, LimitRow& row) {
  bool widened = false;
  const double least = least_of(bounds, row.coefficients, row);
  if (least > row.upper + rounding) {
    row.upper = least;
    widened = true;
  }
  if (row.bend.size() > 0) return widened;  // it has no lower end
  LimitRow turned;
  turned.constant = -row.constant;
  const double most = -least_of(bounds, -row.coefficients, turned);
  if (most < row.lower - rounding) {
    row.lower = most;
    widened = true;
  }
  return widened;
}

}  // namespace

std::vector<std::string> widen_around(Bounds& bounds, const std::vector<Eigen::Index>& pinned) {
  std::vector<std::string> widened;
  const auto tell = [&](int limit, const std::string& label) {
    const auto text = limit >= 0 ? bounds.limits[std::size_t(limit)].text : label;
    if (std::ranges::find(widened, text) == widened.end()) widened.push_back(text);
  };
  for (auto& row : bounds.rows) {
    if (widen_row(bounds, row)) tell(row.limit, row.label);
  }
  if (bounds.holdings) {
    const auto held = ((bounds.lower.array() > 0) || (bounds.upper.array() < 0)).count();
    if (double(held) > bounds.holdings->value) {
      bounds.holdings->value = double(held);
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

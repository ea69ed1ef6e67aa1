#include "inchtide/weights/stretches.hpp"

#include <algorithm>
#include <cmath>
#include <queue>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/range.hpp"
#include "inchtide/returns/figures.hpp"

namespace inchtide {
namespace {

Eigen::VectorXd simple(const ReturnTable& returns, std::size_t row) {
  Eigen::VectorXd moves = returns.returns.row(Eigen::Index(row)).transpose();
  if (returns.kind == ReturnKind::log) moves = moves.array().exp() - 1;
  return moves;
}

/// Values from one row to another, and the deepest fall among them.
struct Part {
  Eigen::Index first, last;
  Drawdown fall;

  bool operator<(const Part& other) const { return fall.depth > other.fall.depth; }  // the deepest on top
};

}  // namespace

std::vector<Stretch> worst_stretches(const ReturnTable& returns, const Eigen::VectorXd& weights, std::size_t count) {
  returns.check();
  check_per_asset(weights, returns.returns.cols(), "weights");
  if (!returns.returns.allFinite()) {
    throw InputError("stretches", "some asset has no return on some row", "Keep the rows on which all have one");
  }
  const auto rows = returns.observations();
  Eigen::VectorXd values = Eigen::VectorXd::Ones(Eigen::Index(rows) + 1);  // value k: before row k
  for (std::size_t t = 0; t < rows; ++t) {
    values[Eigen::Index(t) + 1] = values[Eigen::Index(t)] * (1 + weights.dot(simple(returns, t)));
  }
  const auto day = [&](Eigen::Index k) { return k == 0 ? returns.start : returns.days[std::size_t(k) - 1]; };
  std::priority_queue<Part> parts;
  const auto look_in = [&](Eigen::Index first, Eigen::Index last) {
    if (last > first) parts.push({first, last, deepest_drawdown(values.segment(first, last - first + 1))});
  };
  look_in(0, values.size() - 1);
  std::vector<Stretch> worst;
  while (!parts.empty() && worst.size() < count && parts.top().fall.depth < 0) {
    const auto [first, last, fall] = parts.top();
    parts.pop();
    const auto peak = first + Eigen::Index(fall.peak), trough = first + Eigen::Index(fall.trough);
    worst.push_back({std::size_t(peak), std::size_t(trough - peak), day(peak), day(trough)});
    look_in(first, peak);
    look_in(trough, last);
  }
  return worst;
}

double return_through(const ReturnTable& returns, const Stretch& stretch, const Eigen::VectorXd& weights,
                      double risk_free) {
  check_per_asset(weights, returns.returns.cols(), "weights");
  finite(risk_free, "risk-free rate");
  double value = 1;
  for (std::size_t t = stretch.first_row; t < stretch.first_row + stretch.rows; ++t) {
    const double years = returns.spans.row(Eigen::Index(t)).maxCoeff() / returns.periods_per_year;
    const double cash = std::pow(1 + risk_free, years) - 1;
    value *= 1 + weights.dot(simple(returns, t)) + (1 - weights.sum()) * cash;
  }
  return value - 1;
}

}  // namespace inchtide

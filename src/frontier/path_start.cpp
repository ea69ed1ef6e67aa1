// Where a path starts: prices at infinity, the first lambda, the least variance among what ties there.

#include "frontier/path.hpp"

#include <algorithm>
#include <cmath>
#include <utility>

#include "frontier/tolerances.hpp"

namespace inchtide {

/// q with what the rows that don't bind add: their prices are lambda times a constant.
const Eigen::VectorXd& PathSolver::rewards() {
  if (std::exchange(rewards_known_, true)) return rewards_;
  largest_q_ = pieces_.linear.cwiseAbs().maxCoeff();
  rewards_ = pieces_.linear;
  for (int r = 0; r < row_count(); ++r) {
    const double own = system_.binds(r) ? 0 : own_slope(r);
    if (own != 0) add_multiple_of_row(r, own, rewards_);
  }
  return rewards_;
}

/// z(lambda) = z0 + lambda z1 on the free set that holds for large lambda, where the weights stand still.
void PathSolver::solve_prices_at_infinity(Eigen::VectorXd& z0, Eigen::VectorXd& z1) {
  const auto& q = pieces_.linear;
  rewards_known_ = false;
  const Eigen::VectorXd solved0 = system_.solve(system_.on_places(g_)),
                        solved1 = system_.solve(system_.on_places(rewards()));
  for (int r = 0; r < row_count(); ++r) {
    const auto place = system_.place(weight_of_row(r));
    y_[r] = place < 0 ? 0 : solved0[place];
    y_slope_[r] = place < 0 ? own_slope(r) : -solved1[place];
  }
  z0 = g_ - pieces_.rows.transpose() * y_;
  const Eigen::VectorXd priced = pieces_.rows.transpose() * y_slope_;
  z1 = -q - priced;
  dz_scale_ = std::max({q.cwiseAbs().maxCoeff(), priced.cwiseAbs().maxCoeff(), std::numeric_limits<double>::min()});
}

/// The largest lambda at which a price meets 0; 0 when none does.
double PathSolver::first_lambda(const Eigen::VectorXd& z0, const Eigen::VectorXd& z1) const {
  double first = 0;
  for (int j = 0; j < count(); ++j) {
    const auto i = std::size_t(j);
    if (locked_[i] || at_[i] == At::free) continue;
    const double sign = at_[i] == At::lower ? 1 : -1;
    const auto look = [&](double from, double slope) {
      if (slope > slope_noise * dz_scale_ && from < 0) first = std::max(first, -from / slope);
    };
    look(sign * z0[j], sign * z1[j]);
    if (const auto* bend = bend_to_pass(j)) {
      look(z0[j] - bend->rows.dot(y_), z1[j] - pieces_.linear_change(*bend) - bend->rows.dot(y_slope_));
    }
  }
  return first;
}

/// Among states with the same q'w the first corner is the one of least variance. The tied weights (reduced cost 0) form
/// a problem of the same kind, with the others locked; a stand-in cost that makes the present state its best start
/// turns it into a path, whose end has the least variance. What ties up to rounding ties exactly from then on: lambda
/// is so large where the path begins that it would show.
void PathSolver::move_to_least_variance_among_ties(LinearTerm& q) {
  Ties ties;
  solve_prices_at_infinity(ties.z0, ties.z1);
  ties.noise = slope_noise * dz_scale_;
  // Bends whose far side costs something: they end the ranges of the tied problem.
  const auto& bends = pieces_.bends();
  for (const auto& bend : bends) {
    ties.change.push_back(pieces_.linear_change(bend) + bend.rows.dot(y_slope_));
    ties.change0.push_back(bend.rows.dot(y_));
  }
  ties.stand_in = {Eigen::VectorXd::Zero(count()), std::vector<double>(bends.size(), 0.0)};
  for (int j = 0; j < count(); ++j) {
    if (!locked_[std::size_t(j)] && at_[std::size_t(j)] != At::free) tie_or_lock(j, ties, q);
  }
  for (std::size_t k = 0; k < bends.size(); ++k) {
    if (std::abs(ties.change[k]) > ties.noise) pieces_.close(k);
  }
  if (ties.improve) {
    pieces_.set_linear(ties.stand_in.lowest, ties.stand_in.bends);
    const auto per_year = std::exchange(costs_per_year_, std::nullopt);
    const double stop = std::exchange(stop_at_, 0.0);
    follow_from_infinity();
    costs_per_year_ = per_year;
    stop_at_ = stop;
  }
  pieces_.open_all();
  for (int j : ties.locked) locked_[std::size_t(j)] = 0;
  for (int j : pieces_.bent()) {
    if (at_[std::size_t(j)] == At::lower) stand_at_end(j, true);
  }
}

/// A weight at an end of its piece takes part in the tied problem, below its bend, above it or both, or is locked.
void PathSolver::tie_or_lock(int j, Ties& ties, LinearTerm& q) {
  const auto i = std::size_t(j);
  const double z0 = ties.z0[j], z1 = ties.z1[j];
  const bool tied = std::abs(z1) <= ties.noise;
  auto& [lowest, over] = ties.stand_in;
  const auto* bend = bend_to_pass(j);
  const std::size_t b = bend ? pieces_.index_of(*bend) : 0;
  if (tied) tie_exactly(q, j, z1);
  if (bend && std::abs(z1 - ties.change[b]) <= ties.noise) {  // tied above the bend
    const double slope = pieces_.linear[j], above = slope + q.bends[b];
    q.bends[b] = above + (z1 - ties.change[b]) - (tied ? slope + z1 : slope);
    ties.improve = ties.improve || z0 - ties.change0[b] < 0;
    ++ties.rank;
    if (tied) {  // and below
      lowest[j] += ties.rank;
      over[b] = -2 * ties.rank;
      ties.improve = ties.improve || z0 > 0;
    } else {
      lowest[j] -= ties.rank;
      pieces_.up(j);
      at_[i] = At::lower;
    }
    return;
  }
  if (!tied) {
    locked_[i] = 1;
    ties.locked.push_back(j);
    return;
  }
  ++ties.rank;
  if (j >= risky_ && bends_in_row(j - risky_)) {
    // A reward for a larger size isn't concave; one for the weights, by the row's slopes where they stand, is.
    lowest += ties.rank * pieces_.rows.row(j - risky_).transpose();
    lowest[j] += ties.rank;
  } else {
    lowest[j] += at_[i] == At::lower ? -ties.rank : ties.rank;
  }
  ties.improve = ties.improve || (at_[i] == At::lower ? z0 < 0 : z0 > 0);
}

/// Changes the linear term by so much on the piece that the weight stands on, so that it comes out exactly.
void PathSolver::tie_exactly(LinearTerm& q, int weight, double change) const {
  const double slope = pieces_.linear[weight] + change;
  const auto* below = pieces_.below(weight);
  if (below == nullptr) {
    q.lowest[weight] = slope;
    return;
  }
  double before = q.lowest[weight];
  const auto last = pieces_.index_of(*below);
  auto first = last;
  while (first > 0 && pieces_.bends()[first - 1].weight == weight) --first;
  for (auto k = first; k < last; ++k) before += q.bends[k];
  q.bends[last] = slope - before;
}

}  // namespace inchtide

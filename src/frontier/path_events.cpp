// What ends a piece of the path, and the change of the free set there.

#include "frontier/path.hpp"

#include <algorithm>
#include <array>
#include <cmath>

#include "base/numbers.hpp"
#include "frontier/tolerances.hpp"
#include "inchtide/base/errors.hpp"

namespace inchtide {
namespace {

/// A price counts as it stands at a lower bound, the other way round at an upper one, and not at all for a free weight.
constexpr std::array<double, 3> price_side{1, -1, 0};

}  // namespace

bool PathSolver::bends_in_row(int row) const {
  return std::ranges::any_of(pieces_.bends(), [row](const Bend& bend) { return bend.rows[row] != 0; });
}

/// The bend that a weight stands at and may pass upward.
const Bend* PathSolver::bend_to_pass(int asset) const {
  return at_[std::size_t(asset)] == At::upper ? pieces_.above(asset) : nullptr;
}

/// Puts a weight at an end of its piece; at a bend that is the upper end of the lower piece.
void PathSolver::stand_at_end(int asset, bool lower) {
  w_[asset] = lower ? pieces_.lower[asset] : pieces_.upper[asset];
  const auto* bend = lower ? pieces_.below(asset) : nullptr;
  if (bend) {
    z_[asset] += lambda_ * pieces_.linear_change(*bend) + bend->rows.dot(y_);
    pieces_.down(asset);
    rewards_known_ = false;
  }
  at_[std::size_t(asset)] = lower && !bend ? At::lower : At::upper;
}

/// The price above the bend that a weight stands at.
double PathSolver::price_over(const Bend& bend) const {
  return z_[bend.weight] - lambda_ * pieces_.linear_change(bend) - bend.rows.dot(y_);
}

double PathSolver::slope_of(int weight) const {
  return is_of_row(weight) ? row_slopes_[weight - risky_] : direction_[system_.place(weight)];
}

/// What dz gains by passing the bend.
double PathSolver::change_over(const Bend& bend) const {
  return -pieces_.linear_change(bend) - bend.rows.dot(dy_);
}

/// The earliest event; ties go to the lowest index.
PathSolver::Event PathSolver::next_event() {
  soon_.clear();
  earliest_ = soon_enough_ = infinity;
  consider_weights();
  consider_prices();
  if (costs_per_year_) {
    const double excess = y_[0] - lambda_ * *costs_per_year_, slope = dy_[0] - *costs_per_year_;
    if (excess - std::min(earliest_, lambda_) * slope > 0) {
      costs_are_free_ = true;
      return {Happens::ends, -1, std::max(0.0, excess / slope)};
    }
  }
  if (!(earliest_ < lambda_ - stop_at_)) return {Happens::ends, -1, lambda_ - stop_at_};
  const Soon* first = nullptr;
  for (const auto& next : soon_) {
    if (next.step > soon_enough_) continue;
    if (!first || next.asset < first->asset || (next.asset == first->asset && next.step < first->step)) first = &next;
  }
  Event event{Happens::enters, first->asset, std::min(first->step, lambda_ - stop_at_), first->over_bend};
  if (at_[std::size_t(first->asset)] == At::free) event.happens = Happens::leaves;
  return event;
}

/// Keeps those that come within a tie of the earliest so far; few are ever looked at closely.
void PathSolver::consider(int asset, double step, bool over_bend) {
  if (step > soon_enough_) return;
  soon_.push_back({asset, step, over_bend});
  earliest_ = std::min(earliest_, step);
  soon_enough_ = earliest_ + same_moment * lambda_;
}

/// Free weights that come to an end of their pieces.
void PathSolver::consider_weights() {
  // dw_F is the free block of the inverse (semidefinite, so no entry exceeds its largest diagonal one) times q_F. Where
  // rows fix the free weights the block is 0, up to the rounding of 1 / variance.
  double largest_inverse = 0, largest_variance = 0;
  for (int f = system_.binding(); f < system_.size(); ++f) {
    largest_inverse = std::max(largest_inverse, system_.inverse_at(f));
    largest_variance = std::max(largest_variance, variance(system_.member(f)));
  }
  if (largest_variance > 0) largest_inverse = std::max(largest_inverse, 1 / largest_variance);
  double no_slope = slope_noise * largest_inverse * largest_free_q_;
  if (system_.is_delicate()) no_slope = std::min(no_slope, refined_noise * largest_of(direction_));
  const auto consider_leaving = [&](int i, double slope) {  // w falls with lambda where the slope is positive
    consider(i, std::max(0.0, (w_[i] - (slope > 0 ? pieces_.lower : pieces_.upper)[i]) / slope), false);
  };
  for (int f = system_.binding(); f < system_.size(); ++f) {
    if (std::abs(direction_[f]) > no_slope) consider_leaving(system_.member(f), direction_[f]);
  }
  for (int r = 0; r < row_count(); ++r) {
    if (std::abs(row_slopes_[r]) > no_slope * row_largest_[r]) consider_leaving(weight_of_row(r), row_slopes_[r]);
  }
}

/// Prices of weights at an end of their pieces that come to 0.
void PathSolver::consider_prices() {
  const double terms = largest_variance_ * direction_.tail(system_.size() - system_.binding()).cwiseAbs().sum();
  const double least_slope = sum_noise * (terms + dz_scale_);
  const double room = lambda_ - no_lambda_;
  const double *dz = dz_.data(), *z = z_.data();
  const At* at = at_.data();
  double soonest = std::min(soon_enough_, room);
  for (int j = 0; j < count(); ++j) {
    const double side = price_side[std::size_t(at[j])];
    const double slope = side * dz[j], price = side * z[j];
    // One branch, nearly always the same way; the division is for the few that may come first.
    if (!(int(slope > least_slope) & int(price <= soonest * slope))) continue;
    const double step = std::max(0.0, price / slope);
    if (step < room && !locked_[std::size_t(j)] && !waits(j, false)) consider(j, step, false);
    soonest = std::min(soon_enough_, room);
  }
  for (int j : pieces_.bent()) {  // upward over the bend that they stand at
    const auto* bend = locked_[std::size_t(j)] ? nullptr : bend_to_pass(j);
    if (!bend) continue;
    const double slope = dz_[j] + change_over(*bend);
    if (slope <= least_slope) continue;
    const double step = std::max(0.0, price_over(*bend) / slope);
    if (step < room && !waits(j, true)) consider(j, step, true);
  }
}

/// Lowers lambda by `step`. True when a weight moved.
bool PathSolver::advance(double step) {
  double moved = 0;
  for (int f = system_.binding(); f < system_.size(); ++f) {
    const double change = -step * direction_[f];
    w_[system_.member(f)] += change;
    moved = std::max(moved, std::abs(change));
  }
  g_.head(risky_) -= step * dg_.head(risky_);
  z_ -= step * dz_;
  y_ -= step * dy_;
  lambda_ = step >= lambda_ ? 0 : lambda_ - step;
  for (int r = 0; r < row_count(); ++r) {
    if (system_.binds(r)) continue;
    w_[weight_of_row(r)] -= step * row_slopes_[r];
    y_[r] = lambda_ * own_slope(r);
  }
  return moved > no_move;
}

/// At the end of a long fall lambda and the prices are the last digits of large figures, and so is which event comes
/// first. They are worked out afresh a little above it, and the event looked for again. True when a weight moved.
bool PathSolver::come_near(Event& event) {
  double above = std::min(lost_digits * fresh_at_, event.step);
  const bool moved = advance(event.step - above);
  refresh();
  for (; has_passed_an_event() && above < event.step; above *= 10) {
    advance(above - std::min(10 * above, event.step));
    refresh();
  }
  event = next_event();
  return moved;
}

bool PathSolver::has_passed_an_event() const {
  const double terms = g_.cwiseAbs().maxCoeff() + lambda_ * largest_q_;
  for (int j = 0; j < count(); ++j) {
    const auto i = std::size_t(j);
    double price = price_side[std::size_t(at_[i])] * z_[j];
    if (const auto* bend = bend_to_pass(j)) price = std::min(price, price_over(*bend));
    if (!locked_[i] && price < -passed_price * terms) return true;
    if (at_[i] == At::free && std::max(pieces_.lower[j] - w_[j], w_[j] - pieces_.upper[j]) > no_move) return true;
  }
  return false;
}

/// At the end of the path, free weights that have come to a bound stand on it exactly.
void PathSolver::settle_on_bounds() {
  for (int i : system_.free_assets()) {
    if (std::abs(w_[i] - pieces_.lower[i]) < no_move) w_[i] = pieces_.lower[i];
    if (std::abs(w_[i] - pieces_.upper[i]) < no_move) w_[i] = pieces_.upper[i];
  }
}

void PathSolver::leave(int asset) {
  const double slope = slope_of(asset);
  const bool was_delicate = system_.is_delicate();
  z_[asset] = 0;
  if (is_of_row(asset)) {
    bind(asset - risky_);
  } else {
    remove(asset, 0);
  }
  if (was_delicate) system_.rebuild();  // its inverse keeps the rounding of the look-alike that has gone
  direction_follows_ = !was_delicate;
  stand_at_end(asset, slope > 0);
}

/// Takes a member out of the system, whose part of the direction becomes `slope`.
void PathSolver::remove(int member, double slope) {
  const int place = system_.place(member);
  const Eigen::VectorXd column = system_.inverse_column(place);
  direction_ -= (direction_[place] - slope) / column[place] * column;
  system_.remove(place, direction_);
  members_changed();
}

void PathSolver::members_changed() {
  waiting_.clear();
  rewards_known_ = false;
}

void PathSolver::gather_members() {
  system_.gather([this](int weight) { return weight < count() && at_[std::size_t(weight)] == At::free; });
  members_changed();
}

/// The row's riskless weight has met a bound.
void PathSolver::bind(int row) {
  const Eigen::VectorXd column = system_.column_of_row(row);
  Eigen::VectorXd solved = system_.solve(column);
  double pivot = -column.dot(solved);
  if (-pivot <= suspect * column.cwiseProduct(solved).cwiseAbs().sum()) {
    system_.rebuild();
    solved = system_.solve(column);
    pivot = -column.dot(solved);
  }
  if (!(pivot < 0)) give_up("a row depends on the others that bind");
  const double change = -row_slopes_[row] / pivot;
  direction_ -= change * solved;
  system_.add_row(row, solved, pivot, direction_, change - own_slope(row));
  members_changed();
}

}  // namespace inchtide

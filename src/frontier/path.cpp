#include "frontier/path.hpp"

#include <fmt/format.h>

#include <Eigen/LU>
#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <utility>

#include "base/blas.hpp"
#include "inchtide/base/errors.hpp"

namespace inchtide {
namespace {

constexpr double infinity = std::numeric_limits<double>::infinity();
/// A slope below this part of the largest term that it is the sum of is rounding, not a slope.
constexpr double slope_noise = 1e-12;
/// The same for a long sum, measured against the sum of its terms' sizes.
constexpr double sum_noise = 1e-14;
/// Events closer than this part of lambda happen together.
constexpr double tie = 1e-12;
/// A curvature below this part of its terms is flat.
constexpr double flat = 1e-11;
/// Whatever the terms, they are no smaller than this part of the largest variance.
constexpr double least_scale = 1e-4;
/// A curvature below this part of its terms is looked at again with the inverse built anew.
constexpr double suspect = 1e-6;
/// Weights that move by less than this haven't moved.
constexpr double no_move = 1e-13;
/// Below this part of max(S_ii) / max|q|, lambda q is lost in the rounding of Sw: no price is followed there.
constexpr double negligible = 1e-13;
/// Prices below this part of the terms that they are the sum of are rounding.
constexpr double no_price = 1e-11;
/// Where lambda falls below this part of itself at once and lambda q was larger than Sw, digits are lost.
constexpr double far_fall = 1e-3;
constexpr int events_between_refreshes = 64;
constexpr int refreshes_between_products = 16;
/// Prices of free weights beyond this part of the largest term that they are the sum of are cleared at once.
constexpr double drift = 1e-11;
/// Unless that moves a weight by more: a system next to singular knows no better.
constexpr double small_move = 1e-10;
/// A price counts as it stands at a lower bound, the other way round at an upper one, and not at all for a free weight.
constexpr std::array<double, 3> price_side{1, -1, 0};

}  // namespace

PathSolver::PathSolver(PathProblem problem)
    : covariance_(std::move(problem.covariance)),
      pieces_(std::move(problem.weights)),
      risky_(int(covariance_.size())),
      largest_variance_(covariance_.variances().maxCoeff()),
      keep_prices_(problem.keep_prices),
      stop_at_(problem.stop_at),
      ends_at_free_budget_(problem.ends_at_free_budget) {
  blas::use_one_thread();
  const auto n = pieces_.lower.size();
  at_.assign(std::size_t(n), At::lower);
  locked_.assign(std::size_t(n), 0);
  place_.assign(std::size_t(n), -1);
  y_ = Eigen::VectorXd::Zero(pieces_.rows.rows());
  z_ = dg_ = dz_ = priced_ = Eigen::VectorXd::Zero(n);
}

Eigen::VectorXd PathSolver::risk_of(const Eigen::VectorXd& weights) const {
  if (risky_ == weights.size() && pieces_.curvature.size() == 0) return covariance_.product(weights);
  Eigen::VectorXd risk = Eigen::VectorXd::Zero(weights.size());
  risk.head(risky_) = covariance_.product(weights.head(risky_));
  if (pieces_.curvature.size() > 0) risk += pieces_.curvature.cwiseProduct(weights) + pieces_.pull;
  return risk;
}

void PathSolver::copy_column(int asset, double* out) const {
  std::fill(out + risky_, out + count(), 0.0);
  if (asset < risky_) {
    covariance_.copy_column(asset, out);
  } else {
    std::fill(out, out + risky_, 0.0);
  }
  if (pieces_.curvature.size() > 0) out[asset] += pieces_.curvature[asset];
}

void PathSolver::start_at(const Eigen::VectorXd& weights, const std::vector<int>& basic,
                          const std::vector<int>& piece) {
  w_ = weights;
  for (int i : pieces_.bent()) pieces_.go_to(i, piece.empty() ? 0 : piece[std::size_t(i)]);
  for (int i = 0; i < count(); ++i) {
    const bool nearer_upper = pieces_.upper[i] - w_[i] < w_[i] - pieces_.lower[i];
    at_[std::size_t(i)] = nearer_upper ? At::upper : At::lower;
    locked_[std::size_t(i)] = pieces_.lower[i] == pieces_.upper[i] && !pieces_.above(i) && !pieces_.below(i);
    place_[std::size_t(i)] = -1;
  }
  free_.clear();
  for (int i : basic) {
    append_panel(i);
    place_[std::size_t(i)] = int(free_.size());
    free_.push_back(i);
    at_[std::size_t(i)] = At::free;
  }
  g_ = risk_of(w_);
  row_sums_ = pieces_.rows * w_ + pieces_.offset;
  rebuild_system();
}

Path PathSolver::follow(const LinearTerm& q) {
  pieces_.set_linear(q.lowest, q.bends);
  move_to_least_variance_among_ties();
  pieces_.set_linear(q.lowest, q.bends);
  return follow_from_infinity();
}

/// Among states with the same q'w the first corner is the one of least variance. The tied weights (reduced cost 0) form
/// a problem of the same kind, with the others locked; a stand-in cost that makes the present state its best start
/// turns it into a path, whose end has the least variance.
void PathSolver::move_to_least_variance_among_ties() {
  Eigen::VectorXd z0, z1;
  solve_prices_at_infinity(z0, z1);
  const double noise = slope_noise * dz_scale_;
  // Bends whose far side costs something: they end the ranges of the tied problem.
  const auto& bends = pieces_.bends();
  std::vector<double> change(bends.size()), change0(bends.size());
  for (std::size_t k = 0; k < bends.size(); ++k) {
    change[k] = pieces_.linear_change(bends[k]) + bends[k].rows.dot(y_slope_);
    change0[k] = bends[k].rows.dot(y_);
  }
  LinearTerm stand_in{Eigen::VectorXd::Zero(count()), std::vector<double>(bends.size(), 0.0)};
  std::vector<int> locked_here;
  bool improves = false;
  double rank = 0;
  for (int j = 0; j < count(); ++j) {
    const auto i = std::size_t(j);
    if (locked_[i] || at_[i] == At::free) continue;
    const auto* bend = bend_to_pass(j);
    const std::size_t b = bend ? pieces_.index_of(*bend) : 0;
    if (bend && std::abs(z1[j] - change[b]) <= noise) {  // tied above the bend
      improves = improves || z0[j] - change0[b] < 0;
      ++rank;
      if (std::abs(z1[j]) <= noise) {  // and below
        stand_in.lowest[j] += rank;
        stand_in.bends[b] = -2 * rank;
        improves = improves || z0[j] > 0;
      } else {
        stand_in.lowest[j] -= rank;
        pieces_.up(j);
        at_[i] = At::lower;
      }
      continue;
    }
    if (std::abs(z1[j]) > noise) {
      locked_[i] = 1;
      locked_here.push_back(j);
      continue;
    }
    ++rank;
    if (j >= risky_ && bends_in_row(j - risky_)) {
      // A reward for a larger size isn't concave; one for the weights, by the row's slopes where they stand, is.
      stand_in.lowest += rank * pieces_.rows.row(j - risky_).transpose();
      stand_in.lowest[j] += rank;
    } else {
      stand_in.lowest[j] += at_[i] == At::lower ? -rank : rank;
    }
    improves = improves || (at_[i] == At::lower ? z0[j] < 0 : z0[j] > 0);
  }
  for (std::size_t k = 0; k < bends.size(); ++k) {
    if (std::abs(change[k]) > noise) pieces_.close(k);
  }
  if (improves) {
    pieces_.set_linear(stand_in.lowest, stand_in.bends);
    const bool ends = std::exchange(ends_at_free_budget_, false);
    const double stop = std::exchange(stop_at_, 0.0);
    follow_from_infinity();
    ends_at_free_budget_ = ends;
    stop_at_ = stop;
  }
  pieces_.open_all();
  for (int j : locked_here) locked_[std::size_t(j)] = 0;
  for (int j : pieces_.bent()) {
    if (at_[std::size_t(j)] == At::lower) stand_at_end(j, true);
  }
}

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
  }
  at_[std::size_t(asset)] = lower && !bend ? At::lower : At::upper;
}

/// The price above the bend that a weight stands at.
double PathSolver::price_over(const Bend& bend) const {
  return z_[bend.weight] - lambda_ * pieces_.linear_change(bend) - bend.rows.dot(y_);
}

/// z(lambda) = z0 + lambda z1 on the free set that holds for large lambda, where the weights stand still.
void PathSolver::solve_prices_at_infinity(Eigen::VectorXd& z0, Eigen::VectorXd& z1) {
  const auto& q = pieces_.linear;
  const int p = row_count(), k = system_size();
  Eigen::VectorXd right0 = Eigen::VectorXd::Zero(k), right1 = Eigen::VectorXd::Zero(k);
  for (int f = p; f < k; ++f) {
    right0[f] = g_[free_[std::size_t(f - p)]];
    right1[f] = -q[free_[std::size_t(f - p)]];
  }
  const Eigen::VectorXd y0 = solve(right0).head(p), y1 = solve(right1).head(p);
  z0 = g_ - pieces_.rows.transpose() * y0;
  const Eigen::VectorXd priced = pieces_.rows.transpose() * y1;
  z1 = -q - priced;
  dz_scale_ = std::max({q.cwiseAbs().maxCoeff(), priced.cwiseAbs().maxCoeff(), std::numeric_limits<double>::min()});
  y_ = y0;
  y_slope_ = y1;
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

Path PathSolver::follow_from_infinity() {
  Eigen::VectorXd z0, z1;
  solve_prices_at_infinity(z0, z1);
  lambda_ = first_lambda(z0, z1);
  if (ends_at_free_budget_) {
    if (!(y_slope_[0] < 0)) {
      throw InputError("costs", "no return within the limits pays for trading", "Look at the estimate and the costs");
    }
    const double free = -y_[0] / y_slope_[0];
    free_budget_ = free >= lambda_;
    lambda_ = std::max(lambda_, free);
  }
  no_lambda_ = negligible * largest_variance_ /
               std::max(pieces_.linear.cwiseAbs().maxCoeff(), std::numeric_limits<double>::min());
  refresh();

  Path path;
  path.top = w_;
  path.price_slope = y_slope_;
  record_corner(path);
  path.corners.back().lambda_high = infinity;
  int since_refresh = 0, since_product = 0, stalled = 0;
  at_end_ = direction_follows_ = false;
  last_free_.clear();
  bool may_merge = false;  // nothing but the free set has changed since the last corner
  const bool straight_return = row_count() > 1 && std::ranges::all_of(pieces_.bends(), [&](const Bend& bend) {
                                 return pieces_.linear_change(bend) == 0;
                               });
  const int most_stalled = 1000 + 20 * (count() + row_count());
  while (lambda_ > std::max(no_lambda_, stop_at_) && !free_budget_) {
    if (!find_direction()) break;
    const auto event = next_event();
    const double before = lambda_;
    const bool moved = advance(event.step);
    const bool far = lambda_ < far_fall * before && before * largest_q_ > largest_variance_;
    if (event.happens != Happens::ends && far) arrive_at(event);
    if (moved) {
      if (may_merge && path.corners.size() > 1 && goes_straight_on()) path.corners.pop_back();
      last_free_ = free_;
      last_direction_ = direction_;
      record_corner(path);
      may_merge = straight_return;
    } else {
      record_lower_end(path);
      may_merge = may_merge && event.step <= tie * before;
    }
    if (event.happens == Happens::ends) break;
    if (event.happens == Happens::leaves) {
      leave(event.asset);
      record_changes(path, {event.asset});
    } else {
      std::vector<int> touched = free_;
      touched.push_back(event.asset);
      if (!enter(event.asset, event.over_bend))
        record_changes(path, touched);  // the corner moved along a flat direction
    }
    if (at_end_) break;
    stalled = moved ? 0 : stalled + 1;
    if (stalled > most_stalled && lambda_ <= 1e3 * no_lambda_) break;
    if (stalled > most_stalled) give_up("it keeps changing the free set without moving");
    if (++since_refresh == events_between_refreshes) {
      if (++since_product == refreshes_between_products) {
        g_ = risk_of(w_);
        since_product = 0;
      }
      refresh();
      since_refresh = 0;
    } else if (has_drifted()) {
      refresh(small_move);
    }
  }
  if (!free_budget_) lambda_ = stop_at_;
  g_ = risk_of(w_);
  refresh(small_move);
  record_lower_end(path);
  settle_on_bounds();
  record_changes(path, free_);
  return path;
}

// ---- one piece -----------------------------------------------------------------------------------------------------

/// Solves for the direction, then checks it: the product S dw is needed for the prices anyway, and its free entries
/// give the residual. A poor solution is refined, a poor system is built anew. False when it cannot be solved where
/// lambda is next to nothing: the path ends there.
bool PathSolver::find_direction() {
  const auto& q = pieces_.linear;
  const int p = row_count();
  const auto solve_direction = [&] {
    Eigen::VectorXd right = Eigen::VectorXd::Zero(system_size());
    for (int f = p; f < system_size(); ++f) right[f] = q[free_[std::size_t(f - p)]];
    direction_ = solve(right);
    return residual_of_direction();
  };
  const bool follows = std::exchange(direction_follows_, false);
  double residual = follows ? residual_of_direction() : solve_direction();
  for (int attempt = 0; residual > 1e-12 && attempt < 3; ++attempt) {
    if (attempt == 1 && residual > 1e-10) {
      rebuild_system();
      residual = solve_direction();
      continue;
    }
    Eigen::VectorXd right(system_size());
    right.head(p).setZero();
    for (int f = 0; f < int(free_.size()); ++f) {
      const int j = free_[std::size_t(f)];
      right.head(p) -= pieces_.rows.col(j) * direction_[p + f];
      right[p + f] = -dz_[j];
    }
    direction_ += solve(right);
    residual = residual_of_direction();
  }
  if (residual > 1e-8 && lambda_ <= 1e3 * no_lambda_) return false;
  if (residual > 1e-8) give_up(fmt::format("the system of its free weights is solved to {:.1e} only", residual));
  // What is left of the slope of a free weight's price is rounding.
  for (int j : free_) dz_[j] = 0;
  return true;
}

/// Sets dg = S dw and dz = dg - q - A'dy from the direction; returns the largest |dz| among free weights, relative to
/// the terms that it is the sum of: theirs alone, which are small where free weights nearly tie in q.
double PathSolver::residual_of_direction() {
  const auto& q = pieces_.linear;
  const int p = row_count();
  if (int(free_.size()) == p) direction_.tail(p).setZero();  // a vertex: the rows alone fix the free weights
  multiply_panel(direction_.data() + p, dg_.data());
  dz_ = dg_ - q;
  largest_q_ = q.cwiseAbs().maxCoeff();
  double scale = std::max(dg_.cwiseAbs().maxCoeff(), largest_q_);
  if (p == 1) {
    dz_ += pieces_.rows.row(0).transpose() * direction_[0];
    scale = std::max(scale, std::abs(direction_[0]));
  } else {
    blas::multiply(count(), p, 1, pieces_.rows.data(), count(), direction_.data(), 0, priced_.data());
    dz_ += priced_;
    scale = std::max(scale, priced_.cwiseAbs().maxCoeff());
  }
  dz_scale_ = std::max(scale, std::numeric_limits<double>::min());
  double worst = 0, terms = 0;
  largest_free_q_ = 0;
  for (int j : free_) {
    worst = std::max(worst, std::abs(dz_[j]));
    terms = std::max(terms, std::abs(dg_[j]));
    largest_free_q_ = std::max(largest_free_q_, std::abs(q[j]));
  }
  return worst / std::max({terms, largest_free_q_, std::numeric_limits<double>::min()});
}

PathSolver::Event PathSolver::next_event() {
  const int p = row_count();
  // Those that come within a tie of the earliest so far; few are ever looked at closely.
  soon_.clear();
  double earliest = infinity, soon_enough = infinity;
  const auto consider = [&](int asset, double step, bool over_bend) {
    if (step > soon_enough) return;
    soon_.push_back({asset, step, over_bend});
    earliest = std::min(earliest, step);
    soon_enough = earliest + tie * lambda_;
  };
  // dw_F is the free block of the inverse (semidefinite, so no entry exceeds its largest diagonal one) times q_F. Where
  // rows fix the free weights the block is 0, up to the rounding of 1 / variance.
  double largest_inverse = 0, largest_variance = 0;
  for (int f = 0; f < int(free_.size()); ++f) {
    const int i = free_[std::size_t(f)];
    largest_inverse = std::max(largest_inverse, inverse_(p + f, p + f));
    largest_variance = std::max(largest_variance, variance(i));
  }
  if (largest_variance > 0) largest_inverse = std::max(largest_inverse, 1 / largest_variance);
  for (int f = 0; f < int(free_.size()); ++f) {
    const int i = free_[std::size_t(f)];
    const double slope = direction_[p + f];  // w falls with lambda where it is positive
    if (std::abs(slope) <= slope_noise * largest_inverse * largest_free_q_) continue;
    const double bound = slope > 0 ? pieces_.lower[i] : pieces_.upper[i];
    consider(i, std::max(0.0, (w_[i] - bound) / slope), false);
  }
  const double terms = largest_variance_ * direction_.tail(int(free_.size())).cwiseAbs().sum();
  const double least_slope = sum_noise * (terms + dz_scale_);
  const double room = lambda_ - no_lambda_;
  for (int j = 0; j < count(); ++j) {
    const auto i = std::size_t(j);
    const double side = price_side[std::size_t(at_[i])];
    const double slope = side * dz_[j], price = side * z_[j];
    // One branch, nearly always the same way; the division is for the few that may come first.
    if (!(int(slope > least_slope) & int(price <= std::min(soon_enough, room) * slope))) continue;
    const double step = std::max(0.0, price / slope);
    if (step < room && !locked_[i]) consider(j, step, false);
  }
  for (int j : pieces_.bent()) {  // upward over the bend that they stand at
    const auto* bend = locked_[std::size_t(j)] ? nullptr : bend_to_pass(j);
    if (!bend) continue;
    const double slope = dz_[j] - pieces_.linear_change(*bend) + bend->rows.dot(direction_.head(p));
    if (slope <= least_slope) continue;
    const double step = std::max(0.0, price_over(*bend) / slope);
    if (step < room) consider(j, step, true);
  }
  if (ends_at_free_budget_ && y_[0] + std::min(earliest, lambda_) * direction_[0] > 0) {
    free_budget_ = true;
    return {Happens::ends, -1, std::max(0.0, -y_[0] / direction_[0])};
  }
  if (!(earliest < lambda_ - stop_at_)) return {Happens::ends, -1, lambda_ - stop_at_};
  const Soon* first = nullptr;
  for (const auto& next : soon_) {
    if (next.step > soon_enough) continue;
    if (!first || next.asset < first->asset || (next.asset == first->asset && next.step < first->step)) first = &next;
  }
  Event event{Happens::enters, first->asset, std::min(first->step, lambda_ - stop_at_), first->over_bend};
  if (at_[std::size_t(first->asset)] == At::free) event.happens = Happens::leaves;
  return event;
}

/// Lowers lambda by `step`. True when a weight moved.
bool PathSolver::advance(double step) {
  const int p = row_count();
  double moved = 0;
  for (int f = 0; f < int(free_.size()); ++f) {
    const double change = -step * direction_[p + f];
    w_[free_[std::size_t(f)]] += change;
    moved = std::max(moved, std::abs(change));
  }
  g_ -= step * dg_;
  z_ -= step * dz_;
  y_ += step * direction_.head(p);
  lambda_ = step >= lambda_ ? 0 : lambda_ - step;
  return moved > no_move;
}

/// After a long fall, what was left of lambda and of the prices are the last digits of large figures. They are worked
/// out afresh, and the rest of the way to the event from them.
void PathSolver::arrive_at(const Event& event) {
  refresh();
  const int asset = event.asset;
  double rest = 0;
  if (event.happens == Happens::leaves) {
    const double slope = direction_[row_count() + place_[std::size_t(asset)]];
    rest = (w_[asset] - (slope > 0 ? pieces_.lower : pieces_.upper)[asset]) / slope;
  } else if (event.over_bend) {
    const auto& bend = *pieces_.above(asset);
    rest = price_over(bend) / (dz_[asset] - pieces_.linear_change(bend) + bend.rows.dot(direction_.head(row_count())));
  } else {
    rest = z_[asset] / dz_[asset];
  }
  if (std::abs(rest) < far_fall * lambda_) advance(rest);
}

/// At the end of the path, free weights that have come to a bound stand on it exactly.
void PathSolver::settle_on_bounds() {
  for (int i : free_) {
    if (std::abs(w_[i] - pieces_.lower[i]) < no_move) w_[i] = pieces_.lower[i];
    if (std::abs(w_[i] - pieces_.upper[i]) < no_move) w_[i] = pieces_.upper[i];
  }
}

void PathSolver::leave(int asset) {
  const int gone = row_count() + place_[std::size_t(asset)], last = system_size() - 1;
  const double slope = direction_[gone];
  z_[asset] = 0;
  direction_ -= slope / inverse_(gone, gone) * blas::symmetric_column(inverse_, last + 1, gone);
  direction_[gone] = direction_[last];
  direction_.conservativeResize(last);
  direction_follows_ = true;
  remove_from_system(place_[std::size_t(asset)]);
  stand_at_end(asset, slope > 0);
}

/// Frees `asset`. False when that had to move weights: where a combination of free weights does the same as the asset
/// (no curvature), it takes their place until one of them meets its bound.
bool PathSolver::enter(int asset, bool over_bend) {
  double dz_over_bend = 0;
  if (over_bend) {
    const auto& bend = *pieces_.above(asset);
    dz_over_bend = dz_[asset] - pieces_.linear_change(bend) + bend.rows.dot(direction_.head(row_count()));
    z_[asset] = price_over(bend);
    pieces_.up(asset);
    at_[std::size_t(asset)] = At::lower;
  }
  const auto& q = pieces_.linear;
  auto border = border_by(asset);
  if (border.curvature <= suspect * border.scale) {  // is it nearly flat, or is the inverse worn?
    rebuild_system();
    border = border_by(asset);
  }
  if (border.curvature < -1e-7 * border.scale && lambda_ <= 1e3 * no_lambda_) {
    at_end_ = true;  // where lambda is next to nothing the path may end
    return true;
  }
  if (border.curvature < -1e-7 * border.scale && asset >= risky_) {
    give_up("rounding has lost the system of its free weights");
  }
  if (border.curvature < -1e-7 * border.scale) {
    throw InputError("covariance",
                     fmt::format("asset {} and the free ones around it form a portfolio with a negative "
                                 "variance",
                                 asset + 1),
                     "The matrix is not positive semidefinite: estimate it from complete histories, or shrink it");
  }
  const auto free_it = [&] {
    z_[asset] = 0;
    const int k = system_size();
    const double own = -(over_bend ? dz_over_bend : dz_[asset]) / border.curvature;
    direction_ -= own * border.solved;
    direction_.conservativeResize(k + 1);
    direction_[k] = own;
    direction_follows_ = true;
    add_to_system(asset, border.solved, border.curvature);
  };
  if (border.curvature > flat * border.scale) {
    free_it();
    return true;
  }
  const Eigen::VectorXd along = -border.solved;
  double gain = q[asset], gain_scale = std::abs(q[asset]), rise = g_[asset];
  for (int f = 0; f < int(free_.size()); ++f) {
    const int j = free_[std::size_t(f)];
    const double term = q[j] * along[row_count() + f];
    gain += term;
    gain_scale = std::max(gain_scale, std::abs(term));
    rise += g_[j] * along[row_count() + f];
  }
  if (std::abs(gain) > 1e-9 * gain_scale) {
    // Without curvature the asset's price is proportional to lambda: it meets 0 at lambda = 0 and not before. Where
    // that would be a visible price, and yet it is none, there must be a little curvature.
    const double flat_price = lambda_ * (over_bend ? dz_over_bend : dz_[asset]);
    const double terms = largest_variance_ * w_.cwiseAbs().sum() + lambda_ * largest_q_;
    const bool visible = std::abs(flat_price) > no_price * terms;
    if (border.curvature > 0 && visible && std::abs(rise - lambda_ * gain) < std::abs(flat_price) / 2) {
      free_it();
      return true;
    }
    z_[asset] = flat_price;
    if (over_bend) stand_at_end(asset, true);
    return true;
  }
  const bool moved = exchange_along_flat(asset, along);
  if (moved) refresh();
  return !moved;
}

/// What freeing `asset` adds to the system: S_jj - c' K^-1 c, with c its column of the system K.
PathSolver::Border PathSolver::border_by(int asset) const {
  const Eigen::VectorXd column = bordering_column(asset);
  const double own = variance(asset);
  Border border{solve(column), 0, 0};
  border.curvature = own - column.dot(border.solved);
  border.scale = own + column.cwiseProduct(border.solved).cwiseAbs().sum();
  border.scale = std::max(border.scale, least_scale * largest_variance_);  // the covariance itself is rounded
  if (own == 0) {  // a riskless weight, such as a row's, has no size of its own: the other rows' tell what is flat
    const double largest = inverse_.diagonal().head(row_count()).cwiseAbs().maxCoeff();
    border.scale = std::max(border.scale, largest * column.head(row_count()).cwiseAbs2().maxCoeff());
  }
  return border;
}

/// Moves along w_asset = +-1, w_F = +-along, which changes neither variance nor rows, until a bound stops it.
bool PathSolver::exchange_along_flat(int asset, const Eigen::VectorXd& along) {
  const int p = row_count();
  const double sign = at_[std::size_t(asset)] == At::lower ? 1 : -1;
  const double largest = std::max(1.0, along.tail(int(free_.size())).cwiseAbs().maxCoeff());
  double room = pieces_.upper[asset] - pieces_.lower[asset];
  int blocking = -1;
  for (int f = 0; f < int(free_.size()); ++f) {
    const double slope = sign * along[p + f];
    if (std::abs(slope) <= 1e-9 * largest) continue;
    const int i = free_[std::size_t(f)];
    const double bound = slope < 0 ? pieces_.lower[i] : pieces_.upper[i];
    const double far = std::max(0.0, (bound - w_[i]) / slope);
    const bool first = far < room || (far == room && blocking >= 0 && i < blocking);
    if (first) {
      room = far;
      blocking = i;
    }
  }
  if (std::isinf(room)) give_up("a flat direction has no end");
  for (int f = 0; f < int(free_.size()); ++f) w_[free_[std::size_t(f)]] += sign * room * along[p + f];
  w_[asset] += sign * room;
  if (blocking < 0) {
    stand_at_end(asset, sign < 0);
  } else {
    const int place = place_[std::size_t(blocking)];
    const bool to_lower = sign * along[p + place] < 0;
    stand_at_end(blocking, to_lower);
    place_[std::size_t(blocking)] = -1;
    free_[std::size_t(place)] = asset;
    place_[std::size_t(asset)] = place;
    at_[std::size_t(asset)] = At::free;
    copy_column(asset, panel_.col(place).data());
    rebuild_system();
  }
  g_ = risk_of(w_);
  return room > no_move;
}

/// Clears what rounding has gathered: the free weights corrected so that they solve their system, prices afresh. Sw is
/// moved with the weights and needs no product: each change of it is rounded by no more than one part in 1e16 of the
/// change.
void PathSolver::refresh(double most_move) {
  const auto& q = pieces_.linear;
  const int p = row_count();
  Eigen::VectorXd right(system_size());
  right.head(p) = row_sums_ - pieces_.offset - pieces_.rows * w_;
  for (int f = 0; f < int(free_.size()); ++f) {
    const int j = free_[std::size_t(f)];
    right[p + f] = -(g_[j] - lambda_ * q[j]);
  }
  const Eigen::VectorXd solved = solve(right);
  if (!std::isinf(most_move)) {
    Eigen::VectorXd off = right.head(p);
    for (int f = 0; f < int(free_.size()); ++f) {
      const int i = free_[std::size_t(f)];
      const double moved = w_[i] + solved[p + f];
      const bool within = moved > pieces_.lower[i] - no_move && moved < pieces_.upper[i] + no_move;
      if (!(std::abs(solved[p + f]) <= most_move) || !within) return;
      off -= solved[p + f] * pieces_.rows.col(i);
    }
    if (off.cwiseAbs().maxCoeff() > std::max(no_move, right.head(p).cwiseAbs().maxCoeff())) return;
  }
  for (int f = 0; f < int(free_.size()); ++f) w_[free_[std::size_t(f)]] += solved[p + f];
  y_ = -solved.head(p);
  multiply_panel(solved.data() + p, dg_.data());
  g_ += dg_;
  z_ = g_ - lambda_ * q - pieces_.rows.transpose() * y_;
}

/// The prices of free weights are 0; true when rounding has moved one visibly.
bool PathSolver::has_drifted() const {
  const auto& q = pieces_.linear;
  double worst = 0, scale = 0;
  for (int j : free_) {
    worst = std::max(worst, std::abs(g_[j] - lambda_ * q[j] - pieces_.rows.col(j).dot(y_)));
    scale = std::max({scale, std::abs(g_[j]), std::abs(lambda_ * q[j])});
  }
  return worst > drift * scale;
}

void PathSolver::give_up(const std::string& why) const {
  throw UncertifiedAnswer(
      fmt::format("The frontier could not be followed below lambda {}: {}; {} assets, {} of them free", lambda_, why,
                  count(), free_.size()));
}

// ---- the system of the free weights --------------------------------------------------------------------------------

Eigen::VectorXd PathSolver::solve(const Eigen::VectorXd& right) const {
  const int k = system_size();
  Eigen::VectorXd solved(k);
  blas::multiply_symmetric(k, inverse_.data(), int(inverse_.rows()), right.data(), solved.data());
  return solved;
}

Eigen::VectorXd PathSolver::bordering_column(int asset) const {
  const int p = row_count();
  Eigen::VectorXd column(system_size());
  column.head(p) = pieces_.rows.col(asset);
  for (int f = 0; f < int(free_.size()); ++f) column[p + f] = panel_(asset, f);
  return column;
}

void PathSolver::append_panel(int asset) {
  const auto needed = Eigen::Index(free_.size()) + 1;
  if (panel_.cols() < needed) {
    panel_.conservativeResize(count(), std::max<Eigen::Index>(16, 2 * needed));
  }
  copy_column(asset, panel_.col(needed - 1).data());
}

void PathSolver::multiply_panel(const double* free_values, double* out) const {
  if (free_.empty()) std::fill_n(out, count(), 0.0);
  blas::multiply(count(), int(free_.size()), 1, panel_.data(), count(), free_values, 0, out);
}

void PathSolver::add_to_system(int asset, const Eigen::VectorXd& solved, double pivot) {
  const int k = system_size();
  if (inverse_.rows() < k + 1) {
    const auto room = std::max<Eigen::Index>(32, 2 * (k + 1));
    inverse_.conservativeResize(room, room);
  }
  blas::add_outer(k, 1 / pivot, solved.data(), inverse_.data(), int(inverse_.rows()));
  inverse_.row(k).head(k) = -solved / pivot;
  inverse_(k, k) = 1 / pivot;
  append_panel(asset);
  place_[std::size_t(asset)] = int(free_.size());
  free_.push_back(asset);
  at_[std::size_t(asset)] = At::free;
}

void PathSolver::remove_from_system(int place) {
  const int p = row_count(), k = system_size(), gone = p + place, last = k - 1;
  const Eigen::VectorXd column = blas::symmetric_column(inverse_, k, gone);
  blas::add_outer(k, -1 / column[gone], column.data(), inverse_.data(), int(inverse_.rows()));
  place_[std::size_t(free_[std::size_t(place)])] = -1;
  if (gone != last) {  // the last one takes the free place
    inverse_.row(gone).head(gone) = inverse_.row(last).head(gone);
    inverse_.col(gone).segment(gone + 1, last - gone - 1) = inverse_.row(last).segment(gone + 1, last - gone - 1);
    inverse_(gone, gone) = inverse_(last, last);
    panel_.col(place) = panel_.col(int(free_.size()) - 1);
    free_[std::size_t(place)] = free_.back();
    place_[std::size_t(free_.back())] = place;
  }
  free_.pop_back();
}

void PathSolver::rebuild_system() {
  const int p = row_count(), k = system_size();
  Eigen::MatrixXd system = Eigen::MatrixXd::Zero(k, k);
  for (int f = 0; f < int(free_.size()); ++f) {
    const int j = free_[std::size_t(f)];
    system.col(p + f).head(p) = pieces_.rows.col(j);
    system.row(p + f).head(p) = pieces_.rows.col(j).transpose();
    for (int e = 0; e < int(free_.size()); ++e) system(p + e, p + f) = panel_(free_[std::size_t(e)], f);
  }
  const Eigen::PartialPivLU<Eigen::MatrixXd> factorised(system);
  if (inverse_.rows() < k) inverse_.resize(std::max(32, 2 * k), std::max(32, 2 * k));
  const Eigen::MatrixXd inverted = factorised.inverse();
  inverse_.topLeftCorner(k, k) = (inverted + inverted.transpose()) / 2;
}

/// True when weights and prices move as they did on the segment before: there is no corner between the two, such as
/// where a weight passes the weight held now while turnover doesn't bind.
bool PathSolver::goes_straight_on() const {
  const int p = row_count();
  for (std::size_t f = 0; f < std::min(free_.size(), last_free_.size()); ++f) {  // most often the first tells
    if (free_[f] != last_free_[f] || free_[f] >= risky_) continue;
    const double now = direction_[p + int(f)], then = last_direction_[p + int(f)];
    if (std::abs(now - then) > 1e-6 * std::max(std::abs(now), std::abs(then))) return false;
    break;
  }
  Eigen::VectorXd change = Eigen::VectorXd::Zero(count());
  for (std::size_t f = 0; f < last_free_.size(); ++f) change[last_free_[f]] = last_direction_[p + int(f)];
  for (std::size_t f = 0; f < free_.size(); ++f) change[free_[f]] -= direction_[p + int(f)];
  change.tail(count() - risky_).setZero();  // what the rows sum up follows
  double size = 0;
  for (std::size_t f = 0; f < last_free_.size(); ++f) {
    if (last_free_[f] < risky_) size = std::max(size, std::abs(last_direction_[p + int(f)]));
  }
  const Eigen::VectorXd prices = direction_.head(p) - last_direction_.head(p);
  return change.cwiseAbs().maxCoeff() <= 1e-11 * size &&
         prices.cwiseAbs().maxCoeff() <= 1e-11 * std::max(last_direction_.head(p).cwiseAbs().maxCoeff(), dz_scale_);
}

// ---- recording -----------------------------------------------------------------------------------------------------

void PathSolver::record_corner(Path& path) const {
  path.corners.push_back({lambda_, lambda_, std::max(0.0, w_.dot(g_)), path.changes.size(), {}, {}});
  if (keep_prices_) path.corners.back().prices_high = path.corners.back().prices_low = y_;
  record_changes(path, free_);
}

/// The corner lasts down to the present lambda.
void PathSolver::record_lower_end(Path& path) const {
  path.corners.back().lambda_low = lambda_;
  if (keep_prices_) path.corners.back().prices_low = y_;
}

/// Adds weights to the last corner; a later entry for an asset replaces an earlier one.
void PathSolver::record_changes(Path& path, const std::vector<int>& assets) const {
  for (int i : assets) {
    if (!std::isfinite(w_[i])) give_up("a weight is lost in rounding");
    path.changes.push_back({i, w_[i]});
  }
  path.corners.back().changes_end = path.changes.size();
}

}  // namespace inchtide

#include "frontier/path.hpp"

#include <fmt/format.h>

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
/// The same of a direction that has been refined, against its largest entry.
constexpr double refined_noise = 1e-14;
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
/// Where it has, a price with the wrong sign that is this part of its terms has changed sign.
constexpr double passed_price = 1e-12;
/// This part of a large lambda may be lost.
constexpr double lost_digits = 1e-13;
/// Rows of fewer than this part of the weights have few.
constexpr int few = 4;
constexpr int events_between_refreshes = 64;
constexpr int refreshes_between_products = 16;
/// Prices of free weights beyond this part of the largest term that they are the sum of are cleared at once.
constexpr double drift = 1e-11;
/// Unless that moves a weight by more: a system next to singular knows no better.
constexpr double small_move = 1e-10;
/// A price counts as it stands at a lower bound, the other way round at an upper one, and not at all for a free weight.
constexpr std::array<double, 3> price_side{1, -1, 0};

/// 0 where there are no values.
double largest_of(const Eigen::Ref<const Eigen::VectorXd>& values) {
  return values.size() > 0 ? values.cwiseAbs().maxCoeff() : 0;
}

}  // namespace

PathSolver::PathSolver(PathProblem problem)
    : covariance_(std::move(problem.covariance)),
      pieces_(std::move(problem.weights)),
      system_(covariance_, pieces_),
      risky_(int(covariance_.size())),
      largest_variance_(covariance_.variances().maxCoeff()),
      keep_prices_(problem.keep_prices),
      stop_at_(problem.stop_at),
      costs_per_year_(problem.costs_per_year) {
  const auto n = pieces_.lower.size(), p = pieces_.rows.rows();
  at_.assign(std::size_t(n), At::lower);
  locked_.assign(std::size_t(n), 0);
  y_ = dy_ = y_slope_ = row_slopes_ = Eigen::VectorXd::Zero(p);
  z_ = dz_ = Eigen::VectorXd::Zero(n);
  row_largest_ = pieces_.rows.cwiseAbs().rowwise().maxCoeff();
  for (const auto& bend : pieces_.bends()) row_largest_ += bend.rows.cwiseAbs();
  // A row of few assets is added entry by entry.
  nonzeros_.resize(std::size_t(p));
  for (Eigen::Index r = 0; r < p; ++r) {
    auto& nonzeros = nonzeros_[std::size_t(r)];
    for (int j = 0; j < int(n); ++j) {
      if (pieces_.rows(r, j) != 0) nonzeros.push_back(j);
    }
    if (!pieces_.bends().empty() || int(nonzeros.size()) > n / few) nonzeros.clear();
  }
}

Eigen::VectorXd PathSolver::risk_of(const Eigen::VectorXd& weights) const {
  if (risky_ == weights.size() && pieces_.curvature.size() == 0) return covariance_.product(weights);
  Eigen::VectorXd risk = Eigen::VectorXd::Zero(weights.size());
  risk.head(risky_) = covariance_.product(weights.head(risky_));
  if (pieces_.curvature.size() > 0) risk += pieces_.curvature.cwiseProduct(weights) + pieces_.pull;
  return risk;
}

/// out += factor * row.
void PathSolver::add_multiple_of_row(int row, double factor, Eigen::VectorXd& out) const {
  const auto& nonzeros = nonzeros_[std::size_t(row)];
  const double* values = pieces_.rows.row(row).data();
  if (nonzeros.empty()) blas::add(count(), factor, values, out.data());
  for (int j : nonzeros) out[j] += factor * values[j];
}

void PathSolver::start_at(const Eigen::VectorXd& weights, const std::vector<int>& basic,
                          const std::vector<int>& piece) {
  w_ = weights;
  for (int i : pieces_.bent()) pieces_.go_to(i, piece.empty() ? 0 : piece[std::size_t(i)]);
  for (int i = 0; i < count(); ++i) {
    const bool nearer_upper = pieces_.upper[i] - w_[i] < w_[i] - pieces_.lower[i];
    at_[std::size_t(i)] = nearer_upper ? At::upper : At::lower;
    locked_[std::size_t(i)] = pieces_.lower[i] == pieces_.upper[i] && !pieces_.above(i) && !pieces_.below(i);
  }
  for (int i : basic) at_[std::size_t(i)] = At::free;
  gather_members();
  g_ = risk_of(w_);
  row_sums_ = pieces_.rows * w_ + pieces_.offset;
  system_.rebuild();
}

Path PathSolver::follow(LinearTerm q) {
  pieces_.set_linear(q.lowest, q.bends);
  move_to_least_variance_among_ties(q);
  pieces_.set_linear(q.lowest, q.bends);
  return follow_from_infinity();
}

/// Among states with the same q'w the first corner is the one of least variance. The tied weights (reduced cost 0) form
/// a problem of the same kind, with the others locked; a stand-in cost that makes the present state its best start
/// turns it into a path, whose end has the least variance. What ties up to rounding ties exactly from then on: lambda
/// is so large where the path begins that it would show.
void PathSolver::move_to_least_variance_among_ties(LinearTerm& q) {
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
    if (std::abs(z1[j]) <= noise) tie_exactly(q, j, z1[j]);
    if (bend && std::abs(z1[j] - change[b]) <= noise) {  // tied above the bend
      const double slope = pieces_.linear[j], above = slope + q.bends[b];
      q.bends[b] = above + (z1[j] - change[b]) - (std::abs(z1[j]) <= noise ? slope + z1[j] : slope);
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
    const auto per_year = std::exchange(costs_per_year_, std::nullopt);
    const double stop = std::exchange(stop_at_, 0.0);
    follow_from_infinity();
    costs_per_year_ = per_year;
    stop_at_ = stop;
  }
  pieces_.open_all();
  for (int j : locked_here) locked_[std::size_t(j)] = 0;
  for (int j : pieces_.bent()) {
    if (at_[std::size_t(j)] == At::lower) stand_at_end(j, true);
  }
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

Path PathSolver::follow_from_infinity() {
  Eigen::VectorXd z0, z1;
  solve_prices_at_infinity(z0, z1);
  lambda_ = first_lambda(z0, z1);
  if (costs_per_year_) {
    const double slope = y_slope_[0] - *costs_per_year_;
    if (!(slope < 0)) {
      throw InputError("costs", "no return within the limits pays for trading", "Look at the estimate and the costs");
    }
    const double free = -y_[0] / slope;
    costs_are_free_ = free >= lambda_;
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
  waiting_.clear();
  last_free_.clear();
  bool may_merge = false;  // nothing but the free set has changed since the last corner
  const bool straight_return = row_count() > 1 && std::ranges::all_of(pieces_.bends(), [&](const Bend& bend) {
                                 return pieces_.linear_change(bend) == 0;
                               });
  const int most_stalled = 1000 + 20 * (count() + row_count());
  while (lambda_ > std::max(no_lambda_, stop_at_) && !costs_are_free_) {
    watch_.check();
    if (!find_direction()) break;
    auto event = next_event();
    const double before = lambda_;
    const bool far = lambda_ - event.step < far_fall * fresh_at_ && fresh_at_ * largest_q_ > largest_variance_;
    const bool came_near = event.happens != Happens::ends && far && come_near(event);
    const bool moved = advance(event.step) || came_near;
    if (moved) {
      if (may_merge && path.corners.size() > 1 && goes_straight_on()) path.corners.pop_back();
      last_free_.assign(system_.free_assets().begin(), system_.free_assets().end());
      last_dw_ = direction_.tail(system_.size() - system_.binding());
      last_dy_ = dy_;
      record_corner(path);
      watch_.done(path.corners.size(), 0, "corners");
      may_merge = straight_return;
    } else {
      record_lower_end(path);
      may_merge = may_merge && event.step <= tie * before;
    }
    if (event.happens == Happens::ends) break;
    if (event.happens == Happens::leaves) {
      leave(event.asset);
      record_changes(path, std::array{event.asset});
    } else {
      std::vector<int> touched(system_.free_assets().begin(), system_.free_assets().end());
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
  if (!costs_are_free_) lambda_ = stop_at_;
  g_ = risk_of(w_);
  refresh(small_move);
  record_lower_end(path);
  settle_on_bounds();
  record_changes(path, system_.free_assets());
  return path;
}

// ---- one piece -----------------------------------------------------------------------------------------------------

/// Solves for the direction, then checks it: the product S dw is needed for the prices anyway, and its free entries
/// give the residual. A poor solution is refined, a poor system is built anew. False when it cannot be solved where
/// lambda is next to nothing: the path ends there.
bool PathSolver::find_direction() {
  const auto solve_direction = [&] {
    direction_ = system_.solve(system_.on_places(rewards()));
    return residual_of_direction();
  };
  const bool delicate = system_.is_delicate();  // a direction that was carried along is not sharp enough then
  const bool follows = std::exchange(direction_follows_, false) && !delicate;
  double residual = follows ? residual_of_direction() : solve_direction();
  // A delicate one is refined already: what is left there is the rounding of the product.
  if (delicate && residual > 1e-8) {
    system_.rebuild();
    residual = solve_direction();
  }
  for (int attempt = 0; residual > 1e-12 && attempt < 3 && !delicate; ++attempt) {
    if (attempt == 1 && residual > 1e-10) {
      system_.rebuild();
      residual = solve_direction();
      continue;
    }
    Eigen::VectorXd right = -system_.on_places(dz_);
    for (int a = 0; a < system_.binding(); ++a) right[a] = -dg_[system_.member(a)];
    direction_ += system_.solve(right);
    residual = residual_of_direction();
  }
  // A direction that rounding spoils does no harm where lambda is so small that no price can go astray by it.
  double terms = largest_free_q_;
  for (int j : system_.free_assets()) terms = std::max(terms, std::abs(dg_[j]));
  const double astray = residual * terms * lambda_;
  // What a refined one misses by no more than its product's rounding it does not miss.
  const double product =
      sum_noise * largest_variance_ * direction_.tail(system_.size() - system_.binding()).lpNorm<1>();
  const bool rounding = delicate && residual * terms <= product;
  const bool harmful = residual > 1e-8 && !rounding && astray > 10 * drift * g_.cwiseAbs().maxCoeff();
  if (harmful && lambda_ <= 1e3 * no_lambda_) return false;
  if (harmful) give_up(fmt::format("the system of its free weights is solved to {:.1e} only", residual));
  // What is left of the slope of a free weight's price is rounding.
  for (int j : system_.free_assets()) dz_[j] = 0;
  for (int r = 0; r < row_count(); ++r) row_slopes_[r] = system_.binds(r) ? 0 : dg_[weight_of_row(r)];
  return true;
}

/// Sets dg = S dw and dz = dg - q - A'dy from the direction; returns the largest |dz| among free weights, relative to
/// the terms that it is the sum of: theirs alone, which are small where free weights nearly tie in q.
double PathSolver::residual_of_direction() {
  const auto& q = rewards();
  const int free_count = system_.size() - system_.binding();
  const bool vertex = free_count == system_.binding();  // the rows alone fix the free weights
  if (vertex) direction_.tail(free_count).setZero();
  system_.multiply(direction_, dg_);
  dz_ = -q;
  dz_.head(risky_) += dg_.head(risky_);
  double scale = std::max(dg_.head(risky_).cwiseAbs().maxCoeff(), largest_q_);
  largest_free_q_ = 0;
  for (int r = 0; r < row_count(); ++r) {
    const int place = system_.place(weight_of_row(r));
    if (place >= 0) {
      dy_[r] = -direction_[place];
      add_multiple_of_row(r, direction_[place], dz_);
    } else {
      dy_[r] = own_slope(r);
      largest_free_q_ = std::max(largest_free_q_, std::abs(dy_[r]));
    }
    scale = std::max(scale, std::abs(dy_[r]) * row_largest_[r]);
  }
  dz_scale_ = std::max(scale, std::numeric_limits<double>::min());
  double worst = 0, terms = 0;
  for (int j : system_.free_assets()) {
    worst = std::max(worst, std::abs(dz_[j]));
    terms = std::max(terms, std::abs(dg_[j]));
    largest_free_q_ = std::max(largest_free_q_, std::abs(pieces_.linear[j]));
  }
  return worst / std::max({terms, largest_free_q_, std::numeric_limits<double>::min()});
}

double PathSolver::slope_of(int weight) const {
  return is_of_row(weight) ? row_slopes_[weight - risky_] : direction_[system_.place(weight)];
}

/// What dz gains by passing the bend.
double PathSolver::change_over(const Bend& bend) const {
  return -pieces_.linear_change(bend) - bend.rows.dot(dy_);
}

PathSolver::Event PathSolver::next_event() {
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
  const double terms = largest_variance_ * direction_.tail(system_.size() - system_.binding()).cwiseAbs().sum();
  const double least_slope = sum_noise * (terms + dz_scale_);
  const double room = lambda_ - no_lambda_;
  const double *dz = dz_.data(), *z = z_.data();
  const At* at = at_.data();
  double soonest = std::min(soon_enough, room);
  for (int j = 0; j < count(); ++j) {
    const double side = price_side[std::size_t(at[j])];
    const double slope = side * dz[j], price = side * z[j];
    // One branch, nearly always the same way; the division is for the few that may come first.
    if (!(int(slope > least_slope) & int(price <= soonest * slope))) continue;
    const double step = std::max(0.0, price / slope);
    if (step < room && !locked_[std::size_t(j)] && !waits(j, false)) consider(j, step, false);
    soonest = std::min(soon_enough, room);
  }
  for (int j : pieces_.bent()) {  // upward over the bend that they stand at
    const auto* bend = locked_[std::size_t(j)] ? nullptr : bend_to_pass(j);
    if (!bend) continue;
    const double slope = dz_[j] + change_over(*bend);
    if (slope <= least_slope) continue;
    const double step = std::max(0.0, price_over(*bend) / slope);
    if (step < room && !waits(j, true)) consider(j, step, true);
  }
  if (costs_per_year_) {
    const double excess = y_[0] - lambda_ * *costs_per_year_, slope = dy_[0] - *costs_per_year_;
    if (excess - std::min(earliest, lambda_) * slope > 0) {
      costs_are_free_ = true;
      return {Happens::ends, -1, std::max(0.0, excess / slope)};
    }
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
  const bool delicate = system_.is_delicate();
  z_[asset] = 0;
  if (is_of_row(asset)) {
    bind(asset - risky_);
  } else {
    remove(asset, 0);
  }
  if (delicate) system_.rebuild();  // its inverse keeps the rounding of the look-alike that has gone
  direction_follows_ = !delicate;
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

/// Frees `asset`. False when that had to move weights: where a combination of free weights does the same as the asset
/// (no curvature), it takes their place until one of them meets its bound.
bool PathSolver::enter(int asset, bool over_bend) {
  double dz_over_bend = 0;
  if (over_bend) {
    const auto& bend = *pieces_.above(asset);
    dz_over_bend = dz_[asset] + change_over(bend);
    z_[asset] = price_over(bend);
    pieces_.up(asset);
    rewards_known_ = false;
    at_[std::size_t(asset)] = At::lower;
  }
  const auto& q = pieces_.linear;
  auto border = border_by(asset);
  if (border.curvature <= suspect * border.scale) {  // is it nearly flat, or is the inverse worn?
    system_.rebuild();
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
    throw NegativeVariance{asset};
  }
  const auto free_it = [&] {
    z_[asset] = 0;
    if (is_of_row(asset)) {
      remove(asset, -q[asset]);
    } else {
      const double own = -(over_bend ? dz_over_bend : dz_[asset]) / border.curvature;
      direction_ -= own * border.solved;
      system_.add_asset(asset, border.solved, border.curvature, direction_, own);
      members_changed();
    }
    at_[std::size_t(asset)] = At::free;
    direction_follows_ = true;
  };
  if (border.curvature > flat * border.scale) {
    free_it();
    return true;
  }
  const Eigen::VectorXd along = -border.solved;
  double gain = q[asset], gain_scale = std::abs(q[asset]), rise = g_[asset];
  const auto add_gain = [&](double term) {
    gain += term;
    gain_scale = std::max(gain_scale, std::abs(term));
  };
  for (int f = system_.binding(); f < system_.size(); ++f) {
    const int j = system_.member(f);
    add_gain(q[j] * along[f]);
    rise += g_[j] * along[f];
  }
  const Eigen::VectorXd rows_along = rows_along_flat(asset, along);
  for (int r = 0; r < row_count(); ++r) {
    if (!system_.binds(r)) add_gain(own_slope(r) * rows_along[r]);
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
    waiting_.emplace_back(asset, over_bend);
    return true;
  }
  const bool moved = exchange_along_flat(asset, along);
  if (moved) refresh();
  return !moved;
}

/// What freeing `asset` adds to the system: S_jj - c' K^-1 c, with c its column of the system K.
PathSolver::Border PathSolver::border_by(int asset) const {
  double largest_price = 0;
  for (int a = 0; a < system_.binding(); ++a) largest_price = std::max(largest_price, std::abs(system_.inverse_at(a)));
  if (is_of_row(asset)) {  // its column has -1 in its row
    const int place = system_.place(asset);
    Border border{-system_.inverse_column(place), -system_.inverse_at(place), 0};
    border.scale = std::max(least_scale * largest_variance_, largest_price);
    return border;
  }
  const Eigen::VectorXd column = system_.column_of_asset(asset);
  const double own = variance(asset);
  Border border{system_.solve(column), 0, 0};
  border.curvature = own - column.dot(border.solved);
  border.scale = own + column.cwiseProduct(border.solved).cwiseAbs().sum();
  border.scale = std::max(border.scale, least_scale * largest_variance_);  // the covariance itself is rounded
  if (own == 0) {  // a riskless weight has no size of its own: the rows' tell what is flat
    border.scale = std::max(border.scale, largest_price * std::pow(largest_of(column.head(system_.binding())), 2));
  }
  return border;
}

/// By how much the rows that don't bind change when `asset` rises by 1 and the free assets by `along`.
Eigen::VectorXd PathSolver::rows_along_flat(int asset, const Eigen::VectorXd& along) const {
  Eigen::VectorXd product;
  system_.multiply(along, product);
  Eigen::VectorXd changes = product.segment(risky_, row_count());
  if (!is_of_row(asset)) changes += pieces_.rows.col(asset);
  return changes;
}

/// Moves along w_asset = +-1, w_F = +-along, which changes neither variance nor rows, until a bound stops it.
bool PathSolver::exchange_along_flat(int asset, const Eigen::VectorXd& along) {
  const double sign = at_[std::size_t(asset)] == At::lower ? 1 : -1;
  const double largest = std::max(1.0, largest_of(along.tail(system_.size() - system_.binding())));
  std::vector<std::pair<int, double>> changes;  // of each free weight
  for (int f = system_.binding(); f < system_.size(); ++f) changes.emplace_back(system_.member(f), sign * along[f]);
  const Eigen::VectorXd rows_along = rows_along_flat(asset, along);
  for (int r = 0; r < row_count(); ++r) {
    if (!system_.binds(r)) changes.emplace_back(weight_of_row(r), sign * rows_along[r]);
  }
  double room = pieces_.upper[asset] - pieces_.lower[asset];
  int blocking = -1;
  bool to_lower = false;
  for (const auto& [i, slope] : changes) {
    if (std::abs(slope) <= 1e-9 * largest) continue;
    const double bound = slope < 0 ? pieces_.lower[i] : pieces_.upper[i];
    const double far = std::max(0.0, (bound - w_[i]) / slope);
    const bool first = far < room || (far == room && blocking >= 0 && i < blocking);
    if (first) {
      room = far;
      blocking = i;
      to_lower = slope < 0;
    }
  }
  if (std::isinf(room)) give_up("a flat direction has no end");
  for (const auto& [i, slope] : changes) w_[i] += room * slope;
  w_[asset] += sign * room;
  if (blocking < 0) {
    stand_at_end(asset, sign < 0);
  } else {
    stand_at_end(blocking, to_lower);
    at_[std::size_t(asset)] = At::free;
    gather_members();
    system_.rebuild();
  }
  g_ = risk_of(w_);
  return room > no_move;
}

/// Clears what rounding has gathered: the free weights corrected so that they solve their system, prices afresh. Sw is
/// moved with the weights and needs no product: each change of it is rounded by no more than one part in 1e16 of the
/// change.
void PathSolver::refresh(double most_move) {
  const auto& q = pieces_.linear;
  Eigen::VectorXd off = row_sums_ - pieces_.offset - pieces_.rows * w_;  // by which each row is missed
  const double most_off = off.cwiseAbs().maxCoeff();
  Eigen::VectorXd right =
      system_.is_delicate() ? system_.missing(lambda_, rewards(), w_) : system_.on_places(lambda_ * rewards() - g_);
  for (int a = 0; a < system_.binding(); ++a) right[a] = off[system_.member(a) - risky_];
  const Eigen::VectorXd solved = system_.solve(right);
  Eigen::VectorXd product;
  system_.multiply(solved, product);
  off -= product.segment(risky_, row_count());
  const auto move_of_row = [&](int r) { return system_.binds(r) ? 0 : -off[r]; };  // of its riskless weight
  if (!std::isinf(most_move)) {
    const auto within = [&](int i, double move) {
      const double moved = w_[i] + move;
      return std::abs(move) <= most_move && moved > pieces_.lower[i] - no_move && moved < pieces_.upper[i] + no_move;
    };
    for (int f = system_.binding(); f < system_.size(); ++f) {
      if (!within(system_.member(f), solved[f])) return;
    }
    for (int r = 0; r < row_count(); ++r) {
      if (!system_.binds(r) && !within(weight_of_row(r), move_of_row(r))) return;
      if (system_.binds(r) && std::abs(off[r]) > std::max(no_move, most_off)) return;
    }
  }
  for (int f = system_.binding(); f < system_.size(); ++f) w_[system_.member(f)] += solved[f];
  for (int r = 0; r < row_count(); ++r) {
    if (system_.binds(r)) {
      y_[r] = -solved[system_.place(weight_of_row(r))];
    } else {
      w_[weight_of_row(r)] += move_of_row(r);
      y_[r] = lambda_ * own_slope(r);
    }
  }
  g_.head(risky_) += product.head(risky_);
  z_ = g_ - lambda_ * q - pieces_.rows.transpose() * y_;
  fresh_at_ = lambda_;
}

/// The prices of free weights are 0; true when rounding has moved one visibly.
bool PathSolver::has_drifted() const {
  const auto& q = pieces_.linear;
  double worst = 0, scale = 0;
  for (int f = system_.binding(); f < system_.size(); ++f) {
    const int j = system_.member(f);
    const double rewarded = lambda_ * q[j], paid = system_.coefficients(f).dot(y_);
    worst = std::max(worst, std::abs(g_[j] - rewarded - paid));
    scale = std::max({scale, std::abs(g_[j]), std::abs(rewarded)});
  }
  for (int r = 0; r < row_count(); ++r) {
    if (!system_.binds(r)) scale = std::max(scale, std::abs(y_[r]));
  }
  return worst > drift * scale;
}

void PathSolver::give_up(const std::string& why) const {
  throw UncertifiedAnswer(
      fmt::format("The frontier could not be followed below lambda {}: {}; {} assets, {} of them free", lambda_, why,
                  risky_, system_.free_assets().size()));
}

/// True when weights and prices move as they did on the segment before: there is no corner between the two, such as
/// where a weight passes the weight held now while turnover doesn't bind.
bool PathSolver::goes_straight_on() const {
  const auto assets = system_.free_assets();
  const Eigen::VectorXd now = direction_.tail(system_.size() - system_.binding());
  for (std::size_t f = 0; f < std::min(assets.size(), last_free_.size()); ++f) {  // most often the first tells
    if (assets[f] != last_free_[f]) continue;
    const double slope = now[Eigen::Index(f)], then = last_dw_[Eigen::Index(f)];
    if (std::abs(slope - then) > 1e-6 * std::max(std::abs(slope), std::abs(then))) return false;
    break;
  }
  Eigen::VectorXd change = Eigen::VectorXd::Zero(risky_);
  change(last_free_) = last_dw_;
  for (std::size_t f = 0; f < assets.size(); ++f) change[assets[f]] -= now[Eigen::Index(f)];
  const double size = largest_of(last_dw_);
  const double price_size = std::max(last_dy_.cwiseAbs().maxCoeff(), dz_scale_);
  return change.cwiseAbs().maxCoeff() <= 1e-11 * size && (dy_ - last_dy_).cwiseAbs().maxCoeff() <= 1e-11 * price_size;
}

// ---- recording -----------------------------------------------------------------------------------------------------

void PathSolver::record_corner(Path& path) const {
  path.corners.push_back({lambda_, lambda_, std::max(0.0, w_.dot(g_)), path.changes.size(), {}, {}});
  if (keep_prices_) path.corners.back().prices_high = path.corners.back().prices_low = y_;
  record_changes(path, system_.free_assets());
}

/// The corner lasts down to the present lambda.
void PathSolver::record_lower_end(Path& path) const {
  path.corners.back().lambda_low = lambda_;
  if (keep_prices_) path.corners.back().prices_low = y_;
}

/// Adds weights to the last corner; a later entry for an asset replaces an earlier one.
void PathSolver::record_changes(Path& path, std::span<const int> weights) const {
  for (int i : weights) {
    if (!std::isfinite(w_[i])) give_up("a weight is lost in rounding");
    path.changes.push_back({i, w_[i]});
  }
  path.corners.back().changes_end = path.changes.size();
}

}  // namespace inchtide

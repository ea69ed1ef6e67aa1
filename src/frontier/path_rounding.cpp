// What keeps rounding small: the direction is checked and refined, what has drifted is worked out afresh.

#include "frontier/path.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "base/blas.hpp"
#include "frontier/tolerances.hpp"
#include "inchtide/base/errors.hpp"

namespace inchtide {
namespace {

constexpr int events_between_refreshes = 64;
constexpr int refreshes_between_products = 16;

}  // namespace

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
  if (delicate && residual > poor_solution) {
    system_.rebuild();
    residual = solve_direction();
  }
  for (int attempt = 0; residual > good_solution && attempt < 3 && !delicate; ++attempt) {
    if (attempt == 1 && residual > worn_system) {
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
  const bool harmful = residual > poor_solution && !rounding && astray > 10 * drift * g_.cwiseAbs().maxCoeff();
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

void PathSolver::refresh_now_and_then() {
  if (++since_refresh_ == events_between_refreshes) {
    if (++since_product_ == refreshes_between_products) {
      g_ = risk_of(w_);
      since_product_ = 0;
    }
    refresh();
    since_refresh_ = 0;
  } else if (has_drifted()) {
    refresh(small_move);
  }
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

}  // namespace inchtide

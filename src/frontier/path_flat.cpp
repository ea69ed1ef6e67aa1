// Weights that are freed, and what happens where a combination of free ones does the same: flat directions.

#include "frontier/path.hpp"

#include <algorithm>
#include <cmath>
#include <utility>

#include "frontier/tolerances.hpp"
#include "inchtide/base/errors.hpp"

namespace inchtide {

/// Frees `asset`. False when that had to move weights: where a combination of free weights does the same as the asset
/// (no curvature), it takes their place until one of them meets its bound.
bool PathSolver::enter(int asset, bool over_bend) {
  if (over_bend) {
    const auto& bend = *pieces_.above(asset);
    dz_[asset] += change_over(bend);
    z_[asset] = price_over(bend);
    pieces_.up(asset);
    rewards_known_ = false;
    at_[std::size_t(asset)] = At::lower;
  }
  auto border = border_by(asset);
  if (border.curvature <= suspect * border.scale) {  // is it nearly flat, or is the inverse worn?
    system_.rebuild();
    border = border_by(asset);
  }
  if (border.curvature < -negative * border.scale) {
    if (lambda_ <= late * no_lambda_) {
      at_end_ = true;  // where lambda is next to nothing the path may end
      return true;
    }
    if (asset >= risky_) give_up("rounding has lost the system of its free weights");
    throw NegativeVariance{asset};
  }
  if (border.curvature > flat * border.scale) {
    make_free(asset, border);
    return true;
  }
  return enter_flat(asset, over_bend, border);
}

void PathSolver::make_free(int asset, const Border& border) {
  z_[asset] = 0;
  if (is_of_row(asset)) {
    remove(asset, -pieces_.linear[asset]);
  } else {
    const double own = -dz_[asset] / border.curvature;
    direction_ -= own * border.solved;
    system_.add_asset(asset, border.solved, border.curvature, direction_, own);
    members_changed();
  }
  at_[std::size_t(asset)] = At::free;
  direction_follows_ = true;
}

/// `enter` of an asset that has no curvature beside the free ones.
bool PathSolver::enter_flat(int asset, bool over_bend, const Border& border) {
  const auto& q = pieces_.linear;
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
  if (std::abs(gain) <= no_gain * gain_scale) {
    const bool moved = exchange_along_flat(asset, along);
    if (moved) refresh();
    return !moved;
  }
  // Without curvature the asset's price is proportional to lambda: it meets 0 at lambda = 0 and not before. Where
  // that would be a visible price, and yet it is none, there must be a little curvature.
  const double flat_price = lambda_ * dz_[asset];
  const double terms = largest_variance_ * w_.cwiseAbs().sum() + lambda_ * largest_q_;
  const bool visible = std::abs(flat_price) > no_price * terms;
  if (border.curvature > 0 && visible && std::abs(rise - lambda_ * gain) < std::abs(flat_price) / 2) {
    make_free(asset, border);
    return true;
  }
  z_[asset] = flat_price;
  if (over_bend) stand_at_end(asset, true);
  waiting_.emplace_back(asset, over_bend);
  return true;
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
    if (std::abs(slope) <= no_slope_along * largest) continue;
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

}  // namespace inchtide

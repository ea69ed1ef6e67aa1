#include "frontier/path.hpp"

#include <algorithm>
#include <array>
#include <limits>

#include "base/blas.hpp"
#include "base/numbers.hpp"
#include "frontier/tolerances.hpp"
#include "inchtide/base/errors.hpp"

namespace inchtide {
namespace {

/// Rows of fewer than this part of the weights have few.
constexpr int few = 4;

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

/// The path's first corner, at the lambda from which on the weights stand still.
Path PathSolver::begin_path() {
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
  at_end_ = direction_follows_ = false;
  waiting_.clear();
  last_free_.clear();
  since_refresh_ = since_product_ = 0;
  Path path;
  path.top = w_;
  path.price_slope = y_slope_;
  record_corner(path);
  path.corners.back().lambda_high = infinity;
  return path;
}

Path PathSolver::follow_from_infinity() {
  auto path = begin_path();
  int stalled = 0;
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
    const bool moved = move_to(event);
    if (moved) {
      if (may_merge && path.corners.size() > 1 && goes_straight_on()) path.corners.pop_back();
      remember_segment();
      record_corner(path);
      watch_.done(path.corners.size(), 0, "corners");
      may_merge = straight_return;
    } else {
      record_lower_end(path);
      may_merge = may_merge && event.step <= same_moment * before;
    }
    if (event.happens == Happens::ends) break;
    take(event, path);
    if (at_end_) break;
    stalled = moved ? 0 : stalled + 1;
    if (stalled > most_stalled && lambda_ <= late * no_lambda_) break;
    if (stalled > most_stalled) give_up("it keeps changing the free set without moving");
    refresh_now_and_then();
  }
  if (!costs_are_free_) lambda_ = stop_at_;
  g_ = risk_of(w_);
  refresh(small_move);
  record_lower_end(path);
  settle_on_bounds();
  record_changes(path, system_.free_assets());
  return path;
}

/// Goes down to an event; true where lambda or a weight moved.
bool PathSolver::move_to(Event& event) {
  const bool far = lambda_ - event.step < far_fall * fresh_at_ && fresh_at_ * largest_q_ > largest_variance_;
  const bool came_near = event.happens != Happens::ends && far && come_near(event);
  return advance(event.step) || came_near;
}

/// What happens there changes the free set.
void PathSolver::take(const Event& event, Path& path) {
  if (event.happens == Happens::leaves) {
    leave(event.asset);
    record_changes(path, std::array{event.asset});
    return;
  }
  std::vector<int> touched(system_.free_assets().begin(), system_.free_assets().end());
  touched.push_back(event.asset);
  if (!enter(event.asset, event.over_bend)) record_changes(path, touched);  // the corner moved along a flat direction
}

void PathSolver::remember_segment() {
  last_free_.assign(system_.free_assets().begin(), system_.free_assets().end());
  last_dw_ = direction_.tail(system_.size() - system_.binding());
  last_dy_ = dy_;
}

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

/// True when weights and prices move as they did on the segment before: there is no corner between the two, such as
/// where a weight passes the weight held now while turnover doesn't bind.
bool PathSolver::goes_straight_on() const {
  const auto assets = system_.free_assets();
  const Eigen::VectorXd now = direction_.tail(system_.size() - system_.binding());
  for (std::size_t f = 0; f < std::min(assets.size(), last_free_.size()); ++f) {  // most often the first tells
    if (assets[f] != last_free_[f]) continue;
    const double slope = now[Eigen::Index(f)], then = last_dw_[Eigen::Index(f)];
    if (std::abs(slope - then) > same_direction * std::max(std::abs(slope), std::abs(then))) return false;
    break;
  }
  Eigen::VectorXd change = Eigen::VectorXd::Zero(risky_);
  change(last_free_) = last_dw_;
  for (std::size_t f = 0; f < assets.size(); ++f) change[assets[f]] -= now[Eigen::Index(f)];
  const double size = largest_of(last_dw_);
  const double price_size = std::max(last_dy_.cwiseAbs().maxCoeff(), dz_scale_);
  return change.cwiseAbs().maxCoeff() <= no_turn_of_path * size &&
         (dy_ - last_dy_).cwiseAbs().maxCoeff() <= no_turn_of_path * price_size;
}

}  // namespace inchtide

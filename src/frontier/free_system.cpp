#include "frontier/free_system.hpp"

#include <algorithm>
#include <utility>

#include "base/blas.hpp"
#include "base/dense.hpp"
#include "base/numbers.hpp"

namespace inchtide {
namespace {

/// An asset of which less than 1 / this of its variance is its own, beside the other free ones, makes a system
/// delicate.
constexpr double delicate = 1e5;
constexpr int most_refinements = 8;

}  // namespace

FreeSystem::FreeSystem(const Covariance& covariance, const Pieces& pieces)
    : covariance_(covariance), pieces_(pieces), assets_(int(covariance.size())), rows_(int(pieces.rows.rows())) {
  place_.assign(std::size_t(assets_ + rows_), -1);
  // Columns that begin alike in the cache's lines are multiplied faster.
  constexpr Eigen::Index line = 8;
  panel_.resize((rows_in_panel() + rows_ + line - 1) / line * line, 0);
}

void FreeSystem::gather(const std::function<bool(int)>& is_free) {
  members_.clear();
  std::ranges::fill(place_, -1);
  for (int r = 0; r < rows_; ++r) {
    if (!is_free(assets_ + r)) members_.push_back(assets_ + r);
  }
  binding_ = size();
  for (int j = 0; j < assets_; ++j) {
    if (is_free(j)) members_.push_back(j);
  }
  for (int k = 0; k < size(); ++k) {
    place_[std::size_t(member(k))] = k;
    if (!is_row(member(k))) fill_panel(member(k), k);
  }
}

void FreeSystem::rebuild() {
  const int k = size();
  Eigen::MatrixXd system = Eigen::MatrixXd::Zero(k, k);
  for (int f = binding_; f < k; ++f) {
    system.col(f) = column_of_asset(member(f));
    system.row(f).head(binding_) = system.col(f).head(binding_).transpose();
  }
  if (inverse_.rows() < k) inverse_.resize(std::max(32, 2 * k), std::max(32, 2 * k));
  const Eigen::MatrixXd inverted = dense::inverse(system);
  inverse_.topLeftCorner(k, k) = (inverted + inverted.transpose()) / 2;
}

bool FreeSystem::is_delicate() const {
  for (int f = binding_; f < size(); ++f) {
    const int j = member(f);
    if (inverse_(f, f) * (covariance_.variance(j)) > delicate) return true;
  }
  return false;
}

Eigen::VectorXd FreeSystem::solve(const Eigen::VectorXd& right) const {
  Eigen::VectorXd solved(size());
  const auto apply = [&](const Eigen::VectorXd& to, Eigen::VectorXd& out) {
    blas::multiply_symmetric(size(), inverse_.data(), int(inverse_.rows()), to.data(), out.data());
  };
  apply(right, solved);
  if (!is_delicate()) return solved;
  Eigen::VectorXd change(size());
  double before = infinity;
  for (int round = 0; round < most_refinements; ++round) {
    const Eigen::VectorXd rest = residual(right, solved);
    const double size_now = rest.cwiseAbs().maxCoeff();
    if (!(size_now < before / 2)) break;  // what is left is rounding of the solution itself
    before = size_now;
    apply(rest, change);
    solved += change;
  }
  return solved;
}

double FreeSystem::risk_in_panel(int asset, int place) const {
  return covariance_.is_dense() ? panel_(asset, place) : risk_between(asset, member(place));
}

/// right - K solved.
Eigen::VectorXd FreeSystem::residual(const Eigen::VectorXd& right, const Eigen::VectorXd& solved) const {
  using Long = Eigen::Matrix<long double, Eigen::Dynamic, 1>;
  Long rest = right.cast<long double>();
  for (int f = binding_; f < size(); ++f) {
    const long double own = solved[f];
    for (int a = 0; a < binding_; ++a) {
      const long double entry = coefficients(f)[member(a) - assets_];
      rest[a] -= entry * own;
      rest[f] -= entry * solved[a];
    }
    for (int g = binding_; g < size(); ++g) rest[g] -= static_cast<long double>(risk_in_panel(member(g), f)) * own;
  }
  return rest.cast<double>();
}

Eigen::VectorXd FreeSystem::missing(double factor, const Eigen::VectorXd& rewards,
                                    const Eigen::VectorXd& weights) const {
  Eigen::VectorXd values = Eigen::VectorXd::Zero(size());
  for (int f = binding_; f < size(); ++f) {
    const int own = member(f);
    long double rest = static_cast<long double>(factor) * rewards[own];
    for (int j = 0; j < assets_; ++j) {
      if (weights[j] != 0) rest -= static_cast<long double>(risk_in_panel(j, f)) * weights[j];
    }
    if (pieces_.curvature.size() > 0) rest -= pieces_.pull[own];
    values[f] = double(rest);
  }
  return values;
}

Eigen::VectorXd FreeSystem::inverse_column(int place) const {
  return blas::symmetric_column(inverse_, size(), place);
}

double FreeSystem::risk_between(int a, int b) const {
  const double curvature = a == b && pieces_.curvature.size() > 0 ? pieces_.curvature[a] : 0;
  return covariance_.between(a, b) + curvature;
}

Eigen::VectorXd FreeSystem::column_of_asset(int asset) const {
  Eigen::VectorXd column(size());
  for (int a = 0; a < binding_; ++a) column[a] = pieces_.rows(member(a) - assets_, asset);
  for (int f = binding_; f < size(); ++f) {
    column[f] = covariance_.is_dense() ? panel_(asset, f) : risk_between(asset, member(f));
  }
  return column;
}

Eigen::VectorXd FreeSystem::column_of_row(int row) const {
  Eigen::VectorXd column = Eigen::VectorXd::Zero(size());
  for (int f = binding_; f < size(); ++f) column[f] = coefficients(f)[row];
  return column;
}

Eigen::VectorXd FreeSystem::on_places(const Eigen::VectorXd& of_assets) const {
  Eigen::VectorXd values = Eigen::VectorXd::Zero(size());
  for (int f = binding_; f < size(); ++f) values[f] = of_assets[member(f)];
  return values;
}

// ---- the free assets' covariances and coefficients -----------------------------------------------------------------

void FreeSystem::fill_panel(int asset, int place) {
  if (panel_.cols() <= place) panel_.conservativeResize(Eigen::NoChange, std::max(16, 2 * (place + 1)));
  auto column = panel_.col(place);
  if (covariance_.is_dense()) {
    covariance_.copy_column(asset, column.data());
    if (pieces_.curvature.size() > 0) column[asset] += pieces_.curvature[asset];
  }
  column.tail(column.size() - rows_in_panel()).setZero();
  column.segment(rows_in_panel(), rows_) = pieces_.rows.col(asset);
}

void FreeSystem::multiply(const Eigen::VectorXd& at_places, Eigen::VectorXd& out) const {
  const int height = int(panel_.rows()), free_count = size() - binding_;
  if (covariance_.is_dense()) {
    out.resize(height);
    if (free_count == 0) out.setZero();
    blas::multiply(height, free_count, 1, panel_.data() + Eigen::Index(binding_) * height, height,
                   at_places.data() + binding_, 0, out.data());
    return;
  }
  out.resize(assets_ + height);
  const auto changes = at_places.tail(free_count);
  out.head(assets_) = covariance_.product(free_assets(), changes);
  out.tail(height) = panel_.middleCols(binding_, free_count) * changes;
  if (pieces_.curvature.size() == 0) return;
  for (int f = 0; f < free_count; ++f) {
    const int j = member(binding_ + f);
    out[j] += pieces_.curvature[j] * changes[f];
  }
}

// ---- members that come and go --------------------------------------------------------------------------------------

void FreeSystem::grow(const Eigen::VectorXd& solved, double pivot, Eigen::VectorXd& carried) {
  const int k = size();
  if (inverse_.rows() < k + 1) {
    const auto room = std::max(Eigen::Index(32), 2 * Eigen::Index(k + 1));
    inverse_.conservativeResize(room, room);
  }
  blas::add_outer(k, 1 / pivot, solved.data(), inverse_.data(), int(inverse_.rows()));
  carried.conservativeResize(k + 1);
  members_.push_back(-1);
}

void FreeSystem::add_asset(int asset, const Eigen::VectorXd& solved, double pivot, Eigen::VectorXd& carried,
                           double value) {
  const int k = size();
  grow(solved, pivot, carried);
  Eigen::VectorXd values(k + 1);
  values << -solved / pivot, 1 / pivot;
  write_inverse(k, values);
  fill_panel(asset, k);
  carried[k] = value;
  members_.back() = asset;
  place_[std::size_t(asset)] = k;
}

/// The first free asset makes way.
void FreeSystem::add_row(int row, const Eigen::VectorXd& solved, double pivot, Eigen::VectorXd& carried, double value) {
  const int k = size(), place = binding_;
  grow(solved, pivot, carried);
  Eigen::VectorXd values(k + 1);
  values << -solved / pivot, 1 / pivot;
  relocate(place, k, carried);
  std::swap(values[place], values[k]);
  write_inverse(place, values);
  carried[place] = value;
  members_[std::size_t(place)] = assets_ + row;
  place_[std::size_t(assets_ + row)] = place;
  ++binding_;
}

void FreeSystem::remove(int place, Eigen::VectorXd& carried) {
  const int last = size() - 1, gone = member(place);
  const Eigen::VectorXd column = inverse_column(place);
  blas::add_outer(last + 1, -1 / column[place], column.data(), inverse_.data(), int(inverse_.rows()));
  place_[std::size_t(gone)] = -1;
  if (is_row(gone)) {
    relocate(--binding_, place, carried);
    place = binding_;
  }
  relocate(last, place, carried);
  members_.pop_back();
  carried.conservativeResize(last);
}

/// Moves a member to a place whose own has gone.
void FreeSystem::relocate(int from, int to, Eigen::VectorXd& carried) {
  if (from == to) return;
  const int moved = member(from);
  members_[std::size_t(to)] = moved;
  place_[std::size_t(moved)] = to;
  carried[to] = carried[from];
  if (!is_row(moved)) {
    if (panel_.cols() <= to) panel_.conservativeResize(Eigen::NoChange, 2 * Eigen::Index(to + 1));
    panel_.col(to) = panel_.col(from);
  }
  Eigen::VectorXd values = inverse_column(from);
  values[to] = values[from];
  write_inverse(to, values);
}

void FreeSystem::write_inverse(int place, const Eigen::VectorXd& values) {
  inverse_.row(place).head(place) = values.head(place);
  inverse_.col(place).segment(place, values.size() - place) = values.tail(values.size() - place);
}

}  // namespace inchtide

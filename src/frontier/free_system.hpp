#pragma once
// The system of the free weights (see path.hpp) and its inverse:
//
//     [  0    A_F ]
//     [ A_F'  S_FF ]
//
// Its members are the rows that bind, each by the number of its riskless weight, then the free assets; each has a
// place. A member that comes or goes changes the inverse by a rank-one term, and others may change places: values that
// stand at places are carried along.

#include <Eigen/Core>
#include <functional>
#include <span>
#include <vector>

#include "frontier/pieces.hpp"
#include "inchtide/estimate/covariance.hpp"

namespace inchtide {

class FreeSystem {
 public:
  /// Both outlive it. Rows' riskless weights are numbered behind the assets that the covariance knows.
  FreeSystem(const Covariance& covariance, const Pieces& pieces);

  int size() const { return int(members_.size()); }
  int binding() const { return binding_; }  // rows among the members, which come first
  int member(int place) const { return members_[std::size_t(place)]; }
  int place(int member) const { return place_[std::size_t(member)]; }  // or -1
  bool binds(int row) const { return place(assets_ + row) >= 0; }
  std::span<const int> free_assets() const { return std::span(members_).subspan(std::size_t(binding_)); }

  /// Members anew: assets that are free, rows whose riskless weight isn't. The inverse has to be rebuilt then.
  void gather(const std::function<bool(int)>& is_free);
  void rebuild();

  /// True where free assets are nearly combinations of each other, as look-alikes are: one's variance beside the others
  /// is a small part of its own. Rounding then moves solutions far along what they differ by, unless they are refined.
  bool is_delicate() const;

  /// In a delicate system the solution is refined by residuals in long double, to its last digits.
  Eigen::VectorXd solve(const Eigen::VectorXd& right) const;

  /// What `right` leaves when so much of S w is taken off: of the rows 0, of the free assets factor x rewards - S w, in
  /// long double and then rounded.
  Eigen::VectorXd missing(double factor, const Eigen::VectorXd& rewards, const Eigen::VectorXd& weights) const;

  double inverse_at(int place) const { return inverse_(place, place); }
  Eigen::VectorXd inverse_column(int place) const;

  /// What an asset that isn't a member, or a row, has in common with the members.
  Eigen::VectorXd column_of_asset(int asset) const;
  Eigen::VectorXd column_of_row(int row) const;

  /// Values of assets at their places; 0 for the rows.
  Eigen::VectorXd on_places(const Eigen::VectorXd& of_assets) const;
  /// By how much S w and, behind it, A w change when the free assets do by what stands at their places. There may be
  /// more entries behind.
  void multiply(const Eigen::VectorXd& at_places, Eigen::VectorXd& out) const;
  /// Of the rows in the free asset at a place.
  auto coefficients(int place) const { return panel_.col(place).segment(rows_in_panel(), rows_); }

  /// @param solved the inverse's product with the newcomer's column, @param pivot its own entry less column'solved
  /// @param carried values at places, of which the newcomer's is `value`
  void add_asset(int asset, const Eigen::VectorXd& solved, double pivot, Eigen::VectorXd& carried, double value);
  void add_row(int row, const Eigen::VectorXd& solved, double pivot, Eigen::VectorXd& carried, double value);
  void remove(int place, Eigen::VectorXd& carried);

 private:
  bool is_row(int member) const { return member >= assets_; }
  Eigen::Index rows_in_panel() const { return covariance_.is_dense() ? assets_ : 0; }  // where they begin
  double risk_between(int a, int b) const;
  double risk_in_panel(int asset, int place) const;
  Eigen::VectorXd residual(const Eigen::VectorXd& right, const Eigen::VectorXd& solved) const;
  void fill_panel(int asset, int place);
  void grow(const Eigen::VectorXd& solved, double pivot, Eigen::VectorXd& carried);
  void relocate(int from, int to, Eigen::VectorXd& carried);
  void write_inverse(int place, const Eigen::VectorXd& values);

  const Covariance& covariance_;
  const Pieces& pieces_;
  int assets_, rows_;
  std::vector<int> members_;
  int binding_ = 0;
  std::vector<int> place_;
  Eigen::MatrixXd panel_;    // columns S_:j (of a dense S), then A_:j, of the free assets at their places
  Eigen::MatrixXd inverse_;  // its lower half; the leading block is in use
};

}  // namespace inchtide

#pragma once
// Ranges of weights that bend: at some values of a weight, the slopes of rows or of the linear term change (the sum of
// absolute weights at 0, the cost of trading at the weight held now). A weight stands on one piece of its range at a
// time, and the solvers work with that piece's slopes, so that a bent weight costs them no more than a straight one.
// All rows are convex where they bend and the linear term, which is maximised, is concave. At a bend the curvature of
// the objective in that one weight may change too.

#include <Eigen/Core>
#include <vector>

#include "inchtide/frontier/limits.hpp"

namespace inchtide {

// What passing `at` upward adds to the slopes of one weight.
struct Bend {
  int weight;
  double at;
  Eigen::VectorXd rows;
  double linear = 0;
  double curvature = 0;
};

// A row's entries are next to each other: products with all rows' prices, of which there are few, run along the
// weights.
using RowMatrix = Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor>;

// Slopes on the lowest piece of each weight, and its bends.
struct BentRows {
  Eigen::VectorXd lower, upper;  // whole ranges; lower finite
  RowMatrix rows;                // p x n
  std::vector<Bend> bends;       // by weight, then upward; all within the ranges
  // What the objective has beside 1/2 w'Sw on the lowest pieces: 1/2 curvature w^2 + pull w, weight by weight. Empty
  // where nothing has any.
  Eigen::VectorXd curvature{}, pull{};
};

// The piece that each weight is on.
class Pieces {
 public:
  explicit Pieces(BentRows whole);

  Eigen::VectorXd lower, upper;  // of the piece
  RowMatrix rows;                // slopes on the piece
  Eigen::VectorXd linear;        // the same of the linear term
  Eigen::VectorXd offset;        // rows of w are rows * w + offset
  Eigen::VectorXd curvature;     // of the objective, beside the covariance's; empty where no piece has any
  Eigen::VectorXd pull;          // the gradient has curvature * w + pull from it

  // The linear term: slopes on the lowest piece, and what each bend adds (none when empty).
  void set_linear(const Eigen::VectorXd& lowest, const std::vector<double>& bends);

  // The bend at the upper or lower end of the weight's piece; null where the range ends, or the bend is closed.
  const Bend* above(int weight) const;
  const Bend* below(int weight) const;
  double linear_change(const Bend& bend) const { return linear_change_[index_of(bend)]; }

  // To the next piece; there must be a bend.
  void up(int weight);
  void down(int weight);

  int piece(int weight) const { return passed_.empty() ? 0 : passed_[std::size_t(weight)]; }
  void go_to(int weight, int piece);

  const std::vector<Bend>& bends() const { return bends_; }
  std::size_t index_of(const Bend& bend) const { return std::size_t(&bend - bends_.data()); }
  const std::vector<int>& bent() const { return bent_; }  // weights with a bend

  // A closed bend ends the range on both of its sides.
  void close(std::size_t bend) { closed_[bend] = 1; }
  void open_all() { closed_.assign(bends_.size(), 0); }

 private:
  void set_ends(int weight);
  void pass(const Bend& bend, double sign);

  Eigen::VectorXd whole_lower_, whole_upper_;
  std::vector<Bend> bends_;
  std::vector<double> linear_change_;
  std::vector<char> closed_;
  std::vector<int> first_;   // of each weight's bends, and one past the last; empty where nothing bends
  std::vector<int> passed_;  // bends below the weight's piece
  std::vector<int> bent_;
};

// The budget as a row.
LimitRow budget_row(const Bounds& bounds);

// The budget and the rows of the limits.
std::vector<LimitRow> all_rows(const Bounds& bounds);

// Their slopes, bends and the costs' effect on the return (per unit of lambda); rows' constants are left out.
BentRows bent_rows(const Bounds& bounds);

}  // namespace inchtide

#pragma once
// Where the path begins when rows tie several weights together: a vertex of
//
//     row_lower <= A w <= row_upper,  lower <= w <= upper
//
// that maximises q'w, with rows and q that may bend, by the primal simplex method with bounds on all variables. Each
// row gets a variable s of its own, A w - s = 0; a first phase drives the sum of what lies out of bounds to 0. Ties go
// to the lowest index after a while without progress (Bland 1977, Mathematics of Operations Research 2(2)), so it ends.

#include <Eigen/Core>
#include <vector>

#include "frontier/pieces.hpp"
#include "inchtide/frontier/limits.hpp"

namespace inchtide {

struct VertexProblem {
  BentRows weights;  // p x n
  Eigen::VectorXd row_lower, row_upper;
};

/// The budget, then the rows of the limits.
VertexProblem vertex_problem(const Bounds& bounds);

struct Vertex {
  bool feasible = false;
  Eigen::VectorXd values;  // n weights, then p rows
  std::vector<int> basic;  // p positions in `values`, whose columns of [A, -1] are independent
  std::vector<int> piece;  // the piece of its range that each of the n + p stands on
  Eigen::VectorXd prices;  // p: the slopes of the linear term in the basic values are B'prices
  double missing = 0;      // by how much the bounds cannot all hold, where they can't
  Eigen::VectorXd proof;   // p multipliers: the combination of the rows that cannot lie where it would have to
};

// Without q any vertex will do; it is given as slopes on the lowest pieces and what each bend adds (none when empty).
// Throws UncertifiedAnswer when it doesn't end.
Vertex best_vertex(const VertexProblem& problem, const Eigen::VectorXd& q, const std::vector<double>& bends);

// The weights and, behind them, a riskless weight s a row: A w - s = 0, whose range is the row's.
BentRows with_row_weights(const VertexProblem& problem);

}  // namespace inchtide

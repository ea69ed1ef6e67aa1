#include "frontier/vertex.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <functional>
#include <numeric>

#include "base/blas.hpp"
#include "base/dense.hpp"
#include "frontier/tolerances.hpp"
#include "inchtide/base/errors.hpp"

namespace inchtide {
namespace {

constexpr int pivots_between_refactors = 40;

class Simplex {
 public:
  explicit Simplex(const VertexProblem& problem)
      : p_(int(problem.weights.rows.rows())),
        n_(int(problem.weights.rows.cols())),
        pieces_(with_row_weights(problem)),
        x_(n_ + p_),
        place_(std::size_t(n_ + p_), -1) {
    x_.head(n_) = problem.weights.lower;
    for (int r = 0; r < p_; ++r) {
      place_[std::size_t(n_ + r)] = r;
      basic_.push_back(n_ + r);
    }
    inverse_ = -Eigen::MatrixXd::Identity(p_, p_);
    find_basic_values();
  }

  Vertex solve(const Eigen::VectorXd& q, const std::vector<double>& bends) {
    Vertex vertex;
    if (q.size() > 0) {
      Eigen::VectorXd linear = Eigen::VectorXd::Zero(n_ + p_);
      linear.head(n_) = q;
      pieces_.set_linear(linear, bends);
      if (bends.empty()) start_high();
    }
    run(true);
    vertex.missing = missing();
    vertex.feasible = vertex.missing <= feasible_within * p_;
    if (!vertex.feasible) {
      vertex.proof = prices(costs_of_missing());
      return vertex;
    }
    if (q.size() > 0) run(false);
    vertex.prices = prices(pieces_.linear(basic_));
    vertex.values = x_;
    vertex.basic = basic_;
    for (int j = 0; j < n_ + p_; ++j) vertex.piece.push_back(pieces_.piece(j));
    return vertex;
  }

 private:
  void find_basic_values() {
    for (int j : basic_) x_[j] = 0;
    const Eigen::VectorXd values = -inverse_ * (pieces_.offset + pieces_.rows * x_);
    for (int k = 0; k < p_; ++k) x_[basic_[std::size_t(k)]] = values[k];
  }

  /// What pays most stands at its upper bound from the start, as far as every row has room for it.
  void start_high() {
    std::vector<int> order(std::size_t(n_), 0);
    std::iota(order.begin(), order.end(), 0);
    std::ranges::stable_sort(order, std::greater{}, [&](int j) { return pieces_.linear[j]; });
    const Eigen::VectorXd row_lower = pieces_.lower.tail(p_), row_upper = pieces_.upper.tail(p_);
    Eigen::VectorXd sums = x_.tail(p_), after(p_);
    for (int j : order) {
      const double room = pieces_.upper[j] - pieces_.lower[j];
      if (!(room > 0) || std::isinf(room)) continue;
      const auto& column = pieces_.rows.col(j);
      bool fits = true;
      for (int r = 0; r < p_ && fits; ++r) {
        after[r] = sums[r] + room * column[r];
        fits = column[r] == 0 || (column[r] > 0 ? after[r] <= row_upper[r] : after[r] >= row_lower[r]);
      }
      if (!fits) continue;
      x_[j] = pieces_.upper[j];
      sums = after;
    }
    find_basic_values();
  }

  void refactor() {
    inverse_ = dense::inverse(pieces_.rows(Eigen::all, basic_));
    find_basic_values();
  }

  double out_by(int j) const {
    return x_[j] < pieces_.lower[j]   ? x_[j] - pieces_.lower[j]
           : x_[j] > pieces_.upper[j] ? x_[j] - pieces_.upper[j]
                                      : 0;
  }

  double missing() const {
    double sum = 0;
    for (int j : basic_) sum += std::abs(out_by(j));
    return sum;
  }

  /// Of the basic variables, in the first phase: what lies out of its bounds costs its distance.
  Eigen::VectorXd costs_of_missing() const {
    Eigen::VectorXd costs(p_);
    for (int k = 0; k < p_; ++k) {
      const double out = out_by(basic_[std::size_t(k)]);
      costs[k] = std::abs(out) <= feasible_within ? 0 : out < 0 ? -1 : 1;
    }
    return costs;
  }

  Eigen::VectorXd prices(const Eigen::VectorXd& basic_costs) const { return inverse_.transpose() * basic_costs; }

  /// Moves from vertex to vertex until no cost can fall.
  void run(bool first_phase) {
    const int patience = 20 * (n_ + p_) + 200;
    int stalled = 0, since_refactor = 0;
    for (long step = 0;; ++step) {
      if (step > 1000L * (n_ + p_) + 10000) {
        throw UncertifiedAnswer(
            fmt::format("The limits could not be satisfied by the simplex method: {} assets, {} "
                        "rows",
                        n_, p_));
      }
      if (first_phase && missing() <= feasible_within * p_) return;
      const Eigen::VectorXd basic_costs = first_phase ? costs_of_missing() : Eigen::VectorXd(-pieces_.linear(basic_));
      const Eigen::VectorXd y = prices(basic_costs);
      Eigen::VectorXd reduced = first_phase ? Eigen::VectorXd::Zero(n_ + p_) : Eigen::VectorXd(-pieces_.linear);
      blas::multiply(n_ + p_, p_, -1, pieces_.rows.data(), n_ + p_, y.data(), 1, reduced.data());
      const double scale =
          std::max({first_phase ? 1.0 : pieces_.linear.cwiseAbs().maxCoeff(), y.cwiseAbs().maxCoeff(), never_zero});
      const auto entering = choose(reduced, y, first_phase, no_reduced_cost * scale, stalled > patience);
      if (entering.variable < 0) {
        if (since_refactor == 0) return;
        refactor();  // look again with fresh figures
        since_refactor = 0;
        continue;
      }
      if (entering.over_bend) pieces_.up(entering.variable);
      const bool moved = pivot(entering.variable, entering.slope < 0 ? 1 : -1, first_phase, stalled > patience);
      stalled = moved ? 0 : stalled + 1;
      if (++since_refactor >= pivots_between_refactors) {
        refactor();
        since_refactor = 0;
      }
    }
  }

  struct Entering {
    int variable = -1;
    double slope = 0;        // of the cost, upward
    bool over_bend = false;  // up from the end of a piece
    double gain = 0;         // of the linear term
  };

  /// The variable whose move lowers the cost most per unit (or the first that lowers it at all); -1 when none does. In
  /// the first phase many do so alike: what brings most then saves steps of the second.
  Entering choose(const Eigen::VectorXd& reduced, const Eigen::VectorXd& y, bool first_phase, double noise,
                  bool first) const {
    Entering best;
    const bool bends = !pieces_.bent().empty();
    for (int j = 0; j < n_ + p_ && !(first && best.variable >= 0); ++j) {
      const double least = first_phase ? (1 - same_slope) * std::abs(best.slope) : std::abs(best.slope);
      if (!bends && std::abs(reduced[j]) <= std::max(noise, least)) continue;  // most of them
      if (place_[std::size_t(j)] >= 0) continue;
      const auto consider = [&](double slope, bool over_bend) {
        const double gain = slope < 0 ? pieces_.linear[j] : -pieces_.linear[j];
        bool better = best.variable < 0 || std::abs(slope) > std::abs(best.slope);
        if (first_phase && best.variable >= 0 && std::abs(std::abs(slope) - std::abs(best.slope)) <= same_slope) {
          better = gain > best.gain;
        }
        if (better) best = {j, slope, over_bend, gain};
      };
      const bool room = pieces_.lower[j] < pieces_.upper[j];
      if (room && x_[j] <= pieces_.lower[j] && reduced[j] < -noise) consider(reduced[j], false);
      if (room && x_[j] >= pieces_.upper[j] && reduced[j] > noise) consider(reduced[j], false);
      const auto* bend = bends && x_[j] >= pieces_.upper[j] ? pieces_.above(j) : nullptr;
      if (!bend) continue;
      const double beyond = reduced[j] - (first_phase ? 0 : pieces_.linear_change(*bend)) - bend->rows.dot(y);
      if (beyond < -noise) consider(beyond, true);
    }
    return best;
  }

  /// A variable that left the basis at the lower end of its piece stands at the upper end of the one below.
  void settle(int j) {
    if (x_[j] <= pieces_.lower[j] && pieces_.below(j)) pieces_.down(j);
  }

  /// Moves `entering` up or down until a variable meets a bound. False when that is at once.
  bool pivot(int entering, int sign, bool first_phase, bool lowest_index) {
    const Eigen::VectorXd column = inverse_ * pieces_.rows.col(entering);
    const double noise = no_pivot * std::max(1.0, column.cwiseAbs().maxCoeff());
    double room = pieces_.upper[entering] - pieces_.lower[entering];
    int leaving = -1;
    double leaves_at = 0;
    for (int k = 0; k < p_; ++k) {
      const double slope = -sign * column[k];
      if (std::abs(slope) <= noise) continue;
      const int j = basic_[std::size_t(k)];
      const double out = out_by(j);
      double bound = slope < 0 ? pieces_.lower[j] : pieces_.upper[j];
      if (first_phase && std::abs(out) > feasible_within) {
        if ((out < 0) == (slope < 0)) continue;  // farther out: its cost is counted already
        bound = out < 0 ? pieces_.lower[j] : pieces_.upper[j];
      }
      if (std::isinf(bound)) continue;
      const double far = std::max(0.0, (bound - x_[j]) / slope);
      bool better = far < room - same_step;
      if (!better && leaving >= 0 && far <= room + same_step) {  // a tie: the surer pivot, or the lowest index
        better = lowest_index ? j < basic_[std::size_t(leaving)] : std::abs(column[k]) > std::abs(column[leaving]);
      }
      if (!better) continue;
      room = std::min(far, room);
      leaving = k;
      leaves_at = bound;
    }
    if (std::isinf(room)) {
      throw UncertifiedAnswer("The limits leave the highest return without an end");
    }
    for (int k = 0; k < p_; ++k) x_[basic_[std::size_t(k)]] -= sign * room * column[k];
    if (leaving < 0) {  // across its own range
      x_[entering] = sign > 0 ? pieces_.upper[entering] : pieces_.lower[entering];
      settle(entering);
      return room > 0;
    }
    const int gone = basic_[std::size_t(leaving)];
    x_[entering] += sign * room;
    x_[gone] = leaves_at;
    place_[std::size_t(gone)] = -1;
    place_[std::size_t(entering)] = leaving;
    basic_[std::size_t(leaving)] = entering;
    const Eigen::RowVectorXd row = inverse_.row(leaving) / column[leaving];
    inverse_ -= column * row;
    inverse_.row(leaving) = row;
    settle(gone);
    return room > 0;
  }

  int p_, n_;
  Pieces pieces_;  // of [A, -1]
  Eigen::VectorXd x_;
  std::vector<int> place_, basic_;
  Eigen::MatrixXd inverse_;
};

}  // namespace

VertexProblem vertex_problem(const Bounds& bounds) {
  const auto rows = all_rows(bounds);
  const auto p = Eigen::Index(rows.size());
  VertexProblem problem{bent_rows(bounds), Eigen::VectorXd(p), Eigen::VectorXd(p)};
  // bent_rows leaves out what does not depend on slopes: at the lowest weights it is whatever is missing.
  const Eigen::VectorXd at_lowest = problem.weights.rows * bounds.lower;
  for (Eigen::Index r = 0; r < p; ++r) {
    const auto& row = rows[std::size_t(r)];
    const double rest = row.bend.size() == 0 ? row.constant : row.value(bounds.lower) - at_lowest[r];
    problem.row_lower[r] = row.lower - rest;
    problem.row_upper[r] = row.upper - rest;
  }
  return problem;
}

BentRows with_row_weights(const VertexProblem& problem) {
  const auto& weights = problem.weights;
  const auto n = weights.lower.size(), p = weights.rows.rows();
  BentRows all{Eigen::VectorXd(n + p), Eigen::VectorXd(n + p), RowMatrix(p, n + p), weights.bends};
  all.lower << weights.lower, problem.row_lower;
  all.upper << weights.upper, problem.row_upper;
  all.rows << weights.rows, -Eigen::MatrixXd::Identity(p, p);
  return all;
}

Vertex best_vertex(const VertexProblem& problem, const Eigen::VectorXd& q, const std::vector<double>& bends) {
  return Simplex(problem).solve(q, bends);
}

}  // namespace inchtide

#include "frontier/vertex.hpp"

#include <fmt/format.h>

#include <Eigen/LU>
#include <cmath>
#include <limits>

#include "inchtide/base/errors.hpp"

namespace inchtide {
namespace {

constexpr double infinity = std::numeric_limits<double>::infinity();
constexpr double feasible_within = 1e-11;
/// Entries of a pivot column below this part of its largest are rounding.
constexpr double no_pivot = 1e-11;
constexpr int pivots_between_refactors = 40;

class Simplex {
 public:
  explicit Simplex(const VertexProblem& problem)
      : p_(int(problem.rows.rows())),
        n_(int(problem.rows.cols())),
        columns_(p_, n_ + p_),
        lower_(n_ + p_),
        upper_(n_ + p_),
        x_(n_ + p_),
        place_(std::size_t(n_ + p_), -1) {
    columns_ << problem.rows, -Eigen::MatrixXd::Identity(p_, p_);
    lower_ << problem.lower, problem.row_lower;
    upper_ << problem.upper, problem.row_upper;
    x_.head(n_) = problem.lower;
    for (int r = 0; r < p_; ++r) {
      place_[std::size_t(n_ + r)] = r;
      basic_.push_back(n_ + r);
    }
    inverse_ = -Eigen::MatrixXd::Identity(p_, p_);
    find_basic_values();
  }

  Vertex solve(const Eigen::VectorXd& q) {
    Vertex vertex;
    run(true, {});
    vertex.missing = missing();
    vertex.feasible = vertex.missing <= feasible_within * p_;
    if (!vertex.feasible) {
      vertex.proof = prices(costs_of_missing());
      return vertex;
    }
    if (q.size() > 0) {
      Eigen::VectorXd costs = Eigen::VectorXd::Zero(n_ + p_);
      costs.head(n_) = -q;
      run(false, costs);
    }
    vertex.values = x_;
    vertex.basic = basic_;
    return vertex;
  }

 private:
  void find_basic_values() {
    Eigen::VectorXd right = Eigen::VectorXd::Zero(p_);
    for (int j = 0; j < n_ + p_; ++j) {
      if (place_[std::size_t(j)] < 0) right -= columns_.col(j) * x_[j];
    }
    const Eigen::VectorXd values = inverse_ * right;
    for (int k = 0; k < p_; ++k) x_[basic_[std::size_t(k)]] = values[k];
  }

  void refactor() {
    inverse_ = columns_(Eigen::all, basic_).partialPivLu().inverse();
    find_basic_values();
  }

  double out_by(int j) const {
    return x_[j] < lower_[j] ? x_[j] - lower_[j] : x_[j] > upper_[j] ? x_[j] - upper_[j] : 0;
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
  void run(bool first_phase, const Eigen::VectorXd& costs) {
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
      const Eigen::VectorXd basic_costs = first_phase ? costs_of_missing() : Eigen::VectorXd(costs(basic_));
      const Eigen::VectorXd y = prices(basic_costs);
      Eigen::VectorXd reduced = -(columns_.transpose() * y);
      if (!first_phase) reduced += costs;
      const double scale = std::max({first_phase ? 1.0 : costs.cwiseAbs().maxCoeff(), y.cwiseAbs().maxCoeff(), 1e-300});
      const int entering = choose(reduced, 1e-13 * scale, stalled > patience);
      if (entering < 0) {
        if (since_refactor == 0) return;
        refactor();  // look again with fresh figures
        since_refactor = 0;
        continue;
      }
      const bool moved = pivot(entering, reduced[entering] < 0 ? 1 : -1, first_phase, stalled > patience);
      stalled = moved ? 0 : stalled + 1;
      if (++since_refactor >= pivots_between_refactors) {
        refactor();
        since_refactor = 0;
      }
    }
  }

  /// The variable whose move lowers the cost most per unit (or the first that lowers it at all); -1 when none does.
  int choose(const Eigen::VectorXd& reduced, double noise, bool first) const {
    int best = -1;
    for (int j = 0; j < n_ + p_; ++j) {
      if (place_[std::size_t(j)] >= 0 || lower_[j] == upper_[j]) continue;
      const bool helps = (x_[j] <= lower_[j] && reduced[j] < -noise) || (x_[j] >= upper_[j] && reduced[j] > noise);
      if (!helps) continue;
      if (first) return j;
      if (best < 0 || std::abs(reduced[j]) > std::abs(reduced[best])) best = j;
    }
    return best;
  }

  /// Moves `entering` up or down until a variable meets a bound. False when that is at once.
  bool pivot(int entering, int sign, bool first_phase, bool lowest_index) {
    const Eigen::VectorXd column = inverse_ * columns_.col(entering);
    const double noise = no_pivot * std::max(1.0, column.cwiseAbs().maxCoeff());
    double room = upper_[entering] - lower_[entering];
    int leaving = -1;
    double leaves_at = 0;
    for (int k = 0; k < p_; ++k) {
      const double slope = -sign * column[k];
      if (std::abs(slope) <= noise) continue;
      const int j = basic_[std::size_t(k)];
      const double out = out_by(j);
      double bound = slope < 0 ? lower_[j] : upper_[j];
      if (first_phase && std::abs(out) > feasible_within) {
        if ((out < 0) == (slope < 0)) continue;  // farther out: its cost is counted already
        bound = out < 0 ? lower_[j] : upper_[j];
      }
      if (std::isinf(bound)) continue;
      const double far = std::max(0.0, (bound - x_[j]) / slope);
      bool better = far < room - 1e-14;
      if (!better && leaving >= 0 && far <= room + 1e-14) {  // a tie: the surer pivot, or the lowest index
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
      x_[entering] = sign > 0 ? upper_[entering] : lower_[entering];
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
    return room > 0;
  }

  int p_, n_;
  Eigen::MatrixXd columns_;  // [A, -1]
  Eigen::VectorXd lower_, upper_, x_;
  std::vector<int> place_, basic_;
  Eigen::MatrixXd inverse_;
};

}  // namespace

VertexProblem vertex_problem(const Bounds& bounds) {
  const auto n = bounds.lower.size(), p = Eigen::Index(bounds.rows.size()) + 1;
  VertexProblem problem{Eigen::MatrixXd::Ones(p, n), Eigen::VectorXd::Ones(p), Eigen::VectorXd::Ones(p), bounds.lower,
                        bounds.upper};
  for (Eigen::Index r = 1; r < p; ++r) {
    const auto& row = bounds.rows[std::size_t(r - 1)];
    problem.rows.row(r) = row.coefficients;
    problem.row_lower[r] = row.lower;
    problem.row_upper[r] = row.upper;
  }
  return problem;
}

Vertex best_vertex(const VertexProblem& problem, const Eigen::VectorXd& q) {
  return Simplex(problem).solve(q);
}

}  // namespace inchtide

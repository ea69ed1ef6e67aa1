#pragma once
// The parametric active-set solver: it follows the minimiser of
//
//     1/2 w'Sw - lambda q'w   subject to   A w = b,  lower <= w <= upper
//
// as lambda falls from infinity to 0. The minimiser is a straight line in lambda as long as the set F of free weights
// (strictly between their bounds) stays the same, so the path is a list of corners (Markowitz 1956; Best 1996).
//
// On a piece with free set F the line solves the system
//
//     [ S_FF  A_F' ] [  dw_F/dlambda ]   [ q_F ]
//     [ A_F    0   ] [ -dy/dlambda   ] = [  0  ]
//
// whose inverse FreeSystem keeps and changes by a rank-one term when F changes. The price of each bound is
// z = Sw - lambda q - A'y: z >= 0 at a lower bound, z <= 0 at an upper one. The piece ends where the first free weight
// meets a bound or the first price meets 0; ties go to the lowest index, which cannot cycle (the least-index rule of
// den Hertog, Roos & Terlaky 1993, Linear Algebra and its Applications 187, for linear complementarity problems with
// sufficient matrices).
//
// Rows beside the budget need no change here: an inequality row is an equality with one more, riskless weight s, which
// the caller adds: A_r w - s = 0. While s is free the row doesn't bind: its price is lambda q_s, and both stay out of
// the system, so that a row costs little where it has nothing to say.
//
// Where slopes bend, a weight leaves the free set at the end of its piece and stands there, at the upper end of the
// lower piece, with a price on each side: z <= 0 from below, and from above
//
//     z' = z - lambda (change of q) - (change of A_j)'y >= 0

#include <Eigen/Core>
#include <algorithm>
#include <optional>
#include <span>
#include <utility>
#include <vector>

#include "base/numbers.hpp"
#include "frontier/free_system.hpp"
#include "frontier/pieces.hpp"
#include "inchtide/base/progress.hpp"
#include "inchtide/estimate/covariance.hpp"

namespace inchtide {

struct PathProblem {
  Covariance covariance;
  // As many as the covariance knows; or behind them a riskless weight a row, in the order of the rows.
  BentRows weights;
  bool keep_prices = false;  // of the rows, at each corner
  // The first row is the budget, an equality that bends where trading costs do: each bend costs c (lambda / years -
  // price of the row). While that is positive every bend is convex; there the path ends. 1 / years, where costs bend.
  std::optional<double> costs_per_year{};
  double stop_at = 0;  // lambda at which the path ends
};

// q: its slopes on the lowest pieces, and what each bend adds (none when empty).
struct LinearTerm {
  Eigen::VectorXd lowest;
  std::vector<double> bends;
};

// The corners of one path. Between corner k (below its lambda_low) and corner k + 1 (down to its lambda_high) the
// weights are straight lines; between lambda_high and lambda_low of one corner they stand still.
struct Path {
  struct Corner {
    double lambda_high, lambda_low;
    double variance;                          // w'Sw
    std::size_t changes_end;                  // one past this corner's last entry in `changes`
    Eigen::VectorXd prices_high, prices_low;  // of the rows at both ends, where they are kept
  };
  struct Change {
    int asset;
    double weight;
  };
  Eigen::VectorXd top;          // weights of the first corner, before its changes
  std::vector<Corner> corners;  // lambda falling
  std::vector<Change> changes;  // weights that differ from the corner before
  Eigen::VectorXd price_slope;  // of the rows above the first corner's lambda_low, per unit of lambda
};

// Some free weights form a portfolio with a negative variance: the covariance is not positive semidefinite.
struct NegativeVariance {
  int asset;  // the last of them to become free
};

// 0 where there are no values.
inline double largest_of(const Eigen::Ref<const Eigen::VectorXd>& values) {
  return values.size() > 0 ? values.cwiseAbs().maxCoeff() : 0;
}

class PathSolver {
 public:
  explicit PathSolver(PathProblem problem);
  PathSolver(const PathSolver&) = delete;
  PathSolver& operator=(const PathSolver&) = delete;

  /// Starts at weights that satisfy rows and bounds, with as many `basic` weights as rows, whose columns of A are
  /// independent; every other weight stands at a bound.
  /// `piece` says on which piece each weight stands; none: all on the lowest.
  void start_at(const Eigen::VectorXd& weights, const std::vector<int>& basic, const std::vector<int>& piece = {});

  /// @throws NegativeVariance
  /// Follows the path from infinity to 0, from a state that maximises q'w. Where several states do (ties), it first
  /// moves to the one of least variance among them.
  Path follow(LinearTerm q);

  // Asked and told at each corner from now on.
  void watch(const Watch& watch) { watch_ = watch; }

  const Eigen::VectorXd& weights() const { return w_; }
  const Eigen::VectorXd& row_prices() const { return y_; }

 private:
  enum class At : unsigned char { lower, upper, free };
  enum class Happens { ends, leaves, enters };
  struct Event {
    Happens happens = Happens::ends;
    int asset = -1;
    double step = 0;         // by how much lambda falls
    bool over_bend = false;  // it enters upward, from the end of its piece
  };

  struct Soon {
    int asset;
    double step;
    bool over_bend;
  };

  struct Border {
    Eigen::VectorXd solved;
    double curvature, scale;
  };

  int count() const { return int(w_.size()); }
  int row_count() const { return int(pieces_.rows.rows()); }
  int weight_of_row(int row) const { return risky_ + row; }
  bool is_of_row(int weight) const { return weight >= risky_; }
  double own_slope(int row) const { return count() > risky_ ? pieces_.linear[weight_of_row(row)] : 0; }
  double slope_of(int weight) const;  // of a free weight, as lambda falls

  Eigen::VectorXd risk_of(const Eigen::VectorXd& weights) const;  // S w
  double variance(int asset) const {
    const double own = asset < risky_ ? covariance_.variance(asset) : 0;
    return pieces_.curvature.size() > 0 ? own + pieces_.curvature[asset] : own;
  }
  void add_multiple_of_row(int row, double factor, Eigen::VectorXd& out) const;

  // The problem of what ties at infinity.
  struct Ties {
    Eigen::VectorXd z0, z1;               // prices at infinity: z0 + lambda z1
    double noise = 0;                     // a z1 up to this is none
    std::vector<double> change, change0;  // over each bend: of z1, of z0
    LinearTerm stand_in;
    std::vector<int> locked;
    bool improve = false;
    double rank = 0;
  };

  void move_to_least_variance_among_ties(LinearTerm& q);
  void tie_or_lock(int j, Ties& ties, LinearTerm& q);
  void tie_exactly(LinearTerm& q, int weight, double change) const;
  Path begin_path();
  Path follow_from_infinity();
  bool move_to(Event& event);
  void take(const Event& event, Path& path);
  void remember_segment();
  void refresh_now_and_then();
  const Eigen::VectorXd& rewards();
  void solve_prices_at_infinity(Eigen::VectorXd& z0, Eigen::VectorXd& z1);
  double first_lambda(const Eigen::VectorXd& z0, const Eigen::VectorXd& z1) const;
  bool find_direction();
  double residual_of_direction();
  Event next_event();
  void consider(int asset, double step, bool over_bend);
  void consider_weights();
  void consider_prices();
  bool advance(double step);
  bool come_near(Event& event);
  bool has_passed_an_event() const;
  bool waits(int asset, bool over_bend) const {
    return std::ranges::find(waiting_, std::pair{asset, over_bend}) != waiting_.end();
  }
  void settle_on_bounds();
  void stand_at_end(int asset, bool lower);
  double price_over(const Bend& bend) const;
  const Bend* bend_to_pass(int asset) const;
  bool bends_in_row(int row) const;
  double change_over(const Bend& bend) const;
  void leave(int asset);
  bool enter(int asset, bool over_bend);
  void make_free(int asset, const Border& border);
  bool enter_flat(int asset, bool over_bend, const Border& border);
  Border border_by(int asset) const;
  Eigen::VectorXd rows_along_flat(int asset, const Eigen::VectorXd& along) const;
  bool exchange_along_flat(int asset, const Eigen::VectorXd& along);
  void refresh(double most_move = infinity);
  bool has_drifted() const;
  [[noreturn]] void give_up(const std::string& why) const;

  void bind(int row);
  void remove(int member, double slope);
  void members_changed();
  void gather_members();

  bool goes_straight_on() const;
  void record_corner(Path& path) const;
  void record_lower_end(Path& path) const;
  void record_changes(Path& path, std::span<const int> weights) const;

  Covariance covariance_;
  Pieces pieces_;  // ranges, rows A and q where the weights stand
  FreeSystem system_;
  int risky_;  // weights that the covariance knows
  double largest_variance_;
  bool keep_prices_;
  double stop_at_;
  Watch watch_;
  std::optional<double> costs_per_year_;
  bool costs_are_free_ = false;  // the path has ended there
  bool at_end_ = false;          // rounding has ended it, where lambda is next to nothing
  Eigen::VectorXd w_;            // weights
  Eigen::VectorXd g_;            // S w
  Eigen::VectorXd row_sums_;     // A w, which stays the same
  Eigen::VectorXd y_;            // prices of the rows
  Eigen::VectorXd z_;            // prices of the bounds
  double lambda_ = 0;
  double fresh_at_ = 0;      // lambda when all was worked out afresh
  Eigen::VectorXd y_slope_;  // of the rows' prices at infinity
  double no_lambda_ = 0;     // below it lambda counts as 0 for prices
  std::vector<At> at_;
  std::vector<char> locked_;  // weights that stay where they are
  // Weights that wait for the members to change, and whether over their bend: till then their prices are proportional
  // to lambda, which rounding may hide.
  std::vector<std::pair<int, bool>> waiting_;
  Eigen::VectorXd direction_;       // of the members, per unit of lambda: -dy, then dw
  bool direction_follows_ = false;  // it has been changed with the free set
  Eigen::VectorXd dg_, dz_, dy_;    // S dw and A dw of the assets; dz; dy: per unit of lambda
  Eigen::VectorXd rewards_;         // see there
  bool rewards_known_ = false;
  Eigen::VectorXd row_slopes_;  // dw of the rows' riskless weights per unit of lambda; 0 where the row binds
  std::vector<std::vector<int>> nonzeros_;  // of each row that has few; else empty
  Eigen::VectorXd row_largest_;             // no coefficient of the row is larger on any piece
  std::vector<Soon> soon_;                  // scratch: the events that may come next
  double earliest_ = 0, soon_enough_ = 0;   // of their steps; what is later than the latter comes after another
  int since_refresh_ = 0, since_product_ = 0;
  double dz_scale_ = 0, largest_q_ = 0, largest_free_q_ = 0;
  // Of the segment before: its free assets and directions, to see whether a corner is one.
  std::vector<int> last_free_;
  Eigen::VectorXd last_dw_, last_dy_;
};

}  // namespace inchtide

#pragma once
// What no choice of positions within a branch of the search can better.
//
// From each variance an own part d_i is taken such that S - diag(d) stays positive semidefinite, and d_i w_i^2 is
// counted as if it were paid per share of a position: d_i w_i^2 / z_i, 0 <= z_i <= 1 (the perspective of a square,
// Frangioni & Gentile 2006, Mathematical Programming 106). With the number of positions priced the best z_i is a
// function of w_i alone: in one weight the term is a straight line that turns into a parabola, which is a range that
// bends, for the same solver as everything else.
//
// The bound is concave in d, so d climbs: towards what serves best the slope of the bound, as far as the bound rises
// (the best d of all solves a semidefinite programme: Zheng, Sun & Li 2014, INFORMS J. Computing 26).
//
// Ceilings on volatility or tracking error have prices too. With price v_k on half of w'Sw - 2 c_k'w + constant_k -
// most_k the objective is, divided by 1 + sum of v_k, of the same kind as without:
//
//     1/2 w'Sw - s (lambda m + sum v_k c_k)'w + s sum v_k (constant_k - most_k) / 2,    s = 1 / (1 + sum v_k)
//
// so that own parts serve the ceilings as well.
//
// With the prices of the rows and of positions the problem falls apart by asset, so what it would cost to hold one that
// isn't, or not to hold one that is, can be told without solving anew. Where that is more than the best portfolio
// found, the asset is decided. With fewer assets left more can be taken out of their variances, and so on in turn.

#include <vector>

#include "base/numbers.hpp"
#include "frontier/ceilings.hpp"
#include "frontier/own_parts.hpp"
#include "frontier/pieces.hpp"
#include "frontier/tolerances.hpp"
#include "inchtide/base/progress.hpp"
#include "inchtide/estimate/estimate.hpp"
#include "inchtide/frontier/limits.hpp"
#include "inchtide/frontier/portfolio.hpp"

namespace inchtide {

enum class State : signed char { out, open, held, held_short };
using States = std::vector<State>;

struct PositionRules {
  int most = 0;       // positions
  double least = 0;   // the size of one
  double lambda = 0;  // least 1/2 w'Sw - lambda m'w

  // A position may be on either side of 0, and which one need not be chosen: `held` is for both.
  bool either_side() const { return least == 0; }
};

struct Prices {
  double position = 0;
  std::vector<double> ceilings;
};

struct Relaxed {
  bool feasible = false;
  double bound = 0;
  Prices prices;
  Eigen::VectorXd weights, shares;  // an entry an asset; shares of a position, of open assets
  Eigen::VectorXd row_prices{};     // empty where rounding has lost the answer, and the bound with it
};

class Relaxation {
 public:
  /// @param estimate, bounds outlive it; `bounds` has finite ends and no number of positions
  Relaxation(const Estimate& estimate, const Bounds& bounds, PositionRules rules, std::vector<Ceiling> ceilings,
             StopCheck should_stop);

  /// Own parts that are large for all assets alike.
  Eigen::VectorXd first_own_parts() const;

  /// From here on works with the assets that aren't out, and with these own parts, an entry an asset.
  void stand_on(const States& states, const Eigen::VectorXd& own);
  /// Those in use, 0 for assets that are out.
  Eigen::VectorXd own_parts() const;

  /// The best bound over prices of ceilings and of a position, from `prices` on: where ceilings are met and shares add
  /// up to the positions that are left. Assets that are then out of the question are set so.
  /// @param enough a bound from which on no better one is needed
  /// @param tries for the price of a position at each price of the ceilings, and as many for those
  Relaxed bound(States& states, const Prices& prices, double enough, int tries);

  /// Changes the own parts so that the bound rises towards `enough`, for at most so many rounds.
  void sharpen(States& states, Relaxed& relaxed, double enough, int rounds, int tries);

  /// Decides open assets whose other choice cannot be better than `enough`.
  /// @return the least bound of the choices given up; infinite where there are none
  double decide(States& states, const Relaxed& relaxed, double enough);

  /// How much variance is at stake in the share of an open asset.
  double worth(int asset, const Relaxed& relaxed) const;

  /// The smallest position of an asset that there is room for, on either side.
  bool may_be_held(int asset) const { return bounds_.upper[asset] >= std::max(rules_.least, held_above); }
  bool may_be_short(int asset) const { return bounds_.lower[asset] <= -std::max(rules_.least, held_above); }

  static int held_count(const States& states);

 private:
  bool stopped() const { return should_stop_ && should_stop_(); }
  void set_prices(const std::vector<double>& of_ceilings);
  Relaxed bound_at_ceiling_prices(States& states, double price, double enough, int tries);
  bool next_ceiling_price(const Relaxed& relaxed);
  Relaxed solve(const States& states, double price);
  void bend_open(BentRows& weights, Eigen::VectorXd& slopes, const Bounds& bounds, int k, double price) const;
  Relaxed unknown(double price) const;
  Relaxed judged(const States& states, const Eigen::VectorXd& weights, double price) const;
  double full_at(int k, double size, double price) const;
  double line_slope(int k, double full, double price) const;
  double first_price(const Relaxed& relaxed, int left) const;

  const Estimate& estimate_;
  const Bounds& bounds_;
  PositionRules rules_;
  std::vector<Ceiling> ceilings_;
  StopCheck should_stop_;
  int n_;
  // The objective at the ceilings' prices, divided by 1 + their sum: 1/2 w'Sw - pull'w + offset.
  std::vector<double> ceiling_prices_;
  Eigen::VectorXd pull_;
  double offset_ = 0, scale_ = 1;
  // Prices between which each ceiling is met, and by which part it is missed there.
  struct Bracket {
    double low = 0, high = infinity, above = 0, below = 0;
  };
  std::vector<Bracket> brackets_;
  // Of the assets that aren't out, in their order.
  std::vector<int> members_;
  Bounds few_ = Bounds::long_only(0);
  Covariance covariance_;
  Split split_;
  double none_above_ = 0;  // no weights within the bounds have a larger objective
};

/// The bounds of these assets when all others are at 0; without the limits that set them.
Bounds bounds_of_few(const Bounds& bounds, const std::vector<int>& assets);

}  // namespace inchtide

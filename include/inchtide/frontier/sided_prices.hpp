#pragma once
/// What loosening a limit brings and what tightening it takes, where the two differ.
///
/// Where a portfolio touches more limits than it takes to fix its weights (at a corner, or with every asset at a
/// bound) the prices that prove it optimal are not unique. All that do form a convex set. Loosening a limit brings the
/// least of its prices in that set, tightening it takes the largest: they are the one-sided slopes of the optimum
/// (Rockafellar 1970, Convex Analysis, section 29). Each is a small linear programme, solved here by its dual.
///
/// @code
/// #include <cassert>
/// #include "inchtide/frontier/frontier.hpp"
/// inchtide::Estimate estimate;
/// estimate.assets = {"HOLLBOND", "HOLLBANK"};
/// estimate.expected_return = Eigen::Vector2d(0.03, 0.08);
/// estimate.covariance = inchtide::Covariance::dense(Eigen::Vector2d(0.0025, 0.04).asDiagonal());
/// const auto bounds = inchtide::bounds_of({inchtide::Limit::parse("HOLLBOND <= 60%")}, estimate.assets);
/// const auto least = inchtide::trace_frontier(estimate, bounds).minimum_variance();
/// const inchtide::SidedPrices prices(estimate.covariance, estimate.expected_return, bounds, least,
///                                    inchtide::Moves::objective);
/// assert(!prices.of(0));  // the same on both sides
/// @endcode

#include <optional>
#include <utility>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/eigen.hpp"
#include "inchtide/base/notice.hpp"
#include "inchtide/frontier/portfolio.hpp"

namespace inchtide {

/// What stays the same while a limit moves, and so what its price is in.
enum class Moves {
  objective,   ///< lambda stays: variance / 2 - lambda m'w falls
  variance,    ///< the return stays: variance / 2 falls
  mean_return  ///< the volatility stays: m'w rises
};

struct INCHTIDE_API SidedPrice {
  double loosened = 0;   ///< gain per unit of loosening, from 0
  double tightened = 0;  ///< loss per unit of tightening, at least `loosened`; infinite where there is no room
};

struct INCHTIDE_API PriceRange {
  double least = 0, most = 0;
};

/// The prices of one portfolio's limits. Cheap where prices are unique: one factorisation with as many columns as rows
/// are touched.
class INCHTIDE_API SidedPrices {
 public:
  /// @param portfolio optimal within `bounds`, with its row prices where there are rows; its lambda is positive where
  ///        the return is to rise
  SidedPrices(const Covariance& covariance, const Eigen::VectorXd& expected_return, const Bounds& bounds,
              const Portfolio& portfolio, Moves moves);

  /// Of all members of a limit together. Nothing where both sides agree, and for equalities, which have no side.
  /// @param limit its position in the limits
  [[nodiscard]] std::optional<SidedPrice> of(int limit) const;

  /// Of an equality, all members together: what lowering it by one takes off the objective, and what raising it adds
  /// (for Moves::mean_return, of the return the other way round); the same where prices are unique, infinite where
  /// there is no room.
  [[nodiscard]] PriceRange of_equality(int limit) const;

  /// The same of the budget, with all ends that move with it.
  /// @param rate what a unit of the budget would have earned, per year; 0 where no return counts
  [[nodiscard]] PriceRange of_budget(double rate) const;

  /// The largest price of an asset's lower bound that keeps the portfolio optimal; nothing where there is but one.
  [[nodiscard]] std::optional<double> most_of_lower(Eigen::Index asset) const;

 private:
  /// A figure that depends on the prices u: base + slopes'u.
  struct Affine {
    double base = 0;
    Eigen::VectorXd slopes;

    [[nodiscard]] double at(const Eigen::VectorXd& u) const { return base + slopes.dot(u); }
    void add(const Affine& other, double sign);
  };

  [[nodiscard]] Affine of_weight(Eigen::Index asset, bool above) const;
  [[nodiscard]] Affine of_moving_budget(double rate, bool rising) const;
  [[nodiscard]] bool is_shared(const std::vector<std::pair<int, int>>& ties, Eigen::Index asset) const;
  [[nodiscard]] PriceRange between(const Affine& up, const Affine& down) const;
  void add_condition(const Affine& never_negative);
  /// The least and the largest value of a figure over all prices; nothing where there is but one.
  [[nodiscard]] std::optional<PriceRange> range_of(const Affine& figure) const;

  Bounds bounds_;
  Eigen::VectorXd weights_;
  std::vector<LimitRow> rows_;        // all of them, the budget's first
  std::vector<std::size_t> touched_;  // the prices u: of these rows, and last lambda or 1 / lambda where it is free
  bool last_is_scale_ = false;
  Moves moves_;
  double lambda_;
  // The gradient without prices, and per unit of the last one: above each weight and, where costs bend, below it.
  Eigen::VectorXd base_, base_below_, along_, along_below_;
  Eigen::VectorXd now_;             // the prices that the portfolio came with
  Eigen::MatrixXd freedom_;         // directions in which they may change as far as free weights know
  std::vector<Affine> conditions_;  // what must not become negative, along `freedom_`
};

}  // namespace inchtide

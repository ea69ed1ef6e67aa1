#pragma once
/// Units and cash, and what trading does to them.
///
/// Costs come out of the same wealth: the wealth after trading, W, solves  W + cost(trades to weights x W) = wealth
/// before, exactly; it is never approximated by charging afterwards.
///
/// @code
/// #include <cassert>
/// #include <cmath>
/// using namespace inchtide;
/// Ledger ledger{Eigen::VectorXd::Zero(1), 1000};
/// const CostRates costs{Eigen::VectorXd::Constant(1, 0.01), Eigen::VectorXd::Constant(1, 0.01)};
/// const auto trade = ledger.trade_to(Eigen::VectorXd::Ones(1), Eigen::VectorXd::Constant(1, 10), costs,
///                                    {{"TIDEMILL", "HLC", PriceField::close}});
/// assert(std::abs(trade.wealth_after - 1000 / 1.01) < 1e-9);  // W + 1% of W = 1000
/// @endcode

#include <string>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/costs.hpp"
#include "inchtide/base/day.hpp"
#include "inchtide/base/eigen.hpp"
#include "inchtide/prices/history.hpp"
#include "inchtide/prices/price_table.hpp"

namespace inchtide {

/// What was bought (positive) or sold (negative) of one asset on a day.
struct INCHTIDE_API Order {
  std::string asset;
  double units = 0;
  double price = 0;  ///< of one unit, at which it was traded
  double value = 0;  ///< units x price
  double cost = 0;   ///< of trading it
};

/// One day's trading.
struct INCHTIDE_API Trade {
  Day decided{}, traded{};
  Eigen::VectorXd value;      ///< bought (positive) and sold (negative), one an asset
  std::vector<Order> orders;  ///< of those traded for more than 1e-9 of wealth; what is less is rounding
  double wealth_before = 0;   ///< at the close of the trading day
  double wealth_after = 0;
  double cost = 0;
  double turnover = 0;  ///< half the sum of absolute weight changes, cash included
};

/// What a portfolio is made of.
struct INCHTIDE_API Ledger {
  Eigen::VectorXd units;  ///< one an asset
  double cash = 0;

  /// @param prices of one unit each
  [[nodiscard]] double wealth(const Eigen::VectorXd& prices) const { return units.dot(prices) + cash; }

  /// Trades to target weights, costs paid out of the same wealth. The days of the trade are left to the caller.
  Trade trade_to(const Eigen::VectorXd& weights, const Eigen::VectorXd& prices, const CostRates& costs,
                 const std::vector<PricedAsset>& assets);
};

/// The wealth after trading from `holdings` (values before) to `weights` of it, out of `wealth_before`.
/// Solves W + sum_i rate_i |weights_i W - holdings_i| = wealth_before, with the buying rate where weights_i W is above
/// holdings_i and the selling rate below; the left side is convex and rising, so Newton's method from above ends at the
/// root after finitely many steps. Needs sum |weights_i| rate_i < 1.
[[nodiscard]] INCHTIDE_API double wealth_after_costs(double wealth_before, const Eigen::VectorXd& holdings,
                                                     const Eigen::VectorXd& weights, const CostRates& costs);

}  // namespace inchtide

#pragma once
/// Units and cash, and what trading does to them.
///
/// Costs come out of the same wealth. The orders are decided first: those of at least the smallest order, each on the
/// side of where it has to go; the others keep their units. Then the wealth after trading, W, solves W + sum of cost(|d
/// W - h|) over the orders = wealth before + flow, exactly, with d the weights to go to and h what is held; it is never
/// approximated by charging afterwards. An order whose side turns at W is dropped, and where cash would fall below its
/// floor all purchases are made smaller by one factor, with W solved again.
///
/// @code
/// #include <cassert>
/// #include <cmath>
/// using namespace inchtide;
/// Ledger ledger{Eigen::VectorXd::Zero(1), 1000};
/// TradeTerms terms;
/// terms.costs = asset_costs({CostClass::parse("100bp", "")}, {"TIDEMILL"}, {});
/// const auto trade = ledger.trade({Eigen::VectorXd::Ones(1)}, {{}, {}, Eigen::VectorXd::Constant(1, 10)}, terms);
/// assert(std::abs(trade.wealth_after - 1000 / 1.01) < 1e-9);  // W + 1% of W = 1000
/// @endcode

#include <functional>
#include <optional>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/costs.hpp"
#include "inchtide/base/day.hpp"
#include "inchtide/base/eigen.hpp"

namespace inchtide {

/// What was bought (positive) or sold (negative) of one asset on a day.
struct INCHTIDE_API Order {
  Eigen::Index asset = 0;  ///< its column
  double units = 0;
  double price = 0;  ///< of one unit, at which it was traded
  double value = 0;  ///< units x price
  OrderCost cost;    ///< of trading it
};

/// One day's trading.
struct INCHTIDE_API Trade {
  enum class Reason { schedule, withdrawal, end };

  Day decided{}, traded{};
  Reason reason = Reason::schedule;
  std::vector<Order> orders;  ///< where they are kept
  std::size_t order_count = 0;
  double wealth_before = 0;  ///< at the close of the trading day, before flow and trade
  double flow = 0;           ///< paid in (positive) or out on that close
  double wealth_after = 0;   ///< of flow and trade
  OrderCost cost;            ///< of all orders
  double turnover = 0;       ///< half the sum of absolute weight changes, cash included
  double delay = 0;          ///< what its orders cost more than at the closes of the day they were decided on
  double shrunk = 1;         ///< what purchases were multiplied by so that cash stayed at its floor
  double shortfall = 0;      ///< cash below its floor where no purchase was left to make smaller
};

/// How orders are made.
struct INCHTIDE_API TradeTerms {
  std::vector<AssetCosts> costs;  ///< one an asset
  double smallest_order = 0;      ///< money; never less than 1e-9 of the wealth, so that rounding makes no orders
  std::vector<double> lots;  ///< units an order of each asset is a multiple of; empty: fractions of units are traded
  double cash_floor = 0;     ///< of the wealth after: trades leave at least this in cash
  bool keep_orders = true;   ///< trades come with their orders; without, with what they add up to
};

/// Where a trade goes: weights of the wealth after it. What keeps its units is no part of it.
struct INCHTIDE_API Destination {
  Eigen::VectorXd weights{};
  std::vector<char> keeps{};  ///< 1 for an asset that isn't traded; empty: all may be
  /// Weights that hang on the wealth after trading (bands' edges do); used in place of `weights` where there is one.
  std::function<Eigen::VectorXd(double wealth_after)> at{};
  std::optional<double> cash{};  ///< the weight meant for cash; what the weights leave of 1 where it isn't given
};

/// What a trade finds on its day.
struct INCHTIDE_API TradingDay {
  Day decided{}, traded{};
  Eigen::VectorXd prices;    ///< of one unit each
  double flow = 0;           ///< cash that comes or goes on this close, before the trade
  Eigen::VectorXd market{};  ///< daily volatility / sqrt(daily traded value), for the impact; empty: none
};

/// What a portfolio is made of.
struct INCHTIDE_API Ledger {
  Eigen::VectorXd units;  ///< one an asset
  double cash = 0;
  double owed = 0;  ///< dividends from their ex-day to their pay day: wealth that cannot be spent yet

  /// @param prices of one unit each
  [[nodiscard]] double wealth(const Eigen::VectorXd& prices) const { return units.dot(prices) + cash + owed; }

  /// Trades, costs paid out of the same wealth.
  /// @throws InputError where shapes don't fit or the costs could reach the wealth
  Trade trade(const Destination& destination, const TradingDay& day, const TradeTerms& terms);

  /// Sells the same share of all long positions, so that cash is back at 0 after the costs of selling; nothing where it
  /// isn't below. What all of them cannot raise is the trade's shortfall.
  Trade raise_cash(const TradingDay& day, const TradeTerms& terms);
};

}  // namespace inchtide

#pragma once
/// The chapter of chosen and given portfolios.
///
/// @code
/// #include <cassert>
/// inchtide::Estimate estimate;
/// estimate.assets = {"HOLLBOND", "HOLLBANK"};
/// estimate.expected_return = Eigen::Vector2d(0.03, 0.08);
/// estimate.covariance = inchtide::Covariance::dense(Eigen::Vector2d(0.0025, 0.04).asDiagonal());
/// const auto bank = inchtide::evaluate(estimate, {}, Eigen::Vector2d(0, 1), "bank", 0);
/// assert(inchtide::report::in_a_line(bank) ==
///        "bank: 8.00% a year at 20.00% volatility, Sharpe 0.40, 1 held: HOLLBANK 100.0%");
/// @endcode

#include <string>
#include <utility>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/report/chapter.hpp"
#include "inchtide/study/orders.hpp"
#include "inchtide/study/portfolios.hpp"
#include "inchtide/weights/adjust.hpp"

namespace inchtide::report {

/// Its figures and largest holdings.
[[nodiscard]] INCHTIDE_API std::string in_a_line(const Allocation& allocation);
/// Its figures, weights, shares of risk, binding limits and what it leaves out.
[[nodiscard]] INCHTIDE_API std::string in_full(const Allocation& allocation);

/// Two assets side by side.
struct INCHTIDE_API Sweep {
  std::string first, second;
  std::vector<SweepPoint> points;
};

/// The orders that lead to a portfolio: a row each, sales first; what is left in cash below.
[[nodiscard]] INCHTIDE_API Table orders_table(const OrderList& orders, const std::string& currency);

/// What goes with portfolios where it was asked for, or can be known.
struct INCHTIDE_API Besides {
  std::optional<Sweep> sweep;
  std::optional<OrderList> orders;
  std::optional<TradingNow> trading;                           ///< for a page that makes orders of its own
  double given_up = 0;                                         ///< expected return, for the rooms
  std::vector<std::vector<std::optional<WeightRange>>> rooms;  ///< one a portfolio, or none at all
  std::vector<HardTime> hard_times;
};

/// Tables: comparison, weights, risk-shares, binding-limits, left-out, room, worst-stretches, sweep, orders. Charts:
/// compared, risk, prices (of the limits of the first portfolio that has some). Result: `portfolios`, `unanswered`,
/// `stretches`, `trading`.
/// @param universe none where the estimate was given
[[nodiscard]] INCHTIDE_API Chapter weigh_chapter(const Portfolios& portfolios, const Basis& basis,
                                                 const Universe* universe, const Settings& settings,
                                                 const Background& from, const Besides& besides = {});

}  // namespace inchtide::report

#pragma once
/// A walk through history that holds, drifts, trades and pays: what a rule would have left after its trading costs.
///
/// The ledger is units and cash. Nothing looks ahead: a decision at the close of day t trades at the close `delay`
/// trading days later. Between trades the units stay and the weights drift. A run starts in cash, pays to buy, and
/// isn't sold off at the end.
///
/// @code
/// #include <cassert>
/// #include <cmath>
/// inchtide::PriceTable table;
/// using namespace std::chrono;
/// table.days = {sys_days{2024y / January / 2}, sys_days{2024y / January / 3}, sys_days{2024y / January / 4}};
/// table.assets = {{"TIDEMILL", "HLC", inchtide::PriceField::close}};
/// table.prices = Eigen::Vector3d(10, 10, 11);
/// inchtide::RehearsalPlan plan;
/// plan.weights = Eigen::VectorXd::Ones(1);
/// plan.costs = inchtide::CostRates::none(1);
/// const auto run = inchtide::rehearse(table, plan, {});
/// assert(std::abs(run.net[2] / run.net[0] - 1.1) < 1e-12);
/// @endcode

#include <string>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/costs.hpp"
#include "inchtide/base/eigen.hpp"
#include "inchtide/base/progress.hpp"
#include "inchtide/prices/price_table.hpp"
#include "inchtide/rehearsal/ledger.hpp"
#include "inchtide/rehearsal/schedule.hpp"

namespace inchtide {

/// What is rehearsed.
struct INCHTIDE_API RehearsalPlan {
  std::string name;
  std::string aim;          ///< what the weights were chosen for; carried along
  Eigen::VectorXd weights;  ///< target, one an asset of the table; what they leave of 1 stays in cash
  Schedule schedule;
  CostRates costs;
};

struct INCHTIDE_API RehearsalOptions {
  double wealth = 1'000'000;  ///< at the start, in the table's currency
  int delay = 1;              ///< trading days from decision to trade, 0 or more
  double risk_free = 0;       ///< fraction per year, for the Sharpe ratio; cash itself earns nothing
  Watch watch = {};           ///< asked and told once in a while
};

struct INCHTIDE_API Rehearsal {
  std::string name, schedule, aim;
  std::vector<Day> days;
  Eigen::VectorXd net;    ///< wealth at each day's close, after costs
  Eigen::VectorXd gross;  ///< the same, had each day's costs not been paid: chained from wealth before costs over the
                          ///< wealth after costs of the day before
  std::vector<Trade> trades;

  double rows_per_year = 252;  ///< as the table's rows are counted, see PriceTable
  double growth = 0;           ///< net, whole span, over the wealth at the start
  double growth_per_year = 0;  ///< net, geometric, by calendar years of 365.25 days
  double volatility = 0;       ///< per year: sqrt(rows per year) x sample sd of net returns from row to row
  double sharpe = 0;           ///< (rows per year x mean net return - risk-free) / volatility; 0 where volatility is 0
  double max_drawdown = 0;     ///< of net wealth, 0 or negative
  Day max_drawdown_from{}, max_drawdown_to{};
  double turnover_per_year = 0;  ///< all trades, the first purchase included
  double cost_per_year = 0;      ///< growth per year gross less net
  double costs_paid = 0;         ///< in the table's currency
  std::size_t order_count = 0;   ///< over all trades
};

/// Walks through the table from its first day, on which the first purchase is decided.
/// @throws InputError when a weight or rate is missing, the table has fewer than delay + 2 rows or a hole, the costs
///         could eat the wealth (sum of |weight| x rate at 1 or more), the wealth isn't positive, or short positions
///         lose all of it (naming the day); Interrupted when stopped
[[nodiscard]] INCHTIDE_API Rehearsal rehearse(const PriceTable& table, const RehearsalPlan& plan,
                                              const RehearsalOptions& options);

}  // namespace inchtide

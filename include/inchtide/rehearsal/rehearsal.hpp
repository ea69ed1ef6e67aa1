#pragma once
/// A walk through history that holds, drifts, trades and pays: what a rule would have left after its costs.
///
/// The walk's rows are the days on which any asset has a price of its own. Where an asset has none it is closed: valued
/// at its last price and not traded. At each row, in this order: prices, ends, splits, dividends, running charges since
/// the row before, flow, trade, look. Nothing looks ahead: a decision at the close of row t trades at the close `delay`
/// rows later. Between trades the units stay and the weights drift. A run starts in cash and pays to buy, or from what
/// is held, and isn't sold off at the end.
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
/// const auto run = inchtide::rehearse(table, plan, {});
/// assert(std::abs(run.net[2] / run.net[0] - 1.1) < 1e-12);
/// @endcode

#include <functional>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/costs.hpp"
#include "inchtide/base/eigen.hpp"
#include "inchtide/base/progress.hpp"
#include "inchtide/prices/actions.hpp"
#include "inchtide/prices/price_table.hpp"
#include "inchtide/rehearsal/ledger.hpp"
#include "inchtide/rehearsal/measures.hpp"
#include "inchtide/rehearsal/rule.hpp"
#include "inchtide/rehearsal/schedule.hpp"

namespace inchtide {

/// Weights that are estimated anew on a calendar of their own.
struct INCHTIDE_API Reestimation {
  Schedule when;  ///< its calendar; the first row is a day of it
  /// Target weights by what was known at that close. An `Error` it throws keeps the targets there were, is logged, and
  /// marks the run.
  std::function<Eigen::VectorXd(const Look&)> choose;
};

/// What is rehearsed.
struct INCHTIDE_API RehearsalPlan {
  std::string name;
  std::string aim;          ///< what the weights were chosen for; carried along
  Eigen::VectorXd weights;  ///< target, one an asset of the table; what they leave of 1 stays in cash
  std::vector<std::pair<Day, Eigen::VectorXd>> by_date;  ///< targets from a day on, days ascending; before `weights`
  std::optional<Reestimation> estimation;                ///< targets by an estimate; before both
  Schedule schedule;
  Rule rule;  ///< one's own, looked at on every row, in place of a schedule
  std::function<Eigen::VectorXd(const Look&)> after_costs;  ///< weights for schedules that trade after costs
  Tags tags;                                                ///< for bands by totals of a tag
  TradeTerms terms;                                         ///< no costs where its list is empty
};

/// Cash that comes (positive) or goes on a day: money, or a share of the wealth of that close.
struct INCHTIDE_API Flow {
  Day day{};
  double amount = 0;
  bool of_wealth = false;
};

/// An asset that is cashed on the first row from `day`, at its last price less a share.
struct INCHTIDE_API AssetEnd {
  std::string asset;
  Day day{};
  double haircut = 0;
};

struct INCHTIDE_API RehearsalOptions {
  /// Weights of that close, or units fixed at the look's: what prices do until the trade then ends in cash.
  enum class Size { trade, decision };

  double wealth = 1'000'000;  ///< at the start, in the table's currency; that of `start` where there is one
  int delay = 1;              ///< rows from decision to trade, 0 or more
  double risk_free = 0;       ///< fraction per year, for the Sharpe ratio
  Watch watch = {};           ///< asked and told once in a while
  std::size_t first_row = 0;  ///< of the table; those before it are history: last prices, trailing figures, windows
  Size size = Size::trade;
  std::optional<Ledger> start = {};           ///< what is held on the first row
  std::vector<Flow> flows = {};               ///< each on the first row from its day
  double cash_rate = 0;                       ///< per year on cash, short proceeds apart
  std::optional<double> overdraft_rate = {};  ///< per year on cash below 0; the risk-free rate where it isn't given
  bool proceeds_earn = false;                 ///< short proceeds earn the rate of cash too
  int holiday_rows = 5;                       ///< closed for at most so many rows is a holiday, longer a suspension
  std::optional<int> ended_after = {};        ///< closed for so many rows is an end
  std::vector<AssetEnd> ends = {};
  std::vector<CorporateAction> actions = {};  ///< of raw closes
  double withholding = 0;                     ///< of dividends
  Eigen::MatrixXd traded_value = {};          ///< money a row and asset, for the impact, which is none where 21 rows
                                              ///< have none; empty where no asset has impact
  std::optional<double> rows_per_year = {};   ///< as measured where it isn't given
  bool track_targets = true;                  ///< what drift does to risk is measured; it takes a division a price
  bool keep_weights = false;                  ///< the weights of every row are kept
  /// Without months and years, time under water, the rate of the money, what the parts of costs took of growth, and
  /// decisions in the log.
  bool brief = false;
};

/// What happened on a row, but for trades.
struct INCHTIDE_API Event {
  enum class Kind {
    decision,    ///< to trade
    wait,        ///< a trade waits for an asset that is closed
    suspension,  ///< a trade goes round an asset that has been closed for longer than a holiday
    end,         ///< an asset was cashed
    split,
    dividend,
    flow,
    estimate,  ///< new targets
    failure    ///< no new targets, and why
  };
  Kind kind;
  Day day{};
  std::string asset;  ///< where it is of one
  double figure = 0;  ///< money; new shares for an old one of a split
  std::string words;  ///< more on it
};

/// "decision", "wait", ...: the kinds' own names, and the kind of a name.
[[nodiscard]] INCHTIDE_API const char* name_of(Event::Kind kind);
[[nodiscard]] INCHTIDE_API std::optional<Event::Kind> event_named(std::string_view name);

/// What a run paid out of cash but for trades, and what it was paid, in money.
struct INCHTIDE_API RunningFlows {
  double custody = 0;
  double borrowing = 0;  ///< of short positions
  double interest = 0;   ///< earned, less paid on cash below 0
  double dividends = 0;  ///< after withholding, owed ones included
  double flows = 0;      ///< paid in less paid out
  double haircuts = 0;   ///< lost at ends of assets
};

/// A decision that was still waiting when the prices ended: what it would trade at the last row's prices.
struct INCHTIDE_API PendingTrade {
  Day decided{};
  Trade trade;
};

struct INCHTIDE_API Rehearsal {
  std::string name, schedule, aim;
  std::vector<std::string> assets;  ///< that orders, weights and units are of
  std::vector<Day> days;
  Eigen::VectorXd net;     ///< wealth at each close, after flow, trade and costs
  Eigen::VectorXd before;  ///< wealth at each close before them; running charges are off
  Eigen::VectorXd flow;    ///< paid in (positive) or out at each close, before its trade
  Eigen::VectorXd gross;   ///< net, had no trading costs and no custody and borrowing fees been paid: chained from each
                           ///< row's wealth before them over the wealth after them of the row before, without flows
  std::vector<Trade> trades;
  std::vector<Event> log;
  std::optional<PendingTrade> pending;
  RunningFlows running;
  Eigen::MatrixXd weights;               ///< of each close after its trade, rows = days; where they are kept
  std::vector<Eigen::VectorXd> targets;  ///< those there were, in order; the first is that of the first row
  bool marked = false;                   ///< a re-estimation failed, so that older targets were kept
  Ledger end;                            ///< what is held in the end

  Eigen::VectorXd
      paper;  ///< return from the row before, had the targets been held every day for nothing; where tracked

  double rows_per_year = 252;  ///< as the table's rows are counted, see PriceTable
  // All of these are measured from row `delay` on, whose first trade they include: the base is the wealth before it.
  double growth = 0;           ///< time-weighted, net, whole span
  double growth_per_year = 0;  ///< the same, geometric, by calendar years of 365.25 days
  double mean_per_year = 0;    ///< rows per year x mean net return
  double volatility = 0;       ///< per year: sqrt(rows per year) x sample sd of net returns from row to row
  double sharpe = 0;           ///< (rows per year x mean net return - risk-free) / volatility; 0 where volatility is 0
  double sharpe_error = 0;  ///< its standard error where returns are independent: sqrt((1 + s^2 / 2) / T) per row (Lo
                            ///< 2002, "The statistics of Sharpe ratios", eq. 9), times the root of the rows a year
  double sharpe_error_correlated = 0;  ///< the same where they may hang together, are skewed or have fat tails: the
                                       ///< delta method on mean and variance (Lo 2002, eq. 16), covariances by Newey &
                                       ///< West 1987 over floor(4 (T / 100)^(2/9)) rows, which they chose in 1994
  double sortino = 0;  ///< (rows per year x mean net return - risk-free) / root of (rows per year x mean of the squares
                       ///< of what returns lack of the risk-free rate a row); 0 where none lacks any
  double max_drawdown = 0;  ///< of net wealth, flows aside; 0 or negative
  Day max_drawdown_from{}, max_drawdown_to{};
  double tracking_to_targets = 0;   ///< per year: of net returns less the paper's, what drift and costs do to risk
  double turnover_per_year = 0;     ///< all trades, the first purchase included
  double turnover_after_first = 0;  ///< per year, without it
  double cost_per_year = 0;         ///< growth per year gross less net
  double costs_paid = 0;            ///< of trading, in the table's currency
  OrderCost costs;                  ///< the same, part by part
  std::size_t order_count = 0;      ///< over all trades
  UnderWater under_water;
  SpanOfRun best_month, worst_month, best_year, worst_year;  ///< those cut by the ends of the run among them
  MoneyWeighted money_weighted;
  Shortfall shortfall;
  CostShares cost_shares;
};

/// Walks through the table from its first row, on which the first trade is decided.
/// @param table prices of each day's own; a hole is a day on which the asset is closed
/// @throws InputError when shapes don't fit or a figure is none, the table has fewer than delay + 2 rows, an asset that
///         is to be held has no price when it is bought, the schedule never looks within the walk, a flow or an end
///         lies outside it, costs could reach the wealth, or short positions or charges lose all of it (naming the
///         day); Interrupted when stopped
[[nodiscard]] INCHTIDE_API Rehearsal rehearse(const PriceTable& table, const RehearsalPlan& plan,
                                              const RehearsalOptions& options);

}  // namespace inchtide

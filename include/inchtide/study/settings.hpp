#pragma once
/// What a manager settles before a study: which assets, over which days, how to estimate, within which limits, for
/// which aims, and how to trade. Values only; where they come from (a mandate, a command line, a program) is not known
/// here.
///
/// @code
/// #include <cassert>
/// inchtide::Settings settings;
/// settings.limits = {inchtide::Limit::parse("each <= 10%")};
/// settings.schedules = {inchtide::Schedule::parse("1q", "here")};
/// assert(!settings.split && settings.wealth > 0);
/// @endcode

#include <optional>
#include <string>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/costs.hpp"
#include "inchtide/base/day.hpp"
#include "inchtide/estimate/estimators.hpp"
#include "inchtide/frontier/limits.hpp"
#include "inchtide/prices/field_choice.hpp"
#include "inchtide/prices/price_table.hpp"
#include "inchtide/rehearsal/rehearsal.hpp"
#include "inchtide/returns/conventions.hpp"
#include "inchtide/study/grid_axes.hpp"
#include "inchtide/weights/aim.hpp"

namespace inchtide {

/// Cash that comes or goes on a calendar, or once.
struct INCHTIDE_API FlowPlan {
  std::string name{};
  std::optional<Schedule> every{};  ///< on the days on which this looks; the first row of a walk is never one
  std::optional<int> month{};       ///< only those of this month, 1 to 12
  std::optional<Day> day{};         ///< once, in place of a calendar
  double amount = 0;                ///< money, paid in (positive) or out; or a share of the wealth
  bool of_wealth = false;

  /// @param where the place it was given, for the message
  /// @throws InputError where it has a day and a calendar or neither, no amount, or a calendar that is none
  void check(const Where& where) const;
};

struct INCHTIDE_API Settings {
  // The universe
  std::vector<std::string> assets;       ///< by code; empty: all that have prices
  std::optional<std::string> benchmark;  ///< compared with, never held
  std::optional<std::string> currency;   ///< the base; the only one there is when left out
  int rate_carry = 5;                    ///< a rate is good for so many calendar days after its own
  AlignPolicy align;
  ShortHistories short_histories = ShortHistories::shorten;
  bool drop_misprints = false;
  FieldChoice fields;
  bool fields_chosen = false;  ///< then stand-ins for a field are said
  bool strict = false;         ///< a finding that is a warning is an error

  // The window; `last` counts back from the last priced day, and `trading_days` counts from `from` on or back from
  // there
  std::optional<Day> from, to;
  std::optional<Interval> last;
  std::optional<std::size_t> trading_days;

  // Returns
  std::optional<Interval> every;           ///< a month, or the next that all histories fill, when left out
  std::optional<double> periods_per_year;  ///< as measured when left out
  bool keep_last_period = false;           ///< use a last period that has not ended
  ReturnKind returns = ReturnKind::simple;
  bool pairwise = false;  ///< of relations: each pair over all periods that the two have

  // The estimate
  std::optional<double> risk_free;  ///< fraction per year; that of the estimate, or 0, when left out
  EstimateOptions methods;          ///< its risk-free rate and implied weights are filled in by the study

  // Portfolios
  Limits limits;        ///< one on an asset that the study leaves out is passed over, and said
  Limits added_limits;  ///< these have to fit the assets
  std::vector<CostClass> costs;
  double horizon = 1;     ///< years over which the cost of trading from the weights held now is spread
  std::vector<Aim> aims;  ///< minimum variance, maximum Sharpe and equal weights when there are none, nor weights
  std::vector<std::string> mixes;  ///< see `mixed_weights`
  bool show_current = false;       ///< the weights held now among the portfolios
  bool after_costs = false;        ///< aims once more with the cost of trading counted
  bool borrowing = false;          ///< blends may borrow at the risk-free rate
  bool move_inside = false;        ///< weights that break limits once more, moved to the nearest that don't
  std::optional<double> rounding;  ///< all once more in whole steps of this fraction
  std::optional<double> room;      ///< expected return to give up for room to move weights: see `room_given_up`
  double gap = 1e-4;               ///< of a search for positions: good enough, a part of the variance

  // Rehearsal
  std::optional<Day> split;         ///< weights are estimated before it and rehearsed from it
  std::vector<Schedule> schedules;  ///< never, monthly, quarterly and yearly when there are none
  double wealth = RehearsalOptions{}.wealth;
  int delay = RehearsalOptions{}.delay;
  RehearsalOptions::Size size = RehearsalOptions::Size::trade;
  double smallest_order = 0;                           ///< money
  double cash_floor = 0;                               ///< of the wealth
  std::vector<std::pair<std::string, double>> lots{};  ///< units an order is a multiple of, by asset, tag or all
  double cash_rate = 0;                                ///< per year
  std::optional<double> overdraft_rate{};              ///< per year; the risk-free rate when left out
  bool proceeds_earn = false;                          ///< short proceeds earn the rate of cash
  int holiday_rows = RehearsalOptions{}.holiday_rows;  ///< closed for longer is a suspension
  std::optional<int> ended_after{};                    ///< closed for so many rows is an end
  std::vector<AssetEnd> ends{};
  std::vector<FlowPlan> flows{};
  std::optional<Schedule> reestimate{};     ///< aims are chosen anew on its days; once, before the split, when left out
  std::optional<Interval> estimate_over{};  ///< the window of each estimate; all the past when left out
  double withholding = 0;                   ///< of dividends, where closes are raw and their actions known
  std::vector<std::string> real_moves{};    ///< assets whose raw closes may move like a split without being one
  bool start_from_current = false;          ///< from what is held now, and not from cash
  std::string baseline{};                   ///< the run that others are held against: see `baseline_of`
  double tried = 0;                         ///< what was tried besides and isn't run, for what luck does
  bool cost_levels = false;                 ///< schedules are compared at other levels of costs too
  int futures = 0;                          ///< so many histories are drawn that did not happen
  std::optional<double> ends_below{};       ///< an amount: how many of them end below it
  std::optional<double> falls_beyond{};     ///< a fraction: how many fall by more
  bool show_log = false;                    ///< what happened day by day is told, not only in files
  std::vector<GridAxes> grid{};             ///< many rehearsals: all combinations of each
};

/// How much expected return a weight's room may cost: what was set, else a tenth of a percentage point where the assets
/// are few enough (60) for two frontiers an asset to take no time; else nothing is looked at.
[[nodiscard]] INCHTIDE_API std::optional<double> room_given_up(const Settings& settings, std::size_t assets);

}  // namespace inchtide

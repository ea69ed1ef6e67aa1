// The walk: row by row, what the market does to a ledger and what the plan does about it.

#include "inchtide/rehearsal/walk.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <tuple>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/text.hpp"
#include "rehearsal/calendar.hpp"
#include "rehearsal/cash_floor.hpp"
#include "rehearsal/chain.hpp"
#include "rehearsal/market.hpp"
#include "rehearsal/measures.hpp"
#include "rehearsal/stretch.hpp"
#include "rehearsal/tolerances.hpp"
#include "rehearsal/tranches.hpp"

namespace inchtide {
namespace {

constexpr std::size_t rows_between_looks = 256;  // at the stop check

/// The targets, made smaller where they would not leave the floor of cash.
Eigen::VectorXd above_floor(const Eigen::VectorXd& targets, double floor) {
  return targets * scale_above_floor(targets, floor);
}

TradeTerms with_costs(TradeTerms terms, std::size_t assets) {
  if (terms.costs.empty()) terms.costs.resize(assets);
  return terms;
}

}  // namespace

struct Walk::Plans {
  Plans(const PriceTable& prices, const RehearsalPlan& given, const RehearsalOptions& how)
      : table(prices),
        plan(given),
        options(how),
        calendar(table, plan, options),
        market(table, plan, options),
        stretches(table, plan, options, calendar, market),
        terms(with_costs(plan.terms, table.assets.size())),
        chain(table, plan, options, calendar, terms) {
    if (plan.schedule.band) groups = groups_of(*plan.schedule.band, table.codes(), plan.tags);
    needs_market = has_impact(terms.costs);
  }

  [[nodiscard]] Day day(std::size_t row) const { return table.days[row]; }

  const PriceTable& table;
  const RehearsalPlan& plan;
  const RehearsalOptions& options;
  Calendar calendar;
  Market market;
  Stretches stretches;
  TradeTerms terms;
  Chain chain;
  BandGroups groups;
  bool needs_market = false;
};

namespace {

/// One row of a walk.
class Row {
 public:
  template <typename Plans>
  Row(const Plans& plans, WalkState& state, std::size_t row)
      : table_(plans.table),
        plan_(plans.plan),
        options_(plans.options),
        calendar_(plans.calendar),
        market_(plans.market),
        terms_(plans.terms),
        groups_(plans.groups),
        needs_market_(plans.needs_market),
        state_(state),
        row_(row),
        day_(plans.day(row)) {}

  void walk() {
    const auto at = Eigen::Index(row_ - options_.first_row);
    if (options_.track_targets) {
      state_.so_far.paper[at] = at == 0 ? 0.0 : market_.paper_return(state_, row_, state_.targets);
    }
    const double fees = market_.pass(state_, row_, terms_);
    const double before = wealth();
    check_left(before, "Use smaller short positions, or take less out");
    auto& run = state_.so_far;
    run.before[at] = before;
    run.gross[at] = state_.gross *= (before + fees) / state_.net;
    const double flow = calendar_.flow(row_, before);
    run.flow[at] = flow;
    if (flow != 0) note(Event::Kind::flow, "", flow);
    run.running.flows += flow;
    check_left(before + flow, "Take less out");
    act(flow);
    run.net[at] = state_.net = wealth();
    check_left(state_.net, "Lower the costs, or take less out");
    if (options_.keep_weights) {
      run.weights.row(at) = state_.ledger.units.cwiseProduct(prices()).transpose() / state_.net;
    }
  }

  /// What a decision that still waits would trade at the last row's prices.
  [[nodiscard]] PendingTrade pending() {
    auto destination = destination_for(*state_.decision, 0);
    destination.keeps.resize(table_.assets.size(), 0);
    for (std::size_t i = 0; i < destination.keeps.size(); ++i) {
      if (is_pinned(Eigen::Index(i)) || std::isnan(state_.last_price[Eigen::Index(i)])) destination.keeps[i] = 1;
    }
    auto ledger = state_.ledger;
    return {table_.days[state_.decision->row],
            by_ledger(plan_, day_, [&] { return ledger.trade(destination, trading_day(0), terms_); })};
  }

 private:
  [[nodiscard]] std::string where() const { return run_on(plan_, day_); }

  void check_left(double wealth, const char* remedy) const {
    if (wealth > 0) return;
    throw InputError(where(), fmt::format("all wealth is lost: {} is left", with_thousands(wealth)), remedy);
  }

  /// Unpriced assets, of which nothing is held, count as nothing.
  [[nodiscard]] Eigen::VectorXd prices() const {
    return state_.last_price.array().isNaN().select(1.0, state_.last_price);
  }
  [[nodiscard]] double wealth() const { return state_.ledger.wealth(prices()); }

  /// Flow, trade, look.
  void act(double flow) {
    if (calendar_.estimates(row_)) estimate(flow);
    if (!plan_.estimation && !plan_.by_date.empty()) take_targets();
    bool looked = false;
    if (!state_.decision && options_.delay == 0) {
      look(flow);
      looked = true;
    }
    const bool due = state_.decision && row_ >= state_.decision->row + std::size_t(options_.delay);
    if (!due || !trade(flow)) pay(flow);
    if (!state_.decision && !looked) look(0);
  }

  [[nodiscard]] Look seen(double flow) const {
    Look look{row_, day_, state_.ledger.units.cwiseProduct(prices()), state_.ledger.cash + state_.ledger.owed + flow,
              {},   {}};
    for (Eigen::Index i = 0; i < look.holdings.size(); ++i) {
      if (!is_pinned(i)) continue;
      look.pinned.resize(std::size_t(look.holdings.size()), 0);
      look.pinned[std::size_t(i)] = 1;
    }
    look.targets = reachable(above_floor(state_.targets, terms_.cash_floor), look.weights());
    return look;
  }

  [[nodiscard]] bool is_pinned(Eigen::Index i) const {
    return state_.ended[std::size_t(i)] || state_.closed_for[std::size_t(i)] > options_.holiday_rows;
  }

  /// The targets with what cannot be traded at the weights it has, and the others sharing what that leaves.
  [[nodiscard]] Eigen::VectorXd reachable(const Eigen::VectorXd& targets, const Eigen::VectorXd& weights) const {
    Eigen::VectorXd there = targets;
    double pinned_targets = 0, pinned = 0;
    for (Eigen::Index i = 0; i < targets.size(); ++i) {
      if (!is_pinned(i)) continue;
      pinned_targets += targets[i];
      pinned += weights[i];
      there[i] = weights[i];
    }
    const double others = targets.sum() - pinned_targets;
    if (pinned == pinned_targets || std::abs(others) <= band_rounding) return there;
    for (Eigen::Index i = 0; i < targets.size(); ++i) {
      if (!is_pinned(i)) there[i] *= (others + pinned_targets - pinned) / others;
    }
    return there;
  }

  void look(double flow) {
    Decision decision{row_};
    if (plan_.rule) {
      decision.own = plan_.rule(seen(flow));
      if (!decision.own) return;
    } else if (row_ != options_.first_row) {
      const auto& schedule = plan_.schedule;
      const bool calendar = calendar_.looks(row_), watches = schedule.watches();
      if (!calendar && !watches) return;
      const bool outside = schedule.band && is_outside(*schedule.band, seen(flow), groups_);
      const bool both = schedule.band && schedule.join == Schedule::Join::both;
      if (!(both || !calendar ? outside : true)) return;
    }
    if (options_.size == RehearsalOptions::Size::decision) fix_units(decision, flow);
    decision.prices = state_.last_price;
    note(Event::Kind::decision);
    state_.decision = std::move(decision);
  }

  /// Units that the destination has at this close.
  void fix_units(Decision& decision, double flow) const {
    const auto destination = destination_for(decision, flow);
    const double wealth = seen(flow).wealth();
    const Eigen::VectorXd weights = destination.at ? destination.at(wealth) : destination.weights;
    decision.units = wealth * weights.cwiseQuotient(prices());
    decision.cash = 1 - weights.sum();
    decision.own.reset();
  }

  [[nodiscard]] Destination destination_for(const Decision& decision, double flow) const {
    if (decision.units.size() > 0) {
      Destination destination;
      destination.at = [values = Eigen::VectorXd(decision.units.cwiseProduct(prices()))](double wealth) {
        return Eigen::VectorXd(values / wealth);
      };
      destination.cash = decision.cash;
      return destination;
    }
    if (decision.own) return *decision.own;
    const auto look = seen(flow);
    const bool first = state_.so_far.trades.empty() && !options_.start;
    if (plan_.schedule.to == Schedule::To::after_costs && plan_.after_costs) {
      Destination destination{plan_.after_costs(look)};
      return plan_.schedule.cap && !first ? capped(destination, look, *plan_.schedule.cap) : destination;
    }
    return first ? Destination{look.targets} : destination_of(plan_.schedule, look, groups_);
  }

  /// Trades what was decided, unless it needs an asset that is closed; whether it did.
  bool trade(double flow) {
    auto destination = destination_for(*state_.decision, flow);
    const auto look = seen(flow);
    const double wealth = look.wealth();
    const Eigen::VectorXd weights = destination.at ? destination.at(wealth) : destination.weights;
    destination.keeps.resize(table_.assets.size(), 0);
    for (Eigen::Index i = 0; i < weights.size(); ++i) {
      if (state_.closed_for[std::size_t(i)] == 0 && !state_.ended[std::size_t(i)]) continue;
      if (is_pinned(i)) {
        go_round(i, look);
        destination.keeps[std::size_t(i)] = 1;
        continue;
      }
      const double order = std::abs(weights[i] * wealth - look.holdings[i]);
      const bool needed = order >= std::max(terms_.smallest_order, rounding_order * wealth);
      if (needed) return wait(i, look);
      destination.keeps[std::size_t(i)] = 1;
    }
    finish_trade(destination, flow);
    return true;
  }

  /// A suspension that keeps a trade from the targets is said.
  void go_round(Eigen::Index i, const Look& look) {
    const double target = above_floor(state_.targets, terms_.cash_floor)[i];
    const double off = std::abs(target - look.weights()[i]) * look.wealth();
    if (state_.ended[std::size_t(i)] || off < std::max(terms_.smallest_order, rounding_order * look.wealth())) return;
    if (std::isnan(state_.last_price[i])) throw_unpriced(i, target);
    note(Event::Kind::suspension, table_.assets[std::size_t(i)].code);
  }

  /// The trade needs an asset that is closed.
  bool wait(Eigen::Index i, const Look& look) {
    if (std::isnan(state_.last_price[i])) throw_unpriced(i, look.targets[i]);
    if (!state_.decision->waits) note(Event::Kind::wait, table_.assets[std::size_t(i)].code);
    state_.decision->waits = true;
    return false;
  }

  [[noreturn]] void throw_unpriced(Eigen::Index i, double target) const {
    throw InputError(Where::of_asset(table_.assets[std::size_t(i)].code),
                     fmt::format("it has no price up to {}, and {:.2f}% of the wealth were to go into it",
                                 to_string(day_), 100 * target),
                     "Start later, or leave it out");
  }

  [[nodiscard]] TradingDay trading_day(double flow) const {
    TradingDay day{state_.decision ? table_.days[state_.decision->row] : day_, day_, prices(), flow};
    if (needs_market_) day.market = market_.impact_at(state_.decision ? state_.decision->row : row_);
    return day;
  }

  void finish_trade(const Destination& destination, double flow) {
    const Eigen::VectorXd before = state_.ledger.units;
    auto trade = by_ledger(plan_, day_, [&] { return state_.ledger.trade(destination, trading_day(flow), terms_); });
    const auto& decided = state_.decision->prices;
    trade.delay =
        decided.array().isNaN().select(0, (state_.ledger.units - before).cwiseProduct(prices() - decided)).sum();
    state_.decision.reset();
    if (trade.order_count > 0) state_.so_far.trades.push_back(std::move(trade));
  }

  /// A flow on a row without a trade.
  void pay(double flow) {
    if (flow >= 0 || state_.ledger.cash + flow >= 0 || state_.targets.sum() > 1 + rounding_order) {
      state_.ledger.cash += flow;
      return;
    }
    auto trade = by_ledger(plan_, day_, [&] { return state_.ledger.raise_cash(trading_day(flow), terms_); });
    trade.decided = day_;
    if (trade.order_count > 0) state_.so_far.trades.push_back(std::move(trade));
  }

  /// Which assets an estimate had to leave as they are.
  [[nodiscard]] std::string around(const Look& look) const {
    std::vector<std::string> codes;
    for (std::size_t i = 0; i < look.pinned.size(); ++i) {
      if (look.pinned[i] && look.holdings[Eigen::Index(i)] != 0) codes.push_back(table_.assets[i].code);
    }
    return codes.empty() ? "" : fmt::format("{} suspended, kept at the weight there is", fmt::join(codes, ", "));
  }

  /// Those by date.
  void take_targets() {
    calendar_.targets(row_, state_.targets);
    auto& so_far = state_.so_far.targets;
    if (so_far.empty() || so_far.back() != state_.targets) so_far.push_back(state_.targets);
  }

  void estimate(double flow) {
    try {
      const auto look = seen(flow);
      Eigen::VectorXd targets = plan_.estimation->choose(look);
      if (targets.size() != state_.targets.size() || !targets.allFinite()) {
        throw InputError(where(), "the re-estimation gave no weights", "Give one an asset");
      }
      state_.targets = std::move(targets);
      state_.so_far.targets.push_back(state_.targets);
      note(Event::Kind::estimate, "", 0, around(look));
    } catch (const Interrupted&) {
      throw;
    } catch (const Error& error) {
      if (row_ == options_.first_row) throw;  // there are no older targets
      state_.so_far.marked = true;
      note(Event::Kind::failure, "", 0, error.what());
    }
  }

  void note(Event::Kind kind, const std::string& asset = "", double figure = 0, const std::string& words = "") {
    state_.so_far.log.push_back({kind, day_, asset, figure, words});
  }

  const PriceTable& table_;
  const RehearsalPlan& plan_;
  const RehearsalOptions& options_;
  const Calendar& calendar_;
  const Market& market_;
  const TradeTerms& terms_;
  const BandGroups& groups_;
  bool needs_market_;
  WalkState& state_;
  std::size_t row_;
  Day day_;
};

}  // namespace

Walk::Walk(const PriceTable& table, const RehearsalPlan& plan, const RehearsalOptions& options)
    : plans_(std::make_unique<const Plans>(table, plan, options)) {
  if (plan.schedule.tranches == 1) return;
  throw InputError(fmt::format("rehearsal '{}'", plan.name), "a walk has one ledger, and tranches are several",
                   "Rehearse it whole, or walk the schedule of each");
}

Walk::~Walk() = default;

WalkState begin_walk(const PriceTable& table, const RehearsalPlan& plan, const RehearsalOptions& options,
                     const Market& market) {
  const auto n = Eigen::Index(table.assets.size());
  const auto rows = Eigen::Index(table.rows() - options.first_row);
  WalkState state;
  state.row = options.first_row;
  state.ledger = options.start ? *options.start : Ledger{Eigen::VectorXd::Zero(n), options.wealth};
  state.targets = plan.weights.size() > 0 ? plan.weights : Eigen::VectorXd(Eigen::VectorXd::Zero(n));
  state.last_price = Eigen::VectorXd::Constant(n, std::numeric_limits<double>::quiet_NaN());
  state.closed_for.assign(std::size_t(n), 0);
  state.ended.assign(std::size_t(n), 0);
  market.look_back(state);
  auto& run = state.so_far;
  run.name = plan.name;
  run.schedule = plan.rule ? "own rule" : plan.schedule.text();
  run.aim = plan.aim;
  run.assets = table.codes();
  run.days.assign(table.days.begin() + std::ptrdiff_t(options.first_row), table.days.end());
  run.net.resize(rows);
  run.before.resize(rows);
  run.flow.resize(rows);
  run.gross.resize(rows);
  if (options.track_targets) run.paper.resize(rows);
  if (options.keep_weights) run.weights.setZero(rows, n);
  state.net = state.gross = market.wealth_at_start(state);
  if (!plan.estimation && plan.by_date.empty()) run.targets.push_back(state.targets);
  return state;
}

WalkState Walk::begin() const {
  auto state = begin_walk(plans_->table, plans_->plan, plans_->options, plans_->market);
  if (plans_->chain.is_possible()) state.scaled = Chain::begin(state.ledger, state.net, state.so_far.net.size());
  return state;
}

void Walk::go_on(WalkState& state, std::size_t to_row) const {
  const auto& watch = plans_->options.watch;
  watch.check();
  const auto first = plans_->options.first_row, rows = plans_->table.rows();
  to_row = std::min(to_row, rows);
  plans_->chain.pass(state, to_row);
  plans_->stretches.pass(state, to_row);  // a quiet row is summed in the same way wherever a piece begins
  for (std::size_t told = state.row; state.row < to_row; ++state.row) {
    if (state.row - told >= rows_between_looks) {
      watch.check();
      watch.done(state.row - first, rows - first, plans_->plan.name);
      told = state.row;
    }
    Row(*plans_, state, state.row).walk();
    ++state.row;
    plans_->stretches.pass(state, to_row);
    --state.row;
  }
}

Rehearsal Walk::finish(WalkState state) const {
  if (state.row != plans_->table.rows()) {
    throw InputError(fmt::format("rehearsal '{}'", plans_->plan.name), "the walk isn't at its end",
                     "Walk on to the last row");
  }
  auto run = std::move(state.so_far);
  run.end = state.ledger;
  if (state.decision) run.pending = Row(*plans_, state, plans_->table.rows() - 1).pending();
  run.rows_per_year = plans_->options.rows_per_year.value_or(plans_->calendar.rows_per_year());
  plans_->options.watch.done(run.days.size(), run.days.size(), run.name);
  measure(run, plans_->options, kept_by(state));
  return run;
}

Rehearsal rehearse(const PriceTable& table, const RehearsalPlan& plan, const RehearsalOptions& options) {
  if (plan.schedule.tranches > 1) return rehearse_in_tranches(table, plan, options);
  const Walk walk(table, plan, options);
  auto state = walk.begin();
  walk.go_on(state, table.rows());
  return walk.finish(std::move(state));
}

}  // namespace inchtide

#include "rehearsal/tranches.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <list>
#include <map>
#include <set>

#include "inchtide/base/errors.hpp"
#include "inchtide/rehearsal/walk.hpp"
#include "rehearsal/measures.hpp"
#include "rehearsal/one_order.hpp"

namespace inchtide {
namespace {

/// Costs of an order that is one of `count` equal parts of one order: the n-th part of what the whole pays.
SideCosts of_a_part(SideCosts costs, double count) {
  costs.fee /= count;
  costs.least /= count;
  costs.most /= count;
  for (auto& tier : costs.tiers) tier.from /= count;
  costs.impact *= std::sqrt(count);  // in proportion to the root of the whole value
  if (costs.own) {
    costs.own = [own = costs.own, count](double value) { return own(count * value) / count; };
  }
  return costs;
}

/// The plan of one tranche.
RehearsalPlan plan_of_tranche(const RehearsalPlan& plan, int j) {
  auto own = plan;
  const int n = plan.schedule.tranches, rows = usual_rows(*plan.schedule.every);
  const int from = plan.schedule.every->unit() == Unit::day ? plan.schedule.anchor : 0;
  own.schedule.every = Interval(rows, Unit::day);
  own.schedule.anchor = (from + j * rows / n) % rows;
  own.schedule.tranches = 1;
  own.terms.smallest_order /= n;
  own.terms.keep_orders = true;
  return own;
}

RehearsalOptions options_of_tranche(RehearsalOptions options, double n) {
  options.wealth /= n;
  if (options.start) {
    options.start->units /= n;
    options.start->cash /= n;
    options.start->owed /= n;
  }
  for (auto& flow : options.flows) {
    if (!flow.of_wealth) flow.amount /= n;
  }
  return options;
}

/// One of n ledgers on its way.
class Tranche {
 public:
  /// @param one_purchase the first orders are parts of one of all ledgers
  Tranche(const PriceTable& table, RehearsalPlan plan, const RehearsalOptions& options, double n, bool one_purchase)
      : plan_(std::move(plan)),
        together_(in_parts(plan_, n)),
        rows_(table.rows()),
        first_(table, together_, options),
        rest_(table, plan_, options),
        state_(rest_.begin()),
        is_part_(one_purchase) {}

  void go_on(std::size_t to_row) {
    for (; is_part_ && state_.row < to_row; is_part_ = state_.so_far.trades.empty()) {
      first_.go_on(state_, state_.row + 1);
    }
    rest_.go_on(state_, to_row);
  }

  /// The trade of the row just walked, where it pays all by itself.
  [[nodiscard]] Trade* trade_by_itself(Day day, bool was_part) {
    auto& trades = state_.so_far.trades;
    return was_part || trades.empty() || trades.back().traded != day ? nullptr : &trades.back();
  }
  [[nodiscard]] bool is_part() const { return is_part_; }

  /// What it has paid too much on a row of the run.
  void take_back(double money, Eigen::Index at) {
    state_.ledger.cash += money;
    state_.scaled.reset();
    state_.net += money;
    state_.so_far.net[at] = state_.net;
    if (state_.so_far.weights.size() > 0) state_.so_far.weights.row(at) *= (state_.net - money) / state_.net;
  }

  Rehearsal finish() && {
    go_on(rows_);
    return rest_.finish(std::move(state_));
  }

 private:
  static RehearsalPlan in_parts(RehearsalPlan plan, double n) {
    for (auto& costs : plan.terms.costs) {
      costs.buy = of_a_part(costs.buy, n);
      costs.sell = of_a_part(costs.sell, n);
    }
    return plan;
  }

  RehearsalPlan plan_, together_;
  std::size_t rows_;
  Walk first_, rest_;
  WalkState state_;
  bool is_part_;
};

using Tranches = std::list<Tranche>;

std::vector<Rehearsal> finished(Tranches tranches) {
  std::vector<Rehearsal> runs;
  for (auto& tranche : tranches) runs.push_back(std::move(tranche).finish());
  return runs;
}

/// Row by row, so that later orders of one day are one for fees: what a ledger paid too much it has back at the close.
void walk_in_step(Tranches& tranches, const PriceTable& table, const RehearsalPlan& plan,
                  const RehearsalOptions& options) {
  for (auto row = options.first_row; row < table.rows(); ++row) {
    std::vector<Tranche*> traded;
    std::vector<Trade*> trades;
    for (auto& tranche : tranches) {
      const bool was_part = tranche.is_part();
      tranche.go_on(row + 1);
      if (auto* trade = tranche.trade_by_itself(table.days[row], was_part)) {
        traded.push_back(&tranche);
        trades.push_back(trade);
      }
    }
    const auto back = pay_as_one(trades, plan.terms.costs);
    for (std::size_t k = 0; k < back.size(); ++k) {
      if (back[k] != 0) traded[k]->take_back(back[k], Eigen::Index(row - options.first_row));
    }
  }
}

/// Whether the first trades of all are on one day, and later ones of several too.
struct Meetings {
  bool first = true, later = false;
};

Meetings meetings_of(const std::vector<Rehearsal>& runs) {
  Meetings meetings;
  std::set<Day> days;
  for (const auto& run : runs) {
    if (run.trades.empty() || runs.front().trades.empty()) {
      meetings.first = false;
      continue;
    }
    meetings.first = meetings.first && run.trades.front().traded == runs.front().trades.front().traded;
    for (std::size_t k = 1; k < run.trades.size(); ++k) {
      if (!days.insert(run.trades[k].traded).second) meetings.later = true;
    }
  }
  return meetings;
}

/// Adds up the runs of all tranches.
class Together {
 public:
  Together(const RehearsalPlan& plan, const std::vector<Rehearsal>& runs) : runs_(runs), whole_(runs.front()) {
    whole_.name = plan.name;
    whole_.schedule = plan.schedule.text();
  }

  Rehearsal add() {
    add_days();
    add_trades();
    add_rest();
    return std::move(whole_);
  }

 private:
  void add_days() {
    const auto rows = whole_.net.size();
    for (auto series : {&Rehearsal::net, &Rehearsal::before, &Rehearsal::flow}) {
      (whole_.*series).setZero();
      for (const auto& run : runs_) whole_.*series += run.*series;
    }
    // Gross is chained from wealth before costs over wealth after those of the row before.
    const double start = whole_.before[0];
    double gross = start;
    for (Eigen::Index t = 0; t < rows; ++t) {
      double before = 0, after = t == 0 ? start : whole_.net[t - 1];
      double paper = 0;
      for (const auto& run : runs_) {
        const double own_after = t == 0 ? run.before[0] : run.net[t - 1];
        before += t == 0 ? run.gross[0] : own_after * run.gross[t] / run.gross[t - 1];
        if (run.paper.size() > 0) paper += own_after / after * run.paper[t];
      }
      whole_.gross[t] = t == 0 ? gross = before : gross *= before / after;
      if (whole_.paper.size() > 0) whole_.paper[t] = paper;
      if (whole_.weights.size() > 0) {
        whole_.weights.row(t).setZero();
        for (const auto& run : runs_) whole_.weights.row(t) += run.net[t] / whole_.net[t] * run.weights.row(t);
      }
    }
  }

  /// A trade is what all tranches do on one day.
  void add_trades() {
    std::map<Day, std::vector<const Trade*>> by_day;
    for (const auto& run : runs_) {
      for (const auto& trade : run.trades) by_day[trade.traded].push_back(&trade);
    }
    whole_.trades.clear();
    for (const auto& [day, trades] : by_day) {
      const auto at = std::ranges::lower_bound(whole_.days, day) - whole_.days.begin();
      auto trade = merged(trades);
      trade.turnover = 0;
      for (const auto* one : trades) trade.turnover += one->turnover * one->wealth_before / whole_.before[at];
      trade.wealth_before = whole_.before[at];
      trade.flow = whole_.flow[at];
      trade.wealth_after = trade.wealth_before + trade.flow - trade.cost.total();
      whole_.trades.push_back(std::move(trade));
    }
  }

  /// Orders in the same asset and direction are one.
  static Trade merged(const std::vector<const Trade*>& trades) {
    auto whole = *trades.front();
    std::map<std::pair<Eigen::Index, bool>, Order> orders;
    whole.cost = {};
    whole.delay = whole.shortfall = 0;
    for (const auto* trade : trades) {
      whole.decided = std::max(whole.decided, trade->decided);
      whole.cost += trade->cost;
      whole.delay += trade->delay;
      whole.shrunk = std::min(whole.shrunk, trade->shrunk);
      whole.shortfall += trade->shortfall;
      if (trade->reason == Trade::Reason::schedule) whole.reason = trade->reason;
      for (const auto& order : trade->orders) {
        auto& one = orders[{order.asset, order.value > 0}];
        one.asset = order.asset;
        one.units += order.units;
        one.price = order.price;
        one.value += order.value;
        one.cost += order.cost;
      }
    }
    whole.orders.clear();
    for (const auto& [what, order] : orders) whole.orders.push_back(order);
    whole.order_count = orders.size();
    return whole;
  }

  void add_rest() {
    whole_.log.clear();
    whole_.running = {};
    whole_.end = {Eigen::VectorXd::Zero(runs_.front().end.units.size()), 0};
    whole_.marked = false;
    std::vector<const Trade*> pending;
    Day decided{};
    for (const auto& run : runs_) {
      whole_.log.insert(whole_.log.end(), run.log.begin(), run.log.end());
      for (auto part : {&RunningFlows::custody, &RunningFlows::borrowing, &RunningFlows::interest,
                        &RunningFlows::dividends, &RunningFlows::flows, &RunningFlows::haircuts}) {
        whole_.running.*part += run.running.*part;
      }
      whole_.end.units += run.end.units;
      whole_.end.cash += run.end.cash;
      whole_.end.owed += run.end.owed;
      whole_.marked = whole_.marked || run.marked;
      if (!run.pending) continue;
      pending.push_back(&run.pending->trade);
      decided = std::max(decided, run.pending->decided);
    }
    join_events();
    whole_.pending.reset();
    if (!pending.empty()) whole_.pending = PendingTrade{decided, merged(pending)};
  }

  /// What happens to all on one day is told once, money added up.
  void join_events() {
    std::ranges::stable_sort(whole_.log, {}, &Event::day);
    std::vector<Event> joined;
    for (const auto& event : whole_.log) {
      const auto same = std::find_if(joined.rbegin(), joined.rend(), [&](const Event& e) {
        return e.day == event.day && e.kind == event.kind && e.asset == event.asset && e.words == event.words;
      });
      if (same == joined.rend() || same->day != event.day) {
        joined.push_back(event);
      } else if (event.kind != Event::Kind::split) {
        same->figure += event.figure;
      }
    }
    whole_.log = std::move(joined);
  }

  const std::vector<Rehearsal>& runs_;
  Rehearsal whole_;
};

/// The figures that a run adds up on its way, before it is measured.
void forget_figures(Rehearsal& run) {
  const Rehearsal none;
  run.costs = none.costs;
  run.order_count = none.order_count;
  run.shortfall = none.shortfall;
  run.cost_shares = none.cost_shares;
  run.sortino = run.sharpe = run.sharpe_error = run.sharpe_error_correlated = run.tracking_to_targets = 0;
}

}  // namespace

Rehearsal rehearse_in_tranches(const PriceTable& table, const RehearsalPlan& plan, const RehearsalOptions& options) {
  if (!plan.terms.lots.empty()) {
    throw InputError(fmt::format("rehearsal '{}'", plan.name), "whole units cannot be dealt to several ledgers",
                     "Leave the lots or the tranches out");
  }
  const int n = plan.schedule.tranches;
  const auto how = options_of_tranche(options, n);
  const auto dealt = [&](bool one_purchase) {
    Tranches tranches;
    for (int j = 0; j < n; ++j) tranches.emplace_back(table, plan_of_tranche(plan, j), how, n, one_purchase);
    return tranches;
  };
  auto runs = finished(dealt(true));
  if (const auto meetings = meetings_of(runs); !meetings.first || meetings.later) {
    auto tranches = dealt(meetings.first);
    walk_in_step(tranches, table, plan, how);
    runs = finished(std::move(tranches));
  }
  auto whole = Together(plan, runs).add();
  forget_figures(whole);
  measure(whole, options);
  if (!plan.terms.keep_orders) {
    for (auto& trade : whole.trades) trade.orders.clear();
  }
  return whole;
}

}  // namespace inchtide

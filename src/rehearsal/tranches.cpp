#include "rehearsal/tranches.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "inchtide/base/errors.hpp"
#include "inchtide/rehearsal/walk.hpp"
#include "rehearsal/measures.hpp"

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

Rehearsal rehearse_tranche(const PriceTable& table, const RehearsalPlan& plan, const RehearsalOptions& options,
                           double n) {
  auto together = plan;
  for (auto& costs : together.terms.costs) {
    costs.buy = of_a_part(costs.buy, n);
    costs.sell = of_a_part(costs.sell, n);
  }
  const Walk first(table, together, options), rest(table, plan, options);
  auto state = first.begin();
  while (state.so_far.trades.empty() && state.row < table.rows()) first.go_on(state, state.row + 1);
  rest.go_on(state, table.rows());
  return rest.finish(std::move(state));
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

  /// Orders in the same asset are one.
  static Trade merged(const std::vector<const Trade*>& trades) {
    auto whole = *trades.front();
    std::map<Eigen::Index, Order> orders;
    whole.cost = {};
    whole.delay = whole.shortfall = 0;
    std::size_t without_orders = 0;
    for (const auto* trade : trades) {
      whole.decided = std::max(whole.decided, trade->decided);
      whole.cost += trade->cost;
      whole.delay += trade->delay;
      whole.shrunk = std::min(whole.shrunk, trade->shrunk);
      whole.shortfall += trade->shortfall;
      without_orders = std::max(without_orders, trade->order_count);
      if (trade->reason == Trade::Reason::schedule) whole.reason = trade->reason;
      for (const auto& order : trade->orders) {
        auto& one = orders[order.asset];
        one.asset = order.asset;
        one.units += order.units;
        one.price = order.price;
        one.value += order.value;
        one.cost += order.cost;
      }
    }
    whole.orders.clear();
    for (const auto& [asset, order] : orders) whole.orders.push_back(order);
    whole.order_count = orders.empty() ? without_orders : orders.size();
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
  std::vector<Rehearsal> runs;
  for (int j = 0; j < n; ++j) runs.push_back(rehearse_tranche(table, plan_of_tranche(plan, j), how, n));
  auto whole = Together(plan, runs).add();
  forget_figures(whole);
  measure(whole, options);
  return whole;
}

}  // namespace inchtide

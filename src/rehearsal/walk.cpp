// The walk: row by row, decisions, trades, wealth.

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/range.hpp"
#include "inchtide/rehearsal/rehearsal.hpp"
#include "rehearsal/measures.hpp"

namespace inchtide {
namespace {

constexpr std::size_t days_between_looks = 256;  // at the stop check

void check_door(const PriceTable& table, const RehearsalPlan& plan, const RehearsalOptions& options) {
  table.check();
  finite(options.risk_free, "risk-free rate");
  finite(options.wealth, "wealth");
  const auto n = Eigen::Index(table.assets.size());
  const std::string where = fmt::format("rehearsal '{}'", plan.name);
  if (plan.weights.size() != n || plan.costs.buy.size() != n || plan.costs.sell.size() != n) {
    throw InputError(
        where, fmt::format("{} weights and {} cost rates for {} assets", plan.weights.size(), plan.costs.buy.size(), n),
        "Give one of each an asset");
  }
  if (options.delay < 0) throw InputError(where, "a negative delay would look ahead", "Give 0 or more trading days");
  if (!(options.wealth > 0))
    throw InputError(where, "it starts without wealth", {Means::wealth, "Give a positive amount"});
  if (table.rows() < std::size_t(options.delay) + 2) {
    throw InputError(where, fmt::format("{} days of prices are too few", table.rows()),
                     "Start earlier: it needs the day of the decision, the day of the trade and one more");
  }
}

void check_figures(const PriceTable& table, const RehearsalPlan& plan) {
  double worst_cost = 0;
  for (Eigen::Index i = 0; i < plan.weights.size(); ++i) {
    const auto& code = table.assets[std::size_t(i)].code;
    if (!std::isfinite(plan.weights[i]))
      throw InputError(Where::of_asset(code), "its weight is not a finite number", "Give a figure");
    for (std::size_t d = 0; d < table.rows(); ++d) {
      if (!(table.prices(Eigen::Index(d), i) > 0)) {
        throw InputError(Where::of_asset(code), fmt::format("no price on {}", to_string(table.days[d])),
                         "Align on common days first");
      }
    }
    for (double rate : {plan.costs.buy[i], plan.costs.sell[i]}) {
      within(rate, 0, 1, fmt::format("cost of trading {}", code));
    }
    worst_cost += std::abs(plan.weights[i]) * std::max(plan.costs.buy[i], plan.costs.sell[i]);
  }
  if (worst_cost >= 1) {
    throw InputError(fmt::format("rehearsal '{}'", plan.name),
                     fmt::format("its costs of {:.0f} basis points could eat all wealth", worst_cost / basis_point),
                     "Lower the rates");
  }
}

}  // namespace

Rehearsal rehearse(const PriceTable& table, const RehearsalPlan& plan, const RehearsalOptions& options) {
  check_door(table, plan, options);
  check_figures(table, plan);
  const auto rows = table.rows();
  const auto delay = std::size_t(options.delay);
  auto looks = plan.schedule.looks(table.days);
  looks[0] = true;

  Rehearsal run;
  run.name = plan.name;
  run.schedule = plan.schedule.text();
  run.aim = plan.aim;
  run.days = table.days;
  run.rows_per_year = table.rows_per_year();
  run.net.resize(Eigen::Index(rows));
  run.gross.resize(Eigen::Index(rows));
  Ledger ledger{Eigen::VectorXd::Zero(plan.weights.size()), options.wealth};
  double net = options.wealth, gross = options.wealth;
  for (std::size_t t = 0; t < rows; ++t) {
    if (t % days_between_looks == 0) {
      options.watch.check();
      options.watch.done(t, rows, plan.name);
    }
    const Eigen::VectorXd prices = table.prices.row(Eigen::Index(t)).transpose();
    const double before = ledger.wealth(prices);
    if (!(before > 0)) {
      throw InputError(fmt::format("rehearsal '{}', {}", plan.name, to_string(table.days[t])),
                       "the short positions have lost all wealth", "Use smaller short positions");
    }
    gross *= before / net;
    net = before;
    if (t >= delay && looks[t - delay]) {
      auto trade = ledger.trade_to(plan.weights, prices, plan.costs, table.assets);
      trade.decided = table.days[t - delay];
      trade.traded = table.days[t];
      net = trade.wealth_after;
      run.trades.push_back(std::move(trade));
    }
    run.net[Eigen::Index(t)] = net;
    run.gross[Eigen::Index(t)] = gross;
  }
  options.watch.done(rows, rows, plan.name);
  measure(run, options);
  return run;
}

}  // namespace inchtide

#include "inchtide/rehearsal/rehearsal.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/range.hpp"
#include "inchtide/returns/figures.hpp"

namespace inchtide {
namespace {

constexpr std::size_t days_between_looks = 256;  // at the stop check

/// Of the wealth: what is less is no order but rounding.
constexpr double smallest_order = 1e-9;

void check(const PriceTable& table, const RehearsalPlan& plan, const RehearsalOptions& options) {
  table.check();
  finite(options.risk_free, "risk-free rate");
  finite(options.wealth, "wealth");
  const auto n = Eigen::Index(table.assets.size());
  const std::string where = fmt::format("rehearsal '{}'", plan.name);
  if (plan.weights.size() != n || Eigen::Index(plan.costs.buy.size()) != n ||
      Eigen::Index(plan.costs.sell.size()) != n) {
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
  double worst_cost = 0;
  for (Eigen::Index i = 0; i < n; ++i) {
    const auto& code = table.assets[std::size_t(i)].code;
    if (!std::isfinite(plan.weights[i]))
      throw InputError(Where::of_asset(code), "its weight is not a finite number", "Give a figure");
    for (std::size_t d = 0; d < table.rows(); ++d) {
      if (!(table.prices(Eigen::Index(d), i) > 0)) {
        throw InputError(Where::of_asset(code), fmt::format("no price on {}", to_string(table.days[d])),
                         "Align on common days first");
      }
    }
    for (double rate : {plan.costs.buy[std::size_t(i)], plan.costs.sell[std::size_t(i)]}) {
      within(rate, 0, 1, fmt::format("cost of trading {}", code));
    }
    worst_cost += std::abs(plan.weights[i]) * std::max(plan.costs.buy[std::size_t(i)], plan.costs.sell[std::size_t(i)]);
  }
  if (worst_cost >= 1) {
    throw InputError(where,
                     fmt::format("its costs of {:.0f} basis points could eat all wealth", worst_cost / basis_point),
                     "Lower the rates");
  }
}

/// What the portfolio is made of while it walks.
struct Ledger {
  Eigen::VectorXd units;
  double cash = 0;
};

double cost_of(double value, std::size_t asset, const CostRates& costs) {
  return value > 0 ? costs.buy[asset] * value : -costs.sell[asset] * value;
}

Trade trade_to(Ledger& ledger, const Eigen::VectorXd& prices, const RehearsalPlan& plan,
               const std::vector<PricedAsset>& assets) {
  const Eigen::VectorXd holdings = ledger.units.cwiseProduct(prices);
  Trade trade;
  trade.wealth_before = holdings.sum() + ledger.cash;
  trade.wealth_after = wealth_after_costs(trade.wealth_before, holdings, plan.weights, plan.costs);
  const Eigen::VectorXd targets = trade.wealth_after * plan.weights;
  trade.value = targets - holdings;
  for (Eigen::Index i = 0; i < trade.value.size(); ++i) {
    const double value = trade.value[i], cost = cost_of(value, std::size_t(i), plan.costs);
    trade.cost += cost;
    if (std::abs(value) <= smallest_order * trade.wealth_before) continue;
    trade.orders.push_back({assets[std::size_t(i)].code, value / prices[i], prices[i], value, cost});
  }
  const double cash_after = ledger.cash - trade.value.sum() - trade.cost;
  const Eigen::VectorXd change = plan.weights - holdings / trade.wealth_before;
  const double cash_change = cash_after / trade.wealth_after - ledger.cash / trade.wealth_before;
  trade.turnover = (change.cwiseAbs().sum() + std::abs(cash_change)) / 2;
  ledger.units = targets.cwiseQuotient(prices);
  ledger.cash = cash_after;
  return trade;
}

void measure(Rehearsal& run, const RehearsalOptions& options) {
  const auto last = run.net.size() - 1;
  const double years = years_between(run.days.front(), run.days.back());
  const auto per_year = [&](double ratio) { return std::pow(ratio, 1 / years) - 1; };
  run.growth = run.net[last] / options.wealth - 1;
  run.growth_per_year = per_year(run.net[last] / options.wealth);
  run.cost_per_year = per_year(run.gross[last] / options.wealth) - run.growth_per_year;

  const Eigen::ArrayXd daily = run.net.tail(last).array() / run.net.head(last).array() - 1;
  const double mean = daily.mean();
  run.volatility = last > 1 ? std::sqrt(run.rows_per_year * (daily - mean).square().sum() / double(last - 1)) : 0.0;
  if (run.volatility > 0) run.sharpe = (run.rows_per_year * mean - options.risk_free) / run.volatility;
  const auto drawdown = deepest_drawdown(run.net);
  run.max_drawdown = drawdown.depth;
  run.max_drawdown_from = run.days[drawdown.peak];
  run.max_drawdown_to = run.days[drawdown.trough];
  double turnover = 0;
  for (const auto& trade : run.trades) {
    turnover += trade.turnover;
    run.costs_paid += trade.cost;
    run.order_count += trade.orders.size();
  }
  run.turnover_per_year = turnover / years;
}

}  // namespace

double wealth_after_costs(double wealth_before, const Eigen::VectorXd& holdings, const Eigen::VectorXd& weights,
                          const CostRates& costs) {
  const auto n = holdings.size();
  finite(wealth_before, "wealth before costs");
  check_per_asset(holdings, n, "holdings");
  check_per_asset(weights, n, "weights");
  double slope_lost = 0;
  for (Eigen::Index i = 0; i < n; ++i) {
    const auto at = std::size_t(i);
    if (costs.buy.size() != std::size_t(n) || costs.sell.size() != std::size_t(n)) {
      throw InputError("costs", fmt::format("{} and {} rates for {} assets", costs.buy.size(), costs.sell.size(), n),
                       "Give one of each an asset");
    }
    const double rate =
        std::max(within(costs.buy[at], 0, 1, "cost of buying"), within(costs.sell[at], 0, 1, "cost of selling"));
    slope_lost += rate * std::abs(weights[i]);
  }
  if (!(slope_lost < 1)) throw InputError("costs", "they could eat all wealth", "Lower the rates");
  double wealth = wealth_before;
  for (;;) {
    double left = wealth, slope = 1;
    for (Eigen::Index i = 0; i < holdings.size(); ++i) {
      const double value = weights[i] * wealth - holdings[i];
      const double rate = value > 0 ? costs.buy[std::size_t(i)] : -costs.sell[std::size_t(i)];
      left += rate * value;
      slope += rate * weights[i];
    }
    const double next = wealth - (left - wealth_before) / slope;
    if (!(next < wealth)) return wealth;  // from above the steps only fall, until rounding is all that's left
    wealth = next;
  }
}

Rehearsal rehearse(const PriceTable& table, const RehearsalPlan& plan, const RehearsalOptions& options) {
  check(table, plan, options);
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
    const double before = ledger.units.dot(prices) + ledger.cash;
    if (!(before > 0)) {
      throw InputError(fmt::format("rehearsal '{}', {}", plan.name, to_string(table.days[t])),
                       "the short positions have lost all wealth", "Use smaller short positions");
    }
    gross *= before / net;
    net = before;
    if (t >= delay && looks[t - delay]) {
      auto trade = trade_to(ledger, prices, plan, table.assets);
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

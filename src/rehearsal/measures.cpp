#include "measures.hpp"

#include <fmt/format.h>

#include <chrono>
#include <cmath>

#include "inchtide/base/errors.hpp"
#include "inchtide/returns/figures.hpp"

namespace inchtide {
namespace {

/// Returns from close to close, flows aside, from `first` on: the first is that of the close's trade alone.
Eigen::VectorXd net_returns(const Rehearsal& run, Eigen::Index first) {
  const auto rows = run.net.size() - first;
  Eigen::VectorXd returns(rows);
  for (Eigen::Index k = 0; k < rows; ++k) {
    const auto t = first + k;
    const double traded = run.net[t] / (run.before[t] + run.flow[t]);
    returns[k] = (k == 0 ? 1.0 : run.before[t] / run.net[t - 1]) * traded - 1;
  }
  return returns;
}

void measure_returns(Rehearsal& run, const RehearsalOptions& options, Eigen::Index first) {
  const Eigen::VectorXd returns = net_returns(run, first);
  const auto rows = returns.size();
  Eigen::VectorXd level(rows);
  double product = 1;
  for (Eigen::Index k = 0; k < rows; ++k) level[k] = product *= 1 + returns[k];
  const auto base = std::size_t(first);
  const double years = years_between(run.days[base], run.days.back());
  const auto per_year = [&](double ratio) { return std::pow(ratio, 1 / years) - 1; };
  run.growth = product - 1;
  run.growth_per_year = per_year(product);
  run.cost_per_year = per_year(run.gross[run.gross.size() - 1] / run.gross[first]) - run.growth_per_year;

  const Eigen::ArrayXd daily = returns.tail(rows - 1).array();
  const double mean = daily.mean(), count = double(daily.size());
  run.mean_per_year = run.rows_per_year * mean;
  const double variance = count > 1 ? (daily - mean).square().sum() / (count - 1) : 0.0;
  run.volatility = std::sqrt(run.rows_per_year * variance);
  if (run.volatility > 0) {
    run.sharpe = (run.rows_per_year * mean - options.risk_free) / run.volatility;
    const double per_row = run.sharpe / std::sqrt(run.rows_per_year);
    run.sharpe_error = std::sqrt((1 + per_row * per_row / 2) / count * run.rows_per_year);
  }
  if (count > 1 && run.paper.size() > 0) {
    const Eigen::ArrayXd off = daily - run.paper.tail(rows - 1).array();
    run.tracking_to_targets = std::sqrt(run.rows_per_year * (off - off.mean()).square().sum() / (count - 1));
  }
  const auto drawdown = deepest_drawdown(level);
  run.max_drawdown = drawdown.depth;
  run.max_drawdown_from = run.days[base + drawdown.peak];
  run.max_drawdown_to = run.days[base + drawdown.trough];
}

void measure_trades(Rehearsal& run, const RehearsalOptions& options, Eigen::Index first) {
  const double years = years_between(run.days[std::size_t(first)], run.days.back());
  double turnover = 0, purchase = 0;
  for (const auto& trade : run.trades) {
    turnover += trade.turnover;
    if (&trade == &run.trades.front() && !options.start) purchase = trade.turnover;
    run.costs += trade.cost;
    run.order_count += trade.order_count;
  }
  run.costs_paid = run.costs.total();
  run.turnover_per_year = turnover / years;
  run.turnover_after_first = (turnover - purchase) / years;
}

}  // namespace

AgainstBenchmark against(const Rehearsal& run, const Rehearsal& benchmark, int delay) {
  if (run.days != benchmark.days) {
    throw InputError(fmt::format("rehearsal '{}'", run.name),
                     fmt::format("{} was walked over other days", benchmark.name), "Rehearse both over the same");
  }
  const auto rows = run.net.size() - delay;
  const Eigen::ArrayXd own = net_returns(run, delay).tail(rows - 1),
                       other = net_returns(benchmark, delay).tail(rows - 1);
  const Eigen::ArrayXd off = own - other, moved = other - other.mean();
  const double count = double(own.size());
  AgainstBenchmark result;
  if (count < 2) return result;
  result.tracking_error = std::sqrt(run.rows_per_year * (off - off.mean()).square().sum() / (count - 1));
  if (result.tracking_error > 0) result.information_ratio = run.rows_per_year * off.mean() / result.tracking_error;
  if (moved.square().sum() > 0) result.beta = (moved * own).sum() / moved.square().sum();
  const auto capture = [&](const auto& days) {
    const double of = days.select(other, 0.0).sum();
    return of == 0 ? 0.0 : days.select(own, 0.0).sum() / of;
  };
  result.up_capture = capture(other > 0);
  result.down_capture = capture(other < 0);
  return result;
}

std::vector<YearOfRun> years_of(const Rehearsal& run, int delay) {
  const Eigen::VectorXd returns = net_returns(run, delay);
  std::vector<YearOfRun> years;
  double net = 1, gross = run.gross[delay];
  for (Eigen::Index k = 0; k < returns.size(); ++k) {
    const auto t = k + delay;
    const int year = int(std::chrono::year_month_day{run.days[std::size_t(t)]}.year());
    if (years.empty() || years.back().year != year) {
      if (!years.empty()) gross = run.gross[t - 1];
      years.push_back({year});
      net = 1;
    }
    net *= 1 + returns[k];
    years.back().growth = net - 1;
    years.back().cost = run.gross[t] / gross - net;
  }
  return years;
}

void measure(Rehearsal& run, const RehearsalOptions& options) {
  measure_returns(run, options, options.delay);
  measure_trades(run, options, options.delay);
}

}  // namespace inchtide

#include "measures.hpp"

#include <cmath>

#include "inchtide/returns/figures.hpp"

namespace inchtide {

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

}  // namespace inchtide

// Rehearsals beside the least work that they need, taking turns in one run:
//
//     build/release/bin/bench-rehearsal
//
// fixed      fixed weights of 500 assets over 5,040 days, monthly, at 10 bp, orders not kept, beside a plain scalar sum
//            over the prices
// bands      the same looked at every day, traded where a weight leaves 50% of its target
// walking    weights chosen anew each month for 180 months, 500 assets, 1,260-day windows: the minimum variance with
//            caps of 5%, warm over rolling moments that the estimate shares, beside doing all afresh (`times_faster`)
//            and beside copying and checking the rolling matrix (`of_copying`); `sharpe_faster` is the maximum Sharpe
//            ratio warm beside the whole frontier each month
// ledger     whole units and every part of costs, monthly, orders kept

#include <benchmark/benchmark.h>

#include <cmath>
#include <random>

#include "inchtide/base/blas_threads.hpp"
#include "inchtide/estimate/rolling.hpp"
#include "inchtide/frontier/single.hpp"
#include "inchtide/rehearsal/rehearsal.hpp"
#include "timing.hpp"

namespace {

using namespace inchtide;

PriceTable prices_of(int rows, int assets) {
  std::mt19937_64 random(3);
  std::normal_distribution<double> normal;
  PriceTable table;
  for (Day day{std::chrono::year{2004} / 1 / 1}; int(table.days.size()) < rows; day += std::chrono::days{1}) {
    if (std::chrono::weekday{day}.iso_encoding() <= 5) table.days.push_back(day);
  }
  table.prices.resize(rows, assets);
  Eigen::VectorXd market(rows);
  for (auto& r : market) r = 0.01 * normal(random);
  for (int i = 0; i < assets; ++i) {
    table.assets.push_back({"A" + std::to_string(i), "HLC", PriceField::close});
    double price = 50 + i % 100;
    for (int t = 0; t < rows; ++t) table.prices(t, i) = price *= std::exp(market[t] + 0.01 * normal(random));
  }
  return table;
}

// A plain loop over the table, down its columns.
double scalar_sum(const PriceTable& table) {
  double sum = 0;
  for (Eigen::Index i = 0; i < table.prices.cols(); ++i) {
    for (Eigen::Index t = 0; t < table.prices.rows(); ++t) sum += table.prices(t, i);
  }
  return sum;
}

RehearsalPlan plan_of(const PriceTable& table, const char* schedule) {
  const auto n = Eigen::Index(table.assets.size());
  RehearsalPlan plan{"bench", "equal", Eigen::VectorXd::Constant(n, 1.0 / double(n))};
  plan.schedule = Schedule::parse(schedule, "bench");
  plan.terms.costs = asset_costs({CostClass::parse("10bp", "bench")}, table.codes(), {});
  return plan;
}

void compare(benchmark::State& state, RehearsalPlan plan, const PriceTable& table, bool keep_orders) {
  RehearsalOptions options;
  options.wealth = 1e9;
  options.track_targets = false;
  plan.terms.keep_orders = keep_orders;
  const auto plain = [&] { benchmark::DoNotOptimize(scalar_sum(table)); };
  std::size_t trades = 0;
  const auto ours = [&] { trades = rehearse(table, plan, options).trades.size(); };
  for (auto _ : state) {
    std::vector<double> as, bs;
    for (int turn = 0; turn < 15; ++turn) {
      as.push_back(seconds_of(plain));
      bs.push_back(seconds_of(ours));
    }
    const double a = median(as), b = median(bs);
    state.counters["scalar_sum_ms"] = 1e3 * a;
    state.counters["ms"] = 1e3 * b;
    state.counters["ratio"] = b / a;
    state.counters["trading_days"] = double(trades);
  }
}

void fixed(benchmark::State& state) {
  const auto table = prices_of(5040, 500);
  compare(state, plan_of(table, "1m"), table, false);
}
BENCHMARK(fixed)->Iterations(1)->Unit(benchmark::kMillisecond);

void bands(benchmark::State& state) {
  const auto table = prices_of(5040, 500);
  compare(state, plan_of(table, "band:50%"), table, false);
}
BENCHMARK(bands)->Iterations(1)->Unit(benchmark::kMillisecond);

void ledger(benchmark::State& state) {
  const auto table = prices_of(5040, 500);
  auto plan = plan_of(table, "1m");
  CostClass all = CostClass::parse("10bp", "bench");
  for (auto* side : {&all.buy, &all.sell}) {
    side->fee = 1;
    side->least = 5;
    side->most = 4000;
    side->half_spread_bps = side->conversion_bps = 4;
  }
  all.buy.stamp_duty_bps = 50;
  all.custody_bps = 3;
  plan.terms.costs = asset_costs({all}, table.codes(), {});
  plan.terms.lots.assign(500, 1);
  plan.terms.smallest_order = 1000;
  plan.terms.cash_floor = 0.005;
  compare(state, plan, table, true);
}
BENCHMARK(ledger)->Iterations(1)->Unit(benchmark::kMillisecond);

/// Seconds of a walk, and its last weights.
template <typename Choose>
double walking_seconds(const Eigen::MatrixXd& returns, Choose choose, Eigen::VectorXd& last) {
  return seconds_of([&] {
    last.resize(0);
    for (int month = 0; month < 180; ++month) last = choose(returns, 1260 + 21 * month, last);
  });
}

Estimate estimate_from(const Eigen::VectorXd& mean, Covariance covariance) {
  Estimate estimate;
  for (Eigen::Index i = 0; i < mean.size(); ++i) estimate.assets.push_back("A" + std::to_string(i));
  estimate.expected_return = mean;
  estimate.covariance = std::move(covariance);
  return estimate;
}

void walking(benchmark::State& state) {
  const auto table = prices_of(5061, 500);
  const Eigen::MatrixXd returns = table.prices.bottomRows(5060).cwiseQuotient(table.prices.topRows(5060)).array() - 1;
  auto bounds = Bounds::long_only(500);
  bounds.upper.setConstant(0.05);
  const auto afresh = [&](const Eigen::MatrixXd& x, int end, const Eigen::VectorXd&) {
    RollingMoments moments(x.middleRows(end - 1260, 1260), 1260);
    moments.move_to(1260);
    const auto estimate = estimate_from(252 * moments.mean(), Covariance::dense(252 * moments.covariance()));
    return single_portfolio(estimate, bounds).weights;
  };
  RollingMoments copied(returns, 1260), shared(returns, 1260), traced(returns, 1260), ratio(returns, 1260);
  for (auto* moments : {&shared, &traced, &ratio}) moments->count_per_year(252);
  const auto copying = [&](const Eigen::MatrixXd&, int end, const Eigen::VectorXd& near) {
    copied.move_to(end);
    const auto covariance = Covariance::dense(252 * copied.covariance());
    return single_portfolio(estimate_from(252 * copied.mean(), covariance), bounds, 0, near).weights;
  };
  const auto sharing = [&](const Eigen::MatrixXd&, int end, const Eigen::VectorXd& near) {
    shared.move_to(end);
    return single_portfolio(estimate_from(shared.mean(), shared.shared_covariance()), bounds, 0, near).weights;
  };
  const auto whole = [&](const Eigen::MatrixXd&, int end, const Eigen::VectorXd&) {
    traced.move_to(end);
    const auto estimate = estimate_from(traced.mean(), traced.shared_covariance());
    return trace_frontier(estimate, bounds).maximum_sharpe(0).portfolio.weights;
  };
  const auto warm = [&](const Eigen::MatrixXd&, int end, const Eigen::VectorXd& near) {
    ratio.move_to(end);
    const auto estimate = estimate_from(ratio.mean(), ratio.shared_covariance());
    return single_maximum_sharpe(estimate, bounds, 0, near).weights;
  };
  for (auto _ : state) {
    Eigen::VectorXd a, b, c, d, e;
    const double fresh = walking_seconds(returns, afresh, a), copies = walking_seconds(returns, copying, b),
                 shares = walking_seconds(returns, sharing, c), traces = walking_seconds(returns, whole, d),
                 steps = walking_seconds(returns, warm, e);
    state.counters["ms"] = 1e3 * shares;
    state.counters["times_faster"] = fresh / shares;
    state.counters["of_copying"] = shares / copies;
    state.counters["sharpe_faster"] = traces / steps;
    state.counters["of_whole"] = steps / traces;
    state.counters["off"] = std::max((a - c).cwiseAbs().maxCoeff(), (b - c).cwiseAbs().maxCoeff());
    state.counters["sharpe_off"] = (d - e).cwiseAbs().maxCoeff();
  }
}
BENCHMARK(walking)->Iterations(1)->Unit(benchmark::kMillisecond);

}  // namespace

int main(int argc, char** argv) {
  use_one_blas_thread();
  benchmark::Initialize(&argc, argv);
  benchmark::RunSpecifiedBenchmarks();
}

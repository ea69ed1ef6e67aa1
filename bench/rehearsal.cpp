// Rehearsals beside the least work that they need, taking turns in one run:
//
//     build/release/bin/bench-rehearsal
//
// fixed      fixed weights of 500 assets over 5,040 days, monthly, at 10 bp, orders not kept, beside a plain scalar sum
//            over the prices
// bands      the same looked at every day, traded where a weight leaves 50% of its target
// ledger     whole units and every part of costs, monthly, orders kept

#include <benchmark/benchmark.h>

#include <cmath>
#include <random>

#include "inchtide/base/blas_threads.hpp"
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

}  // namespace

int main(int argc, char** argv) {
  use_one_blas_thread();
  benchmark::Initialize(&argc, argv);
  benchmark::RunSpecifiedBenchmarks();
}

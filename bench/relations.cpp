// The least related subset, proven, on correlations of returns with a market and ten sectors in them:
//
//     build/release/bin/bench-relations
//
// subset/N/k/T   k of N assets, correlations from T returns: the fewer, the noisier and the harder. `proven` is 1 and
//                `gap` 0 once no better subset can exist

#include <benchmark/benchmark.h>

#include <random>

#include "inchtide/base/blas_threads.hpp"
#include "inchtide/relations/correlation.hpp"
#include "inchtide/relations/subset.hpp"
#include "timing.hpp"

namespace {

using namespace inchtide;

Eigen::MatrixXd correlations(int n, int t, unsigned seed) {
  std::mt19937_64 random(seed);
  std::normal_distribution<double> normal;
  std::uniform_real_distribution<double> uniform;
  constexpr int sectors = 10;
  Eigen::ArrayXd market(n), sector(n), own(n);
  for (int i = 0; i < n; ++i) {
    market[i] = 0.3 + 0.7 * uniform(random);
    sector[i] = 0.3 + 0.5 * uniform(random);
    own[i] = 0.6 + 0.8 * uniform(random);
  }
  ReturnTable table;
  table.returns.resize(t, n);
  for (int row = 0; row < t; ++row) {
    const double common = normal(random);
    Eigen::Array<double, sectors, 1> shared;
    for (double& value : shared) value = normal(random);
    for (int i = 0; i < n; ++i) {
      table.returns(row, i) = market[i] * common + sector[i] * shared[i % sectors] + own[i] * normal(random);
    }
    table.days.push_back(Day{std::chrono::days{row}});
  }
  for (int i = 0; i < n; ++i) table.assets.push_back("A" + std::to_string(i));
  table.spans = Eigen::MatrixXi::Ones(t, n);
  return correlation_of(table).matrix;
}

// Five markets; the slowest of them counts too.
void subset(benchmark::State& state) {
  const int n = int(state.range(0)), k = int(state.range(1)), t = int(state.range(2));
  constexpr unsigned markets = 5;
  std::vector<double> times;
  double proven = 0, gap = 0;
  for (auto _ : state) {
    const auto seed = unsigned(times.size()) % markets + 1;
    const auto r = correlations(n, t, seed);
    LeastRelated found;
    times.push_back(seconds_of([&] { found = least_related(r, k); }));
    state.SetIterationTime(times.back());
    proven += found.proven ? 1.0 / markets : 0;
    gap = std::max(gap, found.gap);
  }
  state.counters["slowest_s"] = *std::ranges::max_element(times);
  state.counters["proven"] = proven;
  state.counters["gap"] = gap;
}

BENCHMARK(subset)
    ->Args({100, 6, 250})
    ->Args({100, 6, 2520})
    ->Args({200, 8, 250})
    ->Args({200, 8, 2520})
    ->UseManualTime()
    ->Unit(benchmark::kMillisecond)
    ->Iterations(5);

}  // namespace

int main(int count, char** arguments) {
  inchtide::use_one_blas_thread();
  benchmark::Initialize(&count, arguments);
  benchmark::RunSpecifiedBenchmarks();
}

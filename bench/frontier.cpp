// The whole exact frontier beside one dense Cholesky factorisation (dpotrf) of the same covariance, on one thread of
// the same BLAS. The two take turns, and the ratio of their medians is the figure to quote:
//
//     build/release/bin/bench-frontier
//
// Covariances are factor-like (10 factors and specific risk).
//
// caps_5      5% caps, whole frontier
// caps_tight  caps of 2/N: half of the assets are held everywhere
// shorts      ranges of -5% to 5%: nearly all assets are free
// tag_limits  both caps, in hundredths of a percent, and 12 totals of tags, of which some bind; `to_plain` is the time
//             over that of the caps alone
// turnover    5% caps, and 30% turnover from equal weights: every asset's range bends; `to_plain` likewise
// least       the minimum variance alone, 5% caps: cold, and `warm` from the answer to an estimate a little different
// factors     10,000 assets with 20 factors and 5% or 0.02% caps, the dense matrix never formed; no yardstick.
//             `peak_mb` is the most memory the program has held so far: run it alone, --benchmark_filter=factors
// holdings    at most so many of so many assets, each at least 5% (none for 20 of 500): seconds to the gap asked for,
//             or the gap reached in 10 seconds. `kind` 0 is the covariance above, 1 a sample of 2N returns from it,
//             2 adds a floor on the return and five tag limits to the first

#include <benchmark/benchmark.h>
#include <sys/resource.h>

#include <Eigen/Cholesky>
#include <algorithm>
#include <chrono>
#include <limits>
#include <random>
#include <vector>

#include "inchtide/base/blas_threads.hpp"
#include "inchtide/frontier/frontier.hpp"
#include "inchtide/frontier/holdings.hpp"
#include "inchtide/frontier/single.hpp"
#include "timing.hpp"

extern "C" void dpotrf_(const char* uplo, const int* n, double* a, const int* lda, int* info);

namespace {

using namespace inchtide;

Estimate factor_like(int n) {
  std::mt19937_64 random(7);
  std::normal_distribution<double> normal;
  constexpr int factors = 10;
  Eigen::MatrixXd loadings(n, factors);
  for (int i = 0; i < n; ++i) {
    for (int k = 0; k < factors; ++k) loadings(i, k) = k == 0 ? 0.15 + 0.05 * normal(random) : 0.06 * normal(random);
  }
  Eigen::MatrixXd covariance = loadings * loadings.transpose();
  for (int i = 0; i < n; ++i) covariance(i, i) += 0.02 + 0.06 * std::abs(normal(random));
  Estimate estimate;
  estimate.expected_return.resize(n);
  for (int i = 0; i < n; ++i) {
    estimate.assets.push_back("A" + std::to_string(i));
    estimate.expected_return[i] = 0.06 + 0.03 * normal(random);
  }
  estimate.covariance = Covariance::dense((covariance + covariance.transpose()) / 2);
  return estimate;
}

Bounds caps(int n, double most) {
  auto bounds = Bounds::long_only(n);
  bounds.upper.setConstant(most);
  return bounds;
}

// Twelve groups, each at most 9.5% of wealth where they would be about 8.3% on average, or at least 7%.
Bounds with_tag_limits(Bounds bounds, int n) {
  constexpr int groups = 12;
  for (int g = 0; g < groups; ++g) {
    LimitRow row{-1, "group", Eigen::VectorXd::Zero(n), -1e300, 0.095};
    row.lower = g % 3 == 0 ? 0.07 : -std::numeric_limits<double>::infinity();
    for (int i = g; i < n; i += groups) row.coefficients[i] = 1;
    bounds.rows.push_back(row);
  }
  return bounds;
}

// Traces in turn with a factorisation, and with a second set of bounds where there is one. A factorisation comes before
// each trace, so that all find the cache alike.
void compare(benchmark::State& state, const Estimate& estimate, const Bounds& bounds, const Bounds* plain = nullptr) {
  const int n = int(estimate.size());
  const Eigen::MatrixXd covariance = estimate.covariance.matrix();
  std::vector<double> traces, factorisations, plain_traces;
  std::size_t corners = 0;
  double worst = 0;
  const auto factorise = [&] {
    Eigen::MatrixXd factor = covariance;
    int info = 0;
    factorisations.push_back(seconds_of([&] { dpotrf_("L", &n, factor.data(), &n, &info); }));
  };
  for (auto _ : state) {
    factorise();
    std::optional<Frontier> frontier;
    traces.push_back(seconds_of([&] { frontier.emplace(trace_frontier(estimate, bounds)); }));
    if (plain != nullptr) {
      factorise();
      plain_traces.push_back(seconds_of([&] { benchmark::DoNotOptimize(trace_frontier(estimate, *plain)); }));
    }
    state.SetIterationTime(traces.back());
    corners = frontier->corners().size();
    if (traces.size() > 1) continue;
    for (std::size_t k = 0; k < corners; ++k) worst = std::max(worst, frontier->corner(k).certificate.worst());
  }
  state.counters["corners"] = double(corners);
  state.counters["dpotrf_ms"] = 1e3 * median(factorisations);
  state.counters["ratio"] = median(traces) / median(factorisations);
  state.counters["worst"] = worst;
  if (plain != nullptr) state.counters["to_plain"] = median(traces) / median(plain_traces);
}

void caps_5(benchmark::State& state) {
  const int n = int(state.range(0));
  compare(state, factor_like(n), caps(n, 0.05));
}

void caps_tight(benchmark::State& state) {
  const int n = int(state.range(0));
  compare(state, factor_like(n), caps(n, 2.0 / n));
}

void shorts(benchmark::State& state) {
  const int n = int(state.range(0));
  auto bounds = caps(n, 0.05);
  bounds.lower.setConstant(-0.05);
  compare(state, factor_like(n), bounds);
}

void tag_limits(benchmark::State& state) {
  const int n = int(state.range(0));
  const auto plain = caps(n, double(state.range(1)) / 10000);
  const auto bounds = with_tag_limits(plain, n);
  compare(state, factor_like(n), bounds, &plain);
}

void turnover(benchmark::State& state) {
  const int n = int(state.range(0));
  const auto plain = caps(n, 0.05);
  auto bounds = plain;
  LimitRow row{-1, "turnover", Eigen::VectorXd::Zero(n), -std::numeric_limits<double>::infinity(), 0.3};
  row.bend = Eigen::VectorXd::Constant(n, 0.5);
  row.bend_at = Eigen::VectorXd::Constant(n, 1.0 / n);
  bounds.rows.push_back(row);
  compare(state, factor_like(n), bounds, &plain);
}

void least(benchmark::State& state) {
  const int n = int(state.range(0));
  const auto estimate = factor_like(n);
  const auto bounds = caps(n, 0.05);
  const Eigen::MatrixXd covariance = estimate.covariance.matrix();
  // Every entry a little different, as after one more month.
  std::mt19937_64 random(9);
  std::normal_distribution<double> normal;
  Eigen::VectorXd shift(n);
  for (auto& value : shift) value = 0.01 * normal(random);
  auto changed = estimate;
  changed.covariance = Covariance::known_semidefinite(covariance + shift * shift.transpose());
  std::vector<double> cold, warm, factorisations;
  for (auto _ : state) {
    Eigen::MatrixXd factor = covariance;
    int info = 0;
    factorisations.push_back(seconds_of([&] { dpotrf_("L", &n, factor.data(), &n, &info); }));
    Portfolio before;
    cold.push_back(seconds_of([&] { before = single_portfolio(estimate, bounds); }));
    warm.push_back(seconds_of([&] { benchmark::DoNotOptimize(single_portfolio(changed, bounds, 0, before.weights)); }));
    state.SetIterationTime(cold.back());
  }
  state.counters["dpotrf_ms"] = 1e3 * median(factorisations);
  state.counters["ratio"] = median(cold) / median(factorisations);
  state.counters["warm"] = median(warm) / median(factorisations);
}

void holdings(benchmark::State& state) {
  const int n = int(state.range(0)), most = int(state.range(1)), kind = int(state.range(2));
  auto estimate = factor_like(n);
  auto bounds = Bounds::long_only(n);
  bounds.holdings = LimitFigure{double(most), -1};
  if (n <= 100) bounds.held = LimitFigure{0.05, -1};
  HoldingsOptions options;
  if (kind == 1) {
    std::mt19937_64 random(10);
    std::normal_distribution<double> normal;
    const Eigen::MatrixXd root = estimate.covariance.matrix().llt().matrixL();
    Eigen::MatrixXd draws(2 * n, n);
    for (auto& value : draws.reshaped()) value = normal(random);
    draws = (draws * root.transpose()).eval();
    Eigen::MatrixXd sample = draws.transpose() * draws / (2.0 * n);
    estimate.covariance = Covariance::known_semidefinite((sample + sample.transpose()) / 2);
  }
  if (kind == 2) {
    options.least_return = 0.08;
    for (int g = 0; g < 5; ++g) {
      LimitRow row{-1, "group", Eigen::VectorXd::Zero(n), -std::numeric_limits<double>::infinity(), 0.3};
      for (int i = g; i < n; i += 5) row.coefficients[i] = 1;
      bounds.rows.push_back(row);
    }
  }
  // Until 1%, then on to 0.01%, each for at most 10 seconds.
  for (double gap : {1e-2, 1e-4}) {
    options.gap = gap;
    double seconds = 0;
    HoldingsAnswer answer;
    const auto begin = std::chrono::steady_clock::now();
    const auto elapsed = [begin] {
      return std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
    };
    options.should_stop = [&] { return elapsed() > 10; };
    if (gap == 1e-2) {
      answer = choose_holdings(estimate, bounds, options);
      state.counters["s_to_1%"] = elapsed();
      continue;
    }
    for (auto _ : state) {
      seconds = seconds_of([&] { answer = choose_holdings(estimate, bounds, options); });
      state.SetIterationTime(seconds);
    }
    state.counters["s_to_0.01%"] = seconds;
    state.counters["gap_%"] = 100 * answer.gap();
    state.counters["branches"] = double(answer.branches);
  }
}

double peak_megabytes() {
  rusage usage{};
  getrusage(RUSAGE_SELF, &usage);
  return double(usage.ru_maxrss) / 1024;
}

void factors(benchmark::State& state) {
  constexpr int n = 10000, count = 20;
  std::mt19937_64 random(8);
  std::normal_distribution<double> normal;
  Eigen::MatrixXd loadings(n, count);
  for (auto& value : loadings.reshaped()) value = 0.05 * normal(random);
  loadings.col(0).array() += 0.15;
  Estimate estimate;
  estimate.expected_return.resize(n);
  Eigen::VectorXd specific(n);
  for (int i = 0; i < n; ++i) {
    estimate.assets.push_back("A" + std::to_string(i));
    estimate.expected_return[i] = 0.06 + 0.03 * normal(random);
    specific[i] = 0.02 + 0.06 * std::abs(normal(random));
  }
  estimate.covariance = Covariance::factors(loadings, Eigen::MatrixXd::Identity(count, count), specific);
  const auto bounds = caps(n, double(state.range(0)) / 10000);
  std::size_t corners = 0;
  for (auto _ : state) corners = trace_frontier(estimate, bounds).corners().size();
  state.counters["corners"] = double(corners);
  state.counters["peak_mb"] = peak_megabytes();
}

BENCHMARK(caps_5)
    ->Arg(50)
    ->Arg(100)
    ->Arg(200)
    ->Arg(500)
    ->Arg(1000)
    ->Arg(2000)
    ->Arg(5000)
    ->UseManualTime()
    ->Unit(benchmark::kMillisecond)
    ->MinTime(0.5);
BENCHMARK(caps_tight)->Arg(500)->Arg(2000)->UseManualTime()->Unit(benchmark::kMillisecond)->Iterations(5);
BENCHMARK(shorts)->Arg(500)->UseManualTime()->Unit(benchmark::kMillisecond)->Iterations(5);
BENCHMARK(tag_limits)
    ->Args({500, 500})
    ->Args({2000, 500})
    ->Args({500, 40})
    ->Args({2000, 10})
    ->UseManualTime()
    ->Unit(benchmark::kMillisecond)
    ->MinTime(0.5);
BENCHMARK(turnover)->Arg(500)->UseManualTime()->Unit(benchmark::kMillisecond)->Iterations(5);
BENCHMARK(least)->Arg(500)->Arg(2000)->UseManualTime()->Unit(benchmark::kMillisecond)->Iterations(15);
BENCHMARK(factors)->Arg(500)->Unit(benchmark::kMillisecond)->Iterations(5);
BENCHMARK(factors)->Arg(2)->Unit(benchmark::kMillisecond)->Iterations(1);
BENCHMARK(holdings)
    ->Args({100, 10, 0})
    ->Args({100, 7, 0})
    ->Args({100, 10, 2})
    ->Args({500, 20, 0})
    ->Args({100, 10, 1})
    ->Args({100, 7, 1})
    ->UseManualTime()
    ->Unit(benchmark::kMillisecond)
    ->Iterations(1);

}  // namespace

int main(int count, char** arguments) {
  inchtide::use_one_blas_thread();
  benchmark::Initialize(&count, arguments);
  benchmark::RunSpecifiedBenchmarks();
}

// The whole exact frontier beside one dense Cholesky factorisation (dpotrf) of the same covariance, on one thread of
// the same BLAS. The two take turns, and the ratio of their medians is the figure to quote:
//
//     build/release/bin/bench-frontier
//
// Covariances are factor-like (10 factors and specific risk), caps are 5%.

#include <benchmark/benchmark.h>

#include <algorithm>
#include <chrono>
#include <random>
#include <vector>

#include "inchtide/frontier/frontier.hpp"
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

void whole_frontier(benchmark::State& state) {
  const int n = int(state.range(0));
  const auto estimate = factor_like(n);
  auto bounds = Bounds::long_only(n);
  bounds.upper.setConstant(0.05);
  const Eigen::MatrixXd covariance = estimate.covariance.matrix();
  std::vector<double> traces, factorisations;
  std::size_t corners = 0;
  double worst = 0;
  for (auto _ : state) {
    Eigen::MatrixXd factor = covariance;
    int info = 0;
    factorisations.push_back(seconds_of([&] { dpotrf_("L", &n, factor.data(), &n, &info); }));
    std::optional<Frontier> frontier;
    traces.push_back(seconds_of([&] { frontier.emplace(trace_frontier(estimate, bounds)); }));
    state.SetIterationTime(traces.back());
    corners = frontier->corners().size();
    if (traces.size() > 1) continue;
    for (std::size_t k = 0; k < corners; ++k) worst = std::max(worst, frontier->corner(k).certificate.worst());
  }
  state.counters["corners"] = double(corners);
  state.counters["dpotrf_ms"] = 1e3 * median(factorisations);
  state.counters["ratio_to_dpotrf"] = median(traces) / median(factorisations);
  state.counters["worst_certificate"] = worst;
}

BENCHMARK(whole_frontier)->Arg(100)->Arg(500)->Arg(2000)->UseManualTime()->Unit(benchmark::kMillisecond)->MinTime(1);

}  // namespace

BENCHMARK_MAIN();

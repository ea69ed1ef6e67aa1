// Estimates beside the least work that they need, taking turns in one run:
//
//     build/release/bin/bench-estimate
//
// sample        mean and covariance of 2,520 days, demeaning included, beside one dsyrk of the same numbers
// nonlinear     nonlinear shrinkage at 500 assets beside one symmetric eigendecomposition (dsyevd)
// rolling       a monthly step of a 1,260-day window of 500 assets beside estimating it afresh; refreshes included
// bootstrap     10,000 draws of mean and volatility of 16 assets x 96 months, on all processors

#include <benchmark/benchmark.h>

#include <algorithm>
#include <chrono>
#include <random>
#include <vector>

#include "inchtide/base/blas_threads.hpp"
#include "inchtide/estimate/bootstrap.hpp"
#include "inchtide/estimate/estimators.hpp"
#include "inchtide/estimate/rolling.hpp"
#include "inchtide/estimate/shrinkage.hpp"
#include "timing.hpp"

extern "C" {
void dsyrk_(const char* uplo, const char* trans, const int* n, const int* k, const double* alpha, const double* a,
            const int* lda, const double* beta, double* c, const int* ldc);
void dsyevd_(const char* jobz, const char* uplo, const int* n, double* a, const int* lda, double* w, double* work,
             const int* lwork, int* iwork, const int* liwork, int* info);
}

namespace {

using namespace inchtide;

ReturnTable returns_of(int t, int n) {
  std::mt19937_64 random(3);
  std::normal_distribution<double> normal;
  ReturnTable table;
  table.returns.resize(t, n);
  for (int row = 0; row < t; ++row) {
    const double market = 0.01 * normal(random);
    for (int i = 0; i < n; ++i) table.returns(row, i) = market + 0.01 * normal(random);
    table.days.push_back(Day{std::chrono::days{row}});
  }
  for (int i = 0; i < n; ++i) table.assets.push_back("A" + std::to_string(i));
  table.spans = Eigen::MatrixXi::Ones(t, n);
  table.periods_per_year = 252;
  return table;
}

Eigen::MatrixXd gram(const Eigen::MatrixXd& x) {
  const int n = int(x.cols()), k = int(x.rows());
  Eigen::MatrixXd c = Eigen::MatrixXd::Zero(n, n);
  const double alpha = 1.0 / k, zero = 0;
  dsyrk_("L", "T", &n, &k, &alpha, x.data(), &k, &zero, c.data(), &n);
  return c;
}

// Runs both in turns; reports the ratio of their medians.
void compare(benchmark::State& state, const char* yardstick, const auto& plain, const auto& ours, double per = 1) {
  std::vector<double> plain_times, our_times;
  for (auto _ : state) {
    plain_times.push_back(seconds_of(plain));
    our_times.push_back(seconds_of(ours) / per);
    state.SetIterationTime(our_times.back());
  }
  state.counters[yardstick] = 1e3 * median(plain_times);
  state.counters["ratio"] = median(our_times) / median(plain_times);
}

void sample(benchmark::State& state) {
  const auto table = returns_of(2520, int(state.range(0)));
  compare(
      state, "dsyrk_ms", [&] { benchmark::DoNotOptimize(gram(table.returns)); },
      [&] { benchmark::DoNotOptimize(sample_estimate(table)); });
}

void nonlinear(benchmark::State& state) {
  Eigen::MatrixXd x = returns_of(1000, 500).returns;
  x.rowwise() -= x.colwise().mean().eval();
  const Eigen::MatrixXd s = gram(x);
  compare(
      state, "dsyevd_ms",
      [&] {
        Eigen::MatrixXd a = s;
        const int n = 500, size = 1 + 6 * n + 2 * n * n, integers = 3 + 5 * n;
        std::vector<double> values(n), work(size);
        std::vector<int> integer_work(integers);
        int info = 0;
        dsyevd_("V", "L", &n, a.data(), &n, values.data(), work.data(), &size, integer_work.data(), &integers, &info);
      },
      [&] { benchmark::DoNotOptimize(nonlinear_shrinkage(x)); });
}

void rolling(benchmark::State& state) {
  const auto x = returns_of(5061, 500).returns;
  constexpr int window = 1260, step = 21, steps = 180;  // one refresh on the way
  compare(
      state, "afresh_ms",
      [&] {
        Eigen::MatrixXd rows = x.middleRows(1000, window);
        rows.rowwise() -= rows.colwise().mean().eval();
        Eigen::MatrixXd s = gram(rows);
        s.triangularView<Eigen::StrictlyUpper>() = s.transpose();
        benchmark::DoNotOptimize(s);
      },
      [&] {
        RollingMoments moments(x, window);
        moments.move_to(window);
        for (int k = 1; k <= steps; ++k) {
          moments.move_to(window + k * step);
          benchmark::DoNotOptimize(moments.covariance().data());
        }
      },
      steps);
}

void bootstrap(benchmark::State& state) {
  auto table = returns_of(96, 16);
  BootstrapOptions options;
  options.draws = 10000;
  for (auto _ : state) benchmark::DoNotOptimize(bootstrap_bands(table, options));
}

BENCHMARK(sample)->Arg(500)->Arg(2000)->UseManualTime()->Unit(benchmark::kMillisecond)->Iterations(9);
BENCHMARK(nonlinear)->UseManualTime()->Unit(benchmark::kMillisecond)->Iterations(9);
BENCHMARK(rolling)->UseManualTime()->Unit(benchmark::kMillisecond)->Iterations(5);
BENCHMARK(bootstrap)->UseRealTime()->Unit(benchmark::kMillisecond)->Iterations(20);

}  // namespace

int main(int count, char** arguments) {
  inchtide::use_one_blas_thread();
  benchmark::Initialize(&count, arguments);
  benchmark::RunSpecifiedBenchmarks();
}

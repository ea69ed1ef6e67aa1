// Many rehearsals beside the least work that they need, in one run:
//
//     build/release/bin/bench-many
//
// grid       20 schedules that trade back to all targets x 50 levels of costs of one portfolio of 16 assets over 2,000
//            days, on one thread, in plain scalar sums over the prices; `two_threads` is how much faster two are
// futures    1,000 histories of 12 schedules, 16 assets and 750 days; `ms` on all threads
// luck       10,000 draws of the bootstrap of the maximum of 100 runs over 1,500 days on one thread: of means, beside
//            loops that add them up row by row (run after run, and all runs of a day together), and of Sharpe ratios
//            studentised in each draw, beside ours of means
// landing    results a second into the store, each in a transaction of its own

#include <benchmark/benchmark.h>

#include <cmath>
#include <filesystem>
#include <random>

#include "inchtide/base/blas_threads.hpp"
#include "inchtide/exchange/run_store.hpp"
#include "inchtide/study/futures.hpp"
#include "inchtide/study/grid.hpp"
#include "timing.hpp"

namespace {

using namespace inchtide;

/// Daily closes of 16 assets, and a split after which so many days are walked.
struct Bench {
  Sources sources;
  Settings settings;
  explicit Bench(int walked) {
    constexpr int before = 600;
    std::vector<Day> days;
    for (Day day{std::chrono::year{2010} / 1 / 1}; int(days.size()) < before + walked; day += std::chrono::days{1}) {
      if (std::chrono::weekday{day}.iso_encoding() <= 5) days.push_back(day);
    }
    std::mt19937_64 random(3);
    std::normal_distribution<double> normal(0.0002, 0.01);
    for (int i = 0; i < 16; ++i) {
      BarHistory bars{"A" + std::to_string(i)};
      bars.days = DayList(days);
      double price = 50;
      for (std::size_t t = 0; t < days.size(); ++t) {
        bars.of(PriceField::adjusted_close).push_back(price *= std::exp(normal(random)));
      }
      sources.bars.push_back(std::move(bars));
    }
    settings.split = days[before];
    settings.costs = {CostClass::parse("10bp", "bench")};
    settings.aims = {Aim::parse("equal", "bench")};
    const char* schedules[] = {"never",       "1w",          "1m",       "1q",          "1y",
                               "1m@first",    "1q@first",    "1y@first", "21d",         "63d",
                               "band:2pp",    "band:5pp",    "band:20%", "band:50%",    "1m+band:1pp",
                               "1q+band:1pp", "1q|band:5pp", "band:1pp", "1q+band:10%", "252d"};
    for (const char* text : schedules) settings.schedules.push_back(Schedule::parse(text, "bench"));
  }
};

void grid(benchmark::State& state) {
  Bench bench(2000);
  bench.settings.grid.resize(1);
  std::vector<std::string> levels;
  for (int k = 0; k < 50; ++k) levels.push_back(std::to_string(k) + "e-1");
  fill_axis(bench.settings.grid[0], "cost-level", levels, "bench");
  const Grid all(bench.sources, bench.settings);
  const CellRunner runner(all);
  (void)runner.run(all.cell(0), "");  // the estimate is there
  const auto cells = all.all();
  const auto timed = [&](int threads) {
    return seconds_of([&] {
      run_grid(
          runner, cells, [](const GridRun&) {}, Executor(threads));
    });
  };
  Eigen::MatrixXd prices = Eigen::MatrixXd::Random(2000, 16);
  const auto plain = [&] {
    double sum = 0;
    for (Eigen::Index i = 0; i < prices.cols(); ++i) {
      for (Eigen::Index t = 0; t < prices.rows(); ++t) sum += prices(t, i);
    }
    benchmark::DoNotOptimize(sum);
  };
  for (auto _ : state) {
    std::vector<double> sums, ones, twos;
    for (int turn = 0; turn < 21; ++turn) {
      for (int k = 0; k < 50; ++k) sums.push_back(seconds_of(plain));
      ones.push_back(timed(1));
      twos.push_back(timed(2));
    }
    state.counters["cells"] = double(cells.size());
    state.counters["scalar_sum_us"] = 1e6 * median(sums);
    state.counters["ms"] = 1e3 * median(ones);
    state.counters["ratio"] = median(ones) / median(sums);
    state.counters["two_threads"] = median(ones) / median(twos);
  }
}
BENCHMARK(grid)->Iterations(1)->Unit(benchmark::kMillisecond);

void futures(benchmark::State& state) {
  Bench bench(750);
  bench.settings.futures = 1000;
  bench.settings.schedules.resize(12);
  const auto universe = universe_of(bench.sources, bench.settings);
  const auto basis = basis_before_split(universe, bench.sources, bench.settings);
  const auto portfolios = portfolios_of(basis, bench.sources, bench.settings);
  for (auto _ : state) {
    state.counters["ms"] =
        1e3 * seconds_of([&] {
          benchmark::DoNotOptimize(futures_of(universe, basis, portfolios, bench.sources, bench.settings).runs.size());
        });
  }
}
BENCHMARK(futures)->Iterations(1)->Unit(benchmark::kMillisecond);

void luck(benchmark::State& state) {
  constexpr int rows = 1500, many = 100, draws = 10'000, block = 10;
  std::mt19937_64 random(5);
  std::normal_distribution<double> normal(0.0003, 0.01);
  Eigen::MatrixXd excess(rows, many);
  for (auto& x : excess.reshaped()) x = normal(random);
  Eigen::VectorXd baseline(rows);
  for (auto& x : baseline) x = normal(random);
  const Eigen::MatrixXd lying = excess.transpose();  // a day's together
  const auto by_day = [&] {
    double largest = 0;
    for (int draw = 0; draw < draws; ++draw) {
      Eigen::VectorXd sum = Eigen::VectorXd::Zero(many);
      for (const auto row : drawn_rows(rows, rows, block, 1, std::size_t(draw))) sum += lying.col(Eigen::Index(row));
      largest = std::max(largest, sum.maxCoeff());
    }
    benchmark::DoNotOptimize(largest);
  };
  const auto by_run = [&] {
    double largest = 0;
    for (int draw = 0; draw < draws; ++draw) {
      const auto drawn = drawn_rows(rows, rows, block, 1, std::size_t(draw));
      for (Eigen::Index k = 0; k < many; ++k) {
        double sum = 0;
        for (const auto row : drawn) sum += excess(Eigen::Index(row), k);
        largest = std::max(largest, sum);
      }
    }
    benchmark::DoNotOptimize(largest);
  };
  LuckOptions options{draws, block};
  options.threads = 1;
  const auto of_means = [&] { benchmark::DoNotOptimize(luck_of_means(excess, baseline, options).p_value); };
  const auto of_sharpes = [&] { benchmark::DoNotOptimize(luck_of(excess, baseline, options).p_value); };
  for (auto _ : state) {
    std::vector<double> runs, days, means, sharpes;
    for (int turn = 0; turn < 3; ++turn) {
      runs.push_back(seconds_of(by_run));
      days.push_back(seconds_of(by_day));
      means.push_back(seconds_of(of_means));
      sharpes.push_back(seconds_of(of_sharpes) / 3);  // at half and at double the length too
    }
    state.counters["means_ms"] = 1e3 * median(means);
    state.counters["sharpes_ms"] = 1e3 * median(sharpes);
    state.counters["faster_than_by_run"] = median(runs) / median(means);
    state.counters["faster_than_by_day"] = median(days) / median(means);
    state.counters["of_means"] = median(sharpes) / median(means);
  }
}
BENCHMARK(luck)->Iterations(1)->Unit(benchmark::kMillisecond);

void landing(benchmark::State& state) {
  const auto path = std::filesystem::temp_directory_path() / "inchtide-bench.runs";
  std::filesystem::remove(path);
  GridRun run;
  run.name = "equal, never, 1 x costs";
  run.numerics = numerics_here();
  run.figures.assign(kept_figures().size(), 0.123456789);
  constexpr int many = 20'000;
  for (auto _ : state) {
    exchange::RunStore store(path, exchange::RunStore::Access::write);
    const double seconds = seconds_of([&] {
      for (int k = 0; k < many; ++k) {
        run.key = Digest::of(Packer().add(std::int64_t(k)).bytes()).text();
        store.put(run, "inputs");
      }
    });
    state.counters["a_second"] = many / seconds;
  }
  for (const char* more : {"", "-wal", "-shm"}) std::filesystem::remove(path.string() + more);
}
BENCHMARK(landing)->Iterations(1)->Unit(benchmark::kMillisecond);

}  // namespace

int main(int argc, char** argv) {
  use_one_blas_thread();
  benchmark::Initialize(&argc, argv);
  benchmark::RunSpecifiedBenchmarks();
}

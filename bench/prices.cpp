// Price files and the store, each beside the least work that the same bytes need, taking turns in one run:
//
//     build/release/bin/bench-prices          makes 500 files of 5,040 rows (about 135 MB) in a temporary folder
//
// read_files    500 CSV files into an aligned table of one field, beside `cat *.csv | wc -l`
// write_store   500 assets of 5,040 rows into a new store, beside one prepared INSERT in a loop in one transaction
// read_store    the store into the same table, beside the CSV path
// `memory_mb` of read_files is the peak of a process that does it once, less the table of the field.

#include <benchmark/benchmark.h>
#include <fmt/format.h>
#include <sqlite3.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <random>
#include <vector>

#include "inchtide/exchange/store.hpp"
#include "inchtide/prices/price_table.hpp"
#include "timing.hpp"

namespace {

using namespace inchtide;
namespace fs = std::filesystem;

constexpr int assets = 500, rows = 5040;

// The files, made once, gone at the end.
struct World {
  fs::path folder = fs::temp_directory_path() / fmt::format("inchtide-bench-{}", ::getpid());

  World() {
    fs::create_directories(folder / "csv");
    std::vector<Day> days;
    for (Day day = std::chrono::sys_days{std::chrono::year{2005} / 1 / 3}; days.size() < rows;
         day += std::chrono::days{1}) {
      if (std::chrono::weekday{day}.iso_encoding() <= 5) days.push_back(day);
    }
    std::mt19937_64 random(1);
    std::normal_distribution<double> normal;
    for (int i = 0; i < assets; ++i) {
      std::string text = "date,open,high,low,close,adjusted_close,volume\n";
      double price = 50;
      for (Day day : days) {
        price *= 1.0003 + 0.01 * normal(random);
        text += fmt::format("{},{:.3f},{:.3f},{:.3f},{:.3f},{:.4f},{}\n", to_string(day), price * 0.999, price * 1.01,
                            price * 0.99, price, price * 0.9, 10000 + random() % 90000);
      }
      std::ofstream(folder / "csv" / fmt::format("A{:03}.csv", i), std::ios::binary) << text;
    }
  }
  ~World() {
    std::error_code ignored;
    fs::remove_all(folder, ignored);
  }
};

World& world() {
  static World made;
  return made;
}

// The whole path from a source to an aligned table.
std::size_t table_from(const fs::path& source) {
  return align_common(exchange::read_prices(source)).table.rows();
}

// Peak memory in MB of a process of its own that reads the table.
double peak_of_reading(const fs::path& source) {
  const pid_t child = ::fork();
  if (child == 0) {
    const auto program = fs::read_symlink("/proc/self/exe").string();
    ::execl(program.c_str(), program.c_str(), "--read-once", source.c_str(), nullptr);
    ::_exit(127);
  }
  int status = 0;
  rusage usage{};
  ::wait4(child, &status, 0, &usage);
  return WIFEXITED(status) && WEXITSTATUS(status) == 0 ? double(usage.ru_maxrss) / 1024 : -1;
}

void read_files(benchmark::State& state) {
  const auto folder = world().folder / "csv";
  const std::string count = fmt::format("cat {}/*.csv | wc -l > /dev/null", folder.string());
  std::vector<double> plain, ours;
  for (auto _ : state) {
    plain.push_back(seconds_of([&] { benchmark::DoNotOptimize(std::system(count.c_str())); }));
    ours.push_back(seconds_of([&] {
      if (table_from(folder) != rows) std::abort();
    }));
    state.SetIterationTime(ours.back());
  }
  state.counters["cat_wc_ms"] = 1e3 * median(plain);
  state.counters["ratio_to_cat_wc"] = median(ours) / median(plain);
  state.counters["memory_mb"] = peak_of_reading(folder) - 8.0 * assets * rows / 1024 / 1024;
}

// The same rows by SQLite alone: one prepared statement, one transaction.
void prepared_loop(const fs::path& path, const std::vector<BarHistory>& all) {
  sqlite3* connection = nullptr;
  sqlite3_open(path.c_str(), &connection);
  sqlite3_exec(
      connection,
      "PRAGMA journal_mode = WAL; PRAGMA synchronous = NORMAL; CREATE TABLE bar (key INTEGER PRIMARY KEY, open "
      "REAL, high REAL, low REAL, close REAL, adjusted_close REAL, volume REAL, price REAL); BEGIN",
      nullptr, nullptr, nullptr);
  sqlite3_stmt* insert = nullptr;
  sqlite3_prepare_v2(connection, "INSERT INTO bar VALUES (?, ?, ?, ?, ?, ?, ?, ?)", -1, &insert, nullptr);
  sqlite3_int64 id = 0;
  for (const auto& bars : all) {
    ++id;
    for (std::size_t t = 0; t < bars.days.size(); ++t) {
      sqlite3_bind_int64(insert, 1, id * 4194304 + bars.days[t].time_since_epoch().count());
      for (std::size_t k = 0; k < price_fields; ++k) {
        if (!bars.fields[k].empty()) sqlite3_bind_double(insert, int(k) + 2, bars.fields[k][t]);
      }
      sqlite3_step(insert);
      sqlite3_reset(insert);
    }
  }
  sqlite3_finalize(insert);
  sqlite3_exec(connection, "COMMIT", nullptr, nullptr, nullptr);
  sqlite3_close(connection);
}

void remove_store(const fs::path& path) {
  for (const char* ending : {"", "-wal", "-shm"}) fs::remove(path.string() + ending);
}

void write_store(benchmark::State& state) {
  const auto all = exchange::read_bars(world().folder / "csv");
  const auto path = world().folder / "p.store", plain_path = world().folder / "plain.db";
  std::vector<double> plain, ours;
  for (auto _ : state) {
    remove_store(path);
    remove_store(plain_path);
    plain.push_back(seconds_of([&] { prepared_loop(plain_path, all); }));
    ours.push_back(seconds_of([&] {
      exchange::PriceStore store(path, exchange::PriceStore::Access::write);
      for (const auto& bars : all) store.put(bars, "bench");
    }));
    state.SetIterationTime(ours.back());
  }
  state.counters["prepared_loop_ms"] = 1e3 * median(plain);
  state.counters["ratio_to_prepared_loop"] = median(ours) / median(plain);
}

void read_store(benchmark::State& state) {
  const auto folder = world().folder / "csv", path = world().folder / "p.store";
  remove_store(path);
  {
    exchange::PriceStore store(path, exchange::PriceStore::Access::write);
    for (const auto& bars : exchange::read_bars(folder)) store.put(bars, "bench");
  }
  std::vector<double> plain, ours;
  for (auto _ : state) {
    plain.push_back(seconds_of([&] { table_from(folder); }));
    ours.push_back(seconds_of([&] {
      if (table_from(path) != rows) std::abort();
    }));
    state.SetIterationTime(ours.back());
  }
  state.counters["csv_ms"] = 1e3 * median(plain);
  state.counters["ratio_to_csv"] = median(ours) / median(plain);
  state.counters["memory_mb"] = peak_of_reading(path) - 8.0 * assets * rows / 1024 / 1024;
}

BENCHMARK(read_files)->UseManualTime()->Unit(benchmark::kMillisecond)->Iterations(7);
BENCHMARK(write_store)->UseManualTime()->Unit(benchmark::kMillisecond)->Iterations(5);
BENCHMARK(read_store)->UseManualTime()->Unit(benchmark::kMillisecond)->Iterations(7);

}  // namespace

int main(int count, char** arguments) {
  if (count == 3 && std::string_view(arguments[1]) == "--read-once") return table_from(arguments[2]) > 0 ? 0 : 1;
  benchmark::Initialize(&count, arguments);
  benchmark::RunSpecifiedBenchmarks();
}

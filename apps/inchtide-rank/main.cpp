// inchtide-rank: one of the ranks that run a grid's cells on many machines. `inchtide rehearse --grid --hosts` starts
// it under mpirun; by hand:
//
//     mpirun.openmpi --host desk1,desk2 --map-by ppr:1:node --bind-to none inchtide-rank --job FILE --runs FILE
//         [--threads 8,16]
//
// The first rank reads the job and fills the store; the others touch no file. SIGUSR1, which mpirun hands on, stops
// after the cells under way. It says "landed N of M" as it goes on, and "stopped" or "done" in the end.

#include <fmt/format.h>

#include <atomic>
#include <chrono>
#include <csignal>
#include <cstdio>
#include <cstdlib>
#include <map>
#include <string>
#include <vector>

#include "inchtide/base/blas_threads.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/cluster/grid.hpp"
#include "inchtide/exchange/files.hpp"
#include "inchtide/exchange/run_store.hpp"

namespace {

using namespace inchtide;

std::atomic<bool> stop_asked = false;

constexpr std::chrono::milliseconds between_words{200};

std::map<std::string, std::string> words_of(int count, char** arguments) {
  std::map<std::string, std::string> words{{"--threads", "0"}};
  for (int k = 1; k + 1 < count; k += 2) words[arguments[k]] = arguments[k + 1];
  if (count % 2 == 0 || !words.contains("--job") || !words.contains("--runs") || words.size() != 3) {
    throw InputError("inchtide-rank", "it takes --job FILE --runs FILE and --threads A,B,...", "Let inchtide start it");
  }
  return words;
}

/// Of a list with one a rank; the last counts for all beyond it.
int threads_of(const std::string& list, int rank) {
  std::size_t begin = 0;
  for (int k = 0; k < rank && list.find(',', begin) != std::string::npos; ++k) begin = list.find(',', begin) + 1;
  return std::atoi(list.c_str() + begin);
}

void say(const std::string& words) {
  fmt::print("{}\n", words);
  std::fflush(stdout);
}

void deal(Cluster& cluster, const std::map<std::string, std::string>& words, int threads) {
  const auto text = exchange::read_text_file(words.at("--job"));
  const auto job = GridJob::from_bytes({reinterpret_cast<const std::byte*>(text.data()), text.size()});
  const auto grid = Grid::of_job(job.grid);
  exchange::RunStore store(words.at("--runs"), exchange::RunStore::Access::write);
  store.put_inputs(grid.digest(), grid.inputs());
  const auto digest = grid.digest().text();
  auto told = std::chrono::steady_clock::now();
  const Watch watch{[] { return stop_asked.load(); },
                    [&](std::size_t done, std::size_t all, const std::string&) {
                      const auto now = std::chrono::steady_clock::now();
                      if (done < all && now - told < between_words) return;
                      told = now;
                      say(fmt::format("landed {} of {}", done, all));
                    }};
  try {
    run_grid_over(
        cluster, grid, job.cells, [&](const GridRun& run) { store.put(run, digest); }, threads, watch);
    say("done");
  } catch (const Interrupted&) {
    say("stopped");
  }
}

int run(int count, char** arguments) {
  const auto words = words_of(count, arguments);
  use_one_blas_thread();
  Cluster cluster;
  const int threads = threads_of(words.at("--threads"), cluster.rank());
  try {
    if (cluster.is_first()) {
      deal(cluster, words, threads);
    } else {
      work_on_grids(cluster, threads);
    }
  } catch (const Error& error) {
    if (cluster.is_first()) fmt::print(stderr, "inchtide-rank: {}: {}\n", cluster.machine(), error.what());
    return 1;
  }
  return 0;
}

}  // namespace

int main(int count, char** arguments) try {
  struct sigaction action {};
  action.sa_handler = [](int) { stop_asked = true; };
  sigaction(SIGUSR1, &action, nullptr);
  return run(count, arguments);
} catch (const std::exception& error) {
  fmt::print(stderr, "inchtide-rank: {}\n", error.what());
  return 1;
}

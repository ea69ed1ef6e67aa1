// Schedules at several levels of costs, what of the best was luck, and what else might have come of it.   Usage:
// example-grid MANDATE
#include <fmt/format.h>

#include "inchtide/base/blas_threads.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/exchange/run_store.hpp"
#include "inchtide/mandate/mandate.hpp"
#include "inchtide/study/futures.hpp"
#include "inchtide/study/luck.hpp"

using namespace inchtide;

int main(int count, char** arguments) try {
  if (count != 2) throw InputError("arguments", "one is needed", "Give a mandate");
  use_one_blas_thread();
  auto mandate = read_mandate(arguments[1]);
  const auto sources = read_sources(mandate);
  auto& settings = mandate.settings;
  settings.aims = {Aim::parse("equal", "aim")};
  settings.grid = {GridAxes{}};
  fill_axis(settings.grid[0], "schedule", {"never", "1m", "1q", "1y"}, "grid");
  fill_axis(settings.grid[0], "cost-level", {"0", "1", "4"}, "grid");

  const Grid grid(sources, settings);
  const CellRunner runner(grid);
  exchange::RunStore store;  // give it a path and runs are kept, and not made again
  std::vector<GridRun> tries;
  run_grid(runner, grid.all(), [&](const GridRun& run) {
    store.put(run, grid.digest().text());
    if (run.cell.cost_level == 1) tries.push_back(run);
  });
  for (const auto& group : store.groups({}, "schedule", "cost_level")) {
    fmt::print("{:6} {:2} {:9.6f}\n", group.value, group.second, group.growth_per_year);
  }

  const auto luck = luck_among_cells(runner, tries, "1y", 0).luck;
  fmt::print("luck   {:9.6f}\n", luck.judged.p_value);

  settings.futures = 50;
  settings.schedules = {Schedule::parse("1q", "schedule")};
  const auto universe = universe_of(sources, settings);
  const auto basis = basis_before_split(universe, sources, settings);
  const auto futures = futures_of(universe, basis, portfolios_of(basis, sources, settings), sources, settings);
  const auto growth = quantiles_of(futures.runs[0].growth_per_year);
  fmt::print("futures {:9.6f} {:9.6f} {:9.6f}\n", growth[0], growth[2], growth[4]);
} catch (const Error& error) {
  fmt::print(stderr, "{}\n", error.what());
  return 1;
}

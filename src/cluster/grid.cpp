#include "inchtide/cluster/grid.hpp"

#include <memory>

namespace inchtide {
namespace {

/// A grid and what runs it.
struct OpenedGrid {
  explicit OpenedGrid(std::span<const std::byte> job) : grid(Grid::of_job(job)), runner(grid) {}

  Grid grid;
  CellRunner runner;
};

RunPiece open_grid(std::span<const std::byte> job) {
  return [opened = std::make_shared<const OpenedGrid>(job)](std::size_t cell) {
    return record_of(opened->runner.run(opened->grid.cell(cell), {}));
  };
}

}  // namespace

void run_grid_over(Cluster& cluster, const Grid& grid, const std::vector<std::size_t>& cells, const LandRun& land,
                   int threads, const Watch& watch) {
  const Job job(grid.job(), grid.size());
  deal_over(
      cluster, job, cells, open_grid, [&](std::size_t cell, const Record& record) { land(run_of(grid, cell, record)); },
      threads, watch);
}

void work_on_grids(Cluster& cluster, int threads) {
  work_for(cluster, open_grid, threads);
}

}  // namespace inchtide

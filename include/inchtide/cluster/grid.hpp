#pragma once
/// Grids of rehearsals on many machines: `run_grid` over the ranks of a cluster.
///
/// @code
/// #include <cassert>
/// using namespace inchtide;
/// Cluster cluster;
/// if (!cluster.is_first()) return work_on_grids(cluster);
/// Sources sources;
/// BarHistory bars{"KELPFARM"};
/// std::vector<Day> days;
/// for (int day = 0; day < 700; ++day) {
///   days.push_back(*parse_day("2021-01-08") + std::chrono::days{day});
///   bars.of(PriceField::close).push_back(20 + day * 7 % 11);
/// }
/// bars.days = DayList(std::move(days));
/// sources.bars = {bars};
/// Settings settings;
/// settings.split = *parse_day("2022-01-01");
/// settings.aims = {Aim::parse("equal", "")};
/// settings.grid.resize(1);
/// fill_axis(settings.grid[0], "delay", {"0", "1", "2"}, "");
/// fill_axis(settings.grid[0], "schedule", {"never", "1m"}, "");
/// const Grid grid(sources, settings);
/// std::size_t landed = 0;
/// run_grid_over(cluster, grid, grid.all(), [&](const GridRun& run) { landed += run.failure.empty(); });
/// assert(landed == grid.size());
/// @endcode

#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/cluster/cluster.hpp"
#include "inchtide/study/grid.hpp"

namespace inchtide {

/// On the first rank: as `run_grid`, with the same bits where all ranks have the same kind of processor.
/// @throws as `deal_over`
INCHTIDE_API void run_grid_over(Cluster& cluster, const Grid& grid, const std::vector<std::size_t>& cells,
                                const LandRun& land, int threads = 0, const Watch& watch = {});

/// On every other rank.
INCHTIDE_API void work_on_grids(Cluster& cluster, int threads = 0);

}  // namespace inchtide

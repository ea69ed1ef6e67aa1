#include "grid.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <memory>
#include <set>

#include "hosts.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/text.hpp"
#include "inchtide/report/grid.hpp"
#include "study.hpp"
#include "watch.hpp"

namespace inchtide::app {
namespace {

using Clock = std::chrono::steady_clock;

constexpr std::size_t first_shown = 10;
/// More cells than this are asked back: in one go they are a mistake more often than not.
constexpr std::size_t most_cells = 1'000'000;
/// Bytes that the store takes for a run, as measured on the demo's.
constexpr double bytes_of_a_run = 800;

double seconds_since(Clock::time_point begin) {
  return std::chrono::duration<double>(Clock::now() - begin).count();
}

std::string time_text(double seconds) {
  if (seconds < 90) return fmt::format("{:.0f} s", seconds);
  if (seconds < 90 * 60) return fmt::format("{:.0f} minutes", seconds / 60);
  if (seconds < 48 * 3600) return fmt::format("{:.1f} hours", seconds / 3600);
  return fmt::format("{:.0f} days", seconds / 86400);
}

/// The progress with the time that is left.
Watch with_time_left(Watch watch) {
  if (!watch.progress) return watch;
  watch.progress = [tell = watch.progress, begin = Clock::now()](std::size_t done, std::size_t all,
                                                                 const std::string&) {
    const double left = seconds_since(begin) / double(done) * double(all - done);
    tell(done, all, fmt::format("cells, about {} left", time_text(std::ceil(left))));
  };
  return watch;
}

std::pair<std::size_t, std::size_t> part_of(const std::string& text) {
  if (text.empty()) return {1, 1};
  std::size_t part = 0, of = 0;
  char beyond = 0;
  if (text.find('-') != std::string::npos || std::sscanf(text.c_str(), "%zu/%zu%c", &part, &of, &beyond) != 2 ||
      part < 1 || part > of) {
    throw WrongUsage("--part", fmt::format("'{}' is no part of several", text), "Write it like 3/12, counted from 1");
  }
  return {part, of};
}

void check_size(const CellRunner& runner, std::size_t part, std::size_t of, int threads) {
  const auto& grid = runner.grid();
  const double cells = double(grid.size()) / double(of);
  if (cells <= double(most_cells)) return;
  const auto begin = Clock::now();
  (void)runner.run(grid.cell(0), "");
  const auto first = seconds_since(begin);
  const auto again = Clock::now();
  (void)runner.run(grid.cell(1), "");  // by an estimate that is there
  const double each = std::min(first, seconds_since(again)) / Executor(threads).threads();
  throw InputError("grid",
                   fmt::format("part {} of {} has {} cells ({}): some {} here, and {} MB in the store", part, of,
                               with_thousands(cells), grid.shape(), time_text(each * cells),
                               with_thousands(cells * bytes_of_a_run / 1e6)),
                   fmt::format("Leave values out, or deal it in parts of at most {} cells, --part 1/{}",
                               with_thousands(double(most_cells)),
                               with_thousands(std::ceil(double(grid.size()) / double(most_cells)))));
}

std::unique_ptr<exchange::RunStore> store_to_fill(const Options& options) {
  if (options.runs.empty()) return std::make_unique<exchange::RunStore>();
  return std::make_unique<exchange::RunStore>(options.runs, exchange::RunStore::Access::write);
}

/// The cells that are to be run; those in the store are chosen, and left out.
std::vector<std::size_t> cells_to_run(const Grid& grid, exchange::RunStore& store,
                                      const std::vector<std::size_t>& cells) {
  std::vector<std::size_t> wanted;
  for (const auto index : cells) {
    const auto key = grid.key(grid.cell(index));
    store.choose(key);
    if (!store.has(key)) wanted.push_back(index);
  }
  return wanted;
}

void run_cells(const CellRunner& runner, exchange::RunStore& store, const std::vector<std::size_t>& cells,
               const Options& options) {
  const auto digest = runner.grid().digest();
  store.put_inputs(digest, runner.grid().inputs());
  if (!options.hosts.empty()) {
    run_on_hosts(runner.grid(), cells, store, options, with_time_left(watched(options)));
    return;
  }
  std::size_t landed = 0;
  try {
    run_grid(
        runner, cells,
        [&](const GridRun& run) {
          store.put(run, digest.text());
          ++landed;
        },
        Executor(options.threads), with_time_left(watched(options)));
  } catch (const Interrupted&) {
    if (options.runs.empty()) throw;
    throw Interrupted("grid", fmt::format("stopped; {} of {} cells landed in {}", landed, cells.size(), options.runs),
                      "The same command goes on with the others");
  }
}

/// Tries at one level of costs, one delay and one start: that of the study where the grid has it, else the first.
std::vector<GridRun> tries_of(const Grid& grid, const exchange::RunStore& store,
                              const std::vector<std::size_t>& cells) {
  const auto first = grid.cell(cells.front());
  bool usual_level = false;
  for (const auto index : cells) usual_level = usual_level || grid.cell(index).cost_level == 1;
  std::vector<GridRun> tries;
  for (const auto index : cells) {
    const auto cell = grid.cell(index);
    const bool level = cell.cost_level == (usual_level ? 1 : first.cost_level);
    if (!level || cell.delay != first.delay || cell.start != first.start) continue;
    auto [run, inputs] = store.run_and_inputs(grid.key(cell));
    if (run.failure.empty()) tries.push_back(std::move(run));
  }
  return tries;
}

std::optional<CellLuck> luck_of_grid(const CellRunner& runner, const exchange::RunStore& store,
                                     const std::vector<std::size_t>& cells, const Settings& settings,
                                     const Options& options, std::vector<Notice>& warnings) {
  const auto draws = draws_of(options, usual_draws);
  if (!draws) return std::nullopt;
  const bool asked = options.has("--baseline") || options.has("--tried");
  const auto tries = tries_of(runner.grid(), store, cells);
  if (tries.size() < 2 && !asked && !options.typed.contains("--draws")) return std::nullopt;
  LuckOptions how{draws->draws, draws->block, draws->seed};
  how.threads = options.threads;
  how.watch = {draws->watch.stop, {}};
  try {
    return luck_among_cells(runner, tries, settings.baseline, settings.tried, how);
  } catch (const InputError& error) {
    if (asked) throw;
    warnings.push_back(error.notice().led_by("What was luck cannot be told"));
    return std::nullopt;
  }
}

/// Of the universe, and once of the walk from each start.
std::vector<Notice> warnings_of(const CellRunner& runner, const std::vector<std::size_t>& cells) {
  auto warnings = runner.universe().warnings;
  std::set<Day> starts;
  for (const auto index : cells) {
    const auto cell = runner.grid().cell(index);
    if (!starts.insert(cell.start).second) continue;
    try {
      for (auto& notice : runner.warnings(cell)) {
        const auto is_known = [&](const Notice& known) { return known.text() == notice.text(); };
        if (std::ranges::none_of(warnings, is_known)) warnings.push_back(std::move(notice));
      }
    } catch (const InputError&) {  // its cells say why
      continue;
    }
  }
  return warnings;
}

}  // namespace

report::Chapter rehearse_grid(const Options& options) {
  const auto mandate = mandate_of(options);
  const auto [part, of] = part_of(options.part);
  const auto store = store_to_fill(options);
  const auto sources = read_sources(mandate, options.threads);
  const Grid grid(sources, mandate.settings);
  const CellRunner runner(grid);
  check_size(runner, part, of, options.threads);
  const auto cells = grid.part(part, of);
  if (cells.empty()) throw WrongUsage("--part", "the grid has fewer cells than parts", Remedy("Make fewer parts"));
  const auto wanted = cells_to_run(grid, *store, cells);
  run_cells(runner, *store, wanted, options);
  auto warnings = warnings_of(runner, cells);
  const auto given = sources.given.size() + mandate.settings.mixes.size();
  if (given > 0) {
    warnings.push_back(fmt::format("{} of given weights or mixed from others {} no aims: the grid has no cells of them",
                                   given == 1 ? "1 portfolio" : fmt::format("{} portfolios", given),
                                   given == 1 ? "goes by" : "go by"));
  }
  const auto luck = luck_of_grid(runner, *store, cells, mandate.settings, options, warnings);
  report::GridAccount account{grid.shape(), cells.size(), cells.size() - wanted.size(), options.runs};
  if (of > 1) account.shape = fmt::format("part {} of {} of {}", part, of, account.shape);
  auto chapter = report::grid_chapter(*store, account, {.most = first_shown}, luck);
  chapter.warnings.insert(chapter.warnings.begin(), warnings.begin(), warnings.end());
  return chapter;
}

exchange::RunStore store_to_read(const Options& options) {
  if (options.runs.empty()) {
    throw WrongUsage("--runs", "no store of rehearsals was named", Remedy("Give the file that a grid was kept in"));
  }
  return {options.runs, exchange::RunStore::Access::read};
}

exchange::RunQuery query_of(const Options& options, std::size_t most) {
  exchange::RunQuery query;
  for (const auto& text : options.where) query.where.push_back(exchange::RunFilter::parse(text, "--where"));
  if (!options.sort.empty()) query.sort = options.sort;
  query.ascending = options.lowest;
  query.most = options.top ? std::size_t(std::max(0, *options.top)) : most;
  if (!options.inputs.empty()) query.inputs = options.inputs;
  return query;
}

}  // namespace inchtide::app

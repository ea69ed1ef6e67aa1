// Makes cells of a grid: those that share an estimate share it, and the prices they walk through.

#include <fmt/format.h>

#include <algorithm>
#include <optional>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/study/grid.hpp"
#include "study/one_at_levels.hpp"
#include "study/one_run.hpp"
#include "study/packing.hpp"
#include "study/slots.hpp"

namespace inchtide {
namespace {

/// Neighbours in a grid share a block; threads are some cells apart.
constexpr std::size_t most_blocks = 16, most_paths = 8;

}  // namespace

struct CellRunner::Shared {
  /// Cells by the same estimate from the same day.
  struct Block {
    Block(const Universe& universe, const Sources& sources, Settings of_cells)
        : settings(std::move(of_cells)),
          basis(basis_before_split(universe, sources, settings)),
          portfolios(portfolios_of(basis, sources, settings)),
          setup(universe, basis, sources, settings, told) {
      setup.how.watch = {};
    }

    [[nodiscard]] const Allocation& portfolio(const Aim& aim) const {
      const auto found = std::ranges::find_if(portfolios.all, [&](const Allocation& a) { return a.aim == aim; });
      if (found != portfolios.all.end()) return *found;
      for (const auto& one : portfolios.unanswered) {
        if (same_name(one.name, aim.text())) throw InputError(one.notice);
      }
      throw InputError(aim.text(), "it has no portfolio", "Leave it out");
    }

    Settings settings;
    std::vector<Notice> told;  // of the walk
    Basis basis;
    /// What cells of other levels of costs share.
    [[nodiscard]] std::shared_ptr<const OneAtLevels> levels_of(const GridCell& cell,
                                                               const Allocation& portfolio) const {
      return paths.find(Packing().add(cell.schedule).add(cell.aim).add(cell.delay).bytes(), [&](auto& made) {
        auto how = setup.how;
        how.delay = cell.delay;
        how.brief = true;
        made.emplace(portfolio, cell.schedule, setup, std::move(how));
      });
    }

    Portfolios portfolios;
    WalkSetup setup;
    mutable Slots<OneAtLevels> paths{most_paths};
  };

  Sources sources;
  Universe universe;
  std::vector<Aim> aims;  // of all cells
  Slots<Block> blocks{most_blocks};

  /// @throws what making it threw
  std::shared_ptr<const Block> block_for(const GridCell& cell, const Settings& shared) {
    const bool known = std::ranges::find(aims, cell.aim) != aims.end();
    Packing key;
    key.add(cell.estimator.expected).add(cell.estimator.covariance).add(cell.window).add(cell.start);
    if (!known) key.add(cell.aim);
    return blocks.find(key.bytes(), [&](auto& made) {
      auto settings = shared;
      settings.methods.expected = cell.estimator.expected.value_or(settings.methods.expected);
      settings.methods.covariance = cell.estimator.covariance.value_or(settings.methods.covariance);
      settings.estimate_over = cell.window.span;
      settings.split = cell.start;
      settings.aims = known ? aims : std::vector{cell.aim};
      settings.schedules = {Schedule::parse("never", "")};  // those of the cells stand in their place
      made.emplace(universe, sources, std::move(settings));
    });
  }

  /// A run without its days: levels of costs share what they can.
  /// @param use also takes how many assets estimates on the way left out
  void make_brief(const GridCell& cell, const Settings& shared,
                  const std::function<void(const Rehearsal&, std::size_t)>& use) {
    const auto block = block_for(cell, shared);
    const auto& portfolio = portfolio_of(cell, *block);
    const bool anew = (shared.reestimate && portfolio.aim) || cell.schedule.to == Schedule::To::after_costs;
    if (anew) {
      std::size_t left_out = 0;
      const auto run = make(cell, shared, false, {}, &left_out);
      use(run, left_out);
    } else {
      block->levels_of(cell, portfolio)->at(cell.cost_level, [&](const Rehearsal& run) { use(run, 0); });
    }
  }

  static const Allocation& portfolio_of(const GridCell& cell, const Block& block) {
    const auto& portfolio = block.portfolio(cell.aim);
    if (OneRun::is_possible(portfolio, cell.schedule)) return portfolio;
    throw InputError(cell.schedule.name, fmt::format("{} has no return to weigh against costs", portfolio.name),
                     "Leave one of them out");
  }

  Rehearsal make(const GridCell& cell, const Settings& shared, bool whole, const Watch& watch,
                 std::size_t* left_out = nullptr) {
    const auto block = block_for(cell, shared);
    const auto& portfolio = portfolio_of(cell, *block);
    auto how = block->setup.how;
    how.delay = cell.delay;
    how.keep_weights = whole;
    how.brief = !whole;
    how.watch = watch;
    auto terms = block->setup.plan.terms;
    terms.keep_orders = whole;
    for (auto& costs : terms.costs) costs = at_level(costs, cell.cost_level);
    std::vector<Promise> promises;
    OneRun one(universe, block->basis, sources, block->settings, block->setup);
    auto run = one.make(portfolio, cell.schedule, terms, how, promises);
    if (left_out != nullptr) *left_out = one.without().size();
    return run;
  }
};

CellRunner::CellRunner(const Grid& grid) : grid_(grid), shared_(std::make_unique<Shared>()) {
  Unpacking unpacking(grid.inputs());
  std::string form;
  Settings settings;
  unpacking.take(form).take(settings).take(shared_->sources);
  if (!unpacking.at_end()) throw InputError("inputs of runs", "they go on after their end", "Run them anew");
  shared_->universe = universe_of(shared_->sources, settings);
  shared_->sources.bars.clear();  // they are in the universe
  for (const auto& axes : grid.axes_) {
    for (const auto& aim : axes.aims) {
      if (std::ranges::find(shared_->aims, aim) == shared_->aims.end()) shared_->aims.push_back(aim);
    }
  }
}

CellRunner::~CellRunner() = default;

const Universe& CellRunner::universe() const {
  return shared_->universe;
}

double CellRunner::risk_free(const GridCell& cell) const {
  return shared_->block_for(cell, grid_.settings())->basis.risk_free;
}

std::vector<Notice> CellRunner::warnings(const GridCell& cell) const {
  auto told = shared_->block_for(cell, grid_.settings())->told;
  std::erase_if(told, [&](const Notice& one) { return one.where.asset == universe().benchmark; });  // no cell has it
  return told;
}

Rehearsal CellRunner::rehearse(const GridCell& cell, const Watch& watch) const {
  return shared_->make(cell, grid_.settings(), true, watch);
}

GridRun CellRunner::run(const GridCell& cell, const std::string& name) const {
  GridRun result{cell, name, grid_.key(cell)};
  result.numerics = numerics_here();
  try {
    shared_->make_brief(cell, grid_.settings(), [&](const Rehearsal& run, std::size_t left_out) {
      result.from = run.days.front();
      result.to = run.days.back();
      for (const auto& kept : kept_figures()) result.figures.push_back(kept.of(run));
      result.marked = run.marked;
      result.left_out = left_out;
    });
  } catch (const Interrupted&) {
    throw;
  } catch (const Error& error) {
    result.failure = reason_beside(fmt::format("{}, {}", cell.aim.text(), cell.schedule.name), error.notice()).text();
  }
  return result;
}

namespace {

std::int64_t number_of(Day day) {
  return day.time_since_epoch().count();
}

}  // namespace

Record record_of(const GridRun& run) {
  return {run.figures,
          {number_of(run.from), number_of(run.to), run.marked, std::int64_t(run.left_out)},
          {run.numerics, run.key},
          run.failure};
}

GridRun run_of(const Grid& grid, std::size_t cell, const Record& record) {
  GridRun run{grid.cell(cell), grid.name(cell)};
  run.failure = record.failure;
  run.figures = record.figures;
  run.from = Day(std::chrono::days(record.numbers.at(0)));
  run.to = Day(std::chrono::days(record.numbers.at(1)));
  run.marked = record.numbers.at(2) != 0;
  run.left_out = std::size_t(record.numbers.at(3));
  run.numerics = record.texts.at(0);
  run.key = record.texts.at(1);
  return run;
}

void run_grid(const CellRunner& runner, const std::vector<std::size_t>& cells, const LandRun& land,
              const Executor& executor, const Watch& watch) {
  const auto& grid = runner.grid();
  const auto open = [&](std::span<const std::byte>) -> RunPiece {
    return [&](std::size_t piece) { return record_of(runner.run(grid.cell(cells[piece]), {})); };
  };
  const auto take = [&](std::size_t piece, const Record& record) { land(run_of(grid, cells[piece], record)); };
  deal(Job(grid.inputs(), cells.size()), open, take, executor, watch);
}

}  // namespace inchtide

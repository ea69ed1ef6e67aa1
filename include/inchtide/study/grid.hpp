#pragma once
/// Many rehearsals of one study: every combination of schedules, levels of costs, aims, estimators, windows, delays and
/// starts. Each is a cell with a key of its own, and is the same run, bit for bit, whoever makes it and when.
///
/// @code
/// #include <cassert>
/// using namespace inchtide;
/// Sources sources;
/// for (const char* code : {"TIDEMILL", "KELPFARM"}) {
///   BarHistory bars{code};
///   std::vector<Day> days;
///   for (int day = 0; day < 700; ++day) {
///     days.push_back(*parse_day("2021-01-08") + std::chrono::days{day});
///     bars.of(PriceField::close).push_back(20 + day * code[0] * 7 % 11);
///   }
///   bars.days = DayList(std::move(days));
///   sources.bars.push_back(std::move(bars));
/// }
/// Settings settings;
/// settings.split = *parse_day("2022-01-01");
/// settings.costs = {CostClass::parse("10bp", "")};
/// settings.grid.resize(1);
/// fill_axis(settings.grid[0], "schedule", {"never", "1m"}, "");
/// fill_axis(settings.grid[0], "cost-level", {"0", "1", "2"}, "");
/// fill_axis(settings.grid[0], "aim", {"equal"}, "");
/// const Grid grid(sources, settings);
/// const CellRunner runner(grid);
/// double best = -1;
/// run_grid(runner, grid.all(), [&](const GridRun& run) { best = std::max(best, run.figure("growth_per_year")); });
/// assert(grid.size() == 6 && best > -1);
/// @endcode

#include <cstdint>
#include <functional>
#include <memory>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/executor.hpp"
#include "inchtide/base/jobs.hpp"
#include "inchtide/rehearsal/luck.hpp"
#include "inchtide/study/runs.hpp"

namespace inchtide {

/// One combination.
struct INCHTIDE_API GridCell {
  Schedule schedule;
  double cost_level = 1;  ///< every part of trading costs is multiplied by it
  Aim aim;
  Estimator estimator;  ///< with both of its methods
  EstimateWindow window;
  int delay = 1;
  Day start{};

  /// Without the names of its parts: equal cells are the same run.
  [[nodiscard]] Bytes bytes() const;
  /// @throws InputError for bytes of something else
  [[nodiscard]] static GridCell from_bytes(std::span<const std::byte> bytes);
};

/// A figure that is kept of every cell: by the name it has in results.
struct INCHTIDE_API KeptFigure {
  const char* name;
  double (*of)(const Rehearsal& run);
  bool share = false;  ///< a fraction of 1, read and written as a percentage
};
/// Growth, risk, ratios, turnover, costs, orders and the wealth at the end: all that does not grow with the days.
[[nodiscard]] INCHTIDE_API const std::vector<KeptFigure>& kept_figures();
/// The position of one.
/// @throws InputError for another name, with the nearest
[[nodiscard]] INCHTIDE_API std::size_t kept_figure(std::string_view name);

/// What became of a cell.
struct INCHTIDE_API GridRun {
  GridCell cell;
  std::string name;             ///< by the axes that have several values
  std::string key;              ///< digest of the complete inputs and the cell
  Day from{}, to{};             ///< first and last row
  std::vector<double> figures;  ///< one each of `kept_figures`; empty where it failed
  bool marked = false;          ///< a re-estimation failed, so that older targets were kept
  std::size_t left_out = 0;     ///< assets that an estimate chose none of, as it hadn't their prices
  std::string failure;          ///< why there is no run
  std::string numerics;         ///< of what computed it: see `numerics_here`

  /// @throws InputError for a name that no figure has
  [[nodiscard]] double figure(std::string_view of) const { return figures.at(kept_figure(of)); }
};

/// What the last bits of figures hang on: the version, the kernels of the linear algebra, the processor's instructions.
[[nodiscard]] INCHTIDE_API std::string numerics_here();

/// The cells of a study by index, and the inputs that they share.
class INCHTIDE_API Grid {
 public:
  /// @param sources with their bars
  /// @param settings with at least one entry of `grid`; what an axis leaves out is theirs
  /// @throws InputError for no grid, an axis with the same value twice, a cost level other than 1 without costs, or no
  ///         start
  Grid(const Sources& sources, const Settings& settings);
  /// From bytes of another one's `inputs`, without cells.
  /// @throws InputError for bytes of something else, or of another version
  explicit Grid(Bytes inputs);

  /// With its cells, as bytes that another machine makes the same grid of.
  [[nodiscard]] Bytes job() const;
  /// @throws InputError for bytes of something else, or of another version
  [[nodiscard]] static Grid of_job(std::span<const std::byte> bytes);

  [[nodiscard]] std::size_t size() const;
  [[nodiscard]] GridCell cell(std::size_t index) const;
  [[nodiscard]] std::string name(std::size_t index) const;
  /// How often it varies what, in words: "8 schedules x 5 cost levels x 3 aims".
  [[nodiscard]] std::string shape() const;
  /// All indices, or those of one part of several, as equal as can be; but for schedules after costs beside aims that
  /// have no return to weigh against them, which are no runs.
  [[nodiscard]] std::vector<std::size_t> all() const { return part(1, 1); }
  [[nodiscard]] std::vector<std::size_t> part(std::size_t k, std::size_t of) const;

  /// Everything but the cells that a run hangs on: prices, tags, rules; as bytes that any machine can open.
  [[nodiscard]] const Bytes& inputs() const { return inputs_; }
  [[nodiscard]] const Digest& digest() const { return digest_; }
  /// Of a cell among these inputs.
  [[nodiscard]] std::string key(const GridCell& cell) const;

  [[nodiscard]] const Settings& settings() const { return settings_; }

 private:
  friend class CellRunner;
  Settings settings_;           // what cells share
  std::vector<GridAxes> axes_;  // with values on all
  Bytes inputs_;
  Digest digest_{};
};

/// What starts ranks hands to them in a file: a grid, and which of its cells are to be run.
struct INCHTIDE_API GridJob {
  Bytes grid;
  std::vector<std::size_t> cells{};

  [[nodiscard]] Bytes to_bytes() const;
  [[nodiscard]] static GridJob from_bytes(std::span<const std::byte> bytes);
};

/// Makes cells of a grid; from several threads at once.
class INCHTIDE_API CellRunner {
 public:
  /// Opens the inputs of a grid, and keeps the estimates that its latest cells share.
  /// @throws InputError as `universe_of`
  explicit CellRunner(const Grid& grid);
  explicit CellRunner(Grid&&) = delete;  // it is referred to
  ~CellRunner();
  CellRunner(const CellRunner&) = delete;
  CellRunner& operator=(const CellRunner&) = delete;

  /// The whole run, with its days, trades and log.
  /// @throws InputError where it cannot be made
  [[nodiscard]] Rehearsal rehearse(const GridCell& cell, const Watch& watch = {}) const;
  /// What is kept of it; a run that cannot be made says why.
  [[nodiscard]] GridRun run(const GridCell& cell, const std::string& name) const;

  [[nodiscard]] const Grid& grid() const { return grid_; }
  [[nodiscard]] const Universe& universe() const;
  /// Fraction per year, of the estimate that a cell goes by.
  [[nodiscard]] double risk_free(const GridCell& cell) const;
  /// What is to be said of the prices that the cell walks through: the same of all cells that start on its day.
  /// @throws InputError where its estimate or its walk cannot be made
  [[nodiscard]] std::vector<Notice> warnings(const GridCell& cell) const;

 private:
  struct Shared;
  const Grid& grid_;
  std::unique_ptr<Shared> shared_;
};

/// A cell's run as it travels, and back.
[[nodiscard]] INCHTIDE_API Record record_of(const GridRun& run);
[[nodiscard]] INCHTIDE_API GridRun run_of(const Grid& grid, std::size_t cell, const Record& record);

/// Takes a run in, on the thread that called, in the order in which they are done.
using LandRun = std::function<void(const GridRun& run)>;

/// Makes cells of a grid, each on its own; nothing of them is kept here.
/// @param cells their indices
/// @throws Interrupted when stopped; what was begun has landed
/// @throws what landing throws
INCHTIDE_API void run_grid(const CellRunner& runner, const std::vector<std::size_t>& cells, const LandRun& land,
                           const Executor& executor = Executor(), const Watch& watch = {});

}  // namespace inchtide

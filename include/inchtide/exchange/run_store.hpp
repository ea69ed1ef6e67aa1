#pragma once
/// The store of rehearsals: one SQLite file that grids fill, cell by cell.
///
/// Three tables, which any SQLite tool can read: `run` (a row a cell: what it varies, its figures, or why it failed),
/// `inputs` (prices and rules that runs share, packed, by their digest) and `numerics` (what computed them). A run is
/// there once and is never changed, but that one which failed gives way to the same one where it didn't. Writing is one
/// transaction a run, in write-ahead mode, so that whatever happens in between loses no run that has landed.
///
/// @code
/// #include <cassert>
/// using namespace inchtide;
/// exchange::RunStore store;  // one that isn't kept
/// GridRun run;
/// run.key = "0123";
/// run.figures.assign(kept_figures().size(), 0.5);
/// assert(store.put(run, "inputs") && !store.put(run, "inputs") && store.has("0123"));
/// exchange::RunQuery query;
/// query.where = {exchange::RunFilter::parse("sharpe > 0.4", "here")};
/// assert(store.find(query).size() == 1);
/// @endcode

#include <cstdint>
#include <filesystem>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/study/grid.hpp"

namespace inchtide::exchange {

/// A condition on runs.
struct INCHTIDE_API RunFilter {
  std::string
      column;         ///< a kept figure, or what cells vary: schedule, aim, estimator, window, delay, start, cost_level
  std::string sign;   ///< = != < <= > >=; of words = and != alone
  std::string value;  ///< a number as it is, without %

  /// Reads `sharpe > 0.5`, `cost_per_year <= 0.5%`, `schedule = yearly`.
  /// @throws InputError naming `where`: an unknown column (with the nearest), sign or number
  [[nodiscard]] static RunFilter parse(std::string_view text, const Where& where);
};

struct INCHTIDE_API RunQuery {
  std::vector<RunFilter> where{};  ///< all hold
  std::string sort = "sharpe";     ///< a kept figure, or what cells vary
  bool ascending = false;
  std::size_t most = 0;                 ///< so many; all when 0
  bool chosen_only = false;             ///< of those that were chosen
  bool failed = false;                  ///< those that failed, in place of those that didn't
  std::optional<std::string> inputs{};  ///< of these alone
};

/// Means over the runs with one value on an axis.
struct INCHTIDE_API RunGroup {
  std::string value;   ///< on the axis
  std::string second;  ///< on the second axis where there is one
  std::size_t runs = 0;
  double growth_per_year = 0, volatility = 0, sharpe = 0, cost_per_year = 0, max_drawdown = 0;
  double best_sharpe = 0;
  bool balanced = true;  ///< over those combinations alone that every value has
};

/// Runs that failed for the same reason.
struct INCHTIDE_API FailedRuns {
  std::string reason, example;  ///< the name of one
  std::size_t runs = 0;
};

/// Runs that share their inputs.
struct INCHTIDE_API StoredInputs {
  std::string digest;
  std::size_t runs = 0, failed = 0;
};

class INCHTIDE_API RunStore {
 public:
  enum class Access { read, write };

  /// One that goes when it is closed.
  RunStore();
  /// Opens a store; makes it when it isn't there and is to be written.
  /// @throws InputError when there is none to read, the file is something else, or another version's
  /// @throws OutsideFailure when the disk or the permissions don't allow it
  RunStore(const std::filesystem::path& path, Access access);
  ~RunStore();
  RunStore(const RunStore&) = delete;
  RunStore& operator=(const RunStore&) = delete;

  /// The inputs that runs go by; to be there before them. What is there stays.
  void put_inputs(const Digest& digest, const Bytes& inputs);
  /// @throws InputError where there are none of that digest, or they are damaged
  [[nodiscard]] Bytes inputs(const std::string& digest) const;
  [[nodiscard]] std::vector<StoredInputs> all_inputs() const;
  /// What computed the runs.
  [[nodiscard]] std::vector<std::string> all_numerics() const;

  /// Returns whether it is new: one with the same key stays as it is, unless it failed and this one didn't.
  /// @throws OutsideFailure when the disk is full, the store is read-only, or another program keeps writing to it
  bool put(const GridRun& run, const std::string& inputs);
  /// Failed ones are not.
  [[nodiscard]] bool has(const std::string& key) const;
  /// The same with those that failed.
  [[nodiscard]] bool knows(const std::string& key) const;
  /// Narrows queries of `chosen_only` to these, and more by each call.
  void choose(const std::string& key);

  /// The runs that fit, in the order asked for, ties by key.
  /// @throws InputError for a sort column that there isn't
  [[nodiscard]] std::vector<GridRun> find(const RunQuery& query) const;
  [[nodiscard]] std::size_t count(const RunQuery& query) const;
  /// One by its key or the beginning of it.
  /// @throws InputError where none or several begin so
  [[nodiscard]] std::pair<GridRun, std::string> run_and_inputs(const std::string& key) const;
  /// Means by the values of one axis, or of two, in their order: over the combinations of all else that every value
  /// has, so that like is compared with like; over all where there are none.
  [[nodiscard]] std::vector<RunGroup> groups(const RunQuery& query, const std::string& axis,
                                             const std::string& second = "") const;

  [[nodiscard]] std::vector<FailedRuns> failures(RunQuery query) const;

  /// Takes over what another store has and this hasn't.
  struct Merged {
    std::size_t taken = 0, there = 0;
    std::size_t other_figures = 0;  ///< of those that were there: the same run with other figures
  };
  /// @throws InputError when the other is no store of runs, or another version's
  Merged merge(const std::filesystem::path& other);

 private:
  struct Connected;
  std::unique_ptr<Connected> at_;
};

}  // namespace inchtide::exchange

#pragma once
/// A rehearsal row by row: pieces of a walk that join. What a walk carries from row to row is one value, so that a run
/// cut in two at any row equals the one run to the last bit.
///
/// @code
/// #include <cassert>
/// using namespace inchtide;
/// PriceTable table;
/// for (int t = 0; t < 10; ++t) table.days.push_back(*parse_day("2024-01-01") + std::chrono::days{t});
/// table.assets = {{"TIDEMILL", "HLC"}};
/// table.prices = Eigen::VectorXd::LinSpaced(10, 10, 19);
/// RehearsalPlan plan;
/// plan.weights = Eigen::VectorXd::Ones(1);
/// Walk walk(table, plan, {});
/// auto state = walk.begin();
/// walk.go_on(state, 4);
/// const auto saved = state;
/// walk.go_on(state, 10);
/// assert(walk.finish(state).net[9] == rehearse(table, plan, {}).net[9] && saved.row == 4);
/// @endcode

#include <memory>
#include <optional>
#include <utility>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/rehearsal/rehearsal.hpp"

namespace inchtide {

/// What a decision carries to its trade.
struct INCHTIDE_API Decision {
  std::size_t row = 0;               ///< on which it was made
  std::optional<Destination> own{};  ///< by a rule of one's own
  Eigen::VectorXd units{};           ///< where they are fixed at the look
  double cash = 0;                   ///< the weight meant for cash beside them
  bool waits = false;                ///< for an asset that is closed; it is in the log
  Eigen::VectorXd prices{};          ///< at its close, less dividends since, of units as they are now
};

/// Returns of a walk that keeps to fixed weights, in the two parts that its measures take them in: those that no cost
/// bends, had every trade led back to all weights, and what came of the trades that there were.
struct INCHTIDE_API KeptReturns {
  struct Own {
    Eigen::Index row;
    double value;  ///< up to the close, after its trade
  };
  Eigen::VectorXd quiet;             ///< from close to close, one a row; 0 on the first and where there is a trade
  std::vector<Eigen::Index> traded;  ///< rows with a trade
  std::vector<Own> own;              ///< of these, and of all rows between one that led elsewhere and the next
  Eigen::VectorXd units{};           ///< where the last one did: those that all weights would have come to, as `scaled`
  double worth = 1;                  ///< of these and cash on the last row; of what there is where there are none
};

/// Positions for each unit of the wealth after the last trade, where a walk keeps to fixed weights: what they are worth
/// then hangs on prices alone.
struct INCHTIDE_API ScaledPositions {
  Eigen::VectorXd units;
  double cash = 0;
  double wealth = 0;                     ///< after the last trade, or at the start
  double gross = 0;                      ///< the same, had no costs been paid
  double worth = 1;                      ///< positions and cash on the last row, for each unit of that wealth
  std::optional<KeptReturns> returns{};  ///< as long as the days of trades hang on no cost
};

/// What a walk carries from row to row.
struct INCHTIDE_API WalkState {
  std::size_t row = 0;  ///< the next one
  Ledger ledger;
  std::vector<std::pair<Day, double>> owed;  ///< dividends by the day on which they are paid
  std::optional<Decision> decision;          ///< that waits for its trade
  Eigen::VectorXd targets;
  Eigen::VectorXd last_price;   ///< of each asset, NaN before its first
  std::vector<int> closed_for;  ///< rows without a price of its own, up to the last row
  std::vector<char> ended;
  double net = 0, gross = 0;              ///< wealth after the last row
  std::optional<ScaledPositions> scaled;  ///< where there are, the ledger is what they come to after the last row
  Rehearsal so_far;                       ///< days, wealth, trades and log up to the last row
};

/// The rows of one rehearsal. Keeps references to table, plan and options.
class INCHTIDE_API Walk {
 public:
  /// @throws InputError as `rehearse` does for what can be known before the walk
  Walk(const PriceTable& table, const RehearsalPlan& plan, const RehearsalOptions& options);
  ~Walk();
  Walk(const Walk&) = delete;
  Walk& operator=(const Walk&) = delete;

  [[nodiscard]] WalkState begin() const;
  /// Walks up to a row, which is the next one then.
  void go_on(WalkState& state, std::size_t to_row) const;
  /// The figures of a walk that has come to the end.
  [[nodiscard]] Rehearsal finish(WalkState state) const;

 private:
  struct Plans;
  std::unique_ptr<const Plans> plans_;
};

}  // namespace inchtide

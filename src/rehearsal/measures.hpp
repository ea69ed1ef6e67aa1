#pragma once
// What a run comes to.

#include <vector>

#include "inchtide/rehearsal/walk.hpp"
#include "rehearsal/return_sums.hpp"

namespace inchtide {

// Fills in the figures of a run from its days, wealth and trades.
// @param kept where the walk kept to fixed weights to the end, on days that hang on no cost
void measure(Rehearsal& run, const RehearsalOptions& options, const KeptReturns* kept = nullptr);

// What a walk kept of its returns, or null.
[[nodiscard]] inline const KeptReturns* kept_by(const WalkState& state) {
  return state.scaled && state.scaled->returns ? &*state.scaled->returns : nullptr;
}

// Rows of a walk that are no one else's, behind one, as the rows after it are counted.
[[nodiscard]] std::vector<Eigen::Index> trades_behind(const KeptReturns& kept, Eigen::Index first);
[[nodiscard]] std::vector<KeptReturns::Own> own_behind(const KeptReturns& kept, Eigen::Index first);

// The same as of a whole run, of one of which no more is there than its trades, and wealth on the first row and the
// last.
// @param sums of the rows without a trade
// @param own returns behind the first row
void measure_at_costs(Rehearsal& run, const RehearsalOptions& options, const ReturnSums& sums,
                      const std::vector<KeptReturns::Own>& own, double max_drawdown);

}  // namespace inchtide

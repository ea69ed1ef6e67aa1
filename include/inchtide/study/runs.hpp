#pragma once
/// The runs of a study: every portfolio rehearsed on every schedule, and the benchmark beside them.

#include <vector>

#include "inchtide/rehearsal/rehearsal.hpp"
#include "inchtide/study/portfolios.hpp"

namespace inchtide {

struct Runs {
  std::vector<Rehearsal> all;    ///< portfolio by portfolio, schedule by schedule; then the benchmark's, without costs
  std::vector<Notice> warnings;  ///< days that are no part of the walk, borrowing, trading for free
};

/// The day from which a study rehearses.
/// @throws InputError without one: the weights would be chosen by the very prices they are tested on
[[nodiscard]] Day split_of(const Settings& settings);

/// The prices to walk through: days on which every asset has one of its own (nothing is traded at a price that was
/// carried forward), from the last of them before the split, on which the first purchase is decided. The benchmark's
/// last price counts where it has none.
/// @throws InputError for a split that leaves no prices on one side of it
[[nodiscard]] PriceTable walk_of(const Universe& universe, const Settings& settings, std::vector<Notice>& warnings);

/// @throws InputError as `split_of`, `walk_of` and `rehearse` do; Interrupted when stopped
[[nodiscard]] Runs runs_of(const Universe& universe, const Basis& basis, const Portfolios& portfolios,
                           const Settings& settings, const Watch& watch = {});

}  // namespace inchtide

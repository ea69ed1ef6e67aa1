#pragma once
// An aim chosen again on a later day, and what a run brought between two days.

#include "inchtide/rehearsal/rehearsal.hpp"
#include "inchtide/study/portfolios.hpp"
#include "inchtide/study/universe.hpp"

namespace inchtide {

// The aim by an estimate from prices up to a day, over the settings' window: of the assets that have prices all through
// it, the others not held. One weight an asset of the universe.
[[nodiscard]] Allocation choose_on(const Universe& universe, const Sources& sources, const Settings& settings,
                                   const Aim& aim, Day day);

struct Delivered {
  double mean = 0, volatility = 0, sharpe = 0;  // per year
  double squares = 0;                           // of the demeaned returns from row to row
};

// What a run brought after costs from the close of one row to that of another, two rows later at least.
[[nodiscard]] Delivered delivered(const Rehearsal& run, std::size_t from, std::size_t to, double risk_free);

}  // namespace inchtide

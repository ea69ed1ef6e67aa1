#pragma once
// What a run comes to.

#include "inchtide/rehearsal/rehearsal.hpp"

namespace inchtide {

// Fills in the figures of a run from its days, wealth and trades.
void measure(Rehearsal& run, const RehearsalOptions& options);

}  // namespace inchtide

#pragma once
// Checks of what was asked, before any work.

#include "inchtide/mandate/mandate.hpp"
#include "options.hpp"

namespace inchtide::app {

// The numbers among the options: within what makes sense, and never NaN.
void check_ranges(const Options& options);

// An output never takes the place of what the run reads.
void check_outputs(const Options& options, const Mandate& mandate);

}  // namespace inchtide::app

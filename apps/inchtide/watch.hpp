#pragma once
// Long calls of the library are watched: Ctrl-C ends them in good order, and a terminal shows how far they are.

#include "inchtide/base/progress.hpp"
#include "options.hpp"

namespace inchtide::app {

// As long as a copy of it lives, a first Ctrl-C (or TERM) asks for a stop; a second one ends the program.
Watch watched(const Options& options);

}  // namespace inchtide::app

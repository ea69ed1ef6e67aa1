#pragma once
// Checks of what was asked, before any work.

#include "inchtide/base/errors.hpp"
#include "inchtide/mandate/mandate.hpp"
#include "options.hpp"

namespace inchtide::app {

// The command line itself is wrong.
class WrongUsage : public InputError {
 public:
  using InputError::InputError;
};

// Options that are no settings are within what makes sense, and none stands beside another that takes its place, or
// without one that it needs.
void check_options(const Options& options);

// No option was typed that changes nothing for want of something else.
void check_that_all_act(const Options& options, const Mandate& mandate);

// An output never takes the place of what the run reads.
void check_outputs(const Options& options, const Mandate& mandate);

}  // namespace inchtide::app

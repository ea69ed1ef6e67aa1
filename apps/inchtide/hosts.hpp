#pragma once
// A grid on several machines: ranks under mpirun, which is this program's child.

#include <vector>

#include "inchtide/exchange/run_store.hpp"
#include "options.hpp"

namespace inchtide::app {

// The first rank, here, fills the store's file; a machine that dies ends all ranks, and they are started again with
// those that answer, for what is left, as long as cells land in between.
// @throws OutsideFailure where there is no MPI, or too many machines died; Interrupted when stopped
void run_on_hosts(const Grid& grid, const std::vector<std::size_t>& cells, const exchange::RunStore& store,
                  const Options& options, const Watch& watch);

}  // namespace inchtide::app

#pragma once
// Many rehearsals at once.

#include <optional>

#include "inchtide/exchange/run_store.hpp"
#include "inchtide/report/chapter.hpp"
#include "options.hpp"

namespace inchtide::app {

// `rehearse --grid`.
report::Chapter rehearse_grid(const Options& options);

// Which of a store's runs are asked for, and in which order.
exchange::RunQuery query_of(const Options& options, std::size_t most);

// The store of --runs, to be read.
exchange::RunStore store_to_read(const Options& options);

}  // namespace inchtide::app

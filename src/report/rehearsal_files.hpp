#pragma once
// The tables of a rehearsal that are mostly for files.

#include <string>
#include <vector>

#include "inchtide/rehearsal/rehearsal.hpp"
#include "inchtide/report/table.hpp"

namespace inchtide::report {

// What happened day by day.
Table log_table(const std::vector<Rehearsal>& runs);
// Every order with every part of its cost.
Table trades_table(const std::vector<Rehearsal>& runs, const std::string& currency);
// Wealth after costs at every close.
Table wealth_table(const std::vector<Rehearsal>& runs, const std::string& currency);
// The weights of each close after its trade.
Table weights_table(const std::vector<Rehearsal>& runs);
// What is held in the end.
Table holdings_table(const std::vector<Rehearsal>& runs);

}  // namespace inchtide::report

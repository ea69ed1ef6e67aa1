#pragma once
// Orders of several ledgers on one day are one for fees.

#include <vector>

#include "inchtide/rehearsal/ledger.hpp"

namespace inchtide {

// Fees and commissions become each order's share, by value, of what one order of all in that asset and direction pays.
// Returns what each trade had paid too much.
// @param costs one an asset; none is none
std::vector<double> pay_as_one(const std::vector<Trade*>& trades, const std::vector<AssetCosts>& costs);

}  // namespace inchtide

#pragma once
// One portfolio in several ledgers that look in turn, so that what the choice of the day does is averaged out
// (Hoffstein, Sibears & Faber 2019). All buy on the first row, and none is ever levelled with another.

#include "inchtide/rehearsal/rehearsal.hpp"

namespace inchtide {

// What they come to together. Orders of several in one asset and direction on one day are one for fees: those of the
// first purchase, which are the same in all, pay equal parts of it; what later ones (withdrawals, waits) pay too much
// each ledger has back at that close.
Rehearsal rehearse_in_tranches(const PriceTable& table, const RehearsalPlan& plan, const RehearsalOptions& options);

}  // namespace inchtide

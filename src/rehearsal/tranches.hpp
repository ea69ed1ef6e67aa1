#pragma once
// One portfolio in several ledgers that look in turn, so that what the choice of the day does is averaged out
// (Hoffstein, Sibears & Faber 2019). All buy on the first row, and none is ever levelled with another.

#include "inchtide/rehearsal/rehearsal.hpp"

namespace inchtide {

// What they come to together. Up to the first trade all have the same orders, which are one for fees; later trades of
// several on one day (withdrawals, waits) each pay their own.
Rehearsal rehearse_in_tranches(const PriceTable& table, const RehearsalPlan& plan, const RehearsalOptions& options);

}  // namespace inchtide

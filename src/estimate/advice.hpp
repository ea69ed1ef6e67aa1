#pragma once
// What an estimate should say of itself.

#include "estimate/moments.hpp"
#include "inchtide/estimate/estimators.hpp"

namespace inchtide {

void advise(const Observed& seen, const EstimateOptions& options, Estimated& result);

}  // namespace inchtide

#pragma once
// The limits that a portfolio touches, and what moving each would bring.

#include <vector>

#include "inchtide/weights/allocation.hpp"
#include "weights/solution.hpp"

namespace inchtide {

std::vector<BindingLimit> binding_limits(const Bounds& bounds, const Aim& aim, const Solution& solution,
                                         double risk_free);

// The prices of a solution on both sides: of limits, in what the aim gains before its factor.
void find_sides(const Estimate& estimate, const Bounds& bounds, const Aim& aim, Solution& solution);

// Assets at a weight of 0 that nothing but their price keeps there. Their price over lambda is the return they lack;
// the portfolio stays optimal until one of them has it.
std::vector<LeftOut> assets_left_out(const Estimate& estimate, const Bounds& bounds, const Solution& solution);

}  // namespace inchtide

#pragma once
// The best choice of positions for an aim, where their number or least size is limited.

#include <string>

#include "inchtide/frontier/holdings.hpp"
#include "inchtide/weights/allocation.hpp"
#include "weights/solution.hpp"

namespace inchtide {

struct PositionsAnswer {
  HoldingsAnswer found;
  std::string proof;  ///< how sure it is that no other choice of positions is better, a sentence
};

/// @param frontier of the same estimate and bounds, without the limits on positions
PositionsAnswer positions_for(const Frontier& frontier, const Aim& aim, double risk_free, const LimitFacts& facts,
                              const ChoiceOptions& options);

/// The same with these positions and no others.
Solution solution_with(const Frontier& frontier, const HoldingsAnswer& answer, const Aim& aim, double risk_free,
                       const LimitFacts& facts, std::vector<std::string>& notes);

}  // namespace inchtide

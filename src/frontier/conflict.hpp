#pragma once
// Which of several limits contradict each other.

#include "inchtide/frontier/limits.hpp"

namespace inchtide {

// Drops limits one by one while the rest still conflict: what is left is a set of which none can be dropped.
template <typename Conflicts>
Limits minimal_conflict(Limits limits, Conflicts conflicts) {
  for (std::size_t k = 0; k < limits.size();) {
    auto without = limits;
    without.erase(without.begin() + std::ptrdiff_t(k));
    if (conflicts(without)) {
      limits = std::move(without);
    } else {
      ++k;
    }
  }
  return limits;
}

}  // namespace inchtide

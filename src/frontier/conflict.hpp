#pragma once
// Which of several limits contradict each other.

#include <string>
#include <vector>

#include "inchtide/frontier/limits.hpp"

namespace inchtide {

// True where some limit opens short positions: those on their sum, and on gross.
bool opens_shorts(const Limits& limits);

// The bounds of some of a set of limits. Where another of the set opens short positions they stay open without it, as
// far as nothing else holds them: else dropping that limit would close them, and tighten where it should loosen.
// @throws InfeasibleLimits when they cannot hold, naming all of them
Bounds bounds_of_some(const Limits& some, const std::vector<std::string>& assets, const LimitFacts& facts,
                      bool shorts_open);

// Drops limits one by one while the rest still conflict: what is left is a set of which none can be dropped. Not once
// only: without its own limit the budget is 100%, and then others may no longer be needed.
template <typename Conflicts>
Limits minimal_conflict(Limits limits, Conflicts conflicts) {
  for (bool dropped = true; dropped;) {
    dropped = false;
    for (std::size_t k = 0; k < limits.size();) {
      auto without = limits;
      without.erase(without.begin() + std::ptrdiff_t(k));
      if (conflicts(without)) {
        limits = std::move(without);
        dropped = true;
      } else {
        ++k;
      }
    }
  }
  return limits;
}

}  // namespace inchtide

#pragma once
// How often a random test goes round.

#include <algorithm>
#include <cstdlib>

namespace inchtide::test {

/// What a rare case has to come up more often than, of so often in all rounds.
inline int rare(int in_all) {
  return std::getenv("INCHTIDE_ALL_ROUNDS") != nullptr ? in_all : in_all / 10;
}

/// All of them in the long run, which sets INCHTIDE_ALL_ROUNDS; a tenth else.
inline int rounds(int all) {
  return std::max(1, rare(all));
}

}  // namespace inchtide::test

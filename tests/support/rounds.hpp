#pragma once
// How often a random test goes round.

#include <algorithm>
#include <cstdlib>

namespace inchtide::test {

inline int divided(int all) {
  if (std::getenv("INCHTIDE_ALL_ROUNDS") != nullptr) return all;
#ifdef INCHTIDE_SANITIZE
  return all / 50;
#else
  return all / 10;
#endif
}

/// All of them in the long run, which sets INCHTIDE_ALL_ROUNDS; a tenth else, under the sanitizers a fiftieth.
inline int rounds(int all) {
  return std::max(1, divided(all));
}

/// What a rare case has to come up more often than, of so often in all rounds.
inline int rare(int in_all) {
  return divided(in_all);
}

}  // namespace inchtide::test

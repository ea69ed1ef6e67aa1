#pragma once
// How often a random test goes round.

#include <algorithm>
#include <cstdlib>

namespace inchtide::test {

/// All of them in the long run, which sets INCHTIDE_ALL_ROUNDS; a tenth else, under the sanitizers a fiftieth.
inline int rounds(int all) {
  if (std::getenv("INCHTIDE_ALL_ROUNDS") != nullptr) return all;
#ifdef INCHTIDE_SANITIZE
  return std::max(1, all / 50);
#else
  return std::max(1, all / 10);
#endif
}

/// What a rare case has to come up more often than, of so often in all rounds. Under the sanitizers it need not: there
/// the rounds are few, and it is the code that is watched.
inline int rare([[maybe_unused]] int in_all) {
#ifdef INCHTIDE_SANITIZE
  return -1;
#else
  return std::getenv("INCHTIDE_ALL_ROUNDS") != nullptr ? in_all : in_all / 10;
#endif
}

}  // namespace inchtide::test

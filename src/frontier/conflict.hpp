#pragma once
// Which of several limits contradict each other.

#include <string>
#include <vector>

#include "inchtide/frontier/limits.hpp"

namespace inchtide {

// True where some limit opens short positions: those on their sum, and on gross.
bool opens_shorts(const Limits& limits);

// What limits come to, whether or not they can hold. Where another limit opens short positions they stay open without
// it, as far as nothing else holds them: else dropping that limit would close them, and tighten where it should loosen.
Bounds merged_bounds(const Limits& limits, const std::vector<std::string>& assets, const LimitFacts& facts,
                     bool shorts_open = false);

// The same of some of a set of limits.
// @throws InfeasibleLimits when they cannot hold, naming none
Bounds bounds_of_some(const Limits& some, const std::vector<std::string>& assets, const LimitFacts& facts,
                      bool shorts_open);

// Whether weights within the ranges can sum to the budget, and whether they can be within the rows and numbers of
// positions as well.
bool ranges_can_hold(const Bounds& bounds);
bool can_hold(const Bounds& bounds);

// The bounds with what limits other than these set taken out; what no limit sets stays. (Of several limits that set an
// end of a range only the one that counts is known.)
Bounds only_of(Bounds bounds, const std::vector<int>& kept);

std::string quoted_limit(const Limit& limit);

// Throws the conflict of these limits, which miss each other by these figures.
[[noreturn]] void throw_named(const Limits& conflict, const std::string& figures);

// Throws InfeasibleLimits with a set of limits of which none can be dropped, and the figures that miss.
[[noreturn]] void throw_conflict(const Limits& limits, const std::vector<std::string>& assets, const LimitFacts& facts);
[[noreturn]] void throw_conflict(const Bounds& bounds, const std::vector<std::string>& assets);

// Rows that no limit set are limits of their own, named by their labels.
Bounds with_named_rows(Bounds bounds);

// @throws InputError where there isn't one figure an asset, or one is no number
void check_facts(const LimitFacts& facts, Eigen::Index assets);

// Drops limits one by one while the rest still conflict: what is left is a set of which none can be dropped. Not once
// only: without its own limit the budget is 100%, and then others may no longer be needed.
template <typename Limit, typename Conflicts>
std::vector<Limit> minimal_conflict(std::vector<Limit> limits, Conflicts conflicts) {
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

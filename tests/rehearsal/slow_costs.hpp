#pragma once
// What orders cost, as it is defined, in long double, and how the slow ledger finds what it has to solve for.

#include <algorithm>
#include <cmath>
#include <vector>

#include "inchtide/base/costs.hpp"

namespace inchtide::slow {

using Real = long double;
using List = std::vector<Real>;

inline Real sum_of(const List& list) {
  Real sum = 0;
  for (Real x : list) sum += x;
  return sum;
}

// The point at which a rising function passes 0.
template <typename Function>
Real root(Real low, Real high, Function function) {
  for (int step = 0; step < 300; ++step) {
    const Real middle = (low + high) / 2;
    if (middle <= low || middle >= high) break;
    (function(middle) > 0 ? high : low) = middle;
  }
  return low;
}

inline Real commission(const SideCosts& side, Real value) {
  Real sum = 0;
  for (std::size_t k = 0; k < side.tiers.size(); ++k) {
    const Real from = side.tiers[k].from;
    const Real to = k + 1 < side.tiers.size() ? Real(side.tiers[k + 1].from) : Real(INFINITY);
    if (side.whole) {
      if (k == 0 || value > from) sum = side.tiers[k].rate * value;
    } else if (value > from) {
      sum += side.tiers[k].rate * (std::min(value, to) - from);
    }
  }
  return std::min<Real>(side.most, std::max<Real>(side.least, sum));
}

/// Of an order on one side of this size.
inline Real cost_of(const SideCosts& side, Real size, Real market) {
  return side.fee + commission(side, size) +
         size * (Real(side.half_spread) + side.stamp_duty + side.conversion + side.impact * market * std::sqrt(size));
}

inline Real cost_of(const AssetCosts& costs, Real value, Real market) {
  return cost_of(value > 0 ? costs.buy : costs.sell, std::abs(value), market);
}

}  // namespace inchtide::slow

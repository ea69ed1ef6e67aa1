#pragma once
// What every frontier must be.

#include <gtest/gtest.h>

#include "inchtide/frontier/frontier.hpp"

namespace inchtide::test {

// Certified at each corner and half way to the next in return, with falling returns and volatilities. Returns the
// number of corners.
inline int expect_certified(const Frontier& frontier, int round) {
  const auto& all = frontier.corners();
  for (std::size_t k = 0; k < all.size(); ++k) {
    EXPECT_TRUE(frontier.corner(k).certificate.holds()) << round;
    if (k == 0) continue;
    EXPECT_LT(all[k].expected_return, all[k - 1].expected_return) << round;
    EXPECT_LE(all[k].volatility, all[k - 1].volatility * (1 + 1e-12)) << round;
    EXPECT_TRUE(frontier.at_return((all[k].expected_return + all[k - 1].expected_return) / 2).certificate.holds())
        << round;
  }
  return int(all.size());
}

}  // namespace inchtide::test

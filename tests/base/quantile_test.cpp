#include "inchtide/base/quantile.hpp"

#include <gtest/gtest.h>

namespace inchtide {
namespace {

TEST(Quantile, LiesBetweenTwoValuesByTheDistanceToThem) {
  const auto of = [](std::vector<double> values, double at) { return quantile(values, at); };
  EXPECT_EQ(of({8, 1, 4, 2}, 0), 1);
  EXPECT_EQ(of({8, 1, 4, 2}, 0.25), 1.75);
  EXPECT_EQ(of({8, 1, 4, 2}, 0.5), 3);
  EXPECT_EQ(of({8, 1, 4, 2}, 0.75), 5);
  EXPECT_EQ(of({8, 1, 4, 2}, 1), 8);
  EXPECT_EQ(of({3}, 0.5), 3);
}

}  // namespace
}  // namespace inchtide

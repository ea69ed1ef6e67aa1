// Random portfolios within limits.
#include "inchtide/frontier/cloud.hpp"

#include <gmock/gmock.h>

#include <cmath>

#include "inchtide/frontier/frontier.hpp"
#include "support/five.hpp"
#include "support/limits.hpp"

namespace inchtide::cloud {
namespace {

using test::limits_of;

LimitFacts facts() {
  LimitFacts facts{test::tags_of_five()};
  facts.current = Eigen::VectorXd::Constant(5, 0.2);
  return facts;
}

/// How far any portfolio lies from the first, in one asset.
double spread_of(const Eigen::MatrixXd& cloud) {
  return (cloud.colwise() - cloud.col(0)).cwiseAbs().maxCoeff();
}

TEST(Cloud, StaysWithinTheLimitsAndBelowTheFrontier) {
  const auto estimate = test::estimate_of_five();
  const auto limits = limits_of({"sector:power <= 40%", "each <= 50%", "turnover <= 50%"});
  const auto frontier = trace_frontier(estimate, limits, facts());
  const Eigen::MatrixXd cloud = random_portfolios(frontier, 300, 7);
  EXPECT_EQ(cloud, random_portfolios(frontier, 300, 7)) << "the same seed, the same cloud";
  for (Eigen::Index c = 0; c < cloud.cols(); ++c) {
    const Eigen::VectorXd w = cloud.col(c);
    EXPECT_TRUE(violations_of(limits, test::five, w, facts()).empty());
    const double volatility = std::sqrt(estimate.covariance.portfolio_variance(w));
    EXPECT_GE(volatility, frontier.minimum_variance().volatility * (1 - 1e-12));
    if (volatility <= frontier.corners().front().volatility) {
      EXPECT_LE(estimate.expected_return.dot(w), frontier.at_volatility(volatility).expected_return + 1e-12);
    }
  }
  EXPECT_GT(spread_of(cloud), 0.1) << "it should show the room there is";
}

TEST(Cloud, MovesUnderTotalsThatAreFixed) {
  // Power and bonds have one total each: weight moves within them and nowhere else.
  const auto limits = limits_of({"sector:power = 40%", "sector:bonds = 50%"});
  const auto cloud = random_portfolios(trace_frontier(test::estimate_of_five(), limits, facts()), 200, 5);
  EXPECT_LT(((cloud.row(0) + cloud.row(1)).array() - 0.4).abs().maxCoeff(), 1e-11);
  EXPECT_LT(((cloud.row(3) + cloud.row(4)).array() - 0.5).abs().maxCoeff(), 1e-11);
  for (Eigen::Index i : {0, 1, 3, 4})
    EXPECT_GT(cloud.row(i).maxCoeff() - cloud.row(i).minCoeff(), 0.2) << test::five[std::size_t(i)];
}

}  // namespace
}  // namespace inchtide::cloud

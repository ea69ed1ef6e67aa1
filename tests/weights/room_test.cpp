// How far weights can move, against trying every mix; and the worst stretches of a history, by hand.

#include <cmath>
#include <random>

#include "inchtide/base/errors.hpp"
#include "inchtide/frontier/frontier.hpp"
#include "inchtide/study/portfolios.hpp"
#include "inchtide/weights/room.hpp"
#include "inchtide/weights/stretches.hpp"
#include "support/problems.hpp"
#include "support/rounds.hpp"

namespace inchtide::room {
namespace {

/// The least and most of each weight over a grid of all long-only mixes of three assets.
std::vector<WeightRange> by_trying(const Estimate& estimate, const Bounds& bounds, const Eigen::VectorXd& weights,
                                   double give_up, int steps) {
  const double most_variance = estimate.covariance.portfolio_variance(weights);
  const double least_return = estimate.expected_return.dot(weights) - give_up;
  std::vector<WeightRange> ranges(3);
  for (std::size_t i = 0; i < 3; ++i) ranges[i] = {weights[Eigen::Index(i)], weights[Eigen::Index(i)]};
  for (int a = 0; a <= steps; ++a) {
    for (int b = 0; a + b <= steps; ++b) {
      const Eigen::Vector3d mix(a / double(steps), b / double(steps), (steps - a - b) / double(steps));
      if ((mix - bounds.upper).maxCoeff() > 1e-12 || (bounds.lower - mix).maxCoeff() > 1e-12) continue;
      if (estimate.covariance.portfolio_variance(mix) > most_variance ||
          estimate.expected_return.dot(mix) < least_return)
        continue;
      for (std::size_t i = 0; i < 3; ++i) {
        ranges[i].least = std::min(ranges[i].least, mix[Eigen::Index(i)]);
        ranges[i].most = std::max(ranges[i].most, mix[Eigen::Index(i)]);
      }
    }
  }
  return ranges;
}

TEST(Room, IsWhatTryingEveryMixFinds) {
  std::mt19937_64 random(11);
  constexpr int steps = 400;
  double widest = 0;
  for (int round = 0; round < test::rounds(40); ++round) {
    const auto estimate = test::random_problem(random, 3, {}).estimate;
    auto bounds = Bounds::long_only(3);
    if (round % 2 == 1) bounds.upper.setConstant(0.6);
    const auto frontier = trace_frontier(estimate, bounds);
    const auto& corners = frontier.corners();
    const double aimed = 0.7 * corners.front().expected_return + 0.3 * corners.back().expected_return;
    const auto chosen = frontier.at_return(aimed).weights;
    const double give_up = 0.004;
    const auto room = room_of(estimate, bounds, chosen, give_up);
    const auto tried = by_trying(estimate, bounds, chosen, give_up, steps);
    for (std::size_t i = 0; i < 3; ++i) {
      ASSERT_TRUE(room[i]);
      EXPECT_LE(room[i]->least, tried[i].least + 1e-9) << round;  // no mix that was tried lies beyond
      EXPECT_GE(room[i]->most, tried[i].most - 1e-9) << round;
      EXPECT_NEAR(room[i]->least, tried[i].least, 0.06) << round;  // the region is thin, the grid coarse
      EXPECT_NEAR(room[i]->most, tried[i].most, 0.06) << round;
      widest = std::max(widest, room[i]->most - room[i]->least);
    }
  }
  EXPECT_GT(widest, 0.05);
}

// Every end is a portfolio: moving a weight there and choosing the least risk of the others keeps risk and return.
TEST(Room, EndsAreReachedAndNothingBeyond) {
  std::mt19937_64 random(12);
  for (int round = 0; round < test::rounds(30); ++round) {
    const int n = 5;
    const auto estimate = test::random_problem(random, n, {}).estimate;
    auto bounds = Bounds::long_only(n);
    bounds.upper.setConstant(0.5);
    const auto frontier = trace_frontier(estimate, bounds);
    const auto& corners = frontier.corners();
    const auto chosen =
        frontier.at_return(0.5 * corners.front().expected_return + 0.5 * corners.back().expected_return);
    const auto room = room_of(estimate, bounds, chosen.weights, 0.002);
    // An end may lie where the return alone stops it: what it was found with may be less by rounding.
    const double rounding = 2e-8 * estimate.expected_return.cwiseAbs().maxCoeff();
    const auto least_risk_with = [&](int i, double weight) {
      auto fixed = bounds;
      fixed.lower[i] = fixed.upper[i] = weight;
      fixed.rows.push_back(
          {-1, "return", estimate.expected_return, chosen.expected_return - 0.002 - rounding, INFINITY});
      return trace_frontier(estimate, fixed).minimum_variance().volatility;
    };
    for (int i = 0; i < n; ++i) {
      const auto& [least, most] = *room[std::size_t(i)];
      EXPECT_LE(least_risk_with(i, most), chosen.volatility * (1 + 1e-6));
      EXPECT_LE(least_risk_with(i, least), chosen.volatility * (1 + 1e-6));
      const double beyond = 1e-3;
      const auto out_of_reach = [&](double weight) {
        if (weight < 0 || weight > 0.5) return true;
        try {
          return least_risk_with(i, weight) > chosen.volatility;
        } catch (const InfeasibleLimits&) {
          return true;
        }
      };
      EXPECT_TRUE(out_of_reach(most + beyond)) << round;
      EXPECT_TRUE(out_of_reach(least - beyond)) << round;
    }
  }
}

TEST(Room, OfAPortfolioThatIsAloneIsNone) {
  const auto estimate =
      test::estimate_of(Eigen::Vector2d(0.03, 0.08), Eigen::Matrix2d(Eigen::Vector2d(0.0025, 0.04).asDiagonal()));
  const auto room = room_of(estimate, Bounds::long_only(2), Eigen::Vector2d(0, 1), 0);  // the highest return, no less
  EXPECT_NEAR(room[1]->least, 1, 1e-7);
  EXPECT_NEAR(room[0]->most, 0, 1e-7);
  EXPECT_THROW((void)room_of(estimate, Bounds::long_only(2), Eigen::Vector2d(-0.5, 1.5), 0.001), InputError);
  EXPECT_THROW((void)room_of(estimate, Bounds::long_only(2), Eigen::Vector2d(0, 1), -0.001), InputError);
  EXPECT_THROW((void)room_of(estimate, Bounds::long_only(2), Eigen::Vector3d(0, 1, 0), 0.001), InputError);
}

ReturnTable months(const std::vector<std::vector<double>>& rows) {
  ReturnTable returns;
  returns.start = *parse_day("2020-12-31");
  returns.returns.resize(Eigen::Index(rows.size()), Eigen::Index(rows.front().size()));
  for (std::size_t i = 0; i < rows.front().size(); ++i) returns.assets.push_back("A" + std::to_string(i + 1));
  for (std::size_t t = 0; t < rows.size(); ++t) {
    returns.days.push_back(returns.start + std::chrono::days{30 * (int(t) + 1)});
    for (std::size_t i = 0; i < rows[t].size(); ++i) returns.returns(Eigen::Index(t), Eigen::Index(i)) = rows[t][i];
  }
  returns.spans = Eigen::MatrixXi::Ones(returns.returns.rows(), returns.returns.cols());
  return returns;
}

TEST(Stretches, AreTheDeepestFallsNoneWithinAnother) {
  // Up, down 10% and 20%, up, down 5%, up, down 30%.
  const auto returns = months({{0.1}, {-0.1}, {-0.2}, {0.8}, {-0.05}, {0.2}, {-0.3}});
  const Eigen::VectorXd one = Eigen::VectorXd::Ones(1);
  const auto worst = worst_stretches(returns, one, 5);
  ASSERT_EQ(worst.size(), 3u);
  EXPECT_EQ(worst[0].first_row, 6u);
  EXPECT_EQ(worst[0].rows, 1u);
  EXPECT_EQ(worst[1].first_row, 1u);
  EXPECT_EQ(worst[1].rows, 2u);
  EXPECT_EQ(worst[1].from, returns.days[0]);
  EXPECT_EQ(worst[1].to, returns.days[2]);
  EXPECT_NEAR(return_through(returns, worst[1], one, 0), 0.9 * 0.8 - 1, 1e-15);
  EXPECT_EQ(worst[2].first_row, 4u);
  EXPECT_EQ(worst_stretches(returns, one, 1).size(), 1u);
  EXPECT_TRUE(worst_stretches(months({{0.1}, {0.2}}), one, 5).empty()) << "it never fell";
}

TEST(Stretches, PayCashAndRestoreWeights) {
  const auto returns = months({{-0.2, 0.1}, {-0.1, 0.3}});
  const auto worst = worst_stretches(returns, Eigen::Vector2d(1, 0), 1);
  ASSERT_EQ(worst.size(), 1u);
  EXPECT_EQ(worst[0].from, returns.start);
  const double cash = std::pow(1.12, 1.0 / 12) - 1;
  EXPECT_NEAR(return_through(returns, worst[0], Eigen::Vector2d(0.5, 0.25), 0.12),
              (1 - 0.1 + 0.025 + 0.25 * cash) * (1 - 0.05 + 0.075 + 0.25 * cash) - 1, 1e-15);
  auto holes = returns;
  holes.returns(0, 1) = NAN;
  holes.spans(0, 1) = 0;
  EXPECT_THROW((void)worst_stretches(holes, Eigen::Vector2d(1, 0), 1), InputError);
}

}  // namespace
}  // namespace inchtide::room

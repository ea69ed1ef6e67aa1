// Prices of limits where loosening and tightening differ: closed forms, and solving again on either side.

#include <fmt/format.h>

#include <cmath>
#include <functional>
#include <random>

#include "inchtide/base/errors.hpp"
#include "inchtide/frontier/frontier.hpp"
#include "inchtide/frontier/sided_prices.hpp"
#include "inchtide/weights/allocation.hpp"
#include "support/problems.hpp"
#include "support/rounds.hpp"

namespace inchtide::sided_prices {
namespace {

struct Rule {
  std::string left;  // all but the figure
  double figure;
  double loosens;  // 1 where a larger figure does, else -1
};

Limits limits_of(const std::vector<Rule>& rules) {
  Limits limits;
  for (const auto& rule : rules)
    limits.push_back(Limit::parse(fmt::format("{} {:.17g}%", rule.left, 100 * rule.figure), rule.left));
  return limits;
}

Allocation chosen(const Estimate& estimate, const std::vector<Rule>& rules, const Aim& aim,
                  const LimitFacts& facts = {}) {
  const auto limits = limits_of(rules);
  return choose(trace_frontier(estimate, limits, facts), aim, 0.01);
}

const BindingLimit& binding(const Allocation& allocation, const std::string& name) {
  const auto found = std::ranges::find(allocation.binding, name, &BindingLimit::limit);
  if (found == allocation.binding.end()) throw std::runtime_error(name + " does not bind");
  return *found;
}

TEST(SidedPrices, OfCapsThatFillTheBudgetHaveNoRoomToTighten) {
  // Half in each, whatever the estimate. A little more of the first takes a little of the second: utility w'm - A
  // w'Sw/2 changes by m1 - m2 - A (s11 w1 - s22 w2), and loosening the second alone would bring nothing.
  const auto estimate =
      test::estimate_of(Eigen::Vector2d(0.08, 0.05), Eigen::Matrix2d(Eigen::Vector2d(0.04, 0.02).asDiagonal()));
  const auto best = chosen(estimate, {{"A1 <=", 0.5, 1}, {"A2 <=", 0.5, 1}}, Aim{Aim::Kind::utility, 1.5});
  const double gain = 0.08 - 0.05 - 1.5 * (0.04 * 0.5 - 0.02 * 0.5);
  ASSERT_GT(gain, 0);
  EXPECT_NEAR(*binding(best, "A1 <=").loosening, 0.01 * gain, 1e-12);
  EXPECT_NEAR(*binding(best, "A2 <=").loosening, 0, 1e-12);
  EXPECT_TRUE(std::isinf(binding(best, "A1 <=").tightening.value()));
  EXPECT_TRUE(std::isinf(binding(best, "A2 <=").tightening.value()));
}

TEST(SidedPrices, OfABudgetThatCapsFillHaveASideEach) {
  // 50% and 40% fill a budget of 90%: a little more of it goes to the third asset, a little less is taken from the
  // worse of the two. A unit of asset i instead of cash adds m_i - 1% - A s_ii w_i.
  const auto estimate = test::estimate_of(Eigen::Vector3d(0.08, 0.06, 0.02),
                                          Eigen::Matrix3d(Eigen::Vector3d(0.04, 0.02, 0.01).asDiagonal()));
  const auto best =
      chosen(estimate, {{"A1 <=", 0.5, 1}, {"A2 <=", 0.4, 1}, {"budget =", 0.9, 1}}, Aim{Aim::Kind::utility, 1.5});
  ASSERT_LT((best.weights - Eigen::Vector3d(0.5, 0.4, 0)).cwiseAbs().maxCoeff(), 1e-12);
  const double first = 0.08 - 0.01 - 1.5 * 0.04 * 0.5, second = 0.06 - 0.01 - 1.5 * 0.02 * 0.4, third = 0.02 - 0.01;
  EXPECT_NEAR(*binding(best, "budget =").raising, 0.01 * third, 1e-14);
  EXPECT_NEAR(*binding(best, "budget =").lowering, -0.01 * std::min(first, second), 1e-14);
}

TEST(SidedPrices, SayWhatAnAssetLeftOutOfAVertexWouldNeed) {
  // 60% and 40% fill the budget: the third asset has to beat the worse of the two at the margin.
  Eigen::Matrix3d covariance = Eigen::Matrix3d::Constant(0.04);
  covariance.diagonal().array() += 0.001;
  auto estimate = test::estimate_of(Eigen::Vector3d(0.20, 0.16, 0.02), covariance);
  const std::vector<Rule> rules = {{"A1 <=", 0.6, 1}, {"A2 <=", 0.4, 1}};
  for (const Aim& aim : {Aim{Aim::Kind::utility, 1}, Aim{Aim::Kind::maximum_sharpe, 0}}) {
    estimate.expected_return[2] = 0.02;
    const auto vertex = chosen(estimate, rules, aim);
    ASSERT_NEAR(vertex.weights[2], 0, 1e-12);
    ASSERT_EQ(vertex.left_out.size(), 1u);
    const double needed = vertex.left_out[0].would_need.value();
    estimate.expected_return[2] = needed - 1e-7;
    EXPECT_NEAR(chosen(estimate, rules, aim).weights[2], 0, 1e-12) << aim.text();
    estimate.expected_return[2] = needed + 1e-5;
    EXPECT_GT(chosen(estimate, rules, aim).weights[2], 1e-6) << aim.text();
  }
}

TEST(SidedPrices, AgreeWherePricesAreUnique) {
  std::mt19937_64 random(21);
  const auto estimate = test::random_problem(random, 6, {}).estimate;
  const auto limits = limits_of({{"each <=", 0.3, 1}});
  const auto frontier = trace_frontier(estimate, limits);
  ASSERT_GT(frontier.corners().size(), 2u);
  const double middle = (frontier.corners()[1].expected_return + frontier.corners()[2].expected_return) / 2;
  const auto between = choose(frontier, Aim{Aim::Kind::target_return, middle}, 0.01);
  ASSERT_EQ(between.binding.size(), 1u);
  EXPECT_GT(*between.binding[0].loosening, 0);
  EXPECT_FALSE(between.binding[0].tightening);
}

// What an aim is worth: it gains where this rises.
using Worth = std::function<double(const Allocation&)>;

struct Tally {
  int checked = 0, sided = 0;
};

// Every binding limit of an optimum, solved again with the limit moved a little to either side.
void check_both_sides(const Estimate& estimate, const std::vector<Rule>& rules, const LimitFacts& facts, const Aim& aim,
                      const Worth& worth, Tally& tally) {
  const auto at = chosen(estimate, rules, aim, facts);
  const auto slope = [&](std::size_t rule, double side) {
    constexpr double step = 1e-9;  // slopes change fast where the next corner or the minimum variance is near
    auto moved = rules;
    moved[rule].figure += side * step * moved[rule].loosens;
    return side * (worth(chosen(estimate, moved, aim, facts)) - worth(at)) / step;
  };
  for (std::size_t r = 0; r < rules.size(); ++r) {
    const auto found = std::ranges::find(at.binding, rules[r].left, &BindingLimit::limit);
    if (found == at.binding.end()) continue;
    const double loosened = *found->loosening / 0.01;
    const double tightened = found->tightening.value_or(*found->loosening) / 0.01;
    const double size = 5e-3 * std::max(1.0, std::abs(loosened));
    EXPECT_NEAR(slope(r, 1), loosened, size) << aim.text() << ", looser: " << rules[r].left;
    ++tally.checked;
    tally.sided += found->tightening.has_value();
    if (std::isinf(tightened)) {
      EXPECT_ANY_THROW(slope(r, -1)) << aim.text() << ", tighter: " << rules[r].left;
    } else {
      EXPECT_NEAR(slope(r, -1), tightened, 5e-3 * std::max(1.0, std::abs(tightened)))
          << aim.text() << ", tighter: " << rules[r].left;
    }
  }
}

TEST(SidedPrices, AreWhatSolvingAgainOnEitherSideBrings) {
  std::mt19937_64 random(22);
  Tally at_corners, at_vertices;
  for (int round = 0; round < test::rounds(1000); ++round) {
    const int n = 3 + int(random() % 5);
    auto estimate = test::random_problem(random, n, {}).estimate;
    std::vector<Rule> rules = {{"each <=", 1.5 / n, 1}, {"A1 >=", 0.1, -1}, {"A2 <=", 0.6 / n, 1}};
    LimitFacts facts;
    if (round % 3 == 0) {
      facts.current = Eigen::VectorXd::Constant(n, 1.0 / n);
      rules.push_back({"turnover <=", 0.3, 1});
    }
    if (round % 3 == 1) rules.push_back({"gross <=", 1.2, 1});
    try {
      const auto frontier = trace_frontier(estimate, limits_of(rules), facts);
      if (frontier.corners().size() < 3) continue;
      const auto& corner = frontier.corners()[1 + random() % (frontier.corners().size() - 2)];
      // At a corner's own return or volatility, a range of lambda fits.
      check_both_sides(
          estimate, rules, facts, Aim{Aim::Kind::target_return, corner.expected_return},
          [](const Allocation& a) { return -a.volatility; }, at_corners);
      check_both_sides(
          estimate, rules, facts, Aim{Aim::Kind::target_volatility, corner.volatility},
          [](const Allocation& a) { return a.expected_return; }, at_corners);
      // High returns count for much: the top, often a vertex.
      check_both_sides(
          estimate, rules, facts, Aim{Aim::Kind::utility, 0.01},
          [](const Allocation& a) { return a.expected_return - 0.005 * a.volatility * a.volatility; }, at_vertices);
      check_both_sides(
          estimate, rules, facts, Aim{Aim::Kind::minimum_variance, 0},
          [](const Allocation& a) { return -a.volatility; }, at_vertices);
    } catch (const InfeasibleLimits&) {
    }
  }
  EXPECT_GT(at_corners.checked, test::rare(2000));
  EXPECT_GT(at_corners.sided, test::rare(200));
  EXPECT_GT(at_vertices.checked, test::rare(2000));
  EXPECT_GT(at_vertices.sided, test::rare(200));
}

}  // namespace
}  // namespace inchtide::sided_prices

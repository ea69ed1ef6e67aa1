// Rows that a program adds to bounds are limits like those that are read: named, priced, and told apart in a conflict.

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <functional>
#include <random>

#include "inchtide/base/errors.hpp"
#include "inchtide/frontier/single.hpp"
#include "inchtide/weights/allocation.hpp"
#include "support/messages.hpp"
#include "support/problems.hpp"
#include "support/rounds.hpp"

namespace inchtide::own_rows {
namespace {

using testing::ElementsAre;
using testing::HasSubstr;
using testing::UnorderedElementsAre;

constexpr double infinity = std::numeric_limits<double>::infinity();

Estimate five_assets() {
  std::mt19937_64 random(11);
  return test::random_problem(random, 5, {}).estimate;
}

// What an aim gains: less volatility, or more ratio.
double figure_of(const Estimate& estimate, const Bounds& bounds, const Aim& aim) {
  const auto chosen = choose(trace_frontier(estimate, bounds), aim, 0.01);
  return aim.kind == Aim::Kind::maximum_sharpe ? chosen.sharpe : -chosen.volatility;
}

const BindingLimit* named(const Allocation& allocation, const std::string& name) {
  for (const auto& binding : allocation.binding) {
    if (binding.limit == name) return &binding;
  }
  return nullptr;
}

TEST(OwnRows, AreNamedAndPricedLikeLimits) {
  const auto estimate = five_assets();
  Eigen::VectorXd years(5);  // each asset's, as an average of them would be limited
  years << 1, 2, 4, 7, 10;
  for (const auto& aim : {Aim{Aim::Kind::minimum_variance, 0}, Aim{Aim::Kind::maximum_sharpe, 0}}) {
    auto bounds = bounds_of({Limit::parse("each <= 60%")}, estimate.assets);
    const double free = years.dot(choose(trace_frontier(estimate, bounds), aim, 0.01).weights);
    for (bool lower : {false, true}) {
      const double end = lower ? free + 0.4 : free - 0.4;
      const auto with = [&](double figure) {
        auto limited = bounds;
        limited.rows.push_back({-1, "years", years, lower ? figure : -infinity, lower ? infinity : figure});
        return limited;
      };
      const auto frontier = trace_frontier(estimate, with(end));
      ASSERT_EQ(frontier.limits().size(), 2u);
      EXPECT_EQ(frontier.limits()[1].name, "years");
      const auto chosen = choose(frontier, aim, 0.01);
      EXPECT_NEAR(years.dot(chosen.weights), end, 1e-9);
      const auto* binding = named(chosen, "years");
      ASSERT_TRUE(binding);
      ASSERT_TRUE(binding->loosening);
      // Per hundredth of the row's own figure.
      constexpr double step = 1e-6;
      const double loosened = figure_of(estimate, with(lower ? end - step : end + step), aim);
      const double tightened = figure_of(estimate, with(lower ? end + step : end - step), aim);
      const double slope = 0.01 * (loosened - tightened) / (2 * step);
      EXPECT_NEAR(*binding->loosening, slope, 1e-4 * slope + 1e-9) << aim.text() << lower;
      EXPECT_GT(slope, 1e-6);
    }
  }
}

TEST(OwnRows, OfATagsTotalAreTheLimitOnIt) {
  const auto estimate = five_assets();
  Tags tags;
  tags.columns = {"sector"};
  for (std::size_t i = 0; i < 5; ++i) {
    tags.assets.push_back(estimate.assets[i]);
    tags.rows.push_back({i < 2 ? "x" : "y"});
  }
  const Limits limits{Limit::parse("sector:x <= 15%", "few x"), Limit::parse("each <= 50%")};
  const auto read = choose(trace_frontier(estimate, limits, tags), Aim{Aim::Kind::minimum_variance, 0}, 0);
  auto bounds = bounds_of({limits[1]}, estimate.assets);
  Eigen::VectorXd of_x = Eigen::VectorXd::Zero(5);
  of_x.head(2).setOnes();
  bounds.rows.push_back({-1, "few x", of_x, -infinity, 0.15});
  const auto own = choose(trace_frontier(estimate, bounds), Aim{Aim::Kind::minimum_variance, 0}, 0);
  EXPECT_LT((own.weights - read.weights).norm(), 1e-12);
  const auto *a = named(read, "few x"), *b = named(own, "few x");
  ASSERT_TRUE(a && b);
  EXPECT_NEAR(*a->loosening, *b->loosening, 1e-12);
}

TEST(OwnRows, WhoseFiguresCannotBeAreNamed) {
  const auto estimate = five_assets();
  const auto said = [&](const std::function<void(LimitRow&)>& spoil) {
    auto bounds = Bounds::long_only(5);
    LimitRow row{-1, "much of the third", Eigen::VectorXd::Unit(5, 2), -infinity, 0.5};
    row.bend = row.bend_at = Eigen::VectorXd::Constant(5, 0.1);
    spoil(row);
    bounds.rows.push_back(row);
    return test::message_of([&] { trace_frontier(estimate, bounds); });
  };
  EXPECT_EQ(said([](LimitRow&) {}), "nothing was thrown");
  EXPECT_THAT(said([](LimitRow& row) { row.bend[3] = -0.1; }), HasSubstr("much of the third: a bend is negative"));
  EXPECT_THAT(said([](LimitRow& row) { row.lower = 0; }), HasSubstr("sizes have a lower end"));
  EXPECT_THAT(said([](LimitRow& row) { row.bend_at = Eigen::VectorXd::Zero(4); }), HasSubstr("where it bends"));
  EXPECT_THAT(said([](LimitRow& row) { row.bend.resize(0); }), HasSubstr("bends"));
  EXPECT_THAT(said([](LimitRow& row) { row.upper = NAN; }), HasSubstr("an end is no number"));
  EXPECT_THAT(said([](LimitRow& row) { row.upper = -infinity; }), HasSubstr("an end is no number"));
  EXPECT_THAT(said([](LimitRow& row) { row.constant = infinity; }), HasSubstr("a constant is not finite"));
  EXPECT_THAT(said([](LimitRow& row) { row.constant_falling = NAN; }), HasSubstr("a constant is not finite"));
}

TEST(OwnBounds, WhoseFiguresCannotBeAreNamed) {
  const auto estimate = five_assets();
  const auto said = [&](const std::function<void(Bounds&)>& spoil) {
    auto bounds = Bounds::long_only(5);
    spoil(bounds);
    return test::message_of([&] { trace_frontier(estimate, bounds); });
  };
  EXPECT_EQ(said([](Bounds& bounds) { bounds.upper[1] = infinity; }), "nothing was thrown");
  EXPECT_THAT(said([](Bounds& bounds) { bounds.lower[1] = -infinity; }), HasSubstr("a lower end or the budget"));
  EXPECT_THAT(said([](Bounds& bounds) { bounds.lower[0] = NAN; }), HasSubstr("a lower end or the budget"));
  EXPECT_THAT(said([](Bounds& bounds) { bounds.upper[4] = NAN; }), HasSubstr("an upper end is no number"));
  EXPECT_THAT(said([](Bounds& bounds) { bounds.budget = infinity; }), HasSubstr("the budget is not finite"));
}

TEST(OwnRows, ThatBreakAreNamed) {
  const auto estimate = five_assets();
  auto bounds = Bounds::long_only(5);
  bounds.rows.push_back({-1, "", Eigen::VectorXd::Unit(5, 2), 0.5, infinity});
  const auto equal = choose(trace_frontier(estimate, bounds), Aim{Aim::Kind::equal, 0}, 0);
  ASSERT_EQ(equal.violations.size(), 1u);
  EXPECT_EQ(equal.violations[0].limit, "row 1");
  EXPECT_NEAR(equal.violations[0].by, 0.3, 1e-12);
}

std::vector<std::string> conflict_of(const Estimate& estimate, const Bounds& bounds, std::string* message = nullptr) {
  try {
    trace_frontier(estimate, bounds);
  } catch (const InfeasibleLimits& conflict) {
    if (message) *message = conflict.what();
    return conflict.names();
  }
  return {};
}

TEST(OwnRows, ThatConflictAreNamedWithTheLimitsThatTheyNeed) {
  const auto estimate = five_assets();
  std::string message;
  auto bounds =
      bounds_of({Limit::parse("each <= 30%"), Limit::parse("A5 <= 25%"), Limit::parse("A1 >= 1%")}, estimate.assets);
  Eigen::VectorXd two = Eigen::VectorXd::Zero(5);
  two.head(2).setOnes();
  bounds.rows.push_back({-1, "the first two", two, 0.7, infinity});
  EXPECT_THAT(conflict_of(estimate, bounds, &message), UnorderedElementsAre("each <= 30%", "the first two"));
  EXPECT_THAT(message, HasSubstr("the first two would have to be at least 70%, the ranges of its assets allow 60%"));
  EXPECT_THAT(test::message_of([&] { single_portfolio(estimate, bounds); }), HasSubstr("'the first two'"));
  // Without the cap they can hold.
  auto without = Bounds::long_only(5);
  without.rows = bounds.rows;
  EXPECT_THAT(conflict_of(estimate, without), ElementsAre());
  // Two rows against each other; a third that is not needed.
  without.rows.push_back({-1, "the others", Eigen::VectorXd::Ones(5) - two, 0.4, infinity});
  without.rows.push_back({-1, "the last", Eigen::VectorXd::Unit(5, 4), -infinity, 0.9});
  EXPECT_THAT(conflict_of(estimate, without, &message), UnorderedElementsAre("the first two", "the others"));
  // Ranges alone, set by limits and by hand.
  auto ranges = bounds_of({Limit::parse("each <= 30%")}, estimate.assets);
  ranges.upper.head(4).setConstant(0.1);
  EXPECT_THAT(conflict_of(estimate, ranges, &message), ElementsAre("each <= 30%"));
  EXPECT_THAT(message, HasSubstr("over 5 assets they allow 70%"));
  ranges.upper.setConstant(0.1);
  ranges.upper_limit.assign(5, -1);
  EXPECT_THAT(conflict_of(estimate, ranges, &message), ElementsAre());
  EXPECT_THAT(message, HasSubstr("No weights are within the bounds: over 5 assets they allow 50%"));
}

TEST(OwnRows, ThatLeaveNoRoomUnderACeilingAreNamedWithIt) {
  auto estimate = test::estimate_of(Eigen::Vector3d(0.02, 0.05, 0.09),
                                    Eigen::Vector3d(0.0025, 0.01, 0.09).asDiagonal().toDenseMatrix());
  auto bounds = bounds_of({Limit::parse("volatility <= 10%"), Limit::parse("A1 <= 90%")}, estimate.assets);
  EXPECT_NO_THROW(trace_frontier(estimate, bounds));
  bounds.rows.push_back({-1, "much of the third", Eigen::Vector3d(0, 0, 1), 0.8, infinity});  // 24% at least
  std::string message;
  EXPECT_THAT(conflict_of(estimate, bounds, &message), UnorderedElementsAre("volatility <= 10%", "much of the third"));
  EXPECT_THAT(message, HasSubstr("the least volatility that they leave is 24."));
}

TEST(OwnRows, ConflictsOfRandomRowsNeedEveryMember) {
  std::mt19937_64 random(5);
  const auto pick = [&](int below) { return int(random() % std::uint64_t(below)); };
  int conflicts = 0;
  for (int round = 0; round < test::rounds(400); ++round) {
    const auto estimate = five_assets();
    auto bounds = Bounds::long_only(5);
    for (int r = 0; r < 4; ++r) {
      Eigen::VectorXd row(5);
      for (auto& entry : row) entry = pick(3) - 1;
      const double end = 0.1 * (pick(12) - 3);
      const bool lower = pick(2) == 0;
      bounds.rows.push_back({-1, "r" + std::to_string(r), row, lower ? end : -infinity, lower ? infinity : end});
    }
    const auto conflict = conflict_of(estimate, bounds);
    if (conflict.empty()) continue;
    ++conflicts;
    const auto only = [&](const std::vector<std::string>& names) {
      auto some = bounds;
      std::erase_if(some.rows, [&](const LimitRow& row) {
        return std::find(names.begin(), names.end(), row.label) == names.end();
      });
      return conflict_of(estimate, some);
    };
    EXPECT_FALSE(only(conflict).empty());
    for (std::size_t k = 0; k < conflict.size(); ++k) {
      auto fewer = conflict;
      fewer.erase(fewer.begin() + std::ptrdiff_t(k));
      EXPECT_TRUE(only(fewer).empty()) << round;
    }
  }
  EXPECT_GT(conflicts, test::rare(50));
}

TEST(Frontiers, CarryTheLimitsAndFactsThatTheyWereTracedUnder) {
  const auto estimate = five_assets();
  LimitFacts facts;
  facts.benchmark = BenchmarkRisk::of_weights(estimate.covariance, Eigen::VectorXd::Constant(5, 0.2));
  facts.current = Eigen::VectorXd::Constant(5, 0.2);
  const Limits limits{Limit::parse("A1 <= 10%", "little"), Limit::parse("turnover <= 80%")};
  const auto frontier = trace_frontier(estimate, limits, facts);
  EXPECT_EQ(frontier.limits().size(), 2u);
  EXPECT_EQ(frontier.limits()[0].name, "little");
  const auto chosen = choose(frontier, Aim{Aim::Kind::minimum_variance, 0}, 0);
  EXPECT_TRUE(chosen.tracking_error && chosen.turnover);
  // A copy of the frontier outlives what it was traced from.
  std::optional<Frontier> kept;
  {
    const Limits gone{Limit::parse("A2 <= 5%", "gone")};
    kept = trace_frontier(estimate, gone);
  }
  EXPECT_EQ(kept->limits()[0].name, "gone");
}

}  // namespace
}  // namespace inchtide::own_rows

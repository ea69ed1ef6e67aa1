// The highest ratio with few positions against every choice of positions, one after the other: what is called proven
// has to be so.

#include <algorithm>
#include <array>
#include <cmath>
#include <functional>
#include <optional>
#include <random>
#include <string>
#include <vector>

#include "inchtide/base/errors.hpp"
#include "inchtide/weights/allocation.hpp"
#include "support/messages.hpp"
#include "support/problems.hpp"
#include "support/rounds.hpp"

namespace inchtide::positions {
namespace {

using testing::Contains;
using testing::HasSubstr;

const int all_rounds = test::rounds(250);

struct Case {
  Estimate estimate;
  Limits limits;
  LimitFacts facts;
  int most = 0;
  double least = 0, risk_free = 0;
  bool shorts = false;
};

Case random_case(std::mt19937_64& random) {
  const auto pick = [&](int below) { return int(random() % std::uint64_t(below)); };
  Case c;
  c.shorts = pick(4) == 0;
  const int n = c.shorts ? 3 + pick(4) : 3 + pick(8);
  c.estimate =
      test::random_problem(random, n, {pick(4) == 0, pick(5) == 0, pick(6) == 0, pick(6) == 0, false}).estimate;
  c.risk_free = 0.01 * pick(10);
  c.most = 1 + pick(4);
  c.facts.tags.columns = {"sector"};
  for (const auto& asset : c.estimate.assets) {
    c.facts.tags.assets.push_back(asset);
    c.facts.tags.rows.push_back({pick(2) == 0 ? "x" : "y"});
  }
  c.limits.push_back(Limit::parse("holdings <= " + std::to_string(c.most)));
  if (pick(3) == 0) {
    c.least = 0.05 * (1 + pick(3));
    c.limits.push_back(Limit::parse(c.least > 0.12 ? "held >= 15%" : c.least > 0.07 ? "held >= 10%" : "held >= 5%"));
  }
  if (pick(3) == 0) c.limits.push_back(Limit::parse(pick(2) == 0 ? "budget = 60%" : "budget = 130%"));
  if (pick(3) == 0 && c.facts.tags.has("sector", "x")) c.limits.push_back(Limit::parse("sector:x <= 40%"));
  if (pick(4) == 0) c.limits.push_back(Limit::parse("each <= 70%"));
  if (c.shorts) c.limits.push_back(Limit::parse("each >= -20%"));
  return c;
}

/// Calls `look` with the frontier of every choice of positions that can be held.
void with_each_choice(const Case& c, const std::function<void(const Frontier&)>& look) {
  auto bounds = bounds_of(c.limits, c.estimate.assets, c.facts);
  bounds.holdings.reset();
  bounds.held.reset();
  const auto n = c.estimate.size();
  const int sides = c.shorts ? 3 : 2;
  long choices = 1;
  for (Eigen::Index i = 0; i < n; ++i) choices *= sides;
  for (long code = 0; code < choices; ++code) {
    auto own = bounds;
    int held = 0;
    long rest = code;
    for (Eigen::Index i = 0; i < n; ++i, rest /= sides) {
      if (rest % sides != 0) ++held;
      if (rest % sides == 0) own.lower[i] = own.upper[i] = 0;
      if (rest % sides == 1) own.lower[i] = std::max(0.0, c.least);
      if (rest % sides == 2) own.upper[i] = -c.least;
    }
    const bool ranges = (own.lower.array() <= own.upper.array()).all() && own.lower.sum() <= own.budget + 1e-12 &&
                        own.upper.sum() >= own.budget - 1e-12;
    if (held > c.most || !ranges) continue;
    try {
      look(trace_frontier(c.estimate, own));
    } catch (const InfeasibleLimits&) {
    }
  }
}

/// The highest ratio of all choices; nothing where none beats the risk-free rate.
std::optional<double> highest_of_all(const Case& c) {
  std::optional<double> highest;
  with_each_choice(c, [&](const Frontier& own) {
    if (own.corners().front().expected_return <= own.bounds().budget * c.risk_free + 1e-9) return;
    highest = std::max(highest.value_or(0), own.maximum_sharpe(c.risk_free).sharpe);
  });
  return highest;
}

/// The highest return of all choices at no more than a volatility; nothing where none has so little.
std::optional<double> highest_return_of_all(const Case& c, double volatility) {
  std::optional<double> highest;
  with_each_choice(c, [&](const Frontier& own) {
    const auto &top = own.corners().front(), &least = own.corners().back();
    if (least.volatility > volatility) return;
    const double here = own.at_volatility(std::min(volatility, top.volatility)).expected_return;
    highest = highest ? std::max(*highest, here) : here;
  });
  return highest;
}

TEST(Positions, TheHighestRatioIsThatOfAllChoices) {
  std::mt19937_64 random(1301);
  int found = 0, unlike = 0;
  for (int round = 0; round < all_rounds; ++round) {
    const auto c = random_case(random);
    std::optional<double> best;
    try {
      best = highest_of_all(c);
      const auto frontier = trace_frontier(c.estimate, c.limits, c.facts);
      if (frontier.why_no_maximum_sharpe(c.risk_free)) continue;
      const auto chosen = choose(frontier, {Aim::Kind::maximum_sharpe, 0}, c.risk_free);
      ASSERT_TRUE(best) << round;
      EXPECT_NEAR(chosen.sharpe / *best, 1, 1.01e-4) << round;
      EXPECT_LE(chosen.sharpe, *best * (1 + 1e-9)) << round << ": trying all has missed it";
      EXPECT_THAT(chosen.notes, Contains(HasSubstr("Proven"))) << round;
      EXPECT_LE((chosen.weights.array().abs() > 1e-9).count(), c.most) << round;
      ++found;
      // Where the choice of positions at the ratio's own lambda differs from that of all assets together.
      unlike += chosen.sharpe < frontier.maximum_sharpe(c.risk_free).sharpe * (1 - 1e-6);
    } catch (const InfeasibleLimits&) {
      EXPECT_FALSE(best) << round << ": there is one";
    } catch (const InputError& none) {
      EXPECT_FALSE(best) << round << ": there is one of " << best.value_or(0) << "; " << none.what();
    }
  }
  EXPECT_GT(found, all_rounds / 3);
  EXPECT_GT(unlike, all_rounds / 6);
}

TEST(Positions, AChoiceThatIsBestOnlyNearItsOwnRiskIsNotTakenForTheBest) {
  // A and B, best at every lambda near its own, have 0.224. A and C, with the budget's inverse e'S^-1 e of the two:
  // (0.08 x 0.0398^2 + 0.09 x 0.0449^2 + 2 x 0.02 x 0.0398 x 0.0449) / (0.09 x 0.08 - 0.02^2), its root 0.23628.
  Estimate estimate;
  estimate.assets = {"A", "B", "C"};
  estimate.expected_return = Eigen::Vector3d(0.0598, 0.019, 0.0649);
  estimate.covariance =
      Covariance::dense((Eigen::Matrix3d() << 0.09, -0.06, -0.02, -0.06, 0.06, -0.02, -0.02, -0.02, 0.08).finished());
  const Limits limits{Limit::parse("holdings <= 2")};
  const auto chosen = choose(trace_frontier(estimate, limits), {Aim::Kind::maximum_sharpe, 0}, 0.02);
  EXPECT_EQ(chosen.weights[1], 0);
  EXPECT_NEAR(chosen.sharpe, 0.23628, 5e-6);
  ASSERT_FALSE(chosen.binding.empty());
  EXPECT_EQ(chosen.binding.back().limit, "holdings <= 2") << "as many are held as may be";
  // A blend takes the same portfolio.
  const auto blend = choose(trace_frontier(estimate, limits), {Aim::Kind::blend_volatility, 0.09}, 0.02);
  EXPECT_NEAR(blend.sharpe, chosen.sharpe, 1e-12);
  EXPECT_NEAR(blend.weights[0] / blend.weights.sum(), chosen.weights[0], 1e-12);
}

TEST(Positions, DiversificationIsTheRatioOfAllChoicesToo) {
  std::mt19937_64 random(1302);
  for (int round = 0; round < all_rounds / 5; ++round) {
    auto c = random_case(random);
    if (c.shorts) continue;
    c.risk_free = 0;
    auto stand_in = c;
    stand_in.estimate.expected_return = c.estimate.volatilities();
    try {
      const auto frontier = trace_frontier(c.estimate, c.limits, c.facts);
      if (trace_frontier(stand_in.estimate, c.limits, c.facts).why_no_maximum_sharpe(0)) continue;
      const auto chosen = choose(frontier, {Aim::Kind::maximum_diversification, 0}, 0);
      const double ratio = chosen.average_volatility / chosen.volatility, best = highest_of_all(stand_in).value();
      EXPECT_NEAR(ratio / best, 1, 1.01e-4) << round;
    } catch (const InfeasibleLimits&) {
    }
  }
}

// More assets than returns, so that with shorts the relaxed problem has no risk at all and says nothing.
TEST(Positions, WithShortsAreNoWorseThanLongOnly) {
  std::mt19937_64 random(1304);
  std::normal_distribution<double> normal;
  for (int round = 0; round < 3; ++round) {
    constexpr int n = 60, periods = 25;
    Eigen::MatrixXd x(periods, n);
    for (int t = 0; t < periods; ++t) {
      const double market = 0.04 * normal(random);
      for (int i = 0; i < n; ++i) x(t, i) = market * (0.5 + (i % 7) / 7.0) + (0.03 + 0.01 * (i % 5)) * normal(random);
    }
    const Eigen::MatrixXd s = 12.0 / periods * test::product(x.transpose(), x);
    const auto estimate = test::estimate_of(12 * x.colwise().mean().transpose(), (s + s.transpose()) / 2);
    const Limits long_only{Limit::parse("holdings <= 6")};
    auto both = long_only;
    both.push_back(Limit::parse("each >= -10%"));
    const auto least = [&](const Limits& limits) {
      int asked = 0;
      ChoiceOptions options;
      options.should_stop = [&] { return ++asked > 400; };
      return choose(trace_frontier(estimate, limits), {Aim::Kind::minimum_variance, 0}, 0, options);
    };
    EXPECT_LT(least(both).volatility, least(long_only).volatility) << round;
  }
}

// The highest return at a volatility: no choice has more than is said.
TEST(Positions, TheHighestReturnAtAVolatilityIsThatOfAllChoicesAndProvenSoon) {
  std::mt19937_64 random(1303);
  int found = 0, below = 0, none = 0;
  std::vector<double> left;  // by what another choice may be better
  for (int round = 0; round < all_rounds / 2; ++round) {
    const auto c = random_case(random);
    const double share = std::array{0.01, 0.2, 0.5, 0.8, 0.99}[std::size_t(round % 5)];
    std::optional<double> best;
    try {
      const auto frontier = trace_frontier(c.estimate, c.limits, c.facts);
      const auto &top = frontier.corners().front(), &least = frontier.corners().back();
      const Aim aim{Aim::Kind::target_volatility, least.volatility + share * (top.volatility - least.volatility)};
      best = highest_return_of_all(c, aim.target);
      int asked = 0;
      ChoiceOptions options;
      options.should_stop = [&] { return ++asked > 3000; };
      const auto chosen = choose(frontier, aim, c.risk_free, options);
      ASSERT_TRUE(best) << round;
      EXPECT_LE((chosen.weights.array().abs() > 1e-9).count(), c.most) << round;
      EXPECT_LE(chosen.volatility, aim.target * (1 + 1e-9)) << round;
      const double of_weights = c.estimate.expected_return.dot(chosen.weights);
      EXPECT_LE(of_weights, *best + 1e-9) << round << ": trying all has missed it";
      const auto note = std::ranges::find_if(chosen.notes, [](const auto& one) { return one.find("Proven") == 0; });
      ASSERT_NE(note, chosen.notes.end()) << round;
      const std::string lead = "Proven: no other choice of positions has more than ";
      ASSERT_EQ(note->find(lead), 0u) << *note;
      left.push_back(std::stod(note->substr(lead.size())) / 100);
      EXPECT_GE(of_weights + left.back() + 1e-7, *best) << round << ": " << *note;
      below += chosen.volatility < aim.target * (1 - 1e-6);
      ++found;
    } catch (const InfeasibleLimits&) {
      EXPECT_FALSE(best) << round << ": there is one";
      ++none;
    } catch (const InputError& refused) {
      EXPECT_FALSE(best) << round << ": there is one of " << best.value_or(0) << "; " << refused.what();
      ++none;
    }
  }
  EXPECT_GT(found, all_rounds / 8);
  EXPECT_GT(below, 0) << "where few positions have less volatility than is allowed";
  EXPECT_GT(none, 0);
  std::ranges::sort(left);
  EXPECT_LT(left[left.size() / 2], 1e-4) << "mostly that is next to nothing";
}

}  // namespace
}  // namespace inchtide::positions

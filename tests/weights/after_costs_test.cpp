// Aims after costs against every pattern of buying, selling, keeping and dropping, solved one by one in long double.

#include <cmath>
#include <random>

#include "inchtide/base/errors.hpp"
#include "inchtide/weights/allocation.hpp"
#include "support/messages.hpp"
#include "support/problems.hpp"
#include "support/rounds.hpp"

namespace inchtide::after_costs {
namespace {

using test::LongMatrix;
using test::LongVector;
using test::message_of;
using testing::HasSubstr;

const int all_rounds = test::rounds(400);

struct Case {
  Estimate estimate;
  LimitFacts facts;
  double aversion = 0, risk_free = 0;
};

Case random_case(std::mt19937_64& random) {
  const auto part = [&] { return double(random() % 1000) / 1000; };
  Case c;
  const int n = 2 + int(random() % 3);
  c.estimate = test::random_problem(random, n, {}).estimate;
  Eigen::VectorXd current(n);
  for (auto& weight : current) weight = random() % 4 == 0 ? 0 : part();
  if (!(current.sum() > 0)) current[0] = 1;
  current /= current.sum() * (random() % 5 == 0 ? 1.2 : 1);
  const double rate = 0.0001 * double(1 + random() % 150);
  c.facts.current = current;
  c.facts.costs = TradingCosts{
      current,
      {Eigen::VectorXd::Constant(n, rate), Eigen::VectorXd::Constant(n, random() % 3 == 0 ? rate / 5 : rate)},
      1};
  c.aversion = 1 + 9 * part();
  c.risk_free = 0.01 * double(random() % 5);
  return c;
}

/// The least v/2 - lambda (m'w - rf sum w - cost) of all weights that are paid for, long only, by trying each pattern.
long double least_by_patterns(const Case& c, double lambda, double risk_free) {
  const auto n = c.estimate.size();
  const LongMatrix s = c.estimate.covariance.matrix().cast<long double>();
  const auto& costs = *c.facts.costs;
  long patterns = 1;
  for (Eigen::Index i = 0; i < n; ++i) patterns *= 4;
  long double best = INFINITY;
  for (long code = 0; code < patterns; ++code) {
    std::vector<Eigen::Index> free;
    LongVector w = LongVector::Zero(n), slope = LongVector::Zero(n);  // of what it costs
    long rest = code;
    for (Eigen::Index i = 0; i < n; ++i, rest /= 4) {
      if (rest % 4 == 0) slope[i] = -costs.rates.sell[i];  // to nothing
      if (rest % 4 == 1) w[i] = costs.current[i];
      if (rest % 4 > 1) {
        slope[i] = rest % 4 == 2 ? costs.rates.buy[i] : -costs.rates.sell[i];
        free.push_back(i);
      }
    }
    const auto f = Eigen::Index(free.size());
    LongMatrix system = LongMatrix::Zero(f + 1, f + 1);
    LongVector right = LongVector::Zero(f + 1);
    right[f] = 1 + slope.dot(costs.current.cast<long double>());
    for (Eigen::Index i = 0; i < n; ++i) right[f] -= (1 + slope[i]) * w[i];
    if (f == 0 && std::abs(right[0]) > 1e-12L) continue;
    for (Eigen::Index a = 0; a < f; ++a) {
      const auto i = free[std::size_t(a)];
      for (Eigen::Index b = 0; b < f; ++b) system(a, b) = s(i, free[std::size_t(b)]);
      system(a, f) = system(f, a) = 1 + slope[i];
      right[a] = lambda * (c.estimate.expected_return[i] - risk_free - slope[i]);
      for (Eigen::Index j = 0; j < n; ++j) right[a] -= s(i, j) * w[j];
    }
    if (f > 0) {
      const auto solved = test::solution(system, right);
      if (!solved) continue;
      for (Eigen::Index a = 0; a < f; ++a) w[free[std::size_t(a)]] = (*solved)[a];
    }
    bool fits = true;
    for (Eigen::Index i = 0; i < n; ++i) {
      const long double change = w[i] - costs.current[i];
      fits = fits && w[i] > -1e-15L && (slope[i] > 0 ? change > -1e-15L : slope[i] < 0 ? change < 1e-15L : true);
    }
    if (!fits) continue;
    const LongVector risk = test::product(s, w);
    long double value = w.dot(risk) / 2;
    for (Eigen::Index i = 0; i < n; ++i) {
      const long double cost = slope[i] * (w[i] - costs.current[i]);
      value -= lambda * ((c.estimate.expected_return[i] - risk_free) * w[i] - cost);
    }
    best = std::min(best, value);
  }
  return best;
}

TEST(AfterCosts, UtilityHasAnAnswerAndItIsTheBestPattern) {
  std::mt19937_64 random(1310);
  int passed_free_money = 0;
  for (int round = 0; round < all_rounds; ++round) {
    const auto c = random_case(random);
    const auto frontier = trace_frontier(c.estimate, Limits{}, c.facts);
    const auto found = frontier.at_lambda(1 / c.aversion);
    const double value = found.volatility * found.volatility / 2 - found.expected_return / c.aversion;
    EXPECT_NEAR(value, double(least_by_patterns(c, 1 / c.aversion, 0)), 1e-12) << round;
    EXPECT_TRUE(found.certificate.holds());
    passed_free_money += found.row_prices[0] > 0;
  }
  EXPECT_GT(passed_free_money, all_rounds / 8) << "where more money would not even help";
}

TEST(AfterCosts, NoPortfolioHasAHigherNetRatio) {
  std::mt19937_64 random(1311);
  int found = 0;
  for (int round = 0; round < all_rounds; ++round) {
    const auto c = random_case(random);
    const auto frontier = trace_frontier(c.estimate, Limits{}, c.facts);
    if (frontier.why_no_maximum_sharpe(c.risk_free)) continue;
    const auto best = choose(frontier, {Aim::Kind::maximum_sharpe, 0}, c.risk_free);
    const auto& w = best.weights;
    const double cost = c.facts.costs->of(w);
    const double net = (c.estimate.expected_return.dot(w) - c.risk_free * w.sum() - cost) / best.volatility;
    EXPECT_NEAR(w.sum() + cost, 1, 1e-12);
    EXPECT_NEAR(best.net_sharpe.value(), net, 1e-12);
    EXPECT_NEAR(frontier.maximum_sharpe(c.risk_free).sharpe, net, 1e-10);
    // A portfolio with a higher ratio q' has v/2 - lambda e = -q'^2 lambda^2 / 2 at its own lambda, and none lies
    // lower.
    const double own = best.volatility / net;
    for (double part : {0.5, 0.8, 0.95, 1.0, 1.05, 1.2, 2.0}) {
      const double lambda = part * own;
      EXPECT_GE(double(least_by_patterns(c, lambda, c.risk_free)), -net * net * lambda * lambda / 2 * (1 + 1e-9))
          << round << ", " << part;
    }
    ++found;
  }
  EXPECT_GT(found, all_rounds / 4);
}

TEST(AfterCosts, WhereTheFrontierEndsItSaysSo) {
  std::mt19937_64 random(1312);
  const auto c = random_case(random);
  const auto frontier = trace_frontier(c.estimate, Limits{}, c.facts);
  ASSERT_TRUE(frontier.ends_at_costs());
  EXPECT_THAT(message_of([&] { frontier.minimum_variance(); }), HasSubstr("after costs the frontier ends"));
  EXPECT_THAT(message_of([&] { frontier.at_lambda(1e-6); }), HasSubstr("ends at a risk aversion of"));
  EXPECT_THAT(message_of([&] { frontier.at_return(-1); }), HasSubstr("where the frontier ends after costs"));
}

TEST(AfterCosts, TurnoverIsTheLargerOfPurchasesAndSales) {
  std::mt19937_64 random(1313);
  int binds = 0;
  for (int round = 0; round < all_rounds / 2; ++round) {
    const auto c = random_case(random);
    const Limits limits{Limit::parse("turnover <= 20%")};
    try {
      const auto frontier = trace_frontier(c.estimate, limits, c.facts);
      const auto chosen = choose(frontier, {Aim::Kind::utility, 1}, 0);
      const Eigen::ArrayXd change = (chosen.weights - c.facts.current).array();
      const double bought = change.max(0.0).sum(), sold = -change.min(0.0).sum();
      EXPECT_NEAR(*chosen.turnover, std::max(bought, sold), 1e-15);
      EXPECT_LE(*chosen.turnover, 0.2 + 1e-9) << round;
      EXPECT_TRUE(chosen.violations.empty());
      binds += *chosen.turnover > 0.2 - 1e-9;
    } catch (const InfeasibleLimits&) {
    }
  }
  EXPECT_GT(binds, all_rounds / 10);
}

TEST(AfterCosts, OneMeaningOfExpectedReturn) {
  const auto estimate = test::estimate_of(Eigen::Vector3d(0.08, 0.05, 0.03),
                                          Eigen::Matrix3d(Eigen::Vector3d(0.04, 0.02, 0.01).asDiagonal()));
  for (const char* budget : {"budget = 60%", "budget = 100%", "budget = 130%"}) {
    const Limits limits{Limit::parse(budget)};
    const auto frontier = trace_frontier(estimate, limits);
    for (const auto& aim : {Aim{Aim::Kind::target_return, 0.055}, Aim{Aim::Kind::blend_return, 0.035}}) {
      const auto chosen = choose(frontier, aim, 0.02);
      EXPECT_NEAR(chosen.expected_return, aim.target, 1e-12) << budget << " " << aim.text();
      const double cash = 1 - chosen.weights.sum();
      EXPECT_NEAR(estimate.expected_return.dot(chosen.weights) + cash * 0.02, aim.target, 1e-12);
      EXPECT_NEAR(chosen.sharpe, (aim.target - 0.02) / chosen.volatility, 1e-12) << "the same return in the ratio";
    }
    EXPECT_THAT(message_of([&] {
                  choose(frontier, {Aim::Kind::target_return, 0.2}, 0.02);
                }),
                HasSubstr("target-return=20%"));
  }
}

}  // namespace
}  // namespace inchtide::after_costs

// A run whose weights are chosen anew, against steps of the test's own: estimate, weights, trades and wealth.

#include <algorithm>
#include <cmath>

#include "inchtide/study/runs.hpp"
#include "support/rehearsed.hpp"

namespace inchtide {
namespace {

using test::Rehearsed;
using Real = long double;
using List = std::vector<Real>;

/// Least variance of weights of at least 0 that sum to 1: of all choices of assets, the best whose own optimum is one.
List least_variance(const std::vector<List>& covariance) {
  const std::size_t n = covariance.size();
  List best;
  Real least = INFINITY;
  for (unsigned chosen = 1; chosen < 1u << n; ++chosen) {
    std::vector<std::size_t> in;
    for (std::size_t i = 0; i < n; ++i) {
      if (chosen >> i & 1) in.push_back(i);
    }
    // S x = 1 by elimination, then scaled to sum 1.
    std::vector<List> rows;
    for (const auto i : in) {
      rows.emplace_back();
      for (const auto j : in) rows.back().push_back(covariance[i][j]);
      rows.back().push_back(1);
    }
    for (std::size_t k = 0; k < in.size(); ++k) {
      for (std::size_t r = 0; r < in.size(); ++r) {
        if (r == k) continue;
        const Real by = rows[r][k] / rows[k][k];
        for (std::size_t c = k; c <= in.size(); ++c) rows[r][c] -= by * rows[k][c];
      }
    }
    List weights(n, 0);
    Real sum = 0;
    for (std::size_t k = 0; k < in.size(); ++k) sum += weights[in[k]] = rows[k].back() / rows[k][k];
    Real variance = 0;
    for (auto& w : weights) w /= sum;
    for (std::size_t i = 0; i < n; ++i) {
      for (std::size_t j = 0; j < n; ++j) variance += weights[i] * weights[j] * covariance[i][j];
    }
    if (std::ranges::min(weights) < 0 || variance >= least) continue;
    least = variance;
    best = weights;
  }
  return best;
}

/// Weights by the last 24 months' returns up to a row, and what comes of them, all by steps of the test's own.
struct ByHand {
  std::vector<Day> days;
  std::vector<List> prices;  // by row

  [[nodiscard]] bool ends(std::size_t row, unsigned months) const {
    const std::chrono::year_month_day here{days[row]}, next{days[row + 1]};
    return here.month() != next.month() && unsigned(here.month()) % months == 0;
  }
  [[nodiscard]] List weights_at(std::size_t row) const {
    std::vector<std::size_t> at;
    for (std::size_t t = 0; t <= row; ++t) {
      if (ends(t, 1)) at.push_back(t);
    }
    std::vector<List> returns;
    for (std::size_t k = at.size() - 24; k < at.size(); ++k) {
      returns.emplace_back();
      for (std::size_t i = 0; i < 3; ++i) returns.back().push_back(prices[at[k]][i] / prices[at[k - 1]][i] - 1);
    }
    std::vector<List> covariance(3, List(3, 0));
    List mean(3, 0);
    for (const auto& r : returns) {
      for (std::size_t i = 0; i < 3; ++i) mean[i] += r[i] / 24;
    }
    for (const auto& r : returns) {
      for (std::size_t i = 0; i < 3; ++i) {
        for (std::size_t j = 0; j < 3; ++j) covariance[i][j] += (r[i] - mean[i]) * (r[j] - mean[j]) / 23;
      }
    }
    return least_variance(covariance);
  }
  /// Wealth on every row from the first: bought at its close, then a day after each quarter's end, at so much of what
  /// is traded.
  [[nodiscard]] List wealth(std::size_t first, Real cost) const {
    List units(3, 0), all;
    Real cash = 1e6;
    List targets = weights_at(first);
    for (auto row = first; row < days.size(); ++row) {
      Real before = cash;
      for (std::size_t i = 0; i < 3; ++i) before += units[i] * prices[row][i];
      const bool decided = row == first + 1 || (row > first + 1 && ends(row - 1, 3));
      if (decided) {
        if (row > first + 1) targets = weights_at(row - 1);
        const auto paid = [&](Real after) {
          Real sum = 0;
          for (std::size_t i = 0; i < 3; ++i) sum += cost * std::abs(targets[i] * after - units[i] * prices[row][i]);
          return sum;
        };
        Real low = 0, high = before;
        for (int k = 0; k < 200; ++k)
          (((low + high) / 2 + paid((low + high) / 2) > before) ? high : low) = (low + high) / 2;
        for (std::size_t i = 0; i < 3; ++i) units[i] = targets[i] * low / prices[row][i];
        cash = 0;
        before = low;
      }
      all.push_back(before);
    }
    return all;
  }
};

TEST(StudyRuns, ReestimateAndTradeAsStepsByHandDo) {
  Rehearsed one;
  one.settings.every = Interval::parse("1m", "");
  one.settings.reestimate = Schedule::parse("1q", "");
  one.settings.estimate_over = Interval::parse("24m", "");
  one.settings.delay = 1;
  const auto run = one.runs().all.front();
  ByHand by_hand;
  for (const auto d : one.sources.bars[0].days) by_hand.days.push_back(d);
  for (std::size_t t = 0; t < by_hand.days.size(); ++t) {
    by_hand.prices.emplace_back();
    for (const auto& bars : one.sources.bars) by_hand.prices.back().push_back(bars.of(PriceField::close)[t]);
  }
  const auto first = std::size_t(std::ranges::find(by_hand.days, run.days.front()) - by_hand.days.begin());
  const auto wealth = by_hand.wealth(first, 0.002L);
  ASSERT_EQ(wealth.size(), std::size_t(run.net.size()));
  for (std::size_t t = 0; t < wealth.size(); ++t) {
    ASSERT_NEAR(run.net[Eigen::Index(t)], double(wealth[t]), 1e-12 * double(wealth[t])) << to_string(run.days[t]);
  }
  EXPECT_GT(run.targets.size(), 6u);
  double apart = 0;
  for (const auto& targets : run.targets) apart = std::max(apart, (targets - run.targets[0]).cwiseAbs().maxCoeff());
  EXPECT_GT(apart, 0.02) << "the weights change";
}

}  // namespace
}  // namespace inchtide

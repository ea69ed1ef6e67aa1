#pragma once
// What a run's wealth comes to, by the definitions, row by row in long double.

#include <cmath>
#include <vector>

#include "inchtide/rehearsal/rehearsal.hpp"

namespace inchtide::slow {

struct Measures {
  long double growth = 0, mean = 0, volatility = 0, sharpe = 0, sharpe_error = 0, correlated_error = 0, sortino = 0;
  long double max_drawdown = 0, tracking = 0;
};

// Newey and West's long-run variance of what each row moves the ratio, on mean and variance.
inline long double correlated_error(const std::vector<long double>& returns, long double mean, long double deviation,
                                    long double ratio) {
  const auto n = long(returns.size());
  const long lags = std::min(n - 1, long(4 * std::pow(double(n) / 100, 2.0 / 9)));
  std::vector<long double> moved;
  for (const auto r : returns) {
    const auto z = (r - mean) / deviation;
    moved.push_back(z - ratio / 2 * (z * z - 1));
  }
  long double sum = 0;
  for (long a = 0; a < n; ++a) {
    for (long b = std::max(0L, a - lags); b <= std::min(n - 1, a + lags); ++b) {
      sum += (1 - std::abs((long double)(a - b)) / (lags + 1)) * moved[std::size_t(a)] * moved[std::size_t(b)];
    }
  }
  return std::sqrt(std::max(0.0L, sum)) / n;
}

inline Measures measures_of(const Rehearsal& run, const RehearsalOptions& options) {
  Measures slow;
  const Eigen::Index first = options.delay, rows = run.net.size();
  const long double per_year = run.rows_per_year, least = options.risk_free / per_year;
  std::vector<long double> returns, apart;
  long double level = run.net[first] / ((long double)(run.before[first]) + run.flow[first]), high = level;
  for (auto t = first + 1; t < rows; ++t) {
    const auto there = (long double)(run.before[t]) + run.flow[t];
    returns.push_back(run.before[t] / (long double)(run.net[t - 1]) * (run.net[t] / there) - 1);
    if (run.paper.size() > 0) apart.push_back(returns.back() - run.paper[t]);
    level *= 1 + returns.back();
    high = std::max(high, level);
    slow.max_drawdown = std::min(slow.max_drawdown, level / high - 1);
  }
  slow.growth = level - 1;
  const long double n = returns.size();
  const auto mean_of = [&](const std::vector<long double>& series) {
    long double sum = 0;
    for (const auto x : series) sum += x;
    return sum / n;
  };
  const auto squares_of = [&](const std::vector<long double>& series) {
    const auto mean = mean_of(series);
    long double sum = 0;
    for (const auto x : series) sum += (x - mean) * (x - mean);
    return sum / (n - 1);
  };
  const auto mean = mean_of(returns), deviation = std::sqrt(squares_of(returns));
  long double losses = 0;
  for (const auto r : returns) losses += std::min(0.0L, r - least) * std::min(0.0L, r - least);
  slow.mean = per_year * mean;
  slow.volatility = std::sqrt(per_year) * deviation;
  slow.sharpe = (slow.mean - options.risk_free) / slow.volatility;
  slow.sortino = (slow.mean - options.risk_free) / std::sqrt(per_year * losses / n);
  const auto ratio = slow.sharpe / std::sqrt(per_year);
  slow.sharpe_error = std::sqrt((1 + ratio * ratio / 2) / n * per_year);
  slow.correlated_error = correlated_error(returns, mean, deviation, ratio) * std::sqrt(per_year);
  if (!apart.empty()) slow.tracking = std::sqrt(per_year * squares_of(apart));
  return slow;
}

}  // namespace inchtide::slow

#pragma once
// Random portfolio problems, and slow ways of judging answers that share nothing with the library.

#include <Eigen/Core>
#include <algorithm>
#include <cmath>
#include <limits>
#include <optional>
#include <random>
#include <string>

#include "inchtide/estimate/estimate.hpp"
#include "inchtide/frontier/limits.hpp"
#include "support/linear.hpp"

namespace inchtide::test {

inline Estimate estimate_of(const Eigen::VectorXd& expected_return, const Eigen::MatrixXd& covariance) {
  Estimate estimate;
  for (Eigen::Index i = 0; i < expected_return.size(); ++i) estimate.assets.push_back("A" + std::to_string(i + 1));
  estimate.expected_return = expected_return;
  estimate.covariance = Covariance::dense(covariance);
  return estimate;
}

struct Problem {
  Estimate estimate;
  Bounds bounds;
};

// Traits that a random problem may have.
struct Traits {
  bool ties = false;        // expected returns from a handful of values
  bool duplicates = false;  // assets that are copies of others, returns included
  bool integers = false;    // covariance from small integers
  bool rank_deficient = false;
  bool bounded = false;  // caps, floors, shorts, fixed weights
};

inline Problem random_problem(std::mt19937_64& random, int n, const Traits& traits) {
  std::normal_distribution<double> normal;
  const auto pick = [&](int below) { return int(random() % std::uint64_t(below)); };
  const int rows = traits.rank_deficient ? std::max(2, n / 2) : n + 8;
  Eigen::MatrixXd x(rows, n);
  for (auto& value : x.reshaped()) value = traits.integers ? double(pick(5) - 2) : normal(random);
  Eigen::VectorXd m(n);
  for (auto& value : m) value = traits.ties ? 0.02 * pick(4) : 0.06 + 0.04 * normal(random);
  if (traits.duplicates) {
    for (int copy = 0; copy < n / 3; ++copy) {
      const int from = pick(n), to = pick(n);
      x.col(to) = x.col(from);
      m[to] = m[from];
    }
  }
  Eigen::MatrixXd s = 0.04 / rows * product(x.transpose(), x);
  s = (s + s.transpose()).eval() / 2;
  Problem problem{estimate_of(m, s), Bounds::long_only(n)};
  if (traits.bounded) {
    for (int i = 0; i < n; ++i) {
      problem.bounds.upper[i] = 1.0 / n + 0.1 * (1 + pick(3));
      const int kind = pick(5);
      if (kind == 0) problem.bounds.lower[i] = -0.1;
      if (kind == 1) problem.bounds.lower[i] = 0.3 / n;
      if (kind == 2) problem.bounds.lower[i] = problem.bounds.upper[i] = 0.5 / n;
    }
    if (problem.bounds.upper.sum() < 1) problem.bounds.upper.array() += 1;
  }
  return problem;
}

// How much could be gained by moving weight from one asset to another, relative to the terms of the gradient: at an
// optimum of 1/2 w'Sw - lambda m'w under a budget and bounds, nothing. In long double, from scratch.
inline double gain_from_any_exchange(const Problem& problem, const Eigen::VectorXd& weights, double lambda) {
  const LongMatrix s = problem.estimate.covariance.matrix().cast<long double>();
  const LongVector w = weights.cast<long double>(), m = problem.estimate.expected_return.cast<long double>();
  const LongVector risk = product(s, w), gradient = risk - static_cast<long double>(lambda) * m;
  long double worst_held = -std::numeric_limits<long double>::infinity(), best_open = -worst_held;
  for (Eigen::Index i = 0; i < w.size(); ++i) {
    if (weights[i] > problem.bounds.lower[i] + 1e-9) worst_held = std::max(worst_held, gradient[i]);
    if (weights[i] < problem.bounds.upper[i] - 1e-9) best_open = std::min(best_open, gradient[i]);
  }
  const long double terms = std::max({risk.cwiseAbs().maxCoeff(), lambda * m.cwiseAbs().maxCoeff(),
                                      1e-4L * s.diagonal().maxCoeff() * w.cwiseAbs().sum()});
  return double(std::max(0.0L, worst_held - best_open) / terms);
}

inline double limit_breach(const Problem& problem, const Eigen::VectorXd& weights) {
  return std::max({std::abs(weights.sum() - 1), (problem.bounds.lower - weights).maxCoeff(),
                   (weights - problem.bounds.upper).maxCoeff()});
}

// The minimum variance by trying every combination of free, lower and upper weights: 3^N linear systems in long double.
inline long double minimum_variance_by_enumeration(const Problem& problem) {
  const auto n = problem.estimate.size();
  const LongMatrix s = problem.estimate.covariance.matrix().cast<long double>();
  const LongVector lower = problem.bounds.lower.cast<long double>();
  const LongVector upper = problem.bounds.upper.cwiseMin(10).cast<long double>();
  long combinations = 1;
  for (Eigen::Index i = 0; i < n; ++i) combinations *= 3;
  long double best = std::numeric_limits<long double>::infinity();
  for (long code = 0; code < combinations; ++code) {
    // A'x = b: stationarity of free weights, fixed ones, and the budget.
    LongMatrix a = LongMatrix::Zero(n + 1, n + 1);
    LongVector b = LongVector::Zero(n + 1);
    long rest = code;
    for (Eigen::Index i = 0; i < n; ++i, rest /= 3) {
      if (rest % 3 == 0) {
        a.row(i).head(n) = s.row(i);
        a(i, n) = -1;
      } else {
        a(i, i) = 1;
        b[i] = rest % 3 == 1 ? lower[i] : upper[i];
      }
      a(n, i) = 1;
    }
    b[n] = 1;
    const auto solved = solution(a, b);
    if (!solved) continue;
    const LongVector w = solved->head(n);
    const bool fits = (w - lower).minCoeff() > -1e-14L && (upper - w).minCoeff() > -1e-14L;
    if (fits) best = std::min(best, w.dot(product(s, w).col(0)));
  }
  return best;
}

}  // namespace inchtide::test

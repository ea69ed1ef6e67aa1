#pragma once
// The least 1/2 w'Sw - lambda m'w within limits by trying every active set, in long double: slow, and nothing of the
// library's own.

#include <gtest/gtest.h>

#include <Eigen/Core>
#include <algorithm>
#include <cmath>
#include <limits>
#include <optional>
#include <vector>

#include "inchtide/frontier/frontier.hpp"
#include "support/linear.hpp"
#include "support/problems.hpp"

namespace inchtide::test {

// Rows may bend: an asset then stands at a bound, at a bend, or free on one piece of its range. Nothing where there are
// more than `most` active sets.
inline std::optional<long double> least_of_few(const Problem& problem, double lambda, long most) {
  const auto n = problem.estimate.size(), p = Eigen::Index(problem.bounds.rows.size());
  const LongMatrix s = problem.estimate.covariance.matrix().cast<long double>();
  const LongVector m = problem.estimate.expected_return.cast<long double>();
  const auto& bounds = problem.bounds;

  struct Stand {
    bool fixed;
    double at;  // where it is fixed, or some value inside its piece
  };
  std::vector<std::vector<Stand>> stands;
  for (Eigen::Index i = 0; i < n; ++i) {
    std::vector<double> ends{bounds.lower[i]};
    for (const auto& row : bounds.rows) {
      if (row.bend.size() > 0 && row.bend_at[i] > bounds.lower[i] && row.bend_at[i] < bounds.upper[i]) {
        ends.push_back(row.bend_at[i]);
      }
    }
    ends.push_back(bounds.upper[i]);
    std::sort(ends.begin(), ends.end());
    ends.erase(std::unique(ends.begin(), ends.end()), ends.end());
    std::vector<Stand> own;
    for (std::size_t k = 0; k < ends.size(); ++k) {
      if (std::isfinite(ends[k])) own.push_back({true, ends[k]});
      if (k + 1 < ends.size()) {
        own.push_back({false, std::isfinite(ends[k + 1]) ? (ends[k] + ends[k + 1]) / 2 : ends[k] + 1});
      }
    }
    stands.push_back(own);
  }
  long combinations = 1;
  for (const auto& own : stands) combinations *= long(own.size());
  for (Eigen::Index r = 0; r < p; ++r) combinations *= 3;
  if (combinations > most) return std::nullopt;

  long double best = INFINITY;
  for (long code = 0; code < combinations; ++code) {
    // Unknown: w, the budget's price, a price a row.
    LongMatrix a = LongMatrix::Zero(n + 1 + p, n + 1 + p);
    LongVector b = LongVector::Zero(n + 1 + p);
    std::vector<Stand> chosen;
    long rest = code;
    for (const auto& own : stands) {
      chosen.push_back(own[std::size_t(rest % long(own.size()))]);
      rest /= long(own.size());
    }
    // A row's slopes and constant on the chosen pieces.
    LongMatrix slopes(p, n);
    LongVector constants(p);
    for (Eigen::Index r = 0; r < p; ++r) {
      const auto& row = bounds.rows[std::size_t(r)];
      slopes.row(r) = row.coefficients.cast<long double>();
      constants[r] = row.constant;
      for (Eigen::Index i = 0; i < row.bend.size(); ++i) {
        const long double side = chosen[std::size_t(i)].at >= row.bend_at[i] ? 1 : -1;
        slopes(r, i) += side * row.bend[i];
        constants[r] -= side * row.bend[i] * row.bend_at[i];
      }
    }
    bool sensible = true;
    for (Eigen::Index i = 0; i < n; ++i) {
      if (chosen[std::size_t(i)].fixed) {
        a(i, i) = 1;
        b[i] = chosen[std::size_t(i)].at;
      } else {
        a.row(i).head(n) = s.row(i);
        a(i, n) = -1;
        for (Eigen::Index r = 0; r < p; ++r) a(i, n + 1 + r) = -slopes(r, i);
        b[i] = lambda * m[i];
      }
      a(n, i) = 1;
    }
    b[n] = bounds.budget;
    for (Eigen::Index r = 0; r < p; ++r, rest /= 3) {
      const auto& row = bounds.rows[std::size_t(r)];
      if (rest % 3 == 0) {
        a(n + 1 + r, n + 1 + r) = 1;  // no price
        continue;
      }
      const double end = rest % 3 == 1 ? row.lower : row.upper;
      sensible = sensible && std::isfinite(end);
      a.row(n + 1 + r).head(n) = slopes.row(r);
      b[n + 1 + r] = sensible ? end - constants[r] : 0;
    }
    if (!sensible) continue;
    const auto solved = solution(a, b);
    if (!solved) continue;
    const LongVector w = solved->head(n);
    bool fits = std::abs(w.sum() - bounds.budget) < 1e-11L;
    for (Eigen::Index i = 0; i < n; ++i)
      fits = fits && w[i] > bounds.lower[i] - 1e-11 && w[i] < bounds.upper[i] + 1e-11;
    for (const auto& row : bounds.rows) {
      long double value = row.constant + row.coefficients.cast<long double>().dot(w);
      for (Eigen::Index i = 0; i < row.bend.size(); ++i) value += row.bend[i] * std::abs(w[i] - row.bend_at[i]);
      fits = fits && value > row.lower - 1e-11 && value < row.upper + 1e-11;
    }
    if (fits) best = std::min(best, w.dot(product(s, w).col(0)) / 2 - lambda * m.dot(w));
  }
  return best;
}

inline long double least_by_enumeration(const Problem& problem, double lambda) {
  return *least_of_few(problem, lambda, std::numeric_limits<long>::max());
}

/// No portfolio within the limits does better at its lambda. How many were compared: none where every active set was
/// singular.
inline int expect_least(const Problem& problem, const std::vector<Portfolio>& portfolios, int round) {
  int compared = 0;
  for (const auto& portfolio : portfolios) {
    const auto& w = portfolio.weights;
    const double objective =
        w.dot(problem.estimate.covariance.product(w)) / 2 - portfolio.lambda * problem.estimate.expected_return.dot(w);
    const double least = double(least_by_enumeration(problem, portfolio.lambda));
    if (std::isinf(least)) continue;
    EXPECT_NEAR(objective, least, 1e-9 * (1 + std::abs(least))) << round;
    ++compared;
  }
  return compared;
}

}  // namespace inchtide::test

#pragma once
// Monthly returns with a common factor, and estimates of them by the names of methods.

#include <Eigen/Core>
#include <random>
#include <string>

#include "inchtide/estimate/estimators.hpp"

namespace inchtide::test {

/// T x N.
inline Eigen::MatrixXd returns_with_a_factor(int t, int n, unsigned seed) {
  std::mt19937_64 random(seed);
  std::normal_distribution<double> normal;
  Eigen::MatrixXd x(t, n);
  for (int row = 0; row < t; ++row) {
    const double market = 0.03 * normal(random);
    for (int i = 0; i < n; ++i)
      x(row, i) = 0.005 + (0.5 + 0.1 * (i % 7)) * market + (0.01 + 0.004 * (i % 5)) * normal(random);
  }
  return x;
}

inline ReturnTable monthly(const Eigen::MatrixXd& returns) {
  ReturnTable table;
  for (Eigen::Index t = 0; t < returns.rows(); ++t) table.days.push_back(Day{std::chrono::days{19000 + 30 * (t + 1)}});
  table.start = Day{std::chrono::days{19000}};
  for (Eigen::Index i = 0; i < returns.cols(); ++i) table.assets.push_back("A" + std::to_string(i + 1));
  table.returns = returns;
  table.spans = Eigen::MatrixXi::Ones(returns.rows(), returns.cols());
  table.every = {1, Unit::month};
  return table;
}

inline Estimated estimated_by(const Eigen::MatrixXd& returns, const char* expected, const char* covariance) {
  EstimateOptions options;
  options.expected = ExpectedMethod::parse(expected, "");
  options.covariance = CovarianceMethod::parse(covariance, "");
  return estimate_by(monthly(returns), options);
}

}  // namespace inchtide::test

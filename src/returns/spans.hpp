#pragma once
// Returns that span several periods, as they count in means and variances.
//
// With R_t over k_t periods and K = sum k_t the mean per period is m = sum R_t / K and the covariance
// sum (R_t - k_t m)(R_t - k_t m)' / (K - sum k_t^2 / K): all movement is kept, however it falls on the days, and the
// result is unbiased for log returns. The n rows m + (R_t - k_t m) sqrt((n - 1) / (K - sum k_t^2 / K)) have the same
// mean and covariance by the usual formulas, and are what every method takes that knows one period a row.

#include <Eigen/Core>
#include <vector>

#include "inchtide/returns/return_table.hpp"

namespace inchtide {

// Rows that all assets have and the benchmark too, where there is one.
std::vector<std::size_t> rows_beside(const ReturnTable& table, const Eigen::VectorXd& benchmark);

struct Spans {
  Eigen::VectorXd k;
  double total = 0;    // K, in periods
  bool single = true;  // all are 1

  /// Those of rows of a table, which are the same for all its assets there.
  Spans(const ReturnTable& table, const std::vector<std::size_t>& rows, Eigen::Index asset = 0);

  /// K - sum k^2 / K; n - 1 where all are 1.
  double degrees() const { return total - k.squaredNorm() / total; }
  /// The divisor of sums of squares around the mean: that, or K for a population.
  double divisor(Denominator denominator) const { return denominator == Denominator::sample ? degrees() : total; }

  /// As if each spanned one period: same mean, same covariance with the denominator n - 1.
  Eigen::MatrixXd as_single(const Eigen::MatrixXd& returns) const;
};

}  // namespace inchtide

#pragma once
// A history as estimators look at it: its complete rows, and their means and covariance.

#include <vector>

#include "inchtide/base/eigen.hpp"
#include "inchtide/returns/return_table.hpp"
#include "returns/spans.hpp"

namespace inchtide {

// Means by weights that add up to 1, and what is left around them; the rounding of the mean is corrected.
struct Demeaned {
  Eigen::RowVectorXd mean;
  Eigen::MatrixXd rest;
};

Demeaned demean(const Eigen::MatrixXd& returns, const Eigen::VectorXd& weights);

// The same of returns over k periods each, where sum w k = 1: r - k m is left.
Demeaned demean_spans(const Eigen::MatrixXd& returns, const Eigen::VectorXd& weights, const Eigen::VectorXd& k);

// Of each column of y, its slope on x, by least squares; both around their means.
Eigen::VectorXd slopes_on(const Eigen::VectorXd& x, const Eigen::MatrixXd& y);

Eigen::VectorXd equal_weights(Eigen::Index count);

// Solves S x = b for a positive definite S.
// @throws InputError naming the method where S is singular
Eigen::MatrixXd solved(const Eigen::MatrixXd& s, const Eigen::MatrixXd& b, const char* method);

// Complete rows. Where some span several periods, as if each spanned one: see Spans.
class Observed {
 public:
  // @param history at common ends; it outlives this
  // @param beside the benchmark's returns, or empty
  // @throws InputError for fewer than two complete rows
  Observed(const ReturnTable& history, Denominator divisor, const Eigen::VectorXd& beside);
  Observed(const Observed&) = delete;
  Observed& operator=(const Observed&) = delete;

  const ReturnTable& table;
  Denominator denominator;
  std::vector<std::size_t> rows;
  double p;  // periods per year
  Spans spans;
  Eigen::VectorXd benchmark;  // T, or empty
  Eigen::VectorXd mean;       // N, per period
  Eigen::MatrixXd sample;     // N x N, the sample covariance per year; may be taken away

  double count() const { return double(rows.size()); }
  const Eigen::MatrixXd& returns() const { return all_ ? table.returns : picked_; }  // T x N
  Eigen::MatrixXd as_they_are() const;                                               // T x N, whatever each spans

  // All the returns around their means: made when a method asks for it.
  const Eigen::MatrixXd& rest() const;

  // Of rows that span one period each, or stand for such: T - 1, or what makes a population's divisor K of it.
  double degrees() const;

  // Weights that halve every so many periods, such that sum w k = 1, with the returns as they are.
  Eigen::VectorXd halving(double half_life) const;

  // How many equal weights would pin the covariance down as well.
  double effective(const Eigen::VectorXd& weights) const;

 private:
  bool all_;                // the rows used are all of them, as they are
  Eigen::MatrixXd picked_;  // else those
  mutable Eigen::MatrixXd rest_;
};

}  // namespace inchtide

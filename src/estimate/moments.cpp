#include "moments.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/blas.hpp"
#include "base/dense.hpp"
#include "estimate/tolerances.hpp"
#include "inchtide/base/errors.hpp"

namespace inchtide {
namespace {

/// The mean of each column, and sums of products around it.
struct Moments {
  Eigen::RowVectorXd mean;
  Eigen::MatrixXd products;  // times a factor
};

/// One pass over the returns, some rows at a time, around a first guess of the means: those of the first rows. What the
/// guess missed is taken off at the end, a small part of the whole, so that no digits are lost.
Moments moments_of_columns(const Eigen::MatrixXd& returns, double factor) {
  constexpr Eigen::Index most = 768;
  const auto n = returns.cols();
  const double count = double(returns.rows());
  Eigen::MatrixXd rest(std::min(most, returns.rows()), n);
  Moments moments{Eigen::RowVectorXd(n), Eigen::MatrixXd::Zero(n, n)};
  Eigen::RowVectorXd guess(n);
  Eigen::VectorXd missed = Eigen::VectorXd::Zero(n);  // sums of what is left around the guess
  for (Eigen::Index first = 0; first < returns.rows(); first += most) {
    if (const auto rows = std::min(most, returns.rows() - first); rows < rest.rows()) rest.resize(rows, n);
    for (Eigen::Index i = 0; i < n; ++i) {  // a column at a time, while it is in the cache
      const auto part = returns.col(i).segment(first, rest.rows()).array();
      if (first == 0) guess[i] = part.mean();
      rest.col(i) = part - guess[i];
      missed[i] += rest.col(i).sum();
    }
    blas::add_gram(rest, factor, moments.products);
  }
  moments.mean = guess + missed.transpose() / count;
  for (Eigen::Index i = 0; i < n; ++i) {
    moments.products.col(i).tail(n - i) -= (factor * missed[i] / count) * missed.tail(n - i);
    moments.products(i, i) = std::max(0.0, moments.products(i, i));  // of an asset that never moves
  }
  blas::mirror_lower(moments.products);
  return moments;
}

/// Weights that halve every `half_life` rows back from the last, adding up to 1.
Eigen::VectorXd halving_weights(Eigen::Index count, double half_life) {
  Eigen::VectorXd weights(count);
  for (Eigen::Index t = 0; t < count; ++t) weights[t] = std::exp2(-double(count - 1 - t) / half_life);
  return weights / weights.sum();
}

std::vector<std::size_t> complete_rows(const ReturnTable& table, const Eigen::VectorXd& benchmark) {
  auto rows = rows_beside(table, benchmark);
  if (rows.size() >= 2) return rows;
  throw InputError("estimate", fmt::format("{} return common to all assets is too few for a variance", rows.size()),
                   {{Means::prices, "Give a longer history"},
                    {Means::interval, "take a shorter interval"},
                    {Means::assets, "look at fewer assets"}});
}

}  // namespace

Demeaned demean(const Eigen::MatrixXd& returns, const Eigen::VectorXd& weights) {
  Demeaned result{Eigen::RowVectorXd(returns.cols()), Eigen::MatrixXd(returns.rows(), returns.cols())};
  for (Eigen::Index i = 0; i < result.rest.cols(); ++i) {  // a column at a time, while it is in the cache
    auto column = result.rest.col(i);
    const double mean = weights.dot(returns.col(i));
    column = returns.col(i).array() - mean;
    const double rounding = weights.dot(column);
    column.array() -= rounding;
    result.mean[i] = mean + rounding;
  }
  return result;
}

Demeaned demean_spans(const Eigen::MatrixXd& returns, const Eigen::VectorXd& weights, const Eigen::VectorXd& k) {
  Demeaned result{weights.transpose() * returns, returns};
  result.rest -= k * result.mean;
  return result;
}

Eigen::VectorXd slopes_on(const Eigen::VectorXd& x, const Eigen::MatrixXd& y) {
  return y.transpose() * x / x.squaredNorm();
}

Eigen::VectorXd equal_weights(Eigen::Index count) {
  return Eigen::VectorXd::Constant(count, 1 / double(count));
}

Eigen::MatrixXd solved(const Eigen::MatrixXd& s, const Eigen::MatrixXd& b, const char* method) {
  auto x = dense::solve_definite(s, b, singular_pivot);
  if (!x) {
    throw InputError(method, "the covariance is singular, and this method needs its inverse",
                     "Give a longer history or fewer assets, or shrink the covariance");
  }
  return *std::move(x);
}

Observed::Observed(const ReturnTable& history, Denominator divisor, const Eigen::VectorXd& beside)
    : table(history),
      denominator(divisor),
      rows(complete_rows(history, beside)),
      p(history.periods_per_year),
      spans(history, rows),
      all_(rows.size() == history.observations() && spans.single) {
  if (!all_) picked_ = spans.as_single(history.returns(rows, Eigen::all));
  if (beside.size() > 0) benchmark = spans.as_single(beside(rows));
  auto moments = moments_of_columns(returns(), p / degrees());
  sample = std::move(moments.products);
  mean = moments.mean.transpose();
}

const Eigen::MatrixXd& Observed::rest() const {
  if (rest_.size() == 0) rest_ = demean(returns(), equal_weights(returns().rows())).rest;
  return rest_;
}

double Observed::degrees() const {
  return (count() - 1) * (spans.divisor(denominator) / spans.degrees());
}

Eigen::VectorXd Observed::halving(double half_life) const {
  const auto& k = spans.k;
  if (spans.single) return halving_weights(k.size(), half_life);
  Eigen::VectorXd weights(k.size());
  for (Eigen::Index t = 0; t < k.size(); ++t) {
    const long ago = table.end(rows.back()) - table.end(rows[std::size_t(t)]);
    weights[t] = std::exp2(-double(ago) / half_life);
  }
  return weights / weights.dot(k);
}

Eigen::MatrixXd Observed::as_they_are() const {
  return spans.single ? returns() : Eigen::MatrixXd(table.returns(rows, Eigen::all));
}

double Observed::effective(const Eigen::VectorXd& weights) const {
  const auto& k = spans.k;
  return std::pow(weights.dot(k), 2) / weights.cwiseProduct(k).squaredNorm() * (k.sum() / double(k.size()));
}

}  // namespace inchtide

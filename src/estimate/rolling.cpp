#include "inchtide/estimate/rolling.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "base/blas.hpp"
#include "inchtide/base/errors.hpp"

namespace inchtide {

RollingMoments::RollingMoments(const Eigen::MatrixXd& returns, Eigen::Index window, Eigen::Index refresh)
    : returns_(returns), window_(window), refresh_(refresh > 0 ? refresh : 4 * window) {
  if (window < 2 || window > returns.rows()) {
    throw InputError("window", fmt::format("{} periods of {}", window, returns.rows()),
                     fmt::format("Give 2 to {} periods", returns.rows()));
  }
}

void RollingMoments::start_at(Eigen::Index end) {
  const auto rows = returns_.middleRows(end - window_, window_);
  center_ = rows.colwise().mean().transpose();
  squares_ = Eigen::MatrixXd::Zero(returns_.cols(), returns_.cols());
  const Eigen::MatrixXd rest = rows.rowwise() - center_.transpose();
  sum_ = rest.colwise().sum().transpose();
  blas::add_gram(rest, 1, squares_);
  end_ = end;
}

void RollingMoments::move_to(Eigen::Index end) {
  if (end < window_ || end > returns_.rows()) {
    throw InputError("window", fmt::format("{} periods up to period {} of {}", window_, end, returns_.rows()),
                     "Move it within the history");
  }
  // The last fresh start at or before the end; the first window that fits is one too.
  const auto start = std::max(window_, end / refresh_ * refresh_);
  if (end_ < start || end_ > end) start_at(start);
  const auto step = end - end_;
  if (step == 0) return;
  // In and out at once: a a' - b b' = ((a - b)(a + b)' + (a + b)(a - b)') / 2.
  Eigen::MatrixXd change(step, returns_.cols()), both(step, returns_.cols());
  for (Eigen::Index i = 0; i < returns_.cols(); ++i) {
    const auto coming = returns_.col(i).segment(end_, step).array();
    const auto going = returns_.col(i).segment(end_ - window_, step).array();
    change.col(i) = coming - going;
    both.col(i) = coming + going - 2 * center_[i];
    sum_[i] += change.col(i).sum();
  }
  blas::add_cross_gram(change, both, 0.5, squares_);
  end_ = end;
}

Eigen::VectorXd RollingMoments::mean() const {
  return center_ + sum_ / double(window_);
}

Eigen::MatrixXd RollingMoments::covariance(Denominator denominator) const {
  Eigen::MatrixXd result;
  covariance_into(result, denominator);
  return result;
}

void RollingMoments::covariance_into(Eigen::MatrixXd& result, Denominator denominator) const {
  const double count = double(window_), degrees = divisor(denominator, count);
  const auto n = squares_.rows();
  result.resize(n, n);
  // A block at a time, which goes to both sides of the diagonal while it is in the cache.
  constexpr Eigen::Index block = 16;
  const double scale = 1 / degrees;
  const Eigen::VectorXd shift = (scale / count) * sum_;
  const auto whole = n / block * block;
  Eigen::Matrix<double, block, block> part;
  for (Eigen::Index j = 0; j < whole; j += block) {
    for (Eigen::Index i = j; i < whole; i += block) {
      const Eigen::Map<const Eigen::Matrix<double, block, block>, 0, Eigen::OuterStride<>> from(
          &squares_(i, j), Eigen::OuterStride<>(n));
      Eigen::Map<Eigen::Matrix<double, block, block>, 0, Eigen::OuterStride<>> lower(&result(i, j),
                                                                                     Eigen::OuterStride<>(n)),
          upper(&result(j, i), Eigen::OuterStride<>(n));
      const Eigen::Matrix<double, block, 1> sums = sum_.segment<block>(i);
      for (Eigen::Index a = 0; a < block; ++a) part.col(a) = scale * from.col(a) - shift[j + a] * sums;
      lower = part;
      upper = part.transpose();
    }
  }
  for (Eigen::Index j = 0; j < n; ++j) {  // the rows left over below, and the diagonal blocks' upper halves
    for (Eigen::Index i = std::max(j, whole); i < n; ++i) {
      result(j, i) = result(i, j) = scale * squares_(i, j) - shift[j] * sum_[i];
    }
    for (Eigen::Index i = j + 1; i < std::min(j / block * block + block, n); ++i) result(j, i) = result(i, j);
  }
}

}  // namespace inchtide

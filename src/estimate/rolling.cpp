#include "inchtide/estimate/rolling.hpp"

#include <fmt/format.h>

#include "base/blas.hpp"
#include "inchtide/base/errors.hpp"

namespace inchtide {

RollingMoments::RollingMoments(const Eigen::MatrixXd& returns, Eigen::Index window, Eigen::Index refresh)
    : returns_(returns), window_(window), refresh_(refresh > 0 ? refresh : window) {
  if (window < 2 || window > returns.rows()) {
    throw InputError("window", fmt::format("{} periods of {}", window, returns.rows()),
                     fmt::format("Give 2 to {} periods", returns.rows()));
  }
}

void RollingMoments::start_at(Eigen::Index end) {
  const auto rows = returns_.middleRows(end - window_, window_);
  center_ = rows.colwise().mean().transpose();
  sum_ = Eigen::VectorXd::Zero(returns_.cols());
  squares_ = Eigen::MatrixXd::Zero(returns_.cols(), returns_.cols());
  add(end - window_, window_, 1);
  end_ = end;
}

void RollingMoments::add(Eigen::Index first, Eigen::Index count, double sign) {
  const Eigen::MatrixXd rest = returns_.middleRows(first, count).rowwise() - center_.transpose();
  sum_ += sign * rest.colwise().sum().transpose();
  blas::add_gram(rest, sign, squares_);
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
  add(end_, step, 1);
  add(end_ - window_, step, -1);
  end_ = end;
}

Eigen::VectorXd RollingMoments::mean() const {
  return center_ + sum_ / double(window_);
}

Eigen::MatrixXd RollingMoments::covariance(Denominator denominator) const {
  const double count = double(window_), degrees = count - (denominator == Denominator::sample ? 1 : 0);
  const auto n = squares_.rows();
  Eigen::MatrixXd result(n, n);
  for (Eigen::Index j = 0; j < n; ++j) {
    result.col(j).tail(n - j) = (squares_.col(j).tail(n - j) - sum_.tail(n - j) * (sum_[j] / count)) / degrees;
  }
  // The upper half, in blocks that stay in the cache.
  constexpr Eigen::Index block = 64;
  for (Eigen::Index j = 0; j < n; j += block) {
    for (Eigen::Index i = j; i < n; i += block) {
      const auto columns = std::min(block, n - j), rows = std::min(block, n - i);
      if (i == j) {
        for (Eigen::Index c = j; c < j + columns; ++c) {
          for (Eigen::Index r = c + 1; r < i + rows; ++r) result(c, r) = result(r, c);
        }
      } else {
        result.block(j, i, columns, rows) = result.block(i, j, rows, columns).transpose();
      }
    }
  }
  return result;
}

}  // namespace inchtide

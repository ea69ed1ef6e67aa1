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
  covariance_ = Eigen::MatrixXd::Zero(returns_.cols(), returns_.cols());
  Eigen::MatrixXd rest = rows.rowwise() - center_.transpose();
  sum_ = rest.colwise().sum().transpose();
  rest.rowwise() -= sum_.transpose() / double(window_);
  blas::add_gram(rest, 1 / double(window_ - 1), covariance_);
  whole_ = false;
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
  // In and out at once: a a' - b b' = ((a - b)(a + b)' + (a + b)(a - b)') / 2. The sums of r - c move too, and with
  // them what they take off: s s' / T.
  change_.resize(step + 1, returns_.cols());
  both_.resize(step + 1, returns_.cols());
  for (Eigen::Index i = 0; i < returns_.cols(); ++i) {
    const auto coming = returns_.col(i).segment(end_, step).array();
    const auto going = returns_.col(i).segment(end_ - window_, step).array();
    change_.col(i).head(step) = coming - going;
    both_.col(i).head(step) = coming + going - 2 * center_[i];
    const double moved = change_.col(i).head(step).sum();
    change_(step, i) = -moved / double(window_);
    both_(step, i) = 2 * sum_[i] + moved;
    sum_[i] += moved;
  }
  blas::add_cross_gram(change_, both_, 0.5 / double(window_ - 1), covariance_);
  whole_ = false;
  end_ = end;
}

Eigen::VectorXd RollingMoments::mean() const {
  return center_ + sum_ / double(window_);
}

const Eigen::MatrixXd& RollingMoments::covariance() {
  if (!whole_) blas::mirror_lower(covariance_);
  whole_ = true;
  return covariance_;
}

Eigen::MatrixXd RollingMoments::covariance(Denominator denominator) {
  return covariance() * (double(window_ - 1) / divisor(denominator, double(window_)));
}

}  // namespace inchtide

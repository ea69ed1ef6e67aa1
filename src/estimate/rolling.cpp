#include "inchtide/estimate/rolling.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "base/blas.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/range.hpp"

namespace inchtide {

RollingMoments::RollingMoments(const Eigen::MatrixXd& returns, Eigen::Index window, Eigen::Index refresh,
                               const Eigen::VectorXi& spans)
    : returns_(returns.transpose()), window_(window), refresh_(refresh > 0 ? refresh : 4 * window) {
  const auto rows = returns_.cols();
  if (window < 2 || window > rows) {
    throw InputError("window", fmt::format("{} periods of {}", window, rows),
                     fmt::format("Give 2 to {} periods", rows));
  }
  if (!std::isfinite(returns_.sum()) && !returns_.allFinite())
    throw InputError("returns", "one is no finite number", "Take the rows that all have");
  if (spans.size() != 0 && (spans.size() != rows || spans.minCoeff() < 1)) {
    throw InputError("spans", fmt::format("{} for {} rows of returns, each at least 1", spans.size(), rows),
                     "Give one a row");
  }
  spans_ = spans.size() == 0 ? Eigen::VectorXd::Ones(rows) : Eigen::VectorXd(spans.cast<double>());
}

void RollingMoments::start_at(Eigen::Index end) {
  Eigen::MatrixXd rest = returns_.middleCols(end - window_, window_).transpose();
  const auto k = spans_.segment(end - window_, window_);
  periods_ = k.sum();
  squares_ = k.squaredNorm();
  center_ = rest.colwise().sum().transpose() / periods_;
  rest -= k * center_.transpose();
  sum_ = rest.colwise().sum().transpose();
  spanned_sum_ = rest.transpose() * k;
  rest -= k * (sum_ / periods_).transpose();
  own();
  covariance_->setZero(returns_.rows(), returns_.rows());
  blas::add_gram(rest, per_year_ / degrees(), *covariance_);
  whole_ = false;
  end_ = end;
}

void RollingMoments::move_to(Eigen::Index end) {
  if (end < window_ || end > returns_.cols()) {
    throw InputError("window", fmt::format("{} periods up to period {} of {}", window_, end, returns_.cols()),
                     "Move it within the history");
  }
  // The last fresh start at or before the end; the first window that fits is one too.
  const auto start = std::max(window_, end / refresh_ * refresh_);
  if (end_ < start || end_ > end) start_at(start);
  if (end > end_) move_by(end - end_);
}

/// What the means take off sum x x', so much of it, as a column of the update: v d' + d v' - sum k^2 d d', with
/// v = sum k x and d = sum x / K.
void RollingMoments::take_off_means(Eigen::Index column, double sign) {
  both_.col(column) = sum_ / periods_;
  change_.col(column) = 2 * sign * (squares_ / 2 * both_.col(column) - spanned_sum_);
}

/// Rows come in and go out at once: a a' - b b' = ((a - b)(a + b)' + (a + b)(a - b)') / 2. The means move too.
void RollingMoments::move_by(Eigen::Index step) {
  change_.resize(returns_.rows(), step + 2);
  both_.resize(returns_.rows(), step + 2);
  take_off_means(step, -1);
  const auto k_in = spans_.segment(end_, step).array(), k_out = spans_.segment(end_ - window_, step).array();
  for (Eigen::Index t = 0; t < step; ++t) {
    auto change = change_.col(t), both = both_.col(t);
    change = returns_.col(end_ + t) - center_ * k_in[t];           // coming
    both = returns_.col(end_ - window_ + t) - center_ * k_out[t];  // going
    spanned_sum_ += change * k_in[t] - both * k_out[t];
    change -= both;
    both = change + 2 * both;
    sum_ += change;
  }
  const double before = degrees();
  periods_ += k_in.sum() - k_out.sum();
  squares_ += k_in.square().sum() - k_out.square().sum();
  take_off_means(step + 1, 1);
  own();
  if (degrees() != before) *covariance_ *= before / degrees();
  blas::add_cross_products(change_, both_, 0.5 * per_year_ / degrees(), *covariance_);
  whole_ = false;
  end_ += step;
}

Eigen::VectorXd RollingMoments::mean() const {
  return per_year_ * (center_ + sum_ / periods_);
}

const Eigen::MatrixXd& RollingMoments::covariance() {
  if (!whole_) {
    own();
    blas::mirror_lower(*covariance_);
  }
  whole_ = true;
  return *covariance_;
}

Covariance RollingMoments::shared_covariance() {
  (void)covariance();
  return Covariance::shared(covariance_);
}

void RollingMoments::count_per_year(double periods_per_year) {
  per_year_ = within(periods_per_year, 1e-9, 1e9, "periods per year");
  end_ = -1;  // the next move starts afresh
}

/// Who holds the matrix keeps it as it is.
void RollingMoments::own() {
  if (covariance_.use_count() > 1) covariance_ = std::make_shared<Eigen::MatrixXd>(*covariance_);
}

Eigen::MatrixXd RollingMoments::covariance(Denominator denominator) {
  if (denominator == Denominator::sample) return covariance();
  return covariance() * (degrees() / periods_);
}

}  // namespace inchtide

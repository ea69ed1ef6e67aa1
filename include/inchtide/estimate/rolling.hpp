#pragma once
/// Mean and covariance over a window that moves along a history, for far less work than estimating each window afresh.
///
/// Rows that come in are added to sums of r - c and to the covariance, and rows that go out are taken off, c being the
/// mean of a fresh start. So that rounding cannot pile up, the sums are made afresh whenever the window's end passes a
/// multiple of `refresh` rows; what comes out depends on the position alone, not on the way there.
///
/// @code
/// #include <cassert>
/// Eigen::MatrixXd returns(4, 1);
/// returns << 0.01, 0.03, -0.02, 0.05;
/// inchtide::RollingMoments moments(returns, 2);
/// moments.move_to(3);  // rows 1 and 2
/// assert(std::abs(moments.mean()[0] - 0.005) < 1e-15);
/// @endcode

#include <cmath>
#include <memory>

#include "inchtide/base/api.hpp"
#include "inchtide/base/eigen.hpp"
#include "inchtide/estimate/covariance.hpp"
#include "inchtide/estimate/estimators.hpp"

namespace inchtide {

class INCHTIDE_API RollingMoments {
 public:
  /// @param returns T x N, finite; a copy is kept
  /// @param window rows in the window, at least 2 and at most T
  /// @param refresh rows between fresh starts; four windows when 0
  /// @param spans T, how many periods each row's returns span; 1 each when empty. With K their sum in the window, the
  ///        mean is sum R / K and the covariance sum (R - k m)(R - k m)' / (K - sum k^2 / K)
  /// @throws InputError when the window or the spans don't fit, or a return is no number
  explicit RollingMoments(const Eigen::MatrixXd& returns, Eigen::Index window, Eigen::Index refresh = 0,
                          const Eigen::VectorXi& spans = {});

  /// Moves the window to the rows [end - window, end).
  /// @throws InputError when it would stand out of the history
  void move_to(Eigen::Index end);

  /// Sample moments per year from now on, so that an estimate can share them.
  void count_per_year(double periods_per_year);
  /// The covariance without a copy: N x N with the denominator T - 1, per period or year. The next move makes the copy
  /// where it is still held.
  [[nodiscard]] Covariance shared_covariance();

  [[nodiscard]] Eigen::VectorXd mean() const;  ///< N, per period or year
  /// N x N, per period or year, with the denominator T - 1 (or as said above). It holds until the next move.
  [[nodiscard]] const Eigen::MatrixXd& covariance();
  /// A copy with either denominator.
  [[nodiscard]] Eigen::MatrixXd covariance(Denominator denominator);

 private:
  void own();
  void start_at(Eigen::Index end);
  void move_by(Eigen::Index step);
  void take_off_means(Eigen::Index column, double sign);
  [[nodiscard]] double degrees() const { return periods_ - squares_ / periods_; }

  Eigen::MatrixXd returns_;  // N x T, so that a row's lie together
  Eigen::VectorXd spans_;
  Eigen::Index window_, refresh_, end_ = -1;
  // In the window, with x = r - k c: sums of x, k x, k and k^2.
  Eigen::VectorXd center_, sum_, spanned_sum_;
  double periods_ = 0, squares_ = 0;
  double per_year_ = 1;
  // sum (x - k d)(x - k d)' / degrees, d = sum x / K, per year; the upper half when asked for
  std::shared_ptr<Eigen::MatrixXd> covariance_ = std::make_shared<Eigen::MatrixXd>();
  bool whole_ = false;  // the upper half is filled
  Eigen::MatrixXd change_, both_;
};

}  // namespace inchtide

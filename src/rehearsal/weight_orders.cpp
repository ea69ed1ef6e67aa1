#include "rehearsal/weight_orders.hpp"

#include <algorithm>
#include <cmath>

#include "rehearsal/tolerances.hpp"

namespace inchtide {

/// Of some assets side by side: the smallest change and all together; what the rates come to on weights.
template <typename Some>
struct WeightOrders::Looked {
  Some least = Some::Constant(1), moved = Some::Zero(), of_held = Some::Zero(), of_weights = Some::Zero();
};

/// Sums over the orders of one side.
struct WeightOrders::Side {
  Side(const Eigen::ArrayXd& members, const Eigen::ArrayXd& weights, const Eigen::ArrayXd& held,
       const Eigen::ArrayXd& rates)
      : weight((members * weights).sum()),
        position((members * held).sum()),
        cost((members * weights * rates).sum()),
        held_cost((members * held * rates).sum()) {}
  /// What the orders take out of cash, their costs included.
  [[nodiscard]] double paid(double left) const { return (weight + cost) * left - (position + held_cost); }
  double weight, position, cost, held_cost;
};

WeightOrders::WeightOrders(const Eigen::ArrayXd& weights, double cash_share, const Eigen::ArrayXd& mean,
                           const Eigen::ArrayXd& more_for_buys)
    : weights_(weights), mean_(mean), more_for_buys_(more_for_buys), cash_share_(cash_share) {
  for (auto* figures : {&side_, &rates_, &traded_}) figures->resize(weights.size());
}

/// Which sides orders are on, and what they pay, in one pass over the assets.
template <typename Some>
EIGEN_ALWAYS_INLINE void WeightOrders::look(Eigen::Index i, Looked<Some>& looked) {
  const auto at = [i](const double* figures) __attribute__((always_inline)) {
    return Eigen::Map<const Some>(figures + i);
  };
  const Some weights = at(weights_.data()), held = at(before_), change = weights - held, size = change.abs();
  const Some side = change / size;
  const Some rates = at(mean_.data()) * side + at(more_for_buys_.data());  // below 0 for sales
  looked.least = looked.least.min(size);
  looked.moved += size;
  looked.of_held += rates * held;
  looked.of_weights += rates * weights;
  Eigen::Map<Some>(side_.data() + i) = side;
  Eigen::Map<Some>(rates_.data() + i) = rates;
}

/// The orders that the wealth after them makes, and each towards its side: below 0 where it has turned.
template <typename Some>
EIGEN_ALWAYS_INLINE Some WeightOrders::follow(Eigen::Index i) {
  const Some traded = Eigen::Map<const Some>(weights_.data() + i) * left_ - Eigen::Map<const Some>(before_ + i);
  Eigen::Map<Some>(traded_.data() + i) = traded;
  return traded * Eigen::Map<const Some>(side_.data() + i);
}

/// W + sum of rate x |w W - h| = V is straight in W while no side turns. A purchase whose side does is dropped, and as
/// it would have been sold at W, what it keeps is short in cash: the others are made smaller.
bool WeightOrders::make(const double* before, double cash) {
  using One = Eigen::Array<double, 1, 1>;
  before_ = before;
  const auto n = weights_.size(), even = n / 2 * 2;
  Looked<Eigen::Array2d> twos;
  Looked<One> last;
  for (Eigen::Index i = 0; i < even; i += 2) look(i, twos);
  if (even < n) look(even, last);
  if (std::min(twos.least.minCoeff(), last.least[0]) < rounding_order) return false;
  moved_ = twos.moved.sum() + last.moved[0];
  left_ = (1 + (twos.of_held.sum() + last.of_held[0])) / (1 + (twos.of_weights.sum() + last.of_weights[0]));
  factor_ = 1;
  turned_ = 0;
  Eigen::Array2d least = Eigen::Array2d::Constant(1);
  for (Eigen::Index i = 0; i < even; i += 2) least = least.min(follow<Eigen::Array2d>(i));
  if (even < n) least[0] = std::min(least[0], follow<One>(even)[0]);
  return least.minCoeff() >= rounding_order || drop_turned(cash);
}

/// Orders without those that turned. Wealth and cash after them are straight in sums over both sides, so the factor of
/// the purchases that leaves cash at its floor takes a few steps on figures alone.
bool WeightOrders::drop_turned(double cash) {
  const Eigen::ArrayXd stays = (traded_ * side_ >= 0).cast<double>();
  turned_ = Eigen::Index(double(side_.size()) - stays.sum());
  const Eigen::ArrayXd buys = (side_ > 0).cast<double>() * stays, sells = (side_ < 0).cast<double>() * stays;
  const Side bought(buys, weights_, before(), rates_), sold(sells, weights_, before(), rates_);
  const auto wealth = [&](double factor) {
    return (1 + factor * bought.held_cost + sold.held_cost) / (1 + factor * bought.cost + sold.cost);
  };
  const auto room = [&](double factor) {
    const double left = wealth(factor), floor = std::min(0.0, cash_share_) * left;
    return cash - factor * bought.paid(left) - sold.paid(left) - floor;
  };
  left_ = wealth(1);
  double at = room(1);
  for (int step = 0; at < -cash_rounding && step < newton_steps; ++step) {
    factor_ += at / bought.paid(left_);
    left_ = wealth(factor_);
    at = room(factor_);
    if (std::abs(at) <= cash_rounding) break;
  }
  traded_ = (weights_ * left_ - before()) * (factor_ * buys + sells);
  const bool more = (traded_ * side_ + (1 - stays) < rounding_order).any();  // turn, or are too small
  return at >= -cash_rounding && !more;
}

}  // namespace inchtide

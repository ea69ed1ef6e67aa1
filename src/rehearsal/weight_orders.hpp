#pragma once
// Orders that bring positions back to all their weights at costs in proportion to what is traded; all of it for each
// unit of the wealth before them.

#include "inchtide/base/eigen.hpp"

namespace inchtide {

class WeightOrders {
 public:
  // What is given is kept by reference, one an asset.
  // @param weights above 0, of the wealth after the orders
  // @param cash_share what they leave
  // @param mean, more_for_buys rates: a trade of x pays mean |x| + more_for_buys x
  WeightOrders(const Eigen::ArrayXd& weights, double cash_share, const Eigen::ArrayXd& mean,
               const Eigen::ArrayXd& more_for_buys);

  // False where an order is too small to be one, or where more than one change of sides is needed: the ledger trades
  // then.
  // @param before weights before them, kept by reference
  bool make(const double* before, double cash);

  // Bought, or sold below 0.
  [[nodiscard]] const Eigen::ArrayXd& traded() const { return traded_; }
  // Of the wealth.
  [[nodiscard]] double left() const { return left_; }
  // What purchases were multiplied by.
  [[nodiscard]] double factor() const { return factor_; }
  // Orders that were dropped; without, all positions are the weights of what is left.
  [[nodiscard]] Eigen::Index turned() const { return turned_; }
  // The sum of all changes of weights, where none was dropped.
  [[nodiscard]] double moved() const { return moved_; }

 private:
  struct Side;
  template <typename Some>
  struct Looked;

  template <typename Some>
  void look(Eigen::Index i, Looked<Some>& looked);
  template <typename Some>
  Some follow(Eigen::Index i);
  bool drop_turned(double cash);
  [[nodiscard]] Eigen::Map<const Eigen::ArrayXd> before() const { return {before_, weights_.size()}; }

  const Eigen::ArrayXd &weights_, &mean_, &more_for_buys_;
  double cash_share_;
  const double* before_ = nullptr;
  Eigen::ArrayXd side_, rates_, traded_;
  double moved_ = 0, left_ = 1, factor_ = 1;
  Eigen::Index turned_ = 0;
};

}  // namespace inchtide

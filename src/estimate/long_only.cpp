#include "estimate/long_only.hpp"

#include <algorithm>
#include <optional>
#include <vector>

#include "base/dense.hpp"

namespace inchtide {
namespace {

constexpr double least_pivot = 1e-12;  // of the largest: below, a column is a mix of the others
constexpr Eigen::Index most_steps_an_asset = 10;
constexpr double least_pay = 1e-12;  // of the largest product with the series

class ActiveSet {
 public:
  ActiveSet(const Eigen::MatrixXd& products, const Eigen::VectorXd& with_series)
      : products_(products),
        with_series_(with_series),
        weights_(Eigen::VectorXd::Zero(with_series.size())),
        passed_over_(std::size_t(with_series.size()), 0) {}

  Eigen::VectorXd find() {
    // Each step comes nearer; where rounding alone decides, any of the portfolios is as near.
    for (Eigen::Index steps = 0; steps < most_steps_an_asset * weights_.size(); ++steps) {
      const auto next = pays_most();
      if (!next) break;
      held_.push_back(*next);
      settle();
    }
    return weights_;
  }

 private:
  [[nodiscard]] std::optional<Eigen::Index> pays_most() const {
    const Eigen::VectorXd pays = with_series_ - products_ * weights_;
    std::optional<Eigen::Index> best;
    double most = least_pay * with_series_.cwiseAbs().maxCoeff();
    for (Eigen::Index i = 0; i < pays.size(); ++i) {
      if (!(pays[i] > most) || passed_over_[std::size_t(i)] || std::ranges::find(held_, i) != held_.end()) continue;
      most = pays[i];
      best = i;
    }
    return best;
  }

  /// Moves to the best weights of what is held, less what reaches nothing on the way.
  void settle() {
    const auto newest = held_.back();
    for (bool first = true;; first = false) {
      const auto solved = dense::solve_definite(products_(held_, held_), with_series_(held_), least_pivot);
      if (!solved || (first && !((*solved)(Eigen::Index(held_.size()) - 1, 0) > 0))) {
        passed_over_[std::size_t(newest)] = 1;
        std::erase(held_, newest);
        weights_[newest] = 0;
        return;
      }
      const Eigen::VectorXd now = weights_(held_), there = solved->col(0);
      double part = 1;
      for (Eigen::Index k = 0; k < now.size(); ++k) {
        if (there[k] <= 0) part = std::min(part, now[k] / (now[k] - there[k]));
      }
      weights_(held_) = now + part * (there - now);
      if (part == 1) return;
      std::vector<Eigen::Index> still;
      for (Eigen::Index k = 0; k < now.size(); ++k) {
        const auto i = held_[std::size_t(k)];
        if (there[k] > 0 || now[k] / (now[k] - there[k]) > part) {
          still.push_back(i);
        } else {
          weights_[i] = 0;
        }
      }
      held_ = std::move(still);
    }
  }

  const Eigen::MatrixXd& products_;
  const Eigen::VectorXd& with_series_;
  Eigen::VectorXd weights_;
  std::vector<Eigen::Index> held_;
  std::vector<char> passed_over_;
};

}  // namespace

Eigen::VectorXd nearest_long_only(const Eigen::MatrixXd& products, const Eigen::VectorXd& with_series) {
  return ActiveSet(products, with_series).find();
}

}  // namespace inchtide

#pragma once
// Draws of runs beside a baseline: how far their Sharpe ratios, or their means, lie above its.

#include <cstdint>
#include <vector>

#include "inchtide/base/eigen.hpp"

namespace inchtide {

class LuckDraws {
 public:
  // @param values a row a day and a column a run, the baseline last: each less its mean, over its deviation
  // @param sharpe ratio of each column, per row
  LuckDraws(Eigen::MatrixXd values, Eigen::ArrayXd sharpe);

  struct Drawn {
    Eigen::ArrayXXd off;    // of each draw and run: how far its difference is from what it was, over the draw's error
    Eigen::ArrayXXd error;  // of the draw
  };
  // Draws [from, to) of a stationary bootstrap, a row each.
  // @param block mean length
  [[nodiscard]] Drawn draw(std::uint64_t seed, std::size_t from, std::size_t to, double block) const;

 private:
  struct OneDraw;
  struct Sums;
  // Of two runs, side by side.
  using Both = Eigen::Array2d;

  void add_up(Eigen::Index first, Eigen::Index second, std::size_t rows, std::vector<Sums>& before) const;
  template <typename EachMoved>
  Both ratio(const OneDraw& draw, const std::vector<Sums>& before, const Both& sharpe, std::vector<Sums>& within,
             EachMoved each_moved) const;

  Eigen::MatrixXd values_;
  Eigen::ArrayXd sharpe_;
};

// Means of draws [from, to) of the same bootstrap: a row a draw, a column a column of values.
[[nodiscard]] Eigen::ArrayXXd drawn_means(const Eigen::MatrixXd& values, std::uint64_t seed, std::size_t from,
                                          std::size_t to, double block);

}  // namespace inchtide

#pragma once
// Draws of how far the Sharpe ratios of runs lie above a baseline's, each over its own error.

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
  struct Block;
  struct OneDraw;
  // A sum, and a sum of squares.
  using Sums = Eigen::Array2d;

  [[nodiscard]] std::vector<OneDraw> all_blocks(std::uint64_t seed, std::size_t from, std::size_t to,
                                                double block) const;
  void add_up(Eigen::Index column, std::size_t rows, std::vector<Sums>& before) const;
  template <typename EachMoved>
  double ratio(const OneDraw& draw, const std::vector<Sums>& before, double sharpe, std::vector<Sums>& within,
               EachMoved each_moved) const;

  Eigen::MatrixXd values_;
  Eigen::ArrayXd sharpe_;
};

}  // namespace inchtide

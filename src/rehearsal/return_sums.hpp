#pragma once
// What ratios of return and risk need of a run's rows, found once for runs that differ on a few rows alone: those with
// a trade, which hang on its costs, and those behind a trade that did not lead back to all weights.

#include <span>
#include <vector>

#include "inchtide/rehearsal/walk.hpp"

namespace inchtide {

class ReturnSums {
 public:
  // @param returns one a row that is measured; those of trades count for nothing
  // @param targets the targets' own on these rows, or null
  // @param trades rows of `returns`, ascending
  // @param least return that is no loss
  ReturnSums(Eigen::ArrayXd returns, const double* targets, std::vector<Eigen::Index> trades, double least);

  // Fills in mean, volatility and ratios of a run.
  // @param own what it returned on the rows with a trade, and on any others, ascending
  void measure(Rehearsal& run, std::span<const KeptReturns::Own> own, double risk_free) const;

 private:
  struct Moved;
  struct Changed;
  // The rows on both sides of one, by the weights of their lags.
  struct Around {
    double squares = 0, sum = 0, count = 0;
  };

  void add_lags();
  [[nodiscard]] Around around(Eigen::Index row) const;
  [[nodiscard]] double long_run_error(const Moved& moved, std::span<const Changed> changed) const;

  Eigen::Index rows_, lags_;
  std::vector<Eigen::Index> trades_;
  std::vector<Around> around_trades_;
  double least_;
  // Returns less the mean of the rows without a trade, and the same of what lies between them and the targets'; 0 where
  // there is a trade.
  Eigen::ArrayXd off_, apart_, targets_;
  double mean_ = 0, mean_apart_ = 0;
  double sum_ = 0, squares_ = 0, below_ = 0, apart_sum_ = 0, apart_squares_ = 0;
  // Products of rows some way apart, by the weights of their lags: of squares, of both, of returns; their sums.
  double of_squares_ = 0, of_both_ = 0, of_returns_ = 0, all_squares_ = 0, all_returns_ = 0, pairs_ = 0;
};

}  // namespace inchtide

#pragma once
/// How much a frontier and its portfolios owe to the luck of their history: everything estimated and solved once more
/// over bootstrap draws of the returns (Politis & Romano 1994), under the same limits.

#include <functional>
#include <vector>

#include "inchtide/estimate/bootstrap.hpp"
#include "inchtide/estimate/estimate.hpp"
#include "inchtide/weights/allocation.hpp"

namespace inchtide {

/// The weights of one aim over the draws.
struct WeightBands {
  std::string aim;
  Eigen::VectorXd weights;    ///< from the history as it was
  Eigen::VectorXd average;    ///< over the draws
  Eigen::VectorXd low, high;  ///< quantiles over the draws
  Eigen::VectorXd held;       ///< share of the draws that hold it
  int draws = 0;              ///< in which there is such a portfolio
};

/// The expected return that draws promise at one volatility.
struct FrontierBand {
  double volatility = 0;
  double low = 0, middle = 0, high = 0;  ///< expected return of the whole: quantiles, and the median
  int draws = 0;                         ///< whose frontier reaches this volatility
};

struct Sensitivity {
  std::vector<FrontierBand> frontier;  ///< over the volatilities of the frontier as it was; where half the draws reach
  std::vector<WeightBands> portfolios;
  double block = 0;  ///< mean length of a block, in periods
  int draws = 0;
  int left_out = 0;  ///< draws whose frontier could not be certified
};

/// @param estimate makes an estimate of returns, by whatever method; called from several threads
/// @param aims to follow; one without a portfolio in a draw is left out there
/// @param options its watch is asked before each draw, and told after it
/// @throws InputError for options out of range, or too few common returns; Interrupted when stopped
[[nodiscard]] Sensitivity sensitivity(const ReturnTable& returns,
                                      const std::function<Estimate(const ReturnTable&)>& estimate, const Limits& limits,
                                      const LimitFacts& facts, const std::vector<Aim>& aims, double risk_free,
                                      const BootstrapOptions& options);

}  // namespace inchtide

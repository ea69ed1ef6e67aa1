#pragma once
/// How much a frontier and its portfolios owe to the luck of their history: everything estimated and solved once more
/// over bootstrap draws of the returns (Politis & Romano 1994), under the same limits.
///
/// @code
/// #include <cassert>
/// #include <cmath>
/// inchtide::ReturnTable returns;
/// returns.assets = {"KELPFARM", "TIDEMILL"};
/// returns.days = std::vector<inchtide::Day>(6);
/// returns.returns.resize(6, 2);
/// returns.returns << 0.01, 0.02, -0.01, 0.01, 0.03, -0.02, 0.00, 0.01, 0.02, 0.02, -0.02, -0.01;
/// returns.spans = Eigen::MatrixXi::Ones(6, 2);
/// inchtide::BootstrapOptions draws;
/// draws.draws = 20;
/// const auto drawn = inchtide::sensitivity(
///     returns,
///     [](const inchtide::ReturnTable& some, const Eigen::VectorXd&) { return inchtide::sample_estimate(some); }, {},
///     {}, {inchtide::Aim::parse("minimum-variance", "")}, 0, draws);
/// assert(drawn.portfolios[0].draws > 0 && std::abs(drawn.portfolios[0].average.sum() - 1) < 1e-9);
/// @endcode

#include <functional>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/estimate/bootstrap.hpp"
#include "inchtide/estimate/estimate.hpp"
#include "inchtide/weights/allocation.hpp"

namespace inchtide {

/// The weights of one aim over the draws.
struct INCHTIDE_API WeightBands {
  std::string aim;
  Eigen::VectorXd weights;    ///< from the history as it was
  Eigen::VectorXd average;    ///< over the draws
  Eigen::VectorXd low, high;  ///< quantiles over the draws
  Eigen::VectorXd held;       ///< share of the draws that hold it
  int draws = 0;              ///< in which there is such a portfolio
};

/// The expected return that draws promise at one volatility.
struct INCHTIDE_API FrontierBand {
  double volatility = 0;
  double low = 0, middle = 0, high = 0;  ///< expected return of the whole: quantiles, and the median
  int draws = 0;                         ///< whose frontier reaches this volatility
};

struct INCHTIDE_API Sensitivity {
  /// Over the volatilities of the frontier as it was; where half the draws reach. None within a tracking error, where
  /// no frontier of corners is.
  std::vector<FrontierBand> frontier;
  std::vector<WeightBands> portfolios;
  double block = 0;  ///< mean length of a block, in periods
  int draws = 0;
  int left_out = 0;  ///< draws whose frontier could not be certified
};

/// Makes an estimate of returns, by whatever method, with those of the benchmark on the same rows; none without one.
using EstimateOfDraw = std::function<Estimate(const ReturnTable& returns, const Eigen::VectorXd& benchmark)>;

/// @param estimate called from several threads
/// @param facts where they have a benchmark and its returns are given, each draw has its own figures of it
/// @param aims to follow; one without a portfolio in a draw is left out there
/// @param options its watch is asked before each draw, and told after it
/// @param benchmark its returns on the same rows, drawn with them, NaN where it has none; or none
/// @throws InputError for options out of range, too few common returns, or another number of the benchmark's than rows;
///         Interrupted when stopped
[[nodiscard]] INCHTIDE_API Sensitivity sensitivity(const ReturnTable& returns, const EstimateOfDraw& estimate,
                                                   const Limits& limits, const LimitFacts& facts,
                                                   const std::vector<Aim>& aims, double risk_free,
                                                   const BootstrapOptions& options,
                                                   const Eigen::VectorXd& benchmark = {});

}  // namespace inchtide

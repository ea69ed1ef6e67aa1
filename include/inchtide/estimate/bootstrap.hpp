#pragma once
/// How far the figures of a history might have come out differently: the stationary bootstrap of Politis & Romano 1994,
/// Journal of the American Statistical Association 89.
///
/// A draw strings together blocks of periods from random starts, of random lengths with a given mean, around the
/// history's end if need be; whole rows are taken, so that what belongs together stays together. Each draw has its own
/// random numbers, so that the result is the same for any number of threads.
///
/// @code
/// #include <cassert>
/// inchtide::ReturnTable returns;
/// returns.assets = {"KELPFARM", "TIDEMILL"};
/// returns.days = std::vector<inchtide::Day>(6);
/// returns.returns.resize(6, 2);
/// returns.returns << 0.01, 0.02, -0.01, 0.01, 0.03, -0.02, 0.00, 0.01, 0.02, 0.02, -0.02, -0.01;
/// returns.spans = Eigen::MatrixXi::Ones(6, 2);
/// inchtide::BootstrapOptions options;
/// options.draws = 50;
/// const auto bands = inchtide::bootstrap_bands(returns, options);
/// assert((bands.mean_low.array() <= bands.mean_high.array()).all() && bands.draws == 50);
/// @endcode

#include <cstdint>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/eigen.hpp"
#include "inchtide/base/progress.hpp"
#include "inchtide/returns/return_table.hpp"

namespace inchtide {

struct INCHTIDE_API BootstrapOptions {
  int draws = 1000;
  double block = 0;  ///< mean length of a block in periods, at least 1; T^(1/3) when 0
  std::uint64_t seed = 1;
  double coverage = 0.9;  ///< the band leaves out half of the rest on each side
  int threads = 0;        ///< 0: as many as there are processors
  bool correlations = false;
  Watch watch = {};  ///< asked before each draw, told after it
};

/// Bands per year, from the lower to the upper quantile of the draws.
struct INCHTIDE_API BootstrapBands {
  Eigen::VectorXd mean_low, mean_high;                ///< N, fractions per year
  Eigen::VectorXd volatility_low, volatility_high;    ///< N, fractions per root year
  Eigen::MatrixXd correlation_low, correlation_high;  ///< N x N, where asked for
  double block = 0;
  int draws = 0;
};

/// @throws InputError when fewer than two common returns are left, or an option is out of range; Interrupted when
///         stopped
[[nodiscard]] INCHTIDE_API BootstrapBands bootstrap_bands(const ReturnTable& returns, const BootstrapOptions& options);

/// The mean length of a block: as asked for, or T^(1/3). @throws InputError as `bootstrap_bands`
[[nodiscard]] INCHTIDE_API double check_draws(const BootstrapOptions& options, std::size_t periods);

/// The periods of one draw, by position.
[[nodiscard]] INCHTIDE_API std::vector<std::size_t> draw_of_rows(const BootstrapOptions& options, double block,
                                                                 int draw, std::size_t periods);

}  // namespace inchtide

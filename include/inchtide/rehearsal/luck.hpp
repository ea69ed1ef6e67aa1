#pragma once
/// How much of the best run's edge is luck. Whoever tries many schedules and keeps the best has kept some luck with it:
/// what is asked is whether the best of so many would stand out as far, did none of them have an edge at all.
///
/// The figure is the Sharpe ratio per row of each run less that of a baseline, over its standard error. Its likes are
/// drawn by the stationary bootstrap (Politis & Romano 1994) of whole rows, all runs together, each draw with an error
/// of its own from the sums of its blocks (Goetze & Kuensch 1996; Ledoit & Wolf 2008, "Robust performance hypothesis
/// testing with the Sharpe ratio"). The p-value of the best is how often the largest of a draw, measured from what the
/// runs did, is as large as the largest of the runs. Where no schedule had an edge, 10 of them over three years were
/// taken for more than luck at 5% in 4 to 8 of 100 made-up markets; held against one that never trades, whose weights
/// wander off for good, in 8 to 9.
///
/// @code
/// #include <cassert>
/// #include <cmath>
/// Eigen::MatrixXd runs(400, 2);
/// Eigen::VectorXd baseline(400);
/// for (int t = 0; t < 400; ++t) {
///   baseline[t] = 0.01 * std::sin(1.7 * t * t);
///   runs(t, 0) = baseline[t] + 0.002 + 0.001 * std::cos(2.3 * t * t);  // it has an edge
///   runs(t, 1) = baseline[t];
/// }
/// inchtide::LuckOptions options;
/// options.draws = 200;
/// const auto luck = inchtide::luck_of(runs, baseline, options);
/// assert(luck.best == 0 && luck.p_value < 0.01 && luck.distinct == 2);
/// assert(luck.runs[1].beside == inchtide::Beside::same);
/// @endcode

#include <cstddef>
#include <cstdint>
#include <optional>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/eigen.hpp"
#include "inchtide/base/progress.hpp"

namespace inchtide {

struct INCHTIDE_API LuckOptions {
  int draws = 1000;
  double block = 0;  ///< mean length of a block in rows; by the series themselves when 0
  std::uint64_t seed = 1;
  double tried = 0;  ///< what was tried besides and is no column
  int threads = 0;   ///< 0: as many as there are processors
  Watch watch = {};
};

/// How a run can be told from the baseline.
enum class Beside {
  tested,
  same,    ///< every row within 1e-14, or a multiple of it
  too_few  ///< fewer than ten blocks of rows that differ
};

/// One run. Ratios are per row.
struct INCHTIDE_API TriedRun {
  Beside beside = Beside::tested;
  double sharpe = 0;
  double difference = 0;  ///< less the baseline's
  double error = 0;    ///< of the difference: autocovariances over as many rows as a block has, falling to 0 (Newey &
                       ///< West 1987)
  double p_value = 1;  ///< that this one or a better has no edge, all runs counted: step down (Romano & Wolf 2005,
                       ///< 2016); 1 where it isn't tested
};

/// The probability that the best ratio is above that which the best of so many without any edge would be expected to
/// have (Bailey & Lopez de Prado 2014, "The deflated Sharpe ratio").
struct INCHTIDE_API DeflatedSharpe {
  double tries = 0;
  double expected_best = 0;  ///< per row
  double probability = 0;
};

struct INCHTIDE_API LuckAtBlock {
  double block = 0, p_value = 1;
};

struct INCHTIDE_API Luck {
  std::vector<TriedRun> runs;  ///< one a column
  double baseline_sharpe = 0;
  std::optional<std::size_t> best;  ///< of those tested, the one with the largest difference over its error
  double block = 0;                 ///< mean length
  double p_value = 1;               ///< of the best; 1 where none is tested
  double p_value_recentred = 1;     ///< the same with runs that are far behind not counted in (Hansen 2005): sharper
  std::vector<LuckAtBlock> others;  ///< the same at half and at double the length
  std::size_t distinct = 0;         ///< runs and baseline, each once
  double tries = 0;                 ///< with those that are no column
  /// Of the best ratio there is, the baseline's among them: for all tries as if they had nothing in common, and for as
  /// many as their mean correlation r leaves, r + (1 - r) n. None of fewer than 2 tries, or where all ratios are one.
  std::optional<DeflatedSharpe> deflated, deflated_correlated;
};

/// @param excess returns less the risk-free rate, a row a day, a column a run
/// @param baseline the same of the run that the others are held against
/// @throws InputError for fewer than 4 rows, other shapes, figures that are none, a series that doesn't move, or
/// options
///         out of range; Interrupted when stopped
[[nodiscard]] INCHTIDE_API Luck luck_of(const Eigen::MatrixXd& excess, const Eigen::VectorXd& baseline,
                                        const LuckOptions& options = {});

/// What is asked of means: how far the best run's mean return lies above the baseline's, and how often luck alone gives
/// as much.
struct INCHTIDE_API LuckOfMeans {
  std::size_t best = 0;   ///< the first with the largest mean
  double difference = 0;  ///< of its mean and the baseline's, per row
  double block = 0;       ///< mean length
  double p_value = 1;
};

/// The same question of mean returns, which a run that takes more risk answers for that alone: White 2000 ("A reality
/// check for data snooping"). It takes a third to a quarter of the time; all runs are tested, `tried` does nothing.
/// @throws InputError, Interrupted as `luck_of`, but a run may stand still
[[nodiscard]] INCHTIDE_API LuckOfMeans luck_of_means(const Eigen::MatrixXd& excess, const Eigen::VectorXd& baseline,
                                                     const LuckOptions& options = {});

/// @param sharpe, deviation per row: the best ratio, and the standard deviation of all that were tried
/// @param kurtosis 3 of normal returns
[[nodiscard]] INCHTIDE_API DeflatedSharpe deflated_sharpe(double sharpe, double skew, double kurtosis, double rows,
                                                          double tries, double deviation);

/// The mean length of blocks that suits the stationary bootstrap of a series' mean (Politis & White 2004, as Patton,
/// Politis & White 2009 correct it): at least 1, at most min(3 sqrt(T), T / 3).
[[nodiscard]] INCHTIDE_API double usual_block(const Eigen::VectorXd& series);

}  // namespace inchtide

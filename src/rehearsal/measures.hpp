#pragma once
// What a run comes to.

#include "inchtide/rehearsal/rehearsal.hpp"

namespace inchtide {

// Fills in the figures of a run from its days, wealth and trades.
void measure(Rehearsal& run, const RehearsalOptions& options);

// The standard error of the mean of a series around 0 that may hang together: its covariances over so many lags, with
// weights that fall to 0 beyond them (Newey & West 1987).
[[nodiscard]] double long_run_error(const Eigen::ArrayXd& series, Eigen::Index lags);

}  // namespace inchtide

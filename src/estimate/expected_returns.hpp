#pragma once
// Expected returns by method.

#include "estimate/moments.hpp"
#include "inchtide/estimate/estimators.hpp"

namespace inchtide {

// Per year, one an asset. What the method says of itself goes to the result, whose means and covariance are there.
Eigen::VectorXd expected_by(const Observed& seen, const EstimateOptions& options, Estimated& result);

// risk-free + aversion x S w.
Eigen::VectorXd implied_returns(const Observed& seen, const EstimateOptions& options, const Covariance& covariance);

// The implied returns moved by views.
Eigen::VectorXd with_views(const Observed& seen, const EstimateOptions& options, const Covariance& covariance);

}  // namespace inchtide

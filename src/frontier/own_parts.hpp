#pragma once
// The part of each asset's variance that a search for positions counts as if it were paid per position.

#include "inchtide/estimate/covariance.hpp"

namespace inchtide {

struct Split {
  Eigen::VectorXd own;  // d, none negative
  Covariance rest;      // S - diag(d), positive definite where S is
};

// d such that the sum of importance x d is large. All 0 where S is dense and singular.
Split split_of(const Covariance& covariance, const Eigen::VectorXd& importance);

}  // namespace inchtide

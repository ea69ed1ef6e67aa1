#pragma once
// The part of each asset's variance that a search for positions counts as if it were paid per position.

#include "inchtide/estimate/covariance.hpp"

namespace inchtide {

struct Split {
  Eigen::VectorXd own;  // d, none negative
  Covariance rest;      // S - diag(d), positive definite where S is
};

Split split_with(const Covariance& covariance, Eigen::VectorXd own);

// d such that the sum of importance x d is large. All 0 where S is dense and singular; where it has factors, nearly all
// of the specific variance.
// `start`: a d from which to go on, with S - diag(start) positive definite; none when empty.
Eigen::VectorXd own_parts_for(const Covariance& covariance, const Eigen::VectorXd& importance,
                              const Eigen::VectorXd& start = {});

}  // namespace inchtide

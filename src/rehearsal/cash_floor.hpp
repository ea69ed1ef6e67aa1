#pragma once
// Target weights beside the floor of cash.

#include <Eigen/Core>

namespace inchtide {

// What targets are multiplied by so that they leave a floor of cash: 1 where they do.
inline double scale_above_floor(const Eigen::VectorXd& targets, double floor) {
  const double sum = targets.sum();
  return floor > 0 && sum > 1 - floor ? (1 - floor) / sum : 1;
}

}  // namespace inchtide

#pragma once
/// Weights of a portfolio as they are given: by code, in any order, of some of the assets.

#include <string>
#include <vector>

#include "inchtide/base/eigen.hpp"

namespace inchtide {

struct WeightList {
  std::string name;  ///< of the portfolio
  std::vector<std::string> assets;
  std::vector<double> weights;  ///< fractions of wealth, one an asset
  std::string source = {};      ///< the file they came from, for messages
};

/// The weights in the order of `assets`; those that the list does not name are 0.
/// @throws InputError naming the list's source for a code that is none of the assets', that comes twice, or another
///         number of weights than codes
[[nodiscard]] Eigen::VectorXd weights_for(const std::vector<std::string>& assets, const WeightList& list);

}  // namespace inchtide

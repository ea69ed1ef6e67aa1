#pragma once
/// Weights of a portfolio as they are given: by code, in any order, of some of the assets.
///
/// @code
/// #include <cassert>
/// const inchtide::WeightList held{"held", {"tidemill"}, {0.4}};
/// assert(inchtide::weights_for({"KELPFARM", "TIDEMILL"}, held) == Eigen::Vector2d(0, 0.4));
/// @endcode

#include <string>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/eigen.hpp"

namespace inchtide {

struct INCHTIDE_API WeightList {
  std::string name;  ///< of the portfolio
  std::vector<std::string> assets;
  std::vector<double> weights;  ///< fractions of wealth, one an asset
  std::string source = {};      ///< the file they came from, for messages
};

/// The weights in the order of `assets`; those that the list does not name are 0.
/// @throws InputError naming the list's source for a code that is none of the assets', that comes twice, or another
///         number of weights than codes
[[nodiscard]] INCHTIDE_API Eigen::VectorXd weights_for(const std::vector<std::string>& assets, const WeightList& list);

}  // namespace inchtide

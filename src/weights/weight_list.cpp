#include "inchtide/weights/weight_list.hpp"

#include <fmt/format.h>

#include <set>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"

namespace inchtide {

Eigen::VectorXd weights_for(const std::vector<std::string>& assets, const WeightList& list) {
  const auto where = list.source.empty() ? Where("weights") : Where::in_file(list.source);
  if (list.assets.size() != list.weights.size()) {
    throw InputError(where, fmt::format("{} weights for {} codes", list.weights.size(), list.assets.size()),
                     "Give one a code");
  }
  Eigen::VectorXd weights = Eigen::VectorXd::Zero(Eigen::Index(assets.size()));
  std::set<std::size_t> seen;
  for (std::size_t k = 0; k < list.assets.size(); ++k) {
    const auto found = find_name(list.assets[k], assets);
    if (!found) {
      throw InputError(where, fmt::format("no asset of the estimate has the code '{}'", list.assets[k]),
                       did_you_mean(list.assets[k], assets));
    }
    if (!seen.insert(*found).second) {
      throw InputError(where, fmt::format("{} comes twice", list.assets[k]), "Keep one");
    }
    weights[Eigen::Index(*found)] = list.weights[k];
  }
  return weights;
}

}  // namespace inchtide

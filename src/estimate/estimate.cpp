#include "inchtide/estimate/estimate.hpp"

#include <fmt/format.h>

#include <cmath>
#include <set>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/estimate/estimators.hpp"

namespace inchtide {

void Estimate::check() const {
  if (assets.empty()) throw InputError("estimate", "it has no asset", "Give at least one");
  if (Eigen::Index(assets.size()) != expected_return.size() || expected_return.size() != covariance.size()) {
    throw InputError("estimate",
                     fmt::format("{} assets, {} expected returns and a covariance of {} do not fit", assets.size(),
                                 expected_return.size(), covariance.size()),
                     "Give one of each an asset");
  }
  std::set<std::string> seen;
  for (std::size_t i = 0; i < assets.size(); ++i) {
    if (!std::isfinite(expected_return[Eigen::Index(i)])) {
      throw InputError(assets[i], "its expected return is not a finite number", "Give a figure or leave the asset out");
    }
    if (!seen.insert(lower_name(assets[i])).second) {
      throw InputError(assets[i], "it comes twice in the estimate", "Keep one");
    }
  }
}

Estimate sample_estimate(const ReturnTable& returns, double risk_free) {
  EstimateOptions options;
  options.risk_free = risk_free;
  return estimate_by(returns, options).estimate;
}

}  // namespace inchtide

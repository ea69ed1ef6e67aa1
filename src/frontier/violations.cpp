#include "inchtide/frontier/limits.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <functional>
#include <numeric>

#include "frontier/ceilings.hpp"
#include "frontier/conflict.hpp"
#include "frontier/pieces.hpp"
#include "frontier/vertex.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/base/range.hpp"
#include "inchtide/frontier/portfolio.hpp"

namespace inchtide {

std::vector<Violation> violations_of(const Limits& limits, const std::vector<std::string>& assets,
                                     const Eigen::VectorXd& weights, const LimitFacts& facts,
                                     const Covariance* covariance, double tolerance) {
  return violations_of(merged_bounds(limits, assets, facts), assets, weights, facts, covariance, tolerance);
}

std::vector<Violation> violations_of(const Bounds& bounds, const std::vector<std::string>& assets,
                                     const Eigen::VectorXd& weights, const LimitFacts& facts,
                                     const Covariance* covariance, double tolerance) {
  const auto n = Eigen::Index(assets.size());
  bounds.check(n);
  check_facts(facts, n);
  check_per_asset(weights, n, "weights");
  std::vector<Violation> found;
  const auto name_of = [&](int limit, const char* otherwise) {
    return limit < 0 ? std::string(otherwise) : bounds.limits[std::size_t(limit)].name;
  };
  const auto report = [&](int limit, const char* otherwise, const std::string& what, double by) {
    if (by > tolerance) found.push_back({name_of(limit, otherwise), what, by});
  };
  double off = std::abs(weights.sum() - bounds.budget);
  if (bounds.costs) off = std::min(off, std::abs(weights.sum() + bounds.costs->of(weights) - bounds.budget));
  report(bounds.budget_limit, "budget = 100%", "", off);
  for (std::size_t i = 0; i < assets.size(); ++i) {
    const auto at = Eigen::Index(i);
    report(bounds.lower_limit[i], "long only", assets[i], bounds.lower[at] - weights[at]);
    report(bounds.upper_limit[i], "", assets[i], weights[at] - bounds.upper[at]);
  }
  for (const auto& row : bounds.rows) {
    const double value = row.value(weights);
    report(row.limit, row.label.c_str(), row.bend.size() > 0 ? "" : row.label,
           std::max(row.lower - value, value - row.upper));
    if (row.label.starts_with("average:") && !found.empty() && found.back().asset == row.label) {
      found.back().figure = true;
    }
  }
  const Eigen::ArrayXd sizes = weights.array().abs();
  if (bounds.holdings) {
    report(bounds.holdings->limit, "", "", double(held_count(weights)) - bounds.holdings->value);
    if (!found.empty() && found.back().limit == name_of(bounds.holdings->limit, "")) found.back().figure = true;
  }
  for (std::size_t i = 0; bounds.held && i < assets.size(); ++i) {
    if (sizes[Eigen::Index(i)] > held_above) {
      report(bounds.held->limit, "", assets[i], bounds.held->value - sizes[Eigen::Index(i)]);
    }
  }
  if (covariance && bounds.volatility) {
    report(bounds.volatility->limit, "", "",
           std::sqrt(covariance->portfolio_variance(weights)) - bounds.volatility->value);
  }
  if (covariance && bounds.tracking_error) {
    report(bounds.tracking_error->limit, "", "",
           known_benchmark(facts.benchmark).tracking_error(*covariance, weights) - bounds.tracking_error->value);
  }
  return found;
}

}  // namespace inchtide

#include "inchtide/weights/adjust.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>
#include <optional>

#include "base/trimmed.hpp"
#include "frontier/conflict.hpp"
#include "frontier/trace.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/base/range.hpp"
#include "weights/tolerances.hpp"

namespace inchtide {

Eigen::VectorXd nearest_within(const Bounds& bounds, const Eigen::VectorXd& weights) {
  // |x - w|^2 / 2 = x'x / 2 - w'x + what doesn't change.
  const auto n = weights.size();
  check_per_asset(weights, n, "weights");
  Estimate around;
  around.assets.resize(std::size_t(n));
  around.expected_return = weights;
  around.covariance =
      Covariance::factors(Eigen::MatrixXd::Zero(n, 1), Eigen::MatrixXd::Identity(1, 1), Eigen::VectorXd::Ones(n));
  auto plain = bounds;
  plain.volatility.reset();
  plain.costs.reset();
  check_problem(around, plain);
  const auto named = with_named_rows(plain);
  if (!can_hold(named)) throw_conflict(named, around.assets);
  return trace_plainly(around, named).at_lambda(1).weights;
}

Eigen::VectorXd rounded_to(const Eigen::VectorXd& weights, double step) {
  if (!(step > 0 && step <= 1)) {
    throw InputError("rounding", fmt::format("steps of {} are none", short_percent(step)), "Give for example 1%");
  }
  check_per_asset(weights, weights.size(), "weights");
  std::vector<double> remainders;
  Eigen::VectorXd steps(weights.size());
  for (Eigen::Index i = 0; i < weights.size(); ++i) {
    steps[i] = std::floor(weights[i] / step + whole_step);
    remainders.push_back(weights[i] / step - steps[i]);
  }
  std::vector<std::size_t> order(remainders.size());
  std::iota(order.begin(), order.end(), std::size_t{0});
  std::ranges::stable_sort(order, [&](auto a, auto b) { return remainders[a] > remainders[b] + whole_step; });
  const auto left = std::llround(weights.sum() / step) - std::llround(steps.sum());
  for (long long k = 0; k < left; ++k) steps[Eigen::Index(order[std::size_t(k) % order.size()])] += 1;
  return steps * step;
}

Eigen::VectorXd mixed_weights(const std::string& text, const std::vector<std::string>& assets, const Tags& tags) {
  const auto place = fmt::format("mix '{}'", text);
  std::vector<int> part_of(assets.size(), -1);
  std::vector<double> shares;
  std::optional<int> rest;
  for (std::size_t begin = 0; begin <= text.size();) {
    const auto end = std::min(text.find(',', begin), text.size());
    const auto part = std::string_view(text).substr(begin, end - begin);
    begin = end + 1;
    const auto equals = part.find('=');
    if (equals == std::string::npos) {
      throw InputError(place, fmt::format("'{}' has no weight", trimmed(part)),
                       "Write it like sector:bonds=40%, rest=60%");
    }
    const auto name = trimmed(part.substr(0, equals));
    const int number = int(shares.size());
    shares.push_back(fraction_from_percent(trimmed(part.substr(equals + 1)), place));
    if (same_name(name, "rest")) {
      rest = number;
      continue;
    }
    const auto colon = name.find(':');
    const bool by_tag = colon != name.npos;
    const std::string tag(by_tag ? trimmed(name.substr(0, colon)) : ""),
        value(by_tag ? trimmed(name.substr(colon + 1)) : name);
    bool any = false;
    for (std::size_t i = 0; i < assets.size(); ++i) {
      const auto own = by_tag ? tags.value(assets[i], tag) : std::optional(assets[i]);
      if (!own || !same_name(*own, value)) continue;
      if (part_of[i] >= 0) {
        throw InputError(place, fmt::format("{} is in two parts", assets[i]), "Name each asset once");
      }
      part_of[i] = number;
      any = true;
    }
    if (!any) {
      throw InputError(place, fmt::format("no asset is in '{}'", name),
                       !by_tag                        ? did_you_mean(value, assets)
                       : find_name(tag, tags.columns) ? did_you_mean(value, tags.values(tag))
                                                      : did_you_mean(tag, tags.columns));
    }
  }
  if (const double sum = std::accumulate(shares.begin(), shares.end(), 0.0); std::abs(sum - 1) > same_budget) {
    throw InputError(place, fmt::format("its parts sum to {}", short_percent(sum)), "They should sum to 100%");
  }
  std::vector<int> members(shares.size(), 0);
  for (auto& part : part_of) {
    if (part < 0 && rest) part = *rest;
    if (part >= 0) ++members[std::size_t(part)];
  }
  if (rest && members[std::size_t(*rest)] == 0 && shares[std::size_t(*rest)] != 0) {
    throw InputError(place, "no asset is left for the rest", "Leave it out");
  }
  Eigen::VectorXd weights = Eigen::VectorXd::Zero(Eigen::Index(assets.size()));
  for (std::size_t i = 0; i < assets.size(); ++i) {
    if (part_of[i] >= 0) {
      weights[Eigen::Index(i)] = shares[std::size_t(part_of[i])] / members[std::size_t(part_of[i])];
    }
  }
  return weights;
}

std::vector<SweepPoint> sweep(const Estimate& estimate, Eigen::Index first, Eigen::Index second, double step,
                              double risk_free) {
  if (!(step >= 0.001 && step <= 1)) {
    throw InputError("sweep", fmt::format("steps of {}", short_percent(step)), "Give 0.1% to 100%, such as 5%");
  }
  estimate.check_for_weights();
  finite(risk_free, "risk-free rate");
  for (auto asset : {first, second}) whole_within(asset, 0, int(estimate.size()) - 1, "sweep");
  const double a = estimate.covariance.variance(first), b = estimate.covariance.variance(second);
  const double both = estimate.covariance.between(first, second);
  std::vector<SweepPoint> points;
  const auto steps = std::llround(std::ceil(1 / step - whole_step));
  for (long long k = 0; k <= steps; ++k) {
    const double w = std::min(1.0, double(k) * step);
    SweepPoint point{w, w * estimate.expected_return[first] + (1 - w) * estimate.expected_return[second], 0, 0};
    point.volatility = std::sqrt(std::max(0.0, w * w * a + 2 * w * (1 - w) * both + (1 - w) * (1 - w) * b));
    if (point.volatility > 0) point.sharpe = (point.expected_return - risk_free) / point.volatility;
    points.push_back(point);
  }
  return points;
}

}  // namespace inchtide

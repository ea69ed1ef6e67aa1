#include "frontier/ceilings.hpp"

#include <cmath>

#include "frontier/tolerances.hpp"
#include "frontier/trace.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/frontier/single.hpp"

namespace inchtide {
namespace {

/// Steps towards the weight at which a tracking error meets its ceiling; halving alone takes so many.
constexpr int most_steps = 60;

}  // namespace

const BenchmarkRisk& known_benchmark(const std::optional<BenchmarkRisk>& benchmark, const Where& what) {
  if (benchmark) return *benchmark;
  throw InputError(what, "the benchmark's returns are not known",
                   {Means::benchmark, "Name a benchmark that has prices (an estimate file holds none)"});
}

std::vector<Ceiling> ceilings_of(const Bounds& bounds, const std::optional<BenchmarkRisk>& benchmark) {
  std::vector<Ceiling> ceilings;
  const auto square = [](double value) { return value * value; };
  if (bounds.volatility) {
    ceilings.push_back({{Eigen::VectorXd::Zero(bounds.lower.size()), 0}, square(bounds.volatility->value)});
  }
  if (bounds.tracking_error) {
    const auto& from = known_benchmark(benchmark);
    ceilings.push_back({from, square(bounds.tracking_error->value)});
  }
  return ceilings;
}

/// With a price v / (1 - v) on half the square of the tracking error the objective is, up to a factor,
/// 1/2 w'Sw - ((1 - v) lambda m + v c)'w. The larger v, the smaller the tracking error.
std::optional<Portfolio> least_within_ceilings(const Estimate& estimate, const Bounds& bounds, double lambda,
                                               const std::optional<BenchmarkRisk>& benchmark) {
  auto loose = bounds;
  loose.volatility.reset();
  loose.tracking_error.reset();
  auto pulled = estimate;
  const auto at = [&](double v) -> std::optional<Portfolio> {
    pulled.expected_return = (1 - v) * lambda * estimate.expected_return;
    if (v > 0) pulled.expected_return += v * known_benchmark(benchmark).covariances;
    auto found = single_plainly(pulled, loose, 1);
    if (bounds.volatility && found.volatility > bounds.volatility->value) {
      const auto frontier = trace_plainly(pulled, loose);
      const double least = frontier.corners().back().volatility;
      if (least > bounds.volatility->value * (1 + ceiling_slack)) return std::nullopt;
      found = frontier.at_volatility(std::max(least, bounds.volatility->value));
    }
    found.expected_return = estimate.expected_return.dot(found.weights);
    return found;
  };
  auto best = at(0);
  if (!best || !bounds.tracking_error) return best;
  const double most = bounds.tracking_error->value;
  const auto excess = [&](const Portfolio& p) {  // of the square, as a part of the ceiling's
    const double error = known_benchmark(benchmark).tracking_error(estimate.covariance, p.weights);
    return error * error / (most * most) - 1;
  };
  double low = 0, above = excess(*best);
  if (above <= 2 * ceiling_slack) return best;
  best = at(1);
  double high = 1, below = best ? excess(*best) : 0;
  if (!best || below > 2 * ceiling_slack) return std::nullopt;
  for (int step = 0; step < most_steps && below < -ceiling_slack && low < high; ++step) {
    // Where the straight line between both ends passes 0, or half way where that has been slow.
    double v = step % 3 == 2 ? (low + high) / 2 : low + (high - low) * above / (above - below);
    if (!(v > low && v < high)) v = (low + high) / 2;
    auto found = at(v);
    if (!found) return best;
    const double here = excess(*found);
    if (here > 0) {
      low = v;
      above = here;
    } else {
      high = v;
      below = here;
      best = std::move(found);
    }
  }
  return best;
}

}  // namespace inchtide

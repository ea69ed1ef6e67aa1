#include "inchtide/frontier/holdings.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "base/numbers.hpp"
#include "frontier/ceilings.hpp"
#include "frontier/position_search.hpp"
#include "frontier/trace.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/range.hpp"

namespace inchtide {
namespace {

/// The least tracking error: half its square is 1/2 w'Sw - c'w + constant, with the covariances c with the benchmark in
/// the place of expected returns.
HoldingsAnswer nearest_to_benchmark(const Estimate& estimate, Bounds bounds, HoldingsOptions options) {
  const auto benchmark = known_benchmark(options.benchmark);
  auto pulled = estimate;
  pulled.expected_return = benchmark.covariances;
  bounds.tracking_error.reset();
  if (options.least_return) {
    keep_return(bounds, estimate, *options.least_return, infinity);
    options.least_return.reset();
  }
  options.lambda = 1;
  if (options.better_than) *options.better_than -= benchmark.variance / 2;
  auto answer = search_positions(pulled, bounds, options, benchmark.variance);
  answer.objective += benchmark.variance / 2;
  answer.bound += benchmark.variance / 2;
  if (answer.portfolio.weights.size() == 0) return answer;
  answer.portfolio.expected_return = estimate.expected_return.dot(answer.portfolio.weights);
  return answer;
}

void check(const HoldingsOptions& options, Eigen::Index assets) {
  constexpr double most = std::numeric_limits<double>::max();
  within(options.lambda, 0, most, "lambda");
  within(options.gap, 0, most, "gap");
  within(options.slack, 0, most, "slack");
  if (options.least_return) finite(*options.least_return, "least return");
  if (options.better_than && std::isnan(*options.better_than)) finite(*options.better_than, "better than");
  if (options.benchmark) options.benchmark->check(assets);
}

}  // namespace

Bounds bounds_of_choice(const Bounds& bounds, const Bounds& chosen) {
  auto choice = bounds;
  choice.lower = chosen.lower;
  choice.upper = chosen.upper;
  choice.lower_limit = chosen.lower_limit;
  choice.upper_limit = chosen.upper_limit;
  choice.holdings.reset();
  choice.held.reset();
  return choice;
}

double HoldingsAnswer::gap() const {
  return risk > 0 ? std::max(0.0, objective - bound) / (risk / 2) : 0;
}

HoldingsAnswer choose_holdings(const Estimate& estimate, const Bounds& bounds, const HoldingsOptions& options) {
  check_problem(estimate, bounds);
  check(options, estimate.size());
  if (bounds.holdings && !(bounds.holdings->value >= 1)) {
    throw InputError("holdings", fmt::format("{} positions", bounds.holdings->value), "Allow one at least");
  }
  return options.track ? nearest_to_benchmark(estimate, bounds, options) : search_positions(estimate, bounds, options);
}

}  // namespace inchtide

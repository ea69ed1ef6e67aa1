#include "inchtide/weights/room.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/range.hpp"
#include "inchtide/frontier/frontier.hpp"
#include "weights/tolerances.hpp"

namespace inchtide {
namespace {

/// The most that `estimate`'s "return" comes to at no more than a volatility: the weights there.
Eigen::VectorXd farthest(const Estimate& estimate, const Bounds& bounds, double volatility) {
  const auto frontier = trace_frontier(estimate, bounds);
  const auto& corners = frontier.corners();
  if (volatility >= corners.front().volatility) return frontier.corner(0).weights;
  return frontier.at_volatility(std::max(volatility, corners.back().volatility)).weights;
}

}  // namespace

std::vector<std::optional<WeightRange>> room_of(const Estimate& estimate, const Bounds& bounds,
                                                const Eigen::VectorXd& weights, double give_up,
                                                const Executor& executor, const Watch& watch) {
  const auto n = estimate.size();
  check_per_asset(weights, n, "weights");
  inchtide::within(give_up, 0, 1, "give-up");
  auto within = bounds;
  within.costs.reset();
  within.volatility.reset();  // this portfolio's is no higher
  within.tracking_error.reset();
  within.holdings.reset();
  within.held.reset();
  if (const auto broken = violations_of(within, estimate.assets, weights, {}, nullptr, violated); !broken.empty()) {
    throw InputError("room", fmt::format("the weights break the limit '{}'", broken.front().limit),
                     "Give weights within the limits");
  }
  const double volatility = std::sqrt(estimate.covariance.portfolio_variance(weights));
  const double expected_return = estimate.expected_return.dot(weights);
  const double rounding = violated * estimate.expected_return.cwiseAbs().maxCoeff();
  within.rows.push_back(
      {-1, "expected return", estimate.expected_return, expected_return - give_up - rounding, infinity});
  return executor.collect(
      std::size_t(n),
      [&](std::size_t i) -> std::optional<WeightRange> {
        auto of_one = estimate;
        const auto end = [&](double sign) {
          of_one.expected_return = Eigen::VectorXd::Zero(n);
          of_one.expected_return[Eigen::Index(i)] = sign;
          return farthest(of_one, within, volatility)[Eigen::Index(i)];
        };
        try {
          // Whatever rounding does, the portfolio itself is among those looked at.
          const double here = weights[Eigen::Index(i)];
          return WeightRange{std::min(here, end(-1)), std::max(here, end(1))};
        } catch (const UncertifiedAnswer&) {
          return std::nullopt;
        } catch (const InfeasibleLimits&) {  // the weights are within them: rounding alone
          return std::nullopt;
        }
      },
      watch);
}

}  // namespace inchtide

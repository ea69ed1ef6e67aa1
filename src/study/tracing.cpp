#include "inchtide/study/tracing.hpp"

#include <fmt/format.h>

#include "inchtide/base/errors.hpp"
#include "inchtide/frontier/cloud.hpp"
#include "study/long_blocks.hpp"

namespace inchtide {
namespace {

constexpr int points_within_tracking_error = 21;
constexpr int points_between_corners = 11;  // of a line to draw

LimitFacts before_costs(LimitFacts facts) {
  facts.costs.reset();
  return facts;
}

/// Limits that a frontier cannot be traced under are named.
void name_left_out(const Basis& basis, const Bounds& bounds, std::vector<Notice>& warnings) {
  for (const auto& figure : {bounds.holdings, bounds.held}) {
    if (!figure) continue;
    warnings.push_back(
        fmt::format("The frontier is traced without '{}': numbers and least sizes of positions are not on it; weigh "
                    "honours them",
                    basis.limits[std::size_t(figure->limit)].name));
  }
  if (bounds.tracking_error) {
    warnings.push_back(
        fmt::format("Beyond '{}' the frontier is no longer made of corners: there are {} certified points instead",
                    basis.limits[std::size_t(bounds.tracking_error->limit)].name, points_within_tracking_error));
  }
}

/// The two named portfolios honour the tracking error, not numbers of positions.
void choose_named(Tracing& tracing, const Basis& basis, const LimitFacts& facts) {
  const auto& bounds = tracing.frontier.bounds();
  auto path = bounds;
  path.holdings.reset();
  path.held.reset();
  const auto on_path = bounds.holdings || bounds.held ? trace_frontier(basis.estimate, path, facts) : tracing.frontier;
  tracing.least = choose(on_path, {Aim::Kind::minimum_variance, 0}, basis.risk_free);
  if (const auto reason = tracing.frontier.why_no_maximum_sharpe(basis.risk_free)) {
    tracing.warnings.push_back("There is no maximum-Sharpe portfolio: " + *reason);
    return;
  }
  try {
    tracing.best = choose(on_path, {Aim::Kind::maximum_sharpe, 0}, basis.risk_free);
  } catch (const InputError& none) {  // within a tracking error none may beat the rate
    if (!bounds.tracking_error) throw;
    tracing.warnings.push_back(none.notice().led_by("There is no maximum-Sharpe portfolio"));
  }
}

void within_ceiling(Tracing& tracing, const LimitFacts& facts) {
  const auto& traced = tracing.frontier;
  const auto& benchmark = facts.benchmark.value();
  for (std::size_t k = 0; k < traced.corners().size(); ++k) {
    tracing.tracking_errors.push_back(benchmark.tracking_error(traced.estimate().covariance, traced.weights(k)));
  }
  const TrackedFrontier within(traced.estimate(), traced.bounds(), benchmark);
  for (int k = points_within_tracking_error - 1; k >= 0; --k) {
    const double part = k / double(points_within_tracking_error - 1);
    const double range = within.most_return() - within.least_return();
    tracing.tracked.push_back(within.at_return(within.least_return() + part * range));
  }
}

void trace_down(Tracing& tracing, const Basis& basis) {
  tracing.lower_half = trace_lower_half(basis.estimate, tracing.frontier.bounds());
  const auto& corners = tracing.lower_half;
  auto estimate = basis.estimate;
  estimate.risk_free = basis.risk_free;
  for (std::size_t k = 0; k < corners.size(); ++k) {
    const auto& from = corners[k].weights;
    const auto& to = corners[std::min(k + 1, corners.size() - 1)].weights;
    const int points = k + 1 == corners.size() ? 0 : points_between_corners;
    Eigen::MatrixXd along(from.size(), points + 1);
    for (int part = 0; part <= points; ++part) along.col(part) = from + double(part) / (points + 1) * (to - from);
    const auto line = risk_and_return(estimate, along);
    tracing.lower_line.insert(tracing.lower_line.end(), line.begin(), line.end());
  }
}

/// The frontier over bootstrap draws of the returns, estimated by the same methods each time.
Sensitivity over_draws(const Basis& basis, const LimitFacts& facts, const BootstrapOptions& draws) {
  if (basis.returns.assets.empty()) {
    throw InputError("draws", "an estimate file holds no returns to draw from",
                     {{Means::prices, "Give prices"}, {Means::mandate, "a mandate"}});
  }
  return sensitivity(
      basis.returns,
      [&](const ReturnTable& drawn, const Eigen::VectorXd& benchmark) {
        auto estimate = estimate_by(drawn, basis.methods, benchmark).estimate;
        return estimate.returns == ReturnKind::log ? simple_from_log(estimate) : estimate;
      },
      basis.limits, facts, {Aim{Aim::Kind::minimum_variance, 0}, Aim{Aim::Kind::maximum_sharpe, 0}}, basis.risk_free,
      draws, basis.benchmark);
}

}  // namespace

std::vector<Allocation> Tracing::chosen() const {
  std::vector<Allocation> portfolios;
  for (const auto* one : {&least, &best}) {
    if (*one) portfolios.push_back(**one);
  }
  return portfolios;
}

Frontier frontier_of(const Basis& basis, const Watch& watch) {
  return trace_frontier(basis.estimate, basis.limits, before_costs(basis.facts), watch);
}

Tracing tracing_of(const Basis& basis, const TracingOptions& options) {
  const auto facts = before_costs(basis.facts);
  Tracing tracing{.frontier = frontier_of(basis, options.watch)};
  name_left_out(basis, tracing.frontier.bounds(), tracing.warnings);
  choose_named(tracing, basis, facts);
  if (tracing.frontier.bounds().tracking_error) within_ceiling(tracing, facts);
  if (options.lower_half) trace_down(tracing, basis);
  if (options.draws) {
    tracing.drawn = over_draws(basis, facts, *options.draws);
    if (auto notice = notice_of_long_blocks(options.draws->block, basis.returns.common_rows().size(), "periods")) {
      tracing.warnings.push_back(std::move(*notice));
    }
    if (const auto& ceiling = tracing.frontier.bounds().tracking_error) {
      tracing.warnings.push_back(
          fmt::format("Over draws of the history the weights are told, and no frontier: within '{}' it has no corners",
                      basis.limits[std::size_t(ceiling->limit)].text));
    }
  }
  if (options.cloud > 0) {
    auto estimate = basis.estimate;
    estimate.risk_free = basis.risk_free;
    tracing.cloud = risk_and_return(estimate, random_portfolios(tracing.frontier, options.cloud, options.cloud_seed));
  }
  return tracing;
}

}  // namespace inchtide

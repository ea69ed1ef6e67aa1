// inchtide frontier: the exact efficient frontier within limits.

#include <fmt/format.h>

#include "inchtide/base/errors.hpp"
#include "inchtide/frontier/cloud.hpp"
#include "inchtide/frontier/tracked.hpp"
#include "inchtide/report/frontier_views.hpp"
#include "inchtide/report/views.hpp"
#include "inchtide/weights/sensitivity.hpp"
#include "output.hpp"
#include "study.hpp"
#include "watch.hpp"

namespace inchtide::app {

namespace {

constexpr int points_within_tracking_error = 21;

// Limits that a frontier cannot be traced under are named.
void name_left_out(Choice& choice, const Bounds& bounds) {
  for (const auto& figure : {bounds.holdings, bounds.held}) {
    if (!figure) continue;
    choice.warnings.push_back(
        fmt::format("The frontier is traced without '{}': numbers and least sizes of positions are not on it; weigh "
                    "honours them",
                    choice.limits[std::size_t(figure->limit)].name));
  }
  if (bounds.tracking_error) {
    choice.warnings.push_back(
        fmt::format("Beyond '{}' the frontier is no longer made of corners: there are {} certified points instead",
                    choice.limits[std::size_t(bounds.tracking_error->limit)].name, points_within_tracking_error));
  }
}

std::vector<TrackedPortfolio> tracked_points(const Frontier& traced, const LimitFacts& facts) {
  const TrackedFrontier within(traced.estimate(), traced.bounds(), *facts.benchmark);
  std::vector<TrackedPortfolio> points;
  for (int k = points_within_tracking_error - 1; k >= 0; --k) {
    const double part = k / double(points_within_tracking_error - 1);
    points.push_back(within.at_return(within.least_return() + part * (within.most_return() - within.least_return())));
  }
  return points;
}

BootstrapOptions draws_of(const Options& options) {
  BootstrapOptions draws;
  draws.draws = *options.draws;
  draws.block = options.block.value_or(0);
  draws.seed = options.seed.value_or(1);
  draws.threads = options.threads;
  draws.watch = watched(options);
  return draws;
}

// The frontier over bootstrap draws of the returns, estimated by the same methods each time.
Sensitivity over_draws(const Choice& choice, const LimitFacts& facts, const Options& options) {
  if (!options.estimate.empty()) {
    throw InputError("--draws", "an estimate file holds no returns to draw from", "Give --prices or a mandate");
  }
  return sensitivity(
      choice.returns, [&](const ReturnTable& drawn) { return estimate_by(drawn, choice.methods).estimate; },
      choice.limits, facts, {Aim{Aim::Kind::minimum_variance, 0}, Aim{Aim::Kind::maximum_sharpe, 0}}, choice.risk_free,
      draws_of(options));
}

}  // namespace

Outcome frontier(const Options& options) {
  auto choice = load_choice(options);
  auto facts = choice.facts;
  facts.costs.reset();
  const auto traced = trace_frontier(choice.estimate, choice.limits, facts, watched(options));
  const auto& bounds = traced.bounds();
  name_left_out(choice, bounds);
  // The two named portfolios honour the tracking error, not numbers of positions.
  auto path = bounds;
  path.holdings.reset();
  path.held.reset();
  const auto on_path = bounds.holdings || bounds.held ? trace_frontier(choice.estimate, path, facts) : traced;
  std::vector<Allocation> chosen{choose(on_path, Aim{Aim::Kind::minimum_variance, 0}, choice.risk_free)};
  if (const auto reason = traced.why_no_maximum_sharpe(choice.risk_free)) {
    choice.warnings.push_back("There is no maximum-Sharpe portfolio: " + *reason);
  } else {
    try {
      chosen.push_back(choose(on_path, Aim{Aim::Kind::maximum_sharpe, 0}, choice.risk_free));
    } catch (const InputError& none) {  // within a tracking error none may beat the rate
      if (!bounds.tracking_error) throw;
      choice.warnings.push_back(none.notice().led_by("There is no maximum-Sharpe portfolio"));
    }
  }
  Outcome outcome{"frontier", choice.inputs, choice.warnings, report::frontier_result(traced, choice.risk_free), {},
                  {}};
  outcome.tables = {report::corners_table(traced, choice.risk_free), report::comparison_table(chosen),
                    report::weights_table(chosen)};
  auto chart = report::frontier_chart(traced, choice.risk_free);
  if (bounds.tracking_error) {
    const auto points = tracked_points(traced, facts);
    report::restrict_to_tracking_error(outcome.result, traced, points, chosen, *facts.benchmark);
    outcome.tables.insert(outcome.tables.begin() + 1, report::tracked_table(points, choice.risk_free));
    report::add_tracked(chart, points, choice.risk_free);
    outcome.tables[0].title += ", without the ceiling on the tracking error";
  }
  if (options.lower_half) {
    const auto lower = trace_lower_half(choice.estimate, bounds);
    report::add_lower_half(outcome.result, chart, choice.estimate, lower);
    outcome.tables.push_back(report::lower_half_table(lower, choice.risk_free));
  }
  if (options.draws.value_or(0) > 0) {
    const auto drawn = over_draws(choice, facts, options);
    outcome.result["sensitivity"] = report::sensitivity_result(drawn, choice.estimate.assets);
    report::add_band(chart, drawn);
    for (const auto& bands : drawn.portfolios) {
      outcome.tables.push_back(report::weight_bands_table(bands, choice.estimate.assets, drawn));
    }
  }
  if (options.cloud.value_or(0) > 0) {
    report::add_cloud(chart, choice.estimate, random_portfolios(traced, *options.cloud, options.seed.value_or(1)));
  }
  outcome.charts = {{"frontier", std::move(chart)}, {"transition", report::transition_chart(traced)}};
  return outcome;
}

void add_frontier(CLI::App& tool, Options& options) {
  auto& command =
      add_command(tool, options, "frontier", "Trace the exact efficient frontier within the limits",
                  "  inchtide frontier --mandate demo/mandate.toml --figure frontier.png\n"
                  "  inchtide frontier --prices demo/prices --assets TIDEMILL,KELPFARM,HOLLBOND --limit 'each <= 50%' "
                  "--risk-free 2%",
                  [&options] { deliver(frontier(options), options); });
  add_input_options(command, options);
  add_estimate_option(command, options);
  add_settings(command, options, {Step::reading, Step::universe, Step::returns, Step::estimate, Step::limits});
  add_setting(command, options, "--split", "Estimate from the prices before this day");
  add_draw_options(command, options);
  add_frontier_options(command, options);
  add_output_options(command, options);
  add_figure_option(command, options, "frontier, transition (weights along it)");
}

}  // namespace inchtide::app

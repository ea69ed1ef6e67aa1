// inchtide frontier: the exact efficient frontier within limits.

#include <fmt/format.h>

#include "inchtide/report/views.hpp"
#include "output.hpp"
#include "study.hpp"

namespace inchtide::app {

Outcome frontier(const Options& options) {
  auto choice = load_choice(options);
  const auto traced = trace_frontier(choice.estimate, choice.limits, choice.facts);
  std::vector<Allocation> chosen{
      choose(traced, choice.limits, Aim{Aim::Kind::minimum_variance, 0}, choice.risk_free, choice.facts)};
  if (const auto reason = traced.why_no_maximum_sharpe(choice.risk_free)) {
    choice.warnings.push_back("There is no maximum-Sharpe portfolio: " + *reason);
  } else {
    chosen.push_back(choose(traced, choice.limits, Aim{Aim::Kind::maximum_sharpe, 0}, choice.risk_free, choice.facts));
  }
  Outcome outcome{"frontier", choice.inputs, choice.warnings, report::frontier_result(traced, choice.risk_free), {},
                  {}};
  outcome.tables = {report::corners_table(traced, choice.risk_free), report::comparison_table(chosen),
                    report::weights_table(chosen)};
  outcome.charts = {{"frontier", report::frontier_chart(traced, choice.risk_free)},
                    {"transition", report::transition_chart(traced)}};
  return outcome;
}

void add_frontier(CLI::App& tool, Options& options) {
  auto& command =
      add_command(tool, "frontier", "Trace the exact efficient frontier within the limits",
                  "  inchtide frontier --mandate demo/mandate.toml --figure frontier.png\n"
                  "  inchtide frontier --prices demo/prices --assets TIDEMILL,KELPFARM,HOLLBOND --limit 'each <= 50%' "
                  "--risk-free 2%",
                  [&options] { deliver(frontier(options), options); });
  add_input_options(command, options);
  add_estimate_option(command, options);
  add_window_options(command, options);
  add_interval_option(command, options);
  add_split_option(command, options, "Estimate from the prices before this day");
  add_method_options(command, options);
  add_limit_options(command, options);
  add_output_options(command, options);
  add_figure_option(command, options, "frontier, transition (weights along it)");
}

}  // namespace inchtide::app

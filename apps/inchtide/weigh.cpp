// inchtide weigh: choose portfolios by aim, evaluate given weights, compare them.

#include "inchtide/report/views.hpp"
#include "output.hpp"
#include "study.hpp"

namespace inchtide::app {

Outcome weigh(const Options& options) {
  const auto choice = load_choice(options);
  const auto allocations = allocations_of(choice, mandate_of(options), options);
  Outcome outcome{"weigh", choice.inputs, choice.warnings, report::weigh_result(allocations), {}, {}};
  outcome.tables = {report::comparison_table(allocations), report::weights_table(allocations),
                    report::risk_table(allocations), report::binding_table(allocations),
                    report::left_out_table(allocations)};
  outcome.tables[0].notes.push_back(report::provenance(choice.estimate));
  return outcome;
}

void add_weigh(CLI::App& tool, Options& options) {
  auto& command =
      add_command(tool, "weigh", "Choose portfolios by aim, evaluate given weights, compare them",
                  "  inchtide weigh --mandate demo/mandate.toml --aim maximum-sharpe --aim target-volatility=6%\n"
                  "  inchtide weigh --estimate estimate.json --weights held.csv --aim minimum-variance --json -",
                  [&options] { deliver(weigh(options), options); });
  add_input_options(command, options);
  add_estimate_option(command, options);
  add_window_options(command, options);
  add_interval_option(command, options);
  add_split_option(command, options, "Estimate from the prices before this day");
  add_method_options(command, options);
  add_limit_options(command, options);
  add_aim_options(command, options);
  add_search_options(command, options);
  add_output_options(command, options);
}

}  // namespace inchtide::app

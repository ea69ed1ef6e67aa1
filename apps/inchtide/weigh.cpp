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
                    report::binding_table(allocations)};
  return outcome;
}

void add_weigh(CLI::App& app, Options& options) {
  auto* command = app.add_subcommand("weigh", "Choose portfolios by aim, evaluate given weights, compare them");
  add_input_options(*command, options);
  add_estimate_option(*command, options);
  add_window_options(*command, options);
  add_split_option(*command, options);
  add_limit_options(*command, options);
  add_aim_options(*command, options);
  add_output_options(*command, options);
  command->footer(
      "Examples:\n"
      "  inchtide weigh --mandate demo/mandate.toml --aim maximum-sharpe --aim target-volatility=6%\n"
      "  inchtide weigh --estimate estimate.json --weights held.csv --aim minimum-variance --json -");
  command->callback([&options] { deliver(weigh(options), options); });
}

}  // namespace inchtide::app

// inchtide rehearse: test rebalancing schedules with trading costs.

#include <fmt/format.h>

#include "inchtide/report/views.hpp"
#include "inchtide/study/runs.hpp"
#include "output.hpp"
#include "study.hpp"
#include "watch.hpp"

namespace inchtide::app {
Outcome rehearse(const Options& options) {
  const auto study = load_study(options);
  const auto split = split_of(study.settings());
  auto choice = choice_of(study, split);
  const auto chosen = portfolios_of(choice, options);
  const auto runs = runs_of(study, choice, chosen, study.settings(), watched(options));
  choice.warnings.insert(choice.warnings.end(), runs.warnings.begin(), runs.warnings.end());
  Outcome outcome{"rehearse", choice.inputs, choice.warnings, report::rehearse_result(runs.all), {}, {}};
  outcome.exit_code = exit_code_of(chosen);
  outcome.tables = {report::runs_table(runs.all, study.currency)};
  outcome.tables[0].notes.push_back(
      fmt::format("Weights estimated before {}; decided at a close, traded {} trading day(s) later; cash earns nothing",
                  to_string(split), study.settings().delay));
  outcome.tables[0].notes.push_back(
      fmt::format("Figures per year from {:.4g} rows a year, as counted", runs.all.front().rows_per_year));
  outcome.charts = {{"wealth", report::wealth_chart(runs.all)}};
  return outcome;
}

void add_rehearse(CLI::App& tool, Options& options) {
  auto& command =
      add_command(tool, options, "rehearse", "Test rebalancing schedules with trading costs",
                  "  inchtide rehearse --mandate demo/mandate.toml\n"
                  "  inchtide rehearse --mandate demo/mandate.toml --split 2024-01-01 --aim equal --schedule never "
                  "--schedule 1q --cost 25bp",
                  [&options] { deliver(rehearse(options), options); });
  add_input_options(command, options);
  add_settings(
      command, options,
      {Step::reading, Step::universe, Step::returns, Step::estimate, Step::limits, Step::portfolios, Step::rehearsal});
  add_output_options(command, options);
  add_figure_option(command, options, "wealth");
}

}  // namespace inchtide::app

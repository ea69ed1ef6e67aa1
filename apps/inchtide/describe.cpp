// inchtide describe: each asset's figures of return and risk.

#include "inchtide/report/views.hpp"
#include "output.hpp"
#include "study.hpp"

namespace inchtide::app {

Outcome describe(const Options& options) {
  auto study = load_study(options);
  auto columns = study.universe;
  if (study.benchmark) columns.push_back(*study.benchmark);
  const auto returns = returns_of(study, columns, std::nullopt);
  auto figures = figures_of(returns);
  Outcome outcome{"describe", study.inputs(), study.warnings, {}, {}, {}};
  outcome.tables = {report::return_risk_table(figures, study.every()), report::extremes_table(figures, study.every())};
  if (study.benchmark) {
    const auto benchmark = figures.back();
    figures.pop_back();
    outcome.tables[0].notes.push_back(benchmark.asset + " is the benchmark");
    outcome.result = report::describe_result(figures, &benchmark);
  } else {
    outcome.result = report::describe_result(figures, nullptr);
  }
  return outcome;
}

void add_describe(CLI::App& tool, Options& options) {
  auto& command =
      add_command(tool, "describe", "Each asset's return and risk figures",
                  "  inchtide describe --mandate demo/mandate.toml\n"
                  "  inchtide describe --prices demo/prices --assets TIDEMILL,KELPFARM --every 1w --last 3y",
                  [&options] { deliver(describe(options), options); });
  add_input_options(command, options);
  add_window_options(command, options);
  add_interval_option(command, options);
  add_output_options(command, options);
}

}  // namespace inchtide::app

// inchtide weigh: choose portfolios by aim, evaluate given weights, compare them.

#include <fmt/format.h>

#include <algorithm>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/report/views.hpp"
#include "inchtide/weights/adjust.hpp"
#include "output.hpp"
#include "study.hpp"

namespace inchtide::app {

namespace {

// `KELPFARM:HOLLBOND`.
report::Table swept(const Choice& choice, const Options& options) {
  const auto colon = options.sweep.find(':');
  const auto position = [&](const std::string& code) {
    const auto found = find_name(code, choice.estimate.assets);
    if (!found) {
      throw InputError("--sweep", fmt::format("no asset of the estimate has the code '{}'", code),
                       did_you_mean(code, choice.estimate.assets));
    }
    return *found;
  };
  if (colon == std::string::npos) {
    throw InputError("--sweep", fmt::format("'{}' is not a pair", options.sweep), "Write CODE:CODE");
  }
  const auto first = position(options.sweep.substr(0, colon)), second = position(options.sweep.substr(colon + 1));
  if (first == second) throw InputError("--sweep", "both are the same asset", "Name two");
  const double step = options.step.empty() ? 0.1 : fraction_from_percent(options.step, "--step");
  return report::sweep_table(sweep(choice.estimate, Eigen::Index(first), Eigen::Index(second), step, choice.risk_free),
                             choice.estimate.assets[first], choice.estimate.assets[second]);
}

}  // namespace

Outcome weigh(const Options& given) {
  auto options = given;
  options.show_current = true;
  const auto choice = load_choice(options);
  const auto chosen = portfolios_of(choice, options);
  const auto& allocations = chosen.all;
  Outcome outcome{
      "weigh", choice.inputs, choice.warnings, report::weigh_result(allocations, chosen.unanswered, options.spelt), {},
      {}};
  outcome.exit_code = exit_code_of(chosen);
  outcome.tables = {report::comparison_table(allocations, chosen.unanswered), report::weights_table(allocations),
                    report::risk_table(allocations), report::binding_table(allocations),
                    report::left_out_table(allocations)};
  outcome.tables[0].notes.push_back(report::provenance(choice.estimate));
  if (!options.sweep.empty()) outcome.tables.push_back(swept(choice, options));
  outcome.charts = {{"compared", report::compared_chart(allocations)}, {"risk", report::risk_chart(allocations)}};
  const auto priced = std::ranges::find_if(allocations, [](const Allocation& a) {
    return std::ranges::any_of(a.binding, [](const BindingLimit& limit) { return limit.price.has_value(); });
  });
  if (priced == allocations.end()) {
    outcome.undrawable.emplace_back("prices", "no limit with a price binds");
  } else {
    outcome.charts.emplace_back("prices", report::prices_chart(*priced));
  }
  return outcome;
}

void add_weigh(CLI::App& tool, Options& options) {
  auto& command =
      add_command(tool, options, "weigh", "Choose portfolios by aim, evaluate given weights, compare them",
                  "  inchtide weigh --mandate demo/mandate.toml --aim maximum-sharpe --aim target-volatility=6%\n"
                  "  inchtide weigh --estimate estimate.json --weights held.csv --aim minimum-variance --json -",
                  [&options] { deliver(weigh(options), options); });
  add_input_options(command, options);
  add_estimate_option(command, options);
  add_settings(command, options,
               {Step::reading, Step::universe, Step::returns, Step::estimate, Step::limits, Step::portfolios,
                Step::searching, Step::adjusting});
  add_setting(command, options, "--split", "Estimate from the prices before this day");
  add_search_options(command, options);
  add_sweep_options(command, options);
  add_output_options(command, options);
  add_figure_option(command, options,
                    "compared (return and risk), risk (contributions), prices (of the first portfolio's limits)");
}

}  // namespace inchtide::app

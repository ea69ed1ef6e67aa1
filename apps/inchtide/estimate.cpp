// inchtide estimate: expected returns and covariance, with their uncertainty; writes the estimate file.

#include <fmt/format.h>
#include <fmt/ranges.h>

#include "inchtide/base/errors.hpp"
#include "inchtide/estimate/bootstrap.hpp"
#include "inchtide/exchange/estimate_file.hpp"
#include "inchtide/report/estimate_views.hpp"
#include "output.hpp"
#include "study.hpp"
#include "watch.hpp"

namespace inchtide::app {
namespace {

constexpr int usual_draws = 1000;
constexpr std::size_t most_with_correlation_bands = 60;

// Every method that works on this history; those that don't are named with the reason.
std::vector<report::Table> comparison(const StudyReturns& returns, const EstimateOptions& chosen,
                                      std::vector<Notice>& warnings) {
  std::vector<std::pair<std::string, Estimated>> expected, covariances;
  const auto attempt = [&](const EstimateOptions& options, const std::string& name, auto& list) {
    try {
      list.emplace_back(name, estimate_by(returns.assets, options, returns.benchmark));
    } catch (const InputError& error) {
      warnings.push_back(error.notice().led_by("Not compared"));
    }
  };
  const double half_life = 3 * returns.assets.periods_per_year;
  for (const auto& name :
       {std::string("arithmetic"), std::string("geometric"), fmt::format("exponential:{:g}", half_life),
        std::string("bayes-stein"), std::string("market-model"), std::string("implied"), std::string("views")}) {
    if (name == "market-model" && returns.benchmark.size() == 0) continue;
    if (name == "views" && chosen.views.empty()) continue;
    auto options = chosen;
    options.expected = ExpectedMethod::parse(name, "expected");
    options.own.clear();
    options.caps.clear();
    attempt(options, name, expected);
  }
  for (const auto& name : {std::string("sample"), fmt::format("exponential:{:g}", half_life),
                           std::string("constant-correlation"), std::string("scaled-identity"),
                           std::string("one-factor"), std::string("nonlinear"), std::string("factors:3")}) {
    auto options = chosen;
    options.covariance = CovarianceMethod::parse(name, "covariance");
    options.expected = {};
    attempt(options, name, covariances);
  }
  return {report::expected_methods_table(expected), report::covariance_methods_table(covariances)};
}

}  // namespace

Outcome estimate(const Options& options) {
  auto study = load_study(options);
  const auto before = day_option(options.text("--split"), "--split");
  const auto returns = returns_of(study, before);
  const auto methods = methods_of(study, study.sources, study.settings());
  const auto estimated = estimate_by(returns.assets, methods, returns.benchmark);
  std::optional<BootstrapBands> bands;
  BootstrapOptions draws{options.draws.value_or(usual_draws), options.block.value_or(0), options.seed.value_or(1)};
  draws.threads = options.threads;
  draws.correlations = study.assets.size() <= most_with_correlation_bands;
  draws.watch = watched(options);
  if (draws.draws > 0) bands = bootstrap_bands(returns.assets, draws);
  draws.watch = {};
  const auto* shown_bands = bands ? &*bands : nullptr;
  Outcome outcome{"estimate", study.inputs(), study.warnings, report::estimate_result(estimated, shown_bands), {}};
  outcome.inputs["expected"] = methods.expected.text();
  outcome.inputs["covariance"] = methods.covariance.text();
  if (before) outcome.inputs["split"] = to_string(*before);
  outcome.sheets.emplace_back("estimate-file.csv", exchange::estimate_sheet(estimated.estimate));
  outcome.tables = {report::estimate_table(estimated, methods, shown_bands, draws.coverage)};
  if (estimated.estimate.rows_dropped > 0) {
    outcome.warnings.push_back(fmt::format(
        "{} of {} periods are left out: not every asset has a return over the same days",
        estimated.estimate.rows_dropped, estimated.estimate.rows_dropped + estimated.estimate.observations));
  }
  if (options.compare) {
    for (auto& table : comparison(returns, methods, outcome.warnings)) outcome.tables.push_back(std::move(table));
  }
  return outcome;
}

void add_estimate(CLI::App& tool, Options& options) {
  auto& command = add_command(
      tool, options, "estimate", "Expected returns and covariance, with their uncertainty; writes an estimate file",
      "  inchtide estimate --mandate demo/mandate.toml --split 2023-01-01 --json estimate.json\n"
      "  inchtide estimate --mandate demo/mandate.toml --expected bayes-stein --covariance nonlinear --compare",
      [&options] { deliver(estimate(options), options); });
  add_input_options(command, options);
  add_settings(command, options, {Step::reading, Step::universe, Step::returns, Step::estimate});
  add_setting(command, options, "--split", "Estimate from the prices before this day");
  add_bootstrap_options(command, options);
  add_setting(command, options, "--risk-free");
  add_output_options(command, options);
}

}  // namespace inchtide::app

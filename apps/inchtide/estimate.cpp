// inchtide estimate: expected returns and covariance, with their uncertainty; writes the estimate file.

#include "inchtide/report/estimate.hpp"
#include "inchtide/study/estimation.hpp"
#include "output.hpp"
#include "study.hpp"

namespace inchtide::app {

report::Chapter estimate(const Options& options) {
  auto study = load_study(options);
  study.from.split = day_option(options.text("--split"), "--split");
  const auto estimation = estimation_of(study.universe(), study.sources(), study.settings(), study.from.split,
                                        {options.compare || options.whole_study, draws_of(options, usual_draws)});
  return report::estimate_chapter(estimation, study.universe(), study.settings(), study.from);
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
  add_figure_option(command, options,
                    "expected (returns by asset, with their draws, and with --compare other methods)");
}

}  // namespace inchtide::app

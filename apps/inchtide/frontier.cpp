// inchtide frontier: the exact efficient frontier within limits.

#include "inchtide/report/frontier.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/study/tracing.hpp"
#include "output.hpp"
#include "study.hpp"
#include "watch.hpp"

namespace inchtide::app {

namespace {

Tracing traced(const Prepared& prepared, const Options& options, int usual_draws = 0) {
  TracingOptions how;
  how.lower_half = options.lower_half;
  how.cloud = options.cloud.value_or(0);
  how.cloud_seed = options.seed.value_or(1);
  how.draws = draws_of(options, usual_draws);
  how.watch = watched(options);
  return tracing_of(prepared.basis, how);
}

}  // namespace

report::Chapter frontier(const Options& options) {
  const auto prepared = prepare(options);
  const bool draws =
      options.whole_study && prepared.universe && prepared.basis.estimate.assets.size() <= most_assets_drawn;
  const auto tracing = traced(prepared, options, draws ? draws_of_a_report : 0);
  return report::frontier_chapter(tracing, prepared.basis, prepared.universe.get(), prepared.settings, prepared.from);
}

report::Json frontier_alone(const Options& options) {
  const auto prepared = prepare(options);
  return report::corners_by_changes(frontier_of(prepared.basis, watched(options)), prepared.basis);
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

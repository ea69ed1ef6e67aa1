// inchtide describe: each asset's figures of return and risk, and how its returns are spread.

#include "inchtide/base/percent.hpp"
#include "inchtide/report/returns.hpp"
#include "inchtide/study/description.hpp"
#include "output.hpp"
#include "study.hpp"

namespace inchtide::app {

report::Chapter describe(const Options& options) {
  const auto study = load_study(options, options.within_day ? Purpose::within_day : Purpose::returns);
  DescriptionOptions how{.within_day = options.within_day, .bins = options.bins.value_or(0)};
  if (!options.tail.empty()) how.tail = fraction_from_percent(options.tail, "--tail");
  const auto description = description_of(study.universe(), study.settings(), how);
  return report::describe_chapter(description, study.universe(), study.settings(), study.from);
}

void add_describe(CLI::App& tool, Options& options) {
  auto& command =
      add_command(tool, options, "describe", "Each asset's return and risk figures, and how its returns are spread",
                  "  inchtide describe --mandate demo/mandate.toml --figure bars.png\n"
                  "  inchtide describe --prices demo/prices --assets TIDEMILL,KELPFARM --every 1w --last 3y "
                  "--figure histogram-TIDEMILL:tidemill.png",
                  [&options] { deliver(describe(options), options); });
  add_input_options(command, options);
  add_settings(command, options, {Step::reading, Step::universe, Step::returns});
  add_describe_options(command, options);
  add_output_options(command, options);
  add_figure_option(command, options, "growth, bars, risk-and-return, histogram (of the first asset), histogram-CODE");
}

}  // namespace inchtide::app

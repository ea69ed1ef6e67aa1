// inchtide inspect: what the prices hold, what stands out, and how they look over time.

#include <fmt/format.h>

#include <algorithm>

#include "inchtide/base/text.hpp"
#include "inchtide/report/prices.hpp"
#include "inchtide/study/inspection.hpp"
#include "output.hpp"
#include "study.hpp"

namespace inchtide::app {

namespace {

struct Look {
  Study study;
  Inspection inspection;
};

Look look_at(const Options& options) {
  auto study = load_study(options, Purpose::looking);
  InspectionOptions how;
  if (options.has("--every")) how.every = Interval::parse(options.text("--every"), "--every");
  for (const auto& name : options.fields) how.fields.push_back(field_of(name, "--fields"));
  for (const auto& text : options.overlays) how.overlays.push_back(Overlay::parse(text, "--overlay"));
  how.on = day_option(options.on, "--on");
  auto inspection = inspection_of(study.universe(), study.settings(), how);
  return {std::move(study), std::move(inspection)};
}

report::Chapter chapter_of(const Look& look, const Options& options) {
  const auto shape = options.shape == "long" ? report::Shape::long_rows : report::Shape::wide;
  return report::inspect_chapter(look.inspection, look.study.universe(), look.study.settings(), look.study.from, shape);
}

// Where the settings are strict, warnings among the findings fail the command; its tables come all the same.
void inspect_strictly(Options& options) {
  const auto look = look_at(options);
  auto chapter = chapter_of(look, options);
  const auto warnings = std::ranges::count(look.inspection.findings, Severity::warning, &Finding::severity);
  if (warnings > 0 && look.study.settings().strict) {
    options.exit_code = bad_input;
    chapter.warnings.emplace_back(
        fmt::format("{} among the findings, and --strict was asked for", counted(std::size_t(warnings), "warning")));
  }
  deliver(chapter, options);
}

}  // namespace

report::Chapter inspect(const Options& options) {
  return chapter_of(look_at(options), options);
}

void add_inspect(CLI::App& tool, Options& options) {
  auto& command = add_command(
      tool, options, "inspect", "What the prices hold: coverage, findings, a price on a day, charts and overlays",
      "  inchtide inspect --mandate demo/mandate.toml --strict\n"
      "  inchtide inspect --mandate demo/mandate.toml --on 2024-05-05\n"
      "  inchtide inspect --mandate demo/mandate.toml --last 2y --figure rebased.png\n"
      "  inchtide inspect --prices demo/prices --assets KELPFARM --last 6m --overlay sma:20,macd --figure "
      "bars:kelp.png",
      [&options] { inspect_strictly(options); });
  add_input_options(command, options);
  add_settings(command, options, {Step::reading, Step::universe});
  add_look_options(command, options);
  add_output_options(command, options);
  add_figure_option(command, options,
                    "rebased, growth, prices, days (with and without prices), and bars for one asset");
}

}  // namespace inchtide::app

// inchtide demo: the whole job on the demo data.

#include <fmt/format.h>

#include <algorithm>
#include <exception>
#include <filesystem>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/base/text.hpp"
#include "inchtide/mandate/mandate.hpp"
#include "inchtide/report/page.hpp"
#include "output.hpp"
#include "report.hpp"

namespace inchtide::app {
namespace {

namespace fs = std::filesystem;

// Beside the tool's install, or in the source tree above the build.
fs::path demo_mandate() {
  const auto program = fs::read_symlink("/proc/self/exe");
  auto installed = program.parent_path().parent_path() / "share/inchtide/demo/mandate.toml";
  if (fs::exists(installed)) return installed;
  for (auto folder = program.parent_path(); folder != folder.root_path(); folder = folder.parent_path()) {
    if (fs::exists(folder / "demo/mandate.toml")) return folder / "demo/mandate.toml";
  }
  throw InputError("demo", "its data is neither beside the tool's install nor in the source tree",
                   "Install the tool whole (cmake --install), or run it from its build");
}

const report::Chapter* chapter_of(const StudyReport& study, const char* command) {
  const auto found = std::ranges::find(study.chapters, command, &report::Chapter::command);
  return found == study.chapters.end() ? nullptr : &*found;
}

/// The two portfolios that most people ask for, in a line each.
std::string portfolios_in_words(const report::Json& weighed) {
  std::string text;
  for (const auto& portfolio : weighed["portfolios"]) {
    const auto name = portfolio["name"].get<std::string>();
    if (name != "minimum-variance" && name != "maximum-sharpe") continue;
    text += fmt::format("  {:<17} {:>6} a year at {:>6} volatility, Sharpe {:.2f}\n", name,
                        percent_text(portfolio["expected_return"].get<double>()),
                        percent_text(portfolio["volatility"].get<double>()), portfolio["sharpe"].get<double>());
  }
  return text;
}

/// What came out, on one screen.
std::string on_a_screen(const StudyReport& study, const Options& options, const fs::path& folder) {
  std::string text = "The Skerry Lights Trust, which keeps the lighthouses of Hollin; all of it is made up.\n\n";
  text += in_words(study, options.spelt);
  if (const auto* weighed = chapter_of(study, "weigh")) {
    text += "\nTwo portfolios within the limits, from the prices before 2023:\n" + portfolios_in_words(weighed->result);
  }
  if (const auto* rehearsed = chapter_of(study, "rehearse");
      rehearsed != nullptr && rehearsed->result.contains("luck")) {
    text += "\nSchedules:\n" +
            report::in_lines("  " + rehearsed->result["luck"]["verdict"].get<std::string>(), 100, "    ");
  }
  text += fmt::format("\nWritten to {}: {} files; --full prints all tables.\n", folder.string(), study.files.size());
  if (report::has_page()) {
    text += fmt::format("Open {} in a browser, or explore it live:\n  inchtide explore --mandate {}\n",
                        (folder / "study.html").string(), options.mandate);
  } else {
    text += "There is no page: Node.js and npm were missing when Inch Tide was built.\n";
  }
  return text;
}

void run_demo(Options& given) {
  Options options = given;
  options.mandate = demo_mandate().string();
  const fs::path folder = given.out.empty() ? fs::path("inchtide-demo") : fs::path(given.out);
  // From the files into a store of the demo's own, from which all the rest is read.
  const auto store = (folder / "prices.store").string(), gathering = (folder / "gather.json").string();
  options.given["--prices"] = {read_mandate(options.mandate).prices.value().string()};
  options.given["--store"] = {store};
  const auto gathered = gather(options);
  const bool shown = !options.quiet && options.json != "-";
  deliver({{.chapter = gathered, .warnings = false, .tables = shown && options.all_tables, .json = gathering}},
          options);
  options.given["--prices"] = {store};
  auto study = make_report(options, folder / "study");
  if (shown && options.all_tables) {
    for (const auto& chapter : study.chapters)
      to_screen(printable(report::to_text(chapter, options.spelt, style_of(options))));
  }
  if (shown) to_screen(printable(on_a_screen(study, options, folder / "study")));
  study.files.insert(study.files.begin(), {store, gathering});
  report::Chapter summary{.command = "demo", .inputs = {{"mandate", options.mandate}}};
  summary.result = {{"files", study.files}};
  deliver({{.chapter = summary, .tables = false, .json = options.json}}, options);
  if (study.failure) std::rethrow_exception(study.failure);
}

}  // namespace

void add_demo(CLI::App& tool, Options& options) {
  auto& command = add_command(tool, options, "demo", "The whole job on the demo data",
                              "  inchtide demo\n"
                              "  inchtide demo --out out/demo --quiet --json -",
                              [&options] { run_demo(options); });
  add_folder_option(command, options, "Folder for the store and the study (default inchtide-demo)");
  add_report_options(command, options);
  add_full_option(command, options);
}

}  // namespace inchtide::app

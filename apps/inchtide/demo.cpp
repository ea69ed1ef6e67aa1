// inchtide demo: the whole job on the demo data.

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <filesystem>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/executor.hpp"
#include "inchtide/exchange/files.hpp"
#include "inchtide/mandate/mandate.hpp"
#include "output.hpp"

namespace inchtide::app {
namespace {

namespace fs = std::filesystem;

// Beside the tool's install, or in the source tree above the build.
fs::path demo_mandate() {
  const auto program = fs::read_symlink("/proc/self/exe");
  const auto installed = program.parent_path().parent_path() / "share/inchtide/demo/mandate.toml";
  if (fs::exists(installed)) return installed;
  for (auto folder = program.parent_path(); folder != folder.root_path(); folder = folder.parent_path()) {
    if (fs::exists(folder / "demo/mandate.toml")) return folder / "demo/mandate.toml";
  }
  throw InputError("demo", "its data is neither beside the tool's install nor in the source tree",
                   "Install the tool whole (cmake --install), or run it from its build");
}

void run_demo(const Options& given) {
  Options options = given;
  options.mandate = demo_mandate().string();
  options.given["--split"] = {to_string(read_mandate(options.mandate).settings.split.value())};
  const fs::path folder = given.out.empty() ? fs::path("inchtide-demo") : fs::path(given.out);

  const auto store = (folder / "prices.store").string();
  // From the files into a store of the demo's own, from which all the rest is read.
  options.given["--prices"] = {read_mandate(options.mandate).prices.value().string()};
  options.given["--store"] = {store};
  const auto gathered = gather(options);
  options.given["--prices"] = {store};
  std::vector<Outcome> outcomes{gathered,          inspect(options),  describe(options), relate(options),
                                estimate(options), frontier(options), weigh(options),    rehearse(options)};
  outcomes[1].charts.resize(1);  // what 100 became; the others show the same prices
  outcomes[2].charts.resize(3);  // one asset's histogram is enough
  outcomes[5].tables.resize(1);  // the portfolios of the frontier come again with those of weigh
  std::vector<std::string> files{store};
  for (const auto& outcome : outcomes) {
    if (!options.quiet) {
      if (&outcome == &outcomes[1]) print_warnings(outcome, options.spelt);  // the later ones repeat it
      if (options.json != "-") print_tables(outcome, options.spelt);
    }
    if (!options.csv.empty()) write_tables(outcome, (fs::path(options.csv) / outcome.command).string());
    files.push_back((folder / (outcome.command + ".json")).string());
    exchange::write_text_file(files.back(), document_of(outcome, options.spelt));
  }
  std::vector<std::pair<const report::Chart*, fs::path>> charts;
  for (const auto& outcome : outcomes) {
    for (const auto& [name, chart] : outcome.charts) charts.emplace_back(&chart, folder / (name + ".png"));
  }
  // One that cannot be drawn costs no other.
  const auto failures = Executor(options.threads).collect(charts.size(), [&](std::size_t i) {
    std::optional<OutsideFailure> failure;
    try {
      report::draw(*charts[i].first, charts[i].second);
    } catch (const OutsideFailure& error) {
      failure = error;
    }
    return failure;
  });
  std::optional<OutsideFailure> failure;
  for (std::size_t i = 0; i < charts.size(); ++i) {
    if (failures[i]) failure = failures[i];
    if (!failures[i]) files.push_back(charts[i].second.string());
  }
  const Outcome summary{"demo", {{"mandate", options.mandate}}, {}, {{"files", files}}, {}, {}};
  if (options.json == "-") {
    to_screen(document_of(summary, options.spelt));
  } else if (!options.json.empty()) {
    exchange::write_text_file(options.json, document_of(summary, options.spelt));
  }
  if (!options.quiet && options.json != "-") {
    to_screen(fmt::format("Written:\n  {}\n", fmt::join(files, "\n  ")));
  }
  if (failure) throw *failure;
}

}  // namespace

void add_demo(CLI::App& tool, Options& options) {
  auto& command = add_command(tool, options, "demo", "The whole job on the demo data",
                              "  inchtide demo\n"
                              "  inchtide demo --out out/demo --quiet --json -",
                              [&options] { run_demo(options); });
  add_folder_option(command, options, "Folder for figures and JSON (default inchtide-demo)");
  add_output_options(command, options);
}

}  // namespace inchtide::app

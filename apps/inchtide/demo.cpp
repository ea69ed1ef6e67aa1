// inchtide demo: the whole job on the demo data.

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <exception>
#include <filesystem>

#include "inchtide/base/errors.hpp"
#include "inchtide/mandate/mandate.hpp"
#include "output.hpp"

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
  std::vector<report::Chapter> chapters{gathered,          inspect(options),  describe(options), relate(options),
                                        estimate(options), frontier(options), weigh(options),    rehearse(options)};
  chapters[1].charts.resize(1);  // what 100 became; the others show the same prices
  chapters[2].charts.resize(3);  // one asset's histogram is enough
  // One portfolio's, which the plain names are of.
  std::erase_if(chapters[7].charts,
                [](const report::Chart& chart) { return chart.name.find('-') != std::string::npos; });
  chapters[5].tables.resize(1);  // the portfolios of the frontier come again with those of weigh
  std::vector<std::string> files{store};
  std::vector<Delivery> deliveries;
  for (auto& chapter : chapters) {
    Delivery delivery{std::move(chapter)};
    const auto& command = delivery.chapter.command;
    delivery.warnings = !options.quiet && command == "inspect";  // the later ones repeat it
    delivery.tables = !options.quiet && options.json != "-";
    delivery.json = files.emplace_back((folder / (command + ".json")).string());
    if (!options.csv.empty()) delivery.csv = (fs::path(options.csv) / command).string();
    delivery.figures = delivery.chapter.charts;
    for (const auto& chart : delivery.figures) {
      delivery.figure_files.push_back((folder / (chart.name + ".png")).string());
    }
    deliveries.push_back(std::move(delivery));
  }
  const auto drawn = deliver(deliveries, options);
  files.insert(files.end(), drawn.files.begin(), drawn.files.end());
  report::Chapter summary{.command = "demo", .inputs = {{"mandate", options.mandate}}};
  summary.result = {{"files", files}};
  deliver({{.chapter = summary, .json = options.json}}, options);
  if (!options.quiet && options.json != "-") {
    to_screen(fmt::format("Written:\n  {}\n", fmt::join(files, "\n  ")));
  }
  if (drawn.failure) std::rethrow_exception(drawn.failure);
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

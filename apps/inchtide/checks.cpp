// Checks of what was asked, before any work.

#include "checks.hpp"

#include <fmt/format.h>

#include <filesystem>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/base/range.hpp"

namespace inchtide::app {
namespace {

namespace fs = std::filesystem;

/// The files and folders that a run reads.
std::vector<fs::path> inputs_of(const Options& options, const Mandate& mandate) {
  std::vector<fs::path> inputs;
  for (const auto* text : {&options.mandate, &options.estimate, &options.weights}) {
    if (!text->empty()) inputs.emplace_back(*text);
  }
  for (const auto* path : {&mandate.prices, &mandate.tags, &mandate.identifiers, &mandate.rates, &mandate.actions,
                           &mandate.current, &mandate.store, &mandate.implied_weights}) {
    if (*path) inputs.push_back(**path);
  }
  return inputs;
}

}  // namespace

void check_ranges(const Options& options) {
  constexpr int many = 1'000'000'000;
  whole_within(options.threads, 0, 4096, "--threads");
  whole_within(options.bins, 0, 1'000'000, "--bins");
  whole_within(options.draws.value_or(0), 0, many, "--draws");
  whole_within(options.cloud.value_or(0), 0, many, "--cloud");
  whole_within(options.trading_days.value_or(1), 1, many, "--trading-days");
  whole_within(options.delay.value_or(0), 0, 1'000'000, "--delay");
  within(options.block, 0, 1e6, "--block");
  within(options.patience, 0, 1e9, "--patience");
  within(options.horizon, 1e-6, 1e6, "--horizon");
  if (options.periods_per_year) within(*options.periods_per_year, 1e-3, 1e5, "--periods-per-year");
  within(options.wealth.value_or(1), 1e-9, 1e18, "--wealth");
}

void check_outputs(const Options& options, const Mandate& mandate) {
  std::error_code unknown;
  const auto refuse = [](const fs::path& output, const fs::path& input) {
    throw InputError(Where::in_file(output.string()),
                     fmt::format("it would be written over {}, which this run reads", input.string()),
                     "Give the output another name");
  };
  std::vector<fs::path> outputs;
  for (const auto* text : {&options.json, &options.xlsx}) {
    if (!text->empty() && *text != "-") outputs.emplace_back(*text);
  }
  for (const auto& figure : options.figures) outputs.emplace_back(figure.substr(figure.find(':') + 1));
  for (const auto& input : inputs_of(options, mandate)) {
    const bool folder = fs::is_directory(input, unknown);
    for (const auto& output : outputs) {
      const bool sheet = same_name(output.extension().string(), ".csv");
      const bool inside = folder && sheet && fs::equivalent(output.parent_path() / ".", input, unknown);
      if (fs::exists(output, unknown) && (inside || fs::equivalent(output, input, unknown))) refuse(output, input);
    }
    if (options.csv.empty()) continue;
    const auto among = folder ? input : input.parent_path() / ".";
    const bool sheet = folder || same_name(input.extension().string(), ".csv");
    if (sheet && fs::equivalent(options.csv, among, unknown)) refuse(options.csv, input);
  }
}

}  // namespace inchtide::app

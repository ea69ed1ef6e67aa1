#include "means.hpp"

#include <CLI/CLI.hpp>
#include <algorithm>
#include <string>

#include "inchtide/mandate/declarations.hpp"

namespace inchtide::app {
namespace {

// Of a setting, as it is declared; the others are the tool's own.
std::string option_for(Means means) {
  switch (means) {
    case Means::none: return "";
    case Means::mandate: return "--mandate";
    case Means::patience: return "--patience";
    case Means::table_files: return "--csv";
    case Means::tail: return "--tail";
    case Means::runs: return "--runs";
    case Means::subset_size: return "--pick";
    case Means::workbook: return "--xlsx";
    default: break;
  }
  const auto found = std::ranges::find_if(
      declarations(), [&](const Declaration& one) { return one.means == means && !one.option.empty(); });
  return found == declarations().end() ? "" : found->option;
}

}  // namespace

SpeltMeans means_of(const CLI::App& command) {
  return [&command](Means means) -> std::string {
    if (means == Means::gather) return "inchtide gather";
    if (means == Means::gather_in_full) return "inchtide gather --in-full";
    if (means == Means::inspect) return "inchtide inspect";
    if (means == Means::views) return "[views] in the mandate";
    auto option = option_for(means);
    if (!option.empty() && command.get_option_no_throw(option) != nullptr) return option;
    // A command that takes all of it from the mandate has it changed there.
    return command.get_option_no_throw("--prices") == nullptr ? key_of(means) : "";
  };
}

}  // namespace inchtide::app

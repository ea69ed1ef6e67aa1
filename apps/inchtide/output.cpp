#include "output.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>
#include <spdlog/spdlog.h>

#include <cerrno>
#include <cstdio>
#include <cstring>
#include <filesystem>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/base/text.hpp"
#include "inchtide/exchange/files.hpp"

namespace inchtide::app {
namespace {

// `NAME:FILE`, or `FILE` for the command's first chart.
std::pair<const report::Chart*, std::string> chart_for(const Outcome& outcome, const std::string& figure) {
  const auto place = fmt::format("--figure {}", figure);
  const auto colon = figure.find(':');
  if (colon == std::string::npos) {
    if (outcome.charts.empty()) throw InputError(place, "there is nothing to draw", "Leave --figure out");
    return {&outcome.charts.front().second, figure};
  }
  const auto name = figure.substr(0, colon);
  for (const auto& [known, why] : outcome.undrawable) {
    if (same_name(known, name)) throw InputError(fmt::format("{}: {}", place, why));
  }
  std::vector<std::string> names;
  for (const auto& [known, chart] : outcome.charts) {
    if (same_name(known, name)) return {&chart, figure.substr(colon + 1)};
    names.push_back(known);
  }
  throw InputError(place, fmt::format("there is no figure '{}'", name), did_you_mean(name, names));
}

}  // namespace

void to_screen(std::string_view text) {
  const bool written = std::fwrite(text.data(), 1, text.size(), stdout) == text.size();
  if (written && std::fflush(stdout) == 0) return;
  throw OutsideFailure(fmt::format("standard output cannot be written: {}", std::strerror(errno)));
}

std::string document_of(const Outcome& outcome) {
  return report::document(outcome.command, outcome.inputs, outcome.warnings, outcome.result);
}

void print_warnings(const Outcome& outcome) {
  for (const auto& warning : outcome.warnings) spdlog::warn("{}", warning);
}

void print_tables(const Outcome& outcome) {
  for (const auto& table : outcome.tables) {
    if (table.preview != 0) to_screen(printable(report::to_text(table)) + "\n");
  }
}

void write_tables(const Outcome& outcome, const std::string& folder) {
  for (const auto& table : outcome.tables) {
    exchange::write_text_file(std::filesystem::path(folder) / (table.name + ".csv"), report::to_csv(table));
  }
  for (const auto& [name, content] : outcome.sheets) {
    exchange::write_text_file(std::filesystem::path(folder) / name, content);
  }
}

void deliver(const Outcome& outcome, Options& options) {
  options.exit_code = outcome.exit_code;
  if (options.exit_code == done && outcome.inputs.contains("passed_over")) options.exit_code = done_in_part;
  const bool json_to_screen = options.json == "-";
  std::vector<std::pair<const report::Chart*, std::string>> figures;
  for (const auto& figure : options.figures) figures.push_back(chart_for(outcome, figure));
  if (!options.quiet) print_warnings(outcome);
  if (!options.quiet && !json_to_screen) print_tables(outcome);
  if (json_to_screen) {
    to_screen(document_of(outcome));
  } else if (!options.json.empty()) {
    exchange::write_text_file(options.json, document_of(outcome));
  }
  if (!options.csv.empty()) write_tables(outcome, options.csv);
  if (!options.xlsx.empty()) report::write_workbook(outcome.tables, options.xlsx);
  for (const auto& [chart, file] : figures) {
    auto drawn = *chart;
    drawn.theme = options.theme == "dark" ? report::Theme::dark : report::Theme::light;
    report::draw(drawn, file);
  }
}

void keep(const UnsolvedProblem& unsolved, const std::string& command, const Options& options) {
  if (options.json.empty()) {
    spdlog::info("With --json FILE the whole problem is written to a file that reproduces this");
    return;
  }
  const auto text =
      report::document(command, report::Json::object(), {unsolved.what()}, report::unsolved_result(unsolved.problem()));
  if (options.json == "-") {
    to_screen(text);
    return;
  }
  try {
    exchange::write_text_file(options.json, text);
  } catch (const Error& error) {
    spdlog::error("{}", error.what());
    return;
  }
  spdlog::info("{} holds the whole problem: --estimate {} with the same limits reproduces this", options.json,
               options.json);
}

}  // namespace inchtide::app

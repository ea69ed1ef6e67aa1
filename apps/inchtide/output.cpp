#include "output.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>
#include <spdlog/spdlog.h>

#include <cerrno>
#include <cstdio>
#include <cstring>
#include <filesystem>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/executor.hpp"
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
    if (same_name(known, name)) {
      auto notice = why;
      notice.where = place;
      throw InputError(notice);
    }
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

std::string document_of(const Outcome& outcome, const SpeltMeans& spelt) {
  std::vector<std::string> warnings;
  for (const auto& warning : outcome.warnings) warnings.push_back(warning.text(spelt));
  return report::document(outcome.command, outcome.inputs, warnings, outcome.result);
}

void print_warnings(const Outcome& outcome, const SpeltMeans& spelt) {
  for (const auto& warning : outcome.warnings) spdlog::warn("{}", warning.text(spelt));
}

void print_tables(const Outcome& outcome, const SpeltMeans& spelt) {
  for (const auto& table : outcome.tables) {
    if (table.preview != 0) to_screen(printable(report::to_text(table, spelt)) + "\n");
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
  if (!options.quiet) print_warnings(outcome, options.spelt);
  if (!options.quiet && !json_to_screen) print_tables(outcome, options.spelt);
  if (json_to_screen) {
    to_screen(document_of(outcome, options.spelt));
  } else if (!options.json.empty()) {
    exchange::write_text_file(options.json, document_of(outcome, options.spelt));
  }
  if (!options.csv.empty()) write_tables(outcome, options.csv);
  if (!options.xlsx.empty()) report::write_workbook(outcome.tables, options.xlsx, options.spelt);
  Executor(options.threads).each(figures.size(), [&](std::size_t i) {
    auto drawn = *figures[i].first;
    drawn.theme = options.theme == "dark" ? report::Theme::dark : report::Theme::light;
    report::draw(drawn, figures[i].second);
  });
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
    spdlog::error("{}", error.notice().text(options.spelt));
    return;
  }
  spdlog::info("{} holds the whole problem: --estimate {} with the same limits reproduces this", options.json,
               options.json);
}

}  // namespace inchtide::app

// inchtide report: the whole study as one page, figures, a spreadsheet and files.

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <exception>
#include <filesystem>
#include <functional>
#include <utility>

#include "checks.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/exchange/files.hpp"
#include "inchtide/exchange/whole_folder.hpp"
#include "inchtide/mandate/mandate.hpp"
#include "inchtide/report/page.hpp"
#include "inchtide/report/study_workbook.hpp"
#include "output.hpp"
#include "report.hpp"
#include "watch.hpp"

namespace inchtide::app {
namespace {

namespace fs = std::filesystem;

constexpr std::size_t stages = 7;
// Of one kind, an asset each: more take longer to draw than to compute.
constexpr std::ptrdiff_t most_pictures = 50;

/// Every stage by the same rules; weights are chosen before the split and rehearsed from it.
StudyReport study_of(Options options, const Watch& watch) {
  const auto mandate = read_mandate(options.mandate);
  if (mandate.settings.split) options.given["--split"] = {to_string(*mandate.settings.split)};
  options.whole_study = true;
  StudyReport study;
  const auto add = [&](const char* name, const std::function<report::Chapter()>& make, bool needed) {
    watch.check();
    watch.done(study.chapters.size() + study.missing.size(), stages, name);
    try {
      study.chapters.push_back(make());
    } catch (const InputError& error) {
      if (needed) throw;
      study.missing.push_back(error.notice().led_by(fmt::format("There is no {}", name)));
    }
  };
  add(
      "inspection of prices", [&] { return inspect(options); }, true);
  add(
      "description of returns", [&] { return describe(options); }, false);
  add(
      "table of relations", [&] { return relate(options); }, false);
  add(
      "estimate", [&] { return estimate(options); }, true);
  add(
      "frontier", [&] { return frontier(options); }, true);
  add(
      "choice of weights", [&] { return weigh(options); }, false);
  add(
      "rehearsal", [&] { return rehearse(options); }, false);
  return study;
}

struct Pictures {
  std::vector<report::Chart> drawn;
  std::size_t in_the_page = 0;  // and there alone
};

/// The charts of a chapter that are drawn as pictures: those that are meant to be, those of single assets only
/// where they are few, and one that stands under a plain name too under its own.
Pictures pictures_of(const report::Chapter& chapter) {
  const auto& charts = chapter.charts;
  const auto is_one_of_many = [&](const report::Chart& chart) {
    const auto dash = chart.name.find('-');
    if (dash == std::string::npos) return false;
    const auto family = chart.name.substr(0, dash + 1);
    return std::ranges::count_if(charts, [&](const auto& one) { return one.name.starts_with(family); }) > most_pictures;
  };
  Pictures pictures;
  for (const auto& chart : charts) {
    if (!chart.picture) continue;
    if (is_one_of_many(chart)) {
      ++pictures.in_the_page;
      continue;
    }
    const bool twice = std::ranges::any_of(charts, [&](const report::Chart& other) {
      return other.picture && other.name.starts_with(chart.name + "-") && other.title == chart.title &&
             !is_one_of_many(other);
    });
    if (!twice) pictures.drawn.push_back(chart);
  }
  return pictures;
}

/// What the page is named after, and made of.
report::PageSource page_source(const StudyReport& study, const Options& options) {
  const auto mandate = read_mandate(options.mandate);
  report::PageSource source{.title = fs::path(options.mandate).stem().string(), .chapters = study.chapters};
  if (source.title == "mandate") source.title = fs::absolute(options.mandate).parent_path().filename().string();
  source.title += ": a study";
  source.currency = mandate.settings.currency.value_or("");
  source.command = fmt::format("inchtide report --mandate {} --out {}", options.mandate, options.out);
  source.spelt = options.spelt;
  for (const auto& chapter : source.chapters) {
    const auto benchmark = chapter.inputs.find("benchmark");
    if (benchmark != chapter.inputs.end() && benchmark->is_string()) source.benchmark = *benchmark;
  }
  return source;
}

void run_report(Options& options) {
  if (options.mandate.empty()) {
    throw WrongUsage("--mandate", "a report is of a mandate, and none was given", Remedy("Name its file"));
  }
  if (options.out.empty()) throw WrongUsage("--out", "no folder was named for the report", Remedy("Name one"));
  if (!report::has_page()) (void)report::page_of({});  // says so before anything is computed
  const auto study = make_report(options, options.out);
  report::Chapter chapter{.command = "report", .inputs = {{"mandate", options.mandate}}, .warnings = study.missing};
  chapter.result = {{"files", study.files}};
  chapter.in_part = study.in_part();
  if (!options.quiet && options.json != "-") {
    to_screen(in_words(study, options.spelt));
    to_screen(fmt::format("\nOpen {}\n", (fs::path(options.out) / "study.html").string()));
  }
  deliver({{.chapter = chapter, .tables = false, .json = options.json}}, options);
  if (chapter.in_part) options.exit_code = done_in_part;
  if (study.failure) std::rethrow_exception(study.failure);
}

}  // namespace

bool StudyReport::in_part() const {
  return !missing.empty() || std::ranges::any_of(chapters, &report::Chapter::in_part);
}

std::string in_words(const StudyReport& study, const SpeltMeans& spelt) {
  std::string text;
  for (const auto& chapter : study.chapters) {
    if (!chapter.sentence.empty()) text += report::in_lines(chapter.command + ": " + chapter.sentence, 100, "    ");
  }
  for (const auto& note : study.notes) text += report::in_lines(note, 100, "    ");
  for (const auto& missing : study.missing) text += report::in_lines(missing.text(spelt), 100, "    ");
  return text;
}

StudyReport make_report(const Options& options, const fs::path& where) {
  const auto watch = watched(options);  // all through: a signal between two stages stops the next one
  exchange::WholeFolder folder(where);
  auto study = study_of(options, watch);
  std::vector<Delivery> deliveries;
  for (const auto& chapter : study.chapters) {
    Delivery delivery{chapter, !options.quiet && chapter.command == "inspect", false};
    delivery.json = (folder.path() / (chapter.command + ".json")).string();
    delivery.csv = (folder.path() / chapter.command).string();
    auto [drawn, in_the_page] = pictures_of(chapter);
    delivery.figures = std::move(drawn);
    for (const auto& chart : delivery.figures) {
      delivery.figure_files.push_back((folder.path() / chapter.command / (chart.name + ".png")).string());
    }
    if (in_the_page > 0) {
      study.notes.push_back(fmt::format("{}: {} charts of single assets are in the page, and no pictures of their own",
                                        chapter.command, in_the_page));
    }
    deliveries.push_back(std::move(delivery));
  }
  const auto write_workbook = [&] {
    report::write_study_workbook(study.chapters, folder.path() / "study.xlsx", options.spelt);
  };
  const auto write_page = [&] {
    exchange::write_text_file(folder.path() / "summary.txt", in_words(study, options.spelt));
    if (!report::has_page()) return;
    exchange::write_text_file(folder.path() / "licences.txt", report::page_notices());
    exchange::write_text_file(folder.path() / "study.html", report::page_of(page_source(study, options)));
  };
  study.failure = deliver(deliveries, options, {write_workbook, write_page}).failure;
  watch.check();
  watch.done(stages, stages);
  for (const auto& file : folder.finish()) study.files.push_back((where / file).string());
  return study;
}

void add_report(CLI::App& tool, Options& options) {
  auto& command = add_command(tool, options, "report", "The whole study as one page, figures and a spreadsheet",
                              "  inchtide report --mandate demo/mandate.toml --out out/study\n"
                              "  inchtide report --mandate demo/mandate.toml --out out/study --quiet --json -",
                              [&options] { run_report(options); });
  add_input_options(command, options);
  add_folder_option(command, options,
                    "Folder for the page, figures, the spreadsheet and files; an earlier one is replaced");
  add_report_options(command, options);
}

}  // namespace inchtide::app

#include "output.hpp"

#include <fmt/format.h>
#include <spdlog/spdlog.h>

#include <cerrno>
#include <cstdio>
#include <cstring>
#include <exception>
#include <filesystem>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/executor.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/base/text.hpp"
#include "inchtide/exchange/files.hpp"
#include "watch.hpp"

namespace inchtide::app {
namespace {

// `NAME:FILE`, or `FILE` for the command's first chart.
void add_figure(Delivery& delivery, const std::string& figure) {
  const auto& chapter = delivery.chapter;
  const auto place = fmt::format("--figure {}", figure);
  const auto colon = figure.find(':');
  std::vector<std::string> names;
  for (const auto& chart : chapter.charts) names.push_back(chart.name);
  if (colon == std::string::npos) {
    const auto sign = figure.find('=');
    if (sign != std::string::npos && find_name(figure.substr(0, sign), names)) {
      throw InputError(place, "a colon stands between a figure's name and its file",
                       fmt::format("Write {}:{}", figure.substr(0, sign), figure.substr(sign + 1)));
    }
    if (chapter.charts.empty()) throw InputError(place, "there is nothing to draw", "Leave --figure out");
    delivery.figures.push_back(chapter.charts.front());
    delivery.figure_files.push_back(figure);
    return;
  }
  const auto name = figure.substr(0, colon);
  for (const auto& [known, why] : chapter.no_charts) {
    if (!same_name(known, name)) continue;
    auto notice = why;
    notice.where = place;
    throw InputError(notice);
  }
  const auto found = find_name(name, names);
  if (!found) throw InputError(place, fmt::format("there is no figure '{}'", name), did_you_mean(name, names));
  delivery.figures.push_back(chapter.charts[*found]);
  delivery.figure_files.push_back(figure.substr(colon + 1));
}

void write(const Delivery& delivery, const SpeltMeans& spelt, const report::TextStyle& style) {
  const auto& [chapter, warnings, tables, json, csv, xlsx, figures, files] = delivery;
  if (warnings) {
    for (const auto& warning : chapter.warnings) spdlog::warn("{}", warning.text(spelt));
  }
  if (tables && json != "-") to_screen(printable(report::to_text(chapter, spelt, style)));
  if (json == "-") {
    to_screen(report::to_json(chapter, spelt));
  } else if (!json.empty()) {
    exchange::write_text_file(json, report::to_json(chapter, spelt));
  }
  if (!csv.empty()) {
    for (const auto& table : chapter.tables) {
      exchange::write_text_file(std::filesystem::path(csv) / (table.name + ".csv"), report::to_csv(table));
    }
    for (const auto& [name, content] : chapter.files) {
      exchange::write_text_file(std::filesystem::path(csv) / name, content);
    }
  }
  if (!xlsx.empty()) report::write_workbook(chapter.tables, xlsx, spelt);
}

}  // namespace

report::TextStyle style_of(const Options& options) {
  if (options.wide) return {};
  return {.width = 100, .rows = 60, .rest = "--wide shows them"};
}

void to_screen(std::string_view text) {
  const bool written = std::fwrite(text.data(), 1, text.size(), stdout) == text.size();
  if (written && std::fflush(stdout) == 0) return;
  throw OutsideFailure(fmt::format("standard output cannot be written: {}", std::strerror(errno)));
}

Delivery delivery_of(const report::Chapter& chapter, const Options& options) {
  Delivery delivery{chapter, !options.quiet, !options.quiet, options.json, options.csv, options.xlsx};
  for (const auto& figure : options.figures) add_figure(delivery, figure);
  return delivery;
}

// Figures that one process draws: starting it takes as long as drawing a small one.
constexpr std::size_t drawn_together = 6;

Drawn deliver(const std::vector<Delivery>& all, const Options& options,
              const std::vector<std::function<void()>>& beside) {
  for (const auto& delivery : all) write(delivery, options.spelt, style_of(options));
  std::vector<std::pair<const report::Chart*, const std::string*>> figures;
  for (const auto& delivery : all) {
    for (std::size_t k = 0; k < delivery.figures.size(); ++k) {
      figures.emplace_back(&delivery.figures[k], &delivery.figure_files[k]);
    }
  }
  const auto sheets = (figures.size() + drawn_together - 1) / drawn_together;
  const auto one_part = [&](std::size_t i) {
    if (i < beside.size()) {
      beside[i]();
      return std::vector<std::exception_ptr>();
    }
    std::vector<report::ChartFile> some;
    for (std::size_t k = i - beside.size(); k < figures.size(); k += sheets) {
      some.push_back({*figures[k].first, *figures[k].second});
      some.back().chart.theme = options.theme == "dark" ? report::Theme::dark : report::Theme::light;
    }
    return report::draw_all(some);
  };
  const auto of_parts =
      Executor(options.threads).collect(beside.size() + sheets, one_part, {watched(options).stop, {}});
  Drawn drawn;
  std::vector<std::exception_ptr> failures;
  for (std::size_t k = 0; k < figures.size(); ++k) failures.push_back(of_parts[beside.size() + k % sheets][k / sheets]);
  for (std::size_t i = 0; i < figures.size(); ++i) {
    if (!failures[i]) drawn.files.push_back(*figures[i].second);
    if (!drawn.failure) drawn.failure = failures[i];
  }
  return drawn;
}

void deliver(const report::Chapter& chapter, Options& options) {
  if (options.exit_code == done && chapter.in_part) options.exit_code = done_in_part;
  const auto drawn = deliver(std::vector{delivery_of(chapter, options)}, options);
  if (drawn.failure) std::rethrow_exception(drawn.failure);
}

void keep(const UnsolvedProblem& unsolved, const std::string& command, const Options& options) {
  if (options.json.empty()) {
    spdlog::info("With --json FILE the whole problem is written to a file that reproduces this");
    return;
  }
  const auto text = report::to_json(report::unsolved_chapter(command, unsolved), options.spelt);
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

// The chart writer.

#include <fmt/format.h>
#include <sys/wait.h>

#include <algorithm>
#include <cmath>
#include <memory>
#include <variant>

#include "gnuplot_process.hpp"
#include "gnuplot_script.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/base/text.hpp"
#include "inchtide/exchange/files.hpp"
#include "memory_file.hpp"

namespace inchtide::report {
namespace {

namespace fs = std::filesystem;

/// A picture that was cut short lacks its end.
bool is_whole(const std::string& picture, const fs::path& path) {
  const auto ending = path.extension().string();
  const auto tail = std::string_view(picture).substr(picture.size() - std::min<std::size_t>(picture.size(), 16));
  if (same_name(ending, ".png")) return tail.find("IEND") != std::string_view::npos;
  return tail.find(same_name(ending, ".svg") ? "</svg>" : "%%EOF") != std::string_view::npos;
}

bool ended_well(const GnuplotAnswer& answer) {
  return answer.status && WIFEXITED(*answer.status) && WEXITSTATUS(*answer.status) == 0;
}

/// All by one gnuplot, where it can.
bool drawn_together(const std::vector<ChartFile>& charts, std::chrono::milliseconds patience) {
  std::string script;
  std::vector<std::unique_ptr<MemoryFile>> pictures;
  std::vector<int> descriptors;
  for (const auto& [chart, path] : charts) {
    pictures.push_back(std::make_unique<MemoryFile>());
    descriptors.push_back(pictures.back()->descriptor());
    script += gnuplot_script(chart, path, fmt::format("/dev/fd/{}", descriptors.back())) + "unset output\nreset\n";
  }
  if (!ended_well(run_gnuplot(script, patience * int(charts.size()), descriptors))) return false;
  std::vector<std::string> contents;
  for (const auto& picture : pictures) contents.push_back(picture->content());
  for (std::size_t k = 0; k < charts.size(); ++k) {
    if (!is_whole(contents[k], charts[k].path)) return false;
  }
  for (std::size_t k = 0; k < charts.size(); ++k) exchange::write_text_file(charts[k].path, contents[k]);
  return true;
}

}  // namespace

const std::string& name_of(const Series& series) {
  return std::visit([](const auto& one) -> const std::string& { return one.name; }, series);
}

Chart flat_if_long(Chart chart) {
  constexpr std::size_t longest_upright = 14;
  chart.flat =
      std::ranges::any_of(chart.x.categories, [](const std::string& name) { return name.size() > longest_upright; });
  return chart;
}

void draw(const Chart& chart, const fs::path& path, std::chrono::milliseconds patience) {
  const auto answer = run_gnuplot(gnuplot_script(chart, path), patience);
  const auto failed = [&](const std::string& why) {
    throw OutsideFailure(Where::in_file(path.string()), fmt::format("gnuplot failed: {}", why));
  };
  if (!answer.status) {
    failed(fmt::format("it was stopped after {:.3g} s", std::chrono::duration<double>(patience).count()));
  }
  if (!ended_well(answer) || !is_whole(answer.picture, path)) {
    const auto& said = answer.said;
    failed(!said.empty()        ? excerpt(said, 400)
           : ended_well(answer) ? "the picture is cut short"
                                : "it ended without a word");
  }
  exchange::write_text_file(path, answer.picture);
}

std::vector<std::exception_ptr> draw_all(const std::vector<ChartFile>& charts, std::chrono::milliseconds patience) {
  std::vector<std::exception_ptr> failures(charts.size());
  if (charts.size() > 1) {
    try {
      if (drawn_together(charts, patience)) return failures;
    } catch (const Error&) {  // of one of them: which, comes out below
    }
  }
  for (std::size_t k = 0; k < charts.size(); ++k) {
    try {
      draw(charts[k].chart, charts[k].path, patience);
    } catch (const Error&) {
      failures[k] = std::current_exception();
    }
  }
  return failures;
}

}  // namespace inchtide::report

// inchtide relate: how the assets move together, whether that lasts, and against what.

#include <fmt/format.h>

#include <algorithm>

#include "inchtide/base/errors.hpp"
#include "inchtide/report/relations.hpp"
#include "inchtide/study/relations.hpp"
#include "output.hpp"
#include "study.hpp"

namespace inchtide::app {
namespace {

// Pair by pair, holes are welcome: prices are kept as they are unless the user says otherwise.
Options with_holes_kept(Options options) {
  if (!options.pairwise) return options;
  options.given.try_emplace("--align", std::vector<std::string>{"any"});
  options.given.try_emplace("--short-histories", std::vector<std::string>{"keep"});
  return options;
}

/// `--every 1d,1w,1m`: the first is the study's own, all of them are shown side by side.
std::vector<Interval> intervals_of(Options& options) {
  std::vector<Interval> intervals;
  const auto given = options.given.find("--every");
  if (given == options.given.end() || given->second.back().find(',') == std::string::npos) return intervals;
  const auto list = given->second.back();
  for (std::size_t begin = 0; begin <= list.size();) {
    const auto end = std::min(list.find(',', begin), list.size());
    const auto text = list.substr(begin, end - begin);
    const auto every = Interval::parse(text, "--every");
    if (std::ranges::find(intervals, every) != intervals.end()) {
      throw InputError("--every", fmt::format("{} is there twice", text), "Name it once");
    }
    intervals.push_back(every);
    begin = end + 1;
  }
  given->second = {intervals.front().text()};
  return intervals;
}

/// Those that people compare, for who looks at all of a study.
const std::vector<Interval> usual_intervals{{1, Unit::day}, {1, Unit::week}, {1, Unit::month}};

RelationsOptions relations_options(const Options& options) {
  RelationsOptions how;
  for (const auto& span : options.windows) how.windows.push_back(Interval::parse(span, "--windows"));
  how.order = options.order;
  how.by = options.by;
  how.pick = options.pick;
  how.search = {options.pick_absolute, patience_of(options), options.seed.value_or(1)};
  if (!options.rolling.empty()) how.rolling = Interval::parse(options.rolling, "--rolling");
  for (const auto& pair : options.pairs) how.pairs.push_back(pair_of(pair, "--pair"));
  how.split = day_option(options.text("--split"), "--split");
  how.bands = draws_of(options, 0);
  how.seed = options.seed.value_or(1);
  return how;
}

}  // namespace

report::Chapter relate(const Options& given) {
  auto options = with_holes_kept(given);
  const auto intervals = intervals_of(options);
  const auto study = load_study(options);
  auto how = relations_options(options);
  how.intervals = options.whole_study ? usual_intervals : intervals;
  how.to_explore = options.whole_study;
  const auto relations = relations_of(study.universe(), study.settings(), how);
  return report::relate_chapter(relations, study.universe(), study.settings(), study.from);
}

void add_relate(CLI::App& tool, Options& options) {
  auto& command = add_command(
      tool, options, "relate", "How the assets move together, whether that lasts, and which are least related",
      "  inchtide relate --mandate demo/mandate.toml --order sector --figure heat.png\n"
      "  inchtide relate --mandate demo/mandate.toml --pick 5 --rolling 3y --pair TIDEMILL:KELPFARM "
      "--figure rolling:rolling.png",
      [&options] { deliver(relate(options), options); });
  add_input_options(command, options);
  add_setting(command, options, "--every",
              "Returns over this interval: 1d, 1w, 1m, ...; several side by side: 1d,1w,1m");
  add_settings(command, options, {Step::reading, Step::universe, Step::returns});
  add_relation_options(command, options);
  add_setting(command, options, "--split",
              "The day that parts first and then in the table of what lasted (default: halfway)");
  add_draw_options(command, options);
  add_setting(command, options, "--risk-free");
  add_output_options(command, options);
  add_figure_option(command, options, "heat, heat-2y for each window, diversification, rolling");
}

}  // namespace inchtide::app

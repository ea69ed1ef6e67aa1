#include "inchtide/report/grid.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>

#include "grid_tables.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/base/text.hpp"
#include "luck.hpp"

namespace inchtide::report {
namespace {

/// Rows of a table of luck among many cells.
constexpr std::size_t most_of_luck = 10;

/// Runs of other inputs, and figures that something else computed, are no runs to be compared without a word.
void warn_of_mixtures(Chapter& chapter, const exchange::RunStore& store) {
  if (const auto inputs = store.all_inputs(); inputs.size() > 1) {
    chapter.warnings.emplace_back(
        fmt::format("The store holds runs of {} different prices or rules, which are not comparable", inputs.size()));
  }
  const auto numerics = store.all_numerics();
  if (numerics.size() < 2) return;
  chapter.warnings.emplace_back(
      fmt::format("The runs were computed in {} different ways, so that last digits differ: {}", numerics.size(),
                  fmt::join(numerics, "; and ")));
}

void add_failures(Chapter& chapter, const exchange::RunStore& store, const exchange::RunQuery& query) {
  auto failed = Json::array();
  for (const auto& one : store.failures(query)) {
    failed.push_back({{"reason", one.reason}, {"runs", one.runs}, {"example", one.example}});
    chapter.warnings.emplace_back(
        fmt::format("{}{} could not be rehearsed: {}", one.example,
                    one.runs > 1 ? fmt::format(" and {} more", with_thousands(double(one.runs) - 1)) : "", one.reason));
    chapter.in_part = true;
  }
  chapter.result["failed"] = failed;
}

bool is_share(const std::string& figure) {
  return std::ranges::any_of(kept_figures(), [&](const KeptFigure& one) { return one.share && figure == one.name; });
}

/// What runs have in the column of a condition: the values of what is varied, else from the lowest to the highest.
std::string what_there_is(const exchange::RunStore& store, exchange::RunQuery query, const std::string& column) {
  const bool kept = std::ranges::any_of(kept_figures(), [&](const KeptFigure& one) { return column == one.name; });
  if (!kept) {
    std::vector<std::string> values;
    for (const auto& group : store.groups(query, column)) values.push_back(group.value);
    return fmt::format("there are {}", fmt::join(values, ", "));
  }
  query.where = {{column, ">=", "-1e300"}};  // a ratio to no risk is none
  if (store.count(query) == 0) return "none has such a figure";
  query.sort = column;
  query.most = 1;
  std::vector<std::string> ends;
  for (const bool ascending : {true, false}) {
    query.ascending = ascending;
    const auto figure = store.find(query).front().figure(column);
    ends.push_back(is_share(column) ? fmt::format("{:.2f}%", 100 * figure) : fmt::format("{:.6g}", figure));
  }
  return ends[0] == ends[1] ? "all have " + ends[0] : fmt::format("theirs go from {} to {}", ends[0], ends[1]);
}

}  // namespace

Notice why_none_fits(const exchange::RunStore& store, const exchange::RunQuery& query) {
  exchange::RunQuery all = query;
  all.where.clear();
  all.most = 0;
  const auto runs = store.count(all);
  if (runs == 0) return Notice("runs", "there are none", {{Means::runs, "Rehearse a grid into the store"}});
  std::vector<std::string> each;
  for (const auto& filter : query.where) {
    auto alone = all;
    alone.where = {filter};
    const auto figure = is_share(filter.column) ? parse_number(filter.value) : std::nullopt;
    const auto text =
        fmt::format("{} {} {}", filter.column, filter.sign, figure ? short_percent(*figure) : filter.value);
    const auto fitting = store.count(alone);
    if (fitting == 0) {
      return {"where",
              fmt::format("none of the {} runs has {}: {}", with_thousands(double(runs)), text,
                          what_there_is(store, all, filter.column)),
              {"Change the condition"}};
    }
    each.push_back(fmt::format("{} ({})", text, with_thousands(double(fitting))));
  }
  return {"where",
          fmt::format("none of the {} runs has all of these, though some have each: {}", with_thousands(double(runs)),
                      fmt::join(each, ", ")),
          {"Leave one out"}};
}

Chapter grid_chapter(const exchange::RunStore& store, const GridAccount& account, const exchange::RunQuery& shown,
                     const std::optional<CellLuck>& luck) {
  Chapter chapter{.command = "rehearse"};
  chapter.inputs["grid"] = account.shape;
  if (!account.file.empty()) chapter.inputs["runs"] = account.file;
  exchange::RunQuery query = shown;
  query.chosen_only = true;
  const auto landed = store.count(query);
  chapter.result["cells"] = account.cells;
  chapter.result["there"] = account.there;
  add_failures(chapter, store, query);
  warn_of_mixtures(chapter, store);
  chapter.sentence = fmt::format("{} of {} cells rehearsed: {}", with_thousands(double(landed)),
                                 with_thousands(double(account.cells)), account.shape);
  auto at_usual = query;
  at_usual.where.push_back({"cost_level", "=", "1"});
  const auto usual = store.count(at_usual);
  const auto& listed = usual > 0 ? at_usual : query;
  const auto runs = store.find(listed);
  chapter.result["runs"] = runs_json(runs);
  auto first = kept_runs_table(runs, listed, usual > 0 ? usual : landed);
  if (usual > 0 && usual < landed) first.notes.emplace_back("At the study's own level of costs");
  first.notes.emplace_back(chapter.sentence);
  if (account.there > 0) {
    first.notes.emplace_back(
        fmt::format("{} of them were in the store already", with_thousands(double(account.there))));
  }
  if (account.file.empty()) {
    first.notes.push_back({{}, "They are not kept", {{Means::runs, "Give a file to keep them in", "many.runs"}}});
  }
  chapter.tables.push_back(std::move(first));
  query.most = 0;
  auto axes = axes_table(store, query);
  if (!axes.rows.empty()) {
    chapter.result["axes"] = to_json(axes);
    chapter.tables.push_back(std::move(axes));
  }
  if (const auto levels = levels_of(store, query); levels.levels.size() > 1) {
    chapter.tables.push_back(levels_table(levels));
    chapter.charts.push_back(levels_chart(levels));
    chapter.result["levels"] = to_json(chapter.tables.back());
  }
  if (!luck) return chapter;
  chapter.tables.push_back(luck_table(luck->luck, luck->runs, most_of_luck));
  if (!luck->luck.timing.empty()) chapter.tables.push_back(timing_table(luck->luck.timing));
  chapter.result["luck"] = luck_json(luck->luck, luck->runs);
  return chapter;
}

Chapter runs_chapter(const exchange::RunStore& store, const exchange::RunQuery& query, const std::string& file) {
  Chapter chapter{.command = "runs"};
  chapter.inputs["runs"] = file;
  auto where = Json::array();
  for (const auto& filter : query.where)
    where.push_back(fmt::format("{} {} {}", filter.column, filter.sign, filter.value));
  chapter.inputs["where"] = where;
  chapter.inputs["sort"] = query.sort;
  const auto fitting = store.count(query);
  auto inputs = Json::array();
  for (const auto& one : store.all_inputs()) {
    inputs.push_back({{"digest", one.digest}, {"runs", one.runs}, {"failed", one.failed}});
  }
  chapter.result["inputs"] = inputs;
  chapter.result["fitting"] = fitting;
  add_failures(chapter, store, query);
  chapter.in_part = false;  // listing them is all that was asked
  warn_of_mixtures(chapter, store);
  const auto runs = store.find(query);
  chapter.result["runs"] = runs_json(runs);
  chapter.sentence = fmt::format("{} runs", with_thousands(double(fitting)));
  if (fitting == 0) chapter.warnings.push_back(why_none_fits(store, query));
  chapter.tables.push_back(kept_runs_table(runs, query, fitting));
  auto all = query;
  all.most = 0;
  auto axes = axes_table(store, all);
  if (!axes.rows.empty()) chapter.tables.push_back(std::move(axes));
  if (const auto levels = levels_of(store, all); levels.levels.size() > 1) {
    chapter.tables.push_back(levels_table(levels));
    chapter.charts.push_back(levels_chart(levels));
  }
  return chapter;
}

Chapter luck_chapter(const CellLuck& luck, const std::string& file) {
  Chapter chapter{.command = "luck"};
  chapter.inputs["runs"] = file;
  chapter.inputs["baseline"] = luck.luck.names[luck.luck.baseline];
  chapter.result = luck_json(luck.luck, luck.runs);
  chapter.sentence = chapter.result["verdict"].get<std::string>();
  chapter.tables.push_back(luck_table(luck.luck, luck.runs, 0));
  if (!luck.luck.timing.empty()) chapter.tables.push_back(timing_table(luck.luck.timing));
  return chapter;
}

}  // namespace inchtide::report

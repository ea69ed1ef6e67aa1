// inchtide runs: what a store of rehearsals holds; inchtide luck: what of it was luck.

#include <fmt/format.h>

#include <algorithm>

#include "grid.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/text.hpp"
#include "inchtide/report/grid.hpp"
#include "output.hpp"
#include "study.hpp"
#include "watch.hpp"

namespace inchtide::app {
namespace {

constexpr std::size_t usual_top = 25;

using exchange::RunStore;

/// One run, made again from what the store has.
report::Chapter run_again(const RunStore& store, const Options& options) {
  const auto [kept, inputs] = store.run_and_inputs(options.key);
  if (!kept.failure.empty()) throw InputError(kept.name, kept.failure, "Choose another key");
  const Grid grid(store.inputs(inputs));
  const CellRunner runner(grid);
  auto run = runner.rehearse(kept.cell, watched(options));
  run.name = kept.name;
  auto chapter = report::run_chapter(run, kept, runner.universe().currency);
  for (std::size_t k = 0; k < kept_figures().size(); ++k) {
    if (kept_figures()[k].of(run) == kept.figures[k]) continue;
    chapter.warnings.emplace_back(fmt::format("Run again, {} is {}, and was {}: it was computed by {}, and is by {}",
                                              kept_figures()[k].name, kept_figures()[k].of(run), kept.figures[k],
                                              kept.numerics, numerics_here()));
    break;
  }
  return chapter;
}

std::vector<Notice> merge_into(RunStore& store, const Options& options) {
  std::vector<Notice> told;
  for (const auto& other : options.merge) {
    const auto merged = store.merge(other);
    told.emplace_back(fmt::format("{}: {} runs taken, {} were there", other, with_thousands(double(merged.taken)),
                                  with_thousands(double(merged.there))));
    if (merged.other_figures == 0) continue;
    told.emplace_back(
        fmt::format("{}: {} of them have other figures there, and are kept as they were: were they computed by another "
                    "machine or version?",
                    other, with_thousands(double(merged.other_figures))));
  }
  return told;
}

report::Chapter runs(const Options& options) {
  if (options.runs.empty()) (void)store_to_read(options);  // says what is missing
  (void)mandate_of(options);                               // checks what was asked
  std::vector<Notice> told;
  if (!options.merge.empty()) {
    RunStore store(options.runs, RunStore::Access::write);
    told = merge_into(store, options);
  }
  const RunStore store(options.runs, RunStore::Access::read);
  if (!options.key.empty()) return run_again(store, options);
  auto chapter = report::runs_chapter(store, query_of(options, usual_top), options.runs);
  chapter.warnings.insert(chapter.warnings.begin(), told.begin(), told.end());
  return chapter;
}

/// The inputs that all these runs share.
std::string inputs_of(const RunStore& store, const Options& options) {
  if (!options.inputs.empty()) return options.inputs;
  const auto all = store.all_inputs();
  if (all.size() == 1) return all.front().digest;
  std::string listed;
  for (const auto& one : all) listed += fmt::format("{}{} ({} runs)", listed.empty() ? "" : ", ", one.digest, one.runs);
  throw InputError(Where::in_file(options.runs),
                   all.empty() ? "it holds no runs" : "it holds runs of several prices or rules: " + listed,
                   all.empty() ? "Rehearse a grid into it" : "Choose one by its digest");
}

report::Chapter luck(const Options& options) {
  const auto settings = mandate_of(options).settings;
  const auto store = store_to_read(options);
  auto query = query_of(options, 0);
  query.sort = "name";
  query.ascending = true;
  query.inputs = inputs_of(store, options);
  const bool by_level = std::ranges::any_of(query.where, [](const auto& f) { return f.column == "cost_level"; });
  if (!by_level && store.groups(query, "cost_level").size() > 1) {
    query.where.push_back(exchange::RunFilter::parse("cost_level = 1", "luck"));
  }
  const Grid grid(store.inputs(*query.inputs));
  const CellRunner runner(grid);
  const auto draws = draws_of(options, usual_draws);
  if (!draws) throw WrongUsage("--draws", "nothing can be told of luck without draws", Remedy("Give some"));
  LuckOptions how{draws->draws, draws->block, draws->seed};
  how.threads = options.threads;
  how.watch = draws->watch;
  if (store.count(query) == 0) throw InputError(report::why_none_fits(store, query));
  return report::luck_chapter(luck_among_cells(runner, store.find(query), settings.baseline, settings.tried, how),
                              options.runs);
}

}  // namespace

void add_runs(CLI::App& tool, Options& options) {
  auto& command = add_command(tool, options, "runs", "What a store of rehearsals holds: sorted, filtered, joined",
                              "  inchtide runs --runs many.runs --sort growth_per_year --where 'cost_level = 1'\n"
                              "  inchtide runs --runs all.runs --merge part-1.runs --merge part-2.runs\n"
                              "  inchtide runs --runs many.runs --key 3f9a --csv one-run",
                              [&options] { deliver(runs(options), options); });
  add_runs_option(command, options, "The store that a grid was kept in");
  add_choice_of_runs(command, options);
  add_runs_options(command, options);
  add_output_options(command, options);
  add_figure_option(command, options, "levels; of one run (--key): wealth, held, turnover, costs");
}

void add_luck(CLI::App& tool, Options& options) {
  auto& command = add_command(tool, options, "luck", "How much of the best run's edge is luck",
                              "  inchtide luck --runs many.runs --baseline yearly\n"
                              "  inchtide luck --runs many.runs --baseline yearly --where 'aim = equal' --tried 100",
                              [&options] { deliver(luck(options), options); });
  add_runs_option(command, options, "The store that a grid was kept in");
  add_choice_of_runs(command, options);
  add_setting(command, options, "--baseline");
  add_setting(command, options, "--tried");
  add_luck_options(command, options);
  add_threads_option(command, options);
  add_output_options(command, options);
}

}  // namespace inchtide::app

// inchtide rehearse: test rebalancing schedules with trading costs.

#include <algorithm>
#include <iterator>

#include "grid.hpp"
#include "inchtide/report/rehearsal.hpp"
#include "inchtide/study/cost_levels.hpp"
#include "inchtide/study/futures.hpp"
#include "inchtide/study/luck.hpp"
#include "inchtide/study/runs.hpp"
#include "output.hpp"
#include "study.hpp"
#include "watch.hpp"

namespace inchtide::app {
namespace {

/// An answer beside the runs. Unless it was asked for by an option, what stands in its way is a warning and costs
/// nothing else.
template <typename Answer>
auto beside(Runs& runs, bool asked, const char* failed, Answer answer) -> std::optional<decltype(answer())> {
  try {
    return answer();
  } catch (const InputError& error) {
    if (asked) throw;
    runs.warnings.push_back(error.notice().led_by(failed));
  }
  return std::nullopt;
}

/// What of it was luck; nothing of one run, or where no draws are wanted.
std::optional<StudyLuck> luck_of_runs(Runs& runs, const Prepared& prepared, const Portfolios& portfolios,
                                      const Options& options) {
  const bool one_run = runs.all.size() - (runs.against.empty() ? 0 : 1) < 2;
  const bool asked = options.has("--baseline") || options.has("--tried");
  const auto draws = draws_of(options, usual_draws);
  if (!draws || (one_run && !asked && !options.typed.contains("--draws"))) return std::nullopt;
  LuckOptions how{draws->draws, draws->block, draws->seed};
  how.threads = options.threads;
  how.watch = draws->watch;
  return beside(runs, asked, "What was luck cannot be told", [&] {
    return luck_with_timing(*prepared.universe, prepared.basis, portfolios, *prepared.sources, prepared.settings, runs,
                            how);
  });
}

/// Of the baseline's portfolio, where they are wanted.
std::optional<CostLevels> levels_of_runs(Runs& runs, const Prepared& prepared, const Portfolios& portfolios,
                                         const Options& options) {
  const auto of_baseline = [&] {
    const auto& baseline = runs.all[baseline_of(runs, prepared.settings)];
    return cost_levels_of(*prepared.universe, prepared.basis, portfolios, *prepared.sources, prepared.settings,
                          baseline.aim, baseline.schedule, options.threads, watched(options));
  };
  if (!prepared.settings.cost_levels) {  // nobody asked: where there are none nothing is missing
    if (!options.whole_study) return std::nullopt;
    try {
      return of_baseline();
    } catch (const InputError&) {
      return std::nullopt;
    }
  }
  return beside(runs, options.has("--cost-levels"), "Other levels of costs cannot be told", of_baseline);
}

/// Histories that did not happen, of the baseline alone.
std::optional<Futures> futures_of_baseline(const Runs& runs, const Prepared& prepared, const Portfolios& portfolios,
                                           const FutureOptions& how) {
  const auto& baseline = runs.all[baseline_of(runs, prepared.settings)];
  auto settings = prepared.settings;
  settings.futures = draws_of_a_report;
  std::erase_if(settings.schedules, [&](const Schedule& schedule) { return schedule.name != baseline.schedule; });
  Portfolios alone;
  std::ranges::copy_if(portfolios.all, std::back_inserter(alone.all),
                       [&](const Allocation& one) { return one.name == baseline.aim; });
  if (settings.schedules.empty() || alone.all.empty()) return std::nullopt;
  return futures_of(*prepared.universe, prepared.basis, alone, *prepared.sources, settings, how);
}

/// Histories that did not happen, where they are wanted; by itself in a report.
std::optional<Futures> futures_of_runs(Runs& runs, const Prepared& prepared, const Portfolios& portfolios,
                                       const Options& options) {
  const FutureOptions how{options.block.value_or(0), options.seed.value_or(1), options.threads, watched(options)};
  if (prepared.settings.futures == 0) {  // nobody asked: where there are none nothing is missing
    if (!options.whole_study || prepared.universe->assets.size() > most_assets_drawn) return std::nullopt;
    try {
      return futures_of_baseline(runs, prepared, portfolios, how);
    } catch (const InputError&) {
      return std::nullopt;
    }
  }
  return beside(runs, options.has("--futures"), "No other histories are drawn", [&] {
    return futures_of(*prepared.universe, prepared.basis, portfolios, *prepared.sources, prepared.settings, how);
  });
}

}  // namespace

report::Chapter rehearse(const Options& options) {
  const auto prepared = prepare_rehearsal(load_study(options));
  const auto portfolios = portfolios_of(prepared, options);
  auto runs =
      runs_of(*prepared.universe, prepared.basis, portfolios, *prepared.sources, prepared.settings, watched(options));
  report::RehearsalAnswers answers;
  answers.luck = luck_of_runs(runs, prepared, portfolios, options);
  answers.levels = levels_of_runs(runs, prepared, portfolios, options);
  answers.futures = futures_of_runs(runs, prepared, portfolios, options);
  return report::rehearse_chapter(runs, prepared.basis, *prepared.universe, portfolios, prepared.settings,
                                  prepared.from, answers);
}

void add_rehearse(CLI::App& tool, Options& options) {
  auto& command = add_command(
      tool, options, "rehearse", "Test rebalancing schedules with trading costs",
      "  inchtide rehearse --mandate demo/mandate.toml\n"
      "  inchtide rehearse --mandate demo/mandate.toml --split 2024-01-01 --aim equal --schedule never "
      "--schedule 1q --cost 25bp\n"
      "  inchtide rehearse --mandate demo/mandate.toml --grid --runs many.runs",
      [&options] { deliver(options.typed.contains("--grid") ? rehearse_grid(options) : rehearse(options), options); });
  add_input_options(command, options);
  add_settings(
      command, options,
      {Step::reading, Step::universe, Step::returns, Step::estimate, Step::limits, Step::portfolios, Step::rehearsal});
  add_luck_options(command, options);
  add_grid_options(command, options);
  add_output_options(command, options);
  add_figure_option(
      command, options,
      "wealth (with drawdown), held (weights over time), schedules, turnover, costs (by part), each of the "
      "first portfolio or of another: held-AIM; drift (against cost); levels (with --cost-levels or --grid); futures "
      "(with --futures)");
}

}  // namespace inchtide::app

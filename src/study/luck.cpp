#include "inchtide/study/luck.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <optional>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/executor.hpp"
#include "inchtide/base/names.hpp"
#include "study/walk_setup.hpp"

namespace inchtide {
namespace {

/// Those that the study made; the benchmark's stands last where there is one.
std::size_t count_of(const Runs& runs) {
  return runs.all.size() - (runs.against.empty() ? 0 : 1);
}

/// Days of so many runs are held at once.
constexpr std::size_t most_cells = 5000;

/// By name, else by schedule, else by aim; the first where none is wanted.
std::size_t baseline_among(const Rehearsal* runs, std::size_t count, const std::string& wanted) {
  if (wanted.empty()) return 0;
  std::vector<std::string> names;
  for (const auto part : {&Rehearsal::name, &Rehearsal::schedule, &Rehearsal::aim}) {
    for (std::size_t k = 0; k < count; ++k) {
      if (same_name(runs[k].*part, wanted)) return k;
      names.push_back(runs[k].*part);
    }
  }
  throw InputError("baseline", fmt::format("no run, schedule or portfolio is called '{}'", wanted),
                   did_you_mean(wanted, names));
}

/// @param excess returns of all, the baseline's among them
void judge(StudyLuck& luck, const std::vector<Eigen::VectorXd>& excess, const LuckOptions& options) {
  if (excess.size() < 2) throw InputError("luck", "there is one run", "Rehearse several, of which one is the baseline");
  const auto& baseline = excess[luck.baseline];
  Eigen::MatrixXd others(baseline.size(), Eigen::Index(excess.size()) - 1);
  for (std::size_t k = 0; k + 1 < excess.size(); ++k) others.col(Eigen::Index(k)) = excess[luck.of_all(k)];
  luck.judged = luck_of(others, baseline, options);
}

/// First rows that are tried of one calendar, evenly over its interval.
constexpr int most_starts = 21;

/// Of a schedule that is a calendar alone, where its interval leaves something of the rows that are walked.
/// @param rows_to_walk from the first trade on
/// @param growth per year on a schedule
template <typename Growth>
std::optional<TimingLuck> timing_on(const Schedule& schedule, const std::string& aim, std::size_t rows_to_walk,
                                    const LuckOptions& options, Growth growth) {
  if (!schedule.every || schedule.band || schedule.tranches > 1 || schedule.to != Schedule::To::targets) return {};
  const int rows = usual_rows(*schedule.every), starts = std::min(rows, most_starts);
  if (starts < 2 || std::size_t(rows) >= rows_to_walk) return {};
  const auto all = Executor(options.threads)
                       .collect(
                           std::size_t(starts),
                           [&](std::size_t k) {
                             auto moved = schedule;
                             moved.every = Interval(rows, Unit::day);
                             moved.anchor = int(k) * rows / starts;
                             return growth(moved);
                           },
                           options.watch);
  const auto [lowest, highest] = std::ranges::minmax(all);
  return TimingLuck{aim, schedule.name, rows, starts, lowest, highest};
}

/// Of the schedules that the tries have beside what one of them has. Not of weights that are chosen anew.
std::vector<TimingLuck> timing_among(const CellRunner& runner, const std::vector<GridRun>& tries,
                                     const GridCell& chosen, std::size_t rows, const LuckOptions& options) {
  std::vector<TimingLuck> all;
  if (runner.grid().settings().reestimate) return all;
  const auto is_beside = [&](const GridCell& cell) {
    auto same = cell;
    same.schedule = chosen.schedule;
    return same.bytes() == chosen.bytes();
  };
  auto aim = chosen.aim.text();
  const auto varies = [&](auto of) {
    return std::ranges::any_of(tries, [&](const GridRun& run) { return of(run.cell) != of(chosen); });
  };
  if (varies([](const GridCell& c) { return c.estimator.name; })) aim += ", " + chosen.estimator.name;
  if (varies([](const GridCell& c) { return c.window.text(); })) aim += ", window " + chosen.window.text();
  for (const auto& one : tries) {
    if (!is_beside(one.cell)) continue;
    const auto timing = timing_on(one.cell.schedule, aim, rows, options, [&](const Schedule& moved) {
      auto cell = one.cell;
      cell.schedule = moved;
      const auto run = runner.run(cell, "");
      if (run.failure.empty()) return run.figure("growth_per_year");
      throw InputError(one.cell.schedule.name, run.failure, "Leave it out");
    });
    if (timing) all.push_back(*timing);
  }
  return all;
}

}  // namespace

std::size_t baseline_of(const Runs& runs, const Settings& settings) {
  return baseline_among(runs.all.data(), count_of(runs), settings.baseline);
}

StudyLuck luck_among(const Runs& runs, const Settings& settings, double risk_free, LuckOptions options) {
  StudyLuck luck;
  const auto count = count_of(runs);
  luck.baseline = baseline_of(runs, settings);
  luck.rows_per_year = runs.all.front().rows_per_year;
  std::vector<Eigen::VectorXd> excess;
  for (std::size_t k = 0; k < count; ++k) {
    luck.names.push_back(runs.all[k].name);
    excess.push_back(returns_of(runs.all[k], settings.delay).array() - risk_free / luck.rows_per_year);
  }
  options.tried = settings.tried;
  judge(luck, excess, options);
  return luck;
}

CellLuck luck_among_cells(const CellRunner& runner, const std::vector<GridRun>& cells, const std::string& baseline,
                          double tried, LuckOptions options) {
  if (cells.empty()) throw InputError("luck", "there are no runs", "Choose others");
  if (cells.size() > most_cells) {
    throw InputError("luck", fmt::format("{} runs are more than can be held at once", cells.size()),
                     fmt::format("Choose up to {}", most_cells));
  }
  const auto& first = cells.front();
  for (const auto& one : cells) {
    if (one.from == first.from && one.to == first.to && one.cell.delay == first.cell.delay) continue;
    throw InputError("luck", fmt::format("{} and {} are not walked over the same days", first.name, one.name),
                     "Choose runs of one start and one delay");
  }
  CellLuck result;
  result.runs.resize(cells.size());
  std::vector<Eigen::VectorXd> excess(cells.size());
  Executor(options.threads)
      .each(
          cells.size(),
          [&](std::size_t k) {
            auto run = runner.rehearse(cells[k].cell);
            excess[k] =
                returns_of(run, cells[k].cell.delay).array() - runner.risk_free(cells[k].cell) / run.rows_per_year;
            auto& kept = result.runs[k];
            kept.name = cells[k].name;
            kept.schedule = cells[k].cell.schedule.name;
            kept.aim = run.aim;
            kept.growth_per_year = run.growth_per_year;
            kept.rows_per_year = run.rows_per_year;
          },
          options.watch);
  auto& luck = result.luck;
  luck.baseline = baseline_among(result.runs.data(), result.runs.size(), baseline);
  luck.rows_per_year = result.runs.front().rows_per_year;
  for (const auto& run : result.runs) luck.names.push_back(run.name);
  options.tried = tried;
  judge(luck, excess, options);
  const auto timing = [&](std::size_t cell) {
    return timing_among(runner, cells, cells[cell].cell, std::size_t(excess[cell].size()) + 1, options);
  };
  if (luck.judged.best) luck.timing = timing(luck.of_all(*luck.judged.best));
  if (luck.timing.empty()) luck.timing = timing(luck.baseline);
  for (auto& run : result.runs) {  // what is varied besides the schedule is in the name too
    run.aim = run.name;
    run.schedule.clear();
  }
  return result;
}

std::vector<TimingLuck> timing_of(const Universe& universe, const Basis& basis, const Portfolios& portfolios,
                                  const Sources& sources, const Settings& settings, const std::string& portfolio,
                                  const LuckOptions& options) {
  std::vector<TimingLuck> all;
  const auto allocation = std::ranges::find(portfolios.all, portfolio, &Allocation::name);
  if (allocation == portfolios.all.end() || settings.reestimate) return all;
  std::vector<Notice> told;  // with the runs
  WalkSetup setup(universe, basis, sources, settings, told);
  setup.how.track_targets = false;
  setup.how.watch.stop = options.watch.stop;
  setup.plan.weights = allocation->weights;
  setup.plan.terms.keep_orders = false;
  const auto rows = setup.walk.rows() - std::min(setup.walk.rows(), std::size_t(settings.delay));
  for (const auto& schedule : setup.schedules) {
    const auto timing = timing_on(schedule, allocation->name, rows, options, [&](const Schedule& moved) {
      auto plan = setup.plan;
      plan.schedule = moved;
      return rehearse(setup.table, plan, setup.how).growth_per_year;
    });
    if (timing) all.push_back(*timing);
  }
  return all;
}

StudyLuck luck_with_timing(const Universe& universe, const Basis& basis, const Portfolios& portfolios,
                           const Sources& sources, const Settings& settings, const Runs& runs,
                           const LuckOptions& options) {
  auto luck = luck_among(runs, settings, basis.risk_free, options);
  const auto timing = [&](std::size_t run) {
    return timing_of(universe, basis, portfolios, sources, settings, runs.all[run].aim, options);
  };
  if (luck.judged.best) luck.timing = timing(luck.of_all(*luck.judged.best));
  if (luck.timing.empty()) luck.timing = timing(luck.baseline);
  return luck;
}

}  // namespace inchtide

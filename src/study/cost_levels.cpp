#include "inchtide/study/cost_levels.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <memory>

#include "base/numbers.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/executor.hpp"
#include "inchtide/base/names.hpp"
#include "study/one_at_levels.hpp"
#include "study/walk_setup.hpp"

namespace inchtide {
namespace {

constexpr double highest_level = 10;
constexpr int steps = 64;
/// Between levels no further apart than this a break-even is found.
constexpr double near_enough = 1e-4;

/// Even steps in ln(1 + level), and round ones to be read.
std::vector<double> all_levels() {
  std::vector<double> levels{0.5, 1, 2, 5};
  for (int k = 0; k < steps; ++k) levels.push_back(std::expm1(std::log1p(highest_level) * k / steps));
  levels.push_back(highest_level);
  std::ranges::sort(levels);
  return levels;
}

/// What is told of each run.
constexpr std::pair<Eigen::MatrixXd CostLevels::*, double Rehearsal::*> told[] = {
    {&CostLevels::growth, &Rehearsal::growth_per_year},
    {&CostLevels::volatility, &Rehearsal::volatility},
    {&CostLevels::sharpe, &Rehearsal::sharpe},
    {&CostLevels::max_drawdown, &Rehearsal::max_drawdown},
    {&CostLevels::cost_per_year, &Rehearsal::cost_per_year},
    {&CostLevels::tracking_to_targets, &Rehearsal::tracking_to_targets}};

class Levels {
 public:
  Levels(const Universe& universe, const Basis& basis, const Portfolios& portfolios, const Sources& sources,
         const Settings& settings, const std::string& portfolio, const Watch& watch)
      : setup_(universe, basis, sources, settings, told_) {
    const auto allocation = std::ranges::find(portfolios.all, portfolio, &Allocation::name);
    if (allocation == portfolios.all.end()) {
      throw InputError("cost levels", fmt::format("no portfolio is called '{}'", portfolio), "Name one that is chosen");
    }
    if (settings.costs.empty()) {
      throw InputError("cost levels", "there are no trading costs to multiply", {{Means::costs, "Give some", "10bp"}});
    }
    if (settings.reestimate) {
      throw InputError("cost levels", "weights that are chosen anew have no such line", "Leave the re-estimation out");
    }
    std::erase_if(setup_.schedules, [](const Schedule& s) { return s.to == Schedule::To::after_costs; });
    if (setup_.schedules.size() < 2) {
      throw InputError("cost levels", "there is one schedule", "Rehearse several, of which one is the baseline");
    }
    setup_.how.watch.stop = watch.stop;
    setup_.how.brief = true;
    for (const auto& schedule : setup_.schedules) {
      one_each_.push_back(std::make_unique<OneAtLevels>(*allocation, schedule, setup_, setup_.how));
    }
  }

  [[nodiscard]] std::size_t find_schedule(const std::string& name) const {
    std::vector<std::string> names;
    for (const auto& schedule : setup_.schedules) names.push_back(schedule.name);
    if (const auto found = find_name(name, names)) return *found;
    throw InputError("baseline", fmt::format("no schedule is called '{}'", name), did_you_mean(name, names));
  }

  [[nodiscard]] const std::vector<Schedule>& schedules() const { return setup_.schedules; }

  /// Hands a run on, where it can be made.
  template <typename Use>
  void at(std::size_t schedule, double level, Use use) const {
    try {
      one_each_[schedule]->at(level, use);
    } catch (const InputError&) {  // no figure then
    }
  }

  /// Per year; none where the run cannot be made.
  [[nodiscard]] double growth(std::size_t schedule, double level) const {
    double growth = no_figure;
    at(schedule, level, [&](const Rehearsal& run) { growth = run.growth_per_year; });
    return growth;
  }

  /// Between two levels at which a schedule is ahead and behind.
  [[nodiscard]] BreakEven refine(std::size_t schedule, std::size_t baseline, double low, double high,
                                 bool ahead) const {
    while (high - low > near_enough) {
      const double middle = (low + high) / 2, more = growth(schedule, middle) - growth(baseline, middle);
      if (std::isnan(more)) break;
      ((more > 0) == ahead ? low : high) = middle;
    }
    return {schedule, low, high, ahead};
  }

 private:
  std::vector<Notice> told_;  // with the runs
  WalkSetup setup_;
  std::vector<std::unique_ptr<OneAtLevels>> one_each_;  // by schedule
};

}  // namespace

CostLevels cost_levels_of(const Universe& universe, const Basis& basis, const Portfolios& portfolios,
                          const Sources& sources, const Settings& settings, const std::string& portfolio,
                          const std::string& baseline, int threads, const Watch& watch) {
  const Levels walks(universe, basis, portfolios, sources, settings, portfolio, watch);
  CostLevels result{.aim = portfolio, .baseline = walks.find_schedule(baseline), .levels = all_levels()};
  for (const auto& schedule : walks.schedules()) result.schedules.push_back(schedule.name);
  const auto rows = result.levels.size(), count = result.schedules.size();
  for (const auto& [figures, of] : told) {
    (result.*figures).setConstant(Eigen::Index(rows), Eigen::Index(count), no_figure);
  }
  const Executor executor(threads);
  executor.each(
      rows * count,
      [&](std::size_t k) {
        walks.at(k / rows, result.levels[k % rows], [&](const Rehearsal& run) {
          for (const auto& [figures, of] : told) (result.*figures).data()[k] = run.*of;
        });
      },
      watch);
  const auto found = executor.collect(count, [&](std::size_t schedule) {
    std::vector<BreakEven> here;
    double before = 0;  // the last difference that is one
    std::size_t at = 0;
    for (std::size_t k = 0; k < rows && schedule != result.baseline; ++k) {
      const auto row = Eigen::Index(k);
      const double more =
          result.growth(row, Eigen::Index(schedule)) - result.growth(row, Eigen::Index(result.baseline));
      if (std::isnan(more) || std::abs(more) <= no_return) continue;  // the same there
      if (before * more < 0) {
        here.push_back(walks.refine(schedule, result.baseline, result.levels[at], result.levels[k], before > 0));
      }
      before = more;
      at = k;
    }
    return here;
  });
  for (const auto& of_one : found) {
    result.break_evens.insert(result.break_evens.end(), of_one.begin(), of_one.end());
  }
  return result;
}

}  // namespace inchtide

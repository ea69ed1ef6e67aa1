#include <algorithm>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/study/grid_axes.hpp"
#include "mandate/takers.hpp"

namespace inchtide {
namespace {

struct AxisKey {
  const char *key, *axis, *help, *usual, *example;
};

constexpr AxisKey keys_of_axes[] = {
    {"schedule", "schedule", "Schedules by their names, or as they are written", "those of the mandate", "1q"},
    {"cost_level", "cost-level", "What every part of trading costs is multiplied by", "1", "2"},
    {"aim", "aim", "Aims", "those of the rehearsal", "equal"},
    {"estimator", "estimator", "Methods: of expected returns, of covariance, or both: bayes-stein/one-factor",
     "those of the estimate", "one-factor"},
    {"window", "window", "The prices that an estimate takes: 3y, all", "that of the rehearsal", "3y"},
    {"delay", "delay", "Trading days from decision to trade", "that of the rehearsal", "2"},
    {"start", "start", "Days to estimate before and to rehearse from", "the rehearsal's split", "2024-01-01"}};

/// The combination that has a name; made where there is none.
GridAxes& combination(std::vector<GridAxes>& grid, const std::string& name) {
  const auto found = std::ranges::find(grid, name, &GridAxes::name);
  if (found != grid.end()) return *found;
  grid.emplace_back().name = name;
  return grid.back();
}

}  // namespace

void take_axis(Settings& settings, GridAxes& axes, std::string_view axis, const std::vector<std::string>& texts,
               const Where& where) {
  if (!same_name(axis, "schedule") || texts.empty()) {
    fill_axis(axes, axis, texts, where);
    return;
  }
  axes.schedules.clear();
  for (const auto& text : texts) {
    const auto named =
        std::ranges::find_if(settings.schedules, [&](const Schedule& s) { return same_name(s.name, text); });
    axes.schedules.push_back(named != settings.schedules.end() ? *named : Schedule::parse(text, where));
  }
}

Declarations of_grids() {
  Declarations all;
  for (const auto& one : keys_of_axes) {
    all.push_back({std::string("grid.") + one.key,
                   "",
                   Takes::values,
                   "LIST",
                   one.help,
                   one.usual,
                   one.example,
                   {Step::rehearsal},
                   [axis = one.axis](Mandate& mandate, const Given& given) {
                     auto& settings = mandate.settings;
                     take_axis(settings, combination(settings.grid, ""), axis, given.texts, given.where);
                   }});
  }
  for (const auto& one : keys_of_axes) {
    all.push_back({std::string("cells.*.") + one.key,
                   "",
                   Takes::values,
                   "VALUE",
                   std::string("Of one cell by name: ") + one.help,
                   one.usual,
                   one.example,
                   {Step::rehearsal},
                   [axis = one.axis](Mandate& mandate, const Given& given) {
                     auto& settings = mandate.settings;
                     if (given.texts.size() > 1) {
                       throw InputError(given.where, "one cell has one value on each axis",
                                        "Give one, or vary it in [grid]");
                     }
                     take_axis(settings, combination(settings.grid, given.names[0]), axis, given.texts, given.where);
                   }});
  }
  return all;
}

}  // namespace inchtide

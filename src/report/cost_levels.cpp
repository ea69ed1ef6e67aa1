#include "cost_levels.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <optional>

namespace inchtide::report {
namespace {

constexpr double shown_levels[] = {0, 0.5, 1, 2, 5, 10};
/// Growth this near is the same.
constexpr double rounding_of_growth = 1e-12;
constexpr Dash dashes[] = {Dash::solid, Dash::dashed, Dash::dotted, Dash::dash_dot};

/// "2.31", or "2.30 to 2.45" where growth jumps.
std::string level_text(const BreakEven& at) {
  const auto low = fmt::format("{:.2f}", at.low), high = fmt::format("{:.2f}", at.high);
  return at.high - at.low < 0.01 ? low : low + " to " + high;
}

/// What a schedule is beside the baseline at all levels: "more below 2.31", "less at all".
std::string place_of(const CostLevels& levels, std::size_t schedule) {
  std::vector<std::string> parts;
  for (const auto& one : levels.break_evens) {
    if (one.schedule != schedule) continue;
    parts.push_back(fmt::format("{} {}", one.better_below ? "more below" : "more above", level_text(one)));
  }
  if (!parts.empty()) return fmt::format("{}", fmt::join(parts, ", "));
  const auto own = levels.growth.col(Eigen::Index(schedule)), base = levels.growth.col(Eigen::Index(levels.baseline));
  const double sum = (own - base).array().isNaN().select(0.0, (own - base).array()).sum();
  return std::abs(sum) < rounding_of_growth ? "the same" : sum > 0 ? "more at all levels" : "less at all levels";
}

/// "quarterly from 0 times on, never from 3.4 times on".
std::string best_of(const CostLevels& levels) {
  std::vector<std::string> parts;
  std::optional<Eigen::Index> last;
  for (Eigen::Index at = 0; at < levels.growth.rows(); ++at) {
    const Eigen::ArrayXd row = levels.growth.row(at).transpose();
    if (row.isNaN().all()) continue;
    Eigen::Index most = 0;
    const double highest = row.isNaN().select(-1e9, row).maxCoeff();
    if (last && row[*last] >= highest - rounding_of_growth) continue;
    (row >= highest - rounding_of_growth).maxCoeff(&most);  // the first of those that are the same
    parts.push_back(
        fmt::format("{} from {:.2g} times on", levels.schedules[std::size_t(most)], levels.levels[std::size_t(at)]));
    last = most;
  }
  return fmt::format("{}", fmt::join(parts, ", "));
}

}  // namespace

Table cost_levels_table(const CostLevels& levels) {
  const auto& baseline = levels.schedules[levels.baseline];
  Table table{"cost_levels",
              fmt::format("{}: growth per year by the level of trading costs", levels.aim),
              {{"Schedule"}},
              {},
              {}};
  for (const double level : shown_levels) table.columns.push_back({fmt::format("{:g} times", level), Format::percent});
  table.columns.push_back({"Grows more or less than " + baseline});
  for (std::size_t k = 0; k < levels.schedules.size(); ++k) {
    std::vector<Cell> row{levels.schedules[k]};
    for (const double level : shown_levels) {
      const auto at = std::ranges::find(levels.levels, level) - levels.levels.begin();
      const double growth = levels.growth(at, Eigen::Index(k));
      row.push_back(std::isnan(growth) ? Cell() : Cell(growth));
    }
    row.emplace_back(k == levels.baseline ? "" : place_of(levels, k));
    table.add(std::move(row));
  }
  table.notes.emplace_back("Grows most: " + best_of(levels));
  table.notes.emplace_back(
      "Every part of trading costs is multiplied, and nothing else; where lots, least fees or bands make growth jump, "
      "two "
      "schedules change places somewhere between two levels");
  return table;
}

Chart cost_levels_chart(const CostLevels& levels) {
  const auto& baseline = levels.schedules[levels.baseline];
  Chart chart{.name = "levels",
              .title = fmt::format("{}: growth against {} by the level of costs", levels.aim, baseline)};
  chart.subtitle = "where a line crosses 0 the two schedules change places";
  chart.x = {"Trading costs, times the study's", Scale::number};
  chart.y = {fmt::format("Growth per year, more than {}", baseline), Scale::percent};
  chart.key = Chart::Key::below;
  chart.y_from_zero = chart.x_from_zero = chart.tight = true;
  std::size_t used = 0;
  for (std::size_t k = 0; k < levels.schedules.size(); ++k) {
    if (k == levels.baseline) continue;
    const Eigen::VectorXd more = levels.growth.col(Eigen::Index(k)) - levels.growth.col(Eigen::Index(levels.baseline));
    Line line{levels.schedules[k], levels.levels, {more.begin(), more.end()}, colour::of_series(used)};
    line.dash = dashes[used % std::size(dashes)];
    line.width = 1.8;
    chart.series.emplace_back(std::move(line));
    ++used;
  }
  return chart;
}

Json cost_levels_json(const CostLevels& levels) {
  auto break_evens = Json::array();
  const auto by_schedule = [&](const Eigen::MatrixXd& figures) {
    auto json = Json::object();
    for (std::size_t k = 0; k < levels.schedules.size(); ++k) {
      json[levels.schedules[k]] = list_of(figures.col(Eigen::Index(k)));
    }
    return json;
  };
  for (const auto& one : levels.break_evens) {
    break_evens.push_back({{"schedule", levels.schedules[one.schedule]},
                           {"low", one.low},
                           {"high", one.high},
                           {"better_below", one.better_below}});
  }
  return {{"aim", levels.aim},
          {"baseline", levels.schedules[levels.baseline]},
          {"levels", levels.levels},
          {"schedules", levels.schedules},
          {"growth", by_schedule(levels.growth)},
          {"volatility", by_schedule(levels.volatility)},
          {"sharpe", by_schedule(levels.sharpe)},
          {"max_drawdown", by_schedule(levels.max_drawdown)},
          {"cost_per_year", by_schedule(levels.cost_per_year)},
          {"tracking_to_targets", by_schedule(levels.tracking_to_targets)},
          {"break_evens", break_evens}};
}

}  // namespace inchtide::report

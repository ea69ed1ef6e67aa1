#include "inchtide/study/description.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "base/numbers.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/prices/history.hpp"

namespace inchtide {
namespace {

/// Where misprints are to go, a day whose close is one has no return within the day.
BarHistory without_misprints(BarHistory bars, const Settings& settings) {
  if (!settings.drop_misprints || !bars.has(PriceField::close)) return bars;
  for (const auto& spike : find_spikes(bars.history(PriceField::close))) {
    const auto row = std::size_t(std::ranges::lower_bound(bars.days, spike.day) - bars.days.begin());
    bars.of(PriceField::close)[row] = no_figure;
  }
  return bars;
}

ReturnTable returns_within_days(const Universe& universe, const Settings& settings,
                                const std::vector<std::string>& columns, std::vector<Notice>& warnings) {
  if (settings.every.value_or(universe.every) != universe.every) {
    throw InputError("returns within the day", fmt::format("they don't go with {} ones", settings.every->adjective()),
                     {Means::interval, "Leave the interval out: there is one return a day"});
  }
  std::vector<BarHistory> bars;
  for (const auto& code : columns) {
    const auto found = std::ranges::find(universe.bars, code, &BarHistory::asset);
    bars.push_back(
        without_misprints(*found, settings).between(universe.prices.days.front(), universe.prices.days.back()));
  }
  warnings.push_back("Returns are within the day, close over open as they came: what happens overnight isn't in them");
  return within_day_returns(bars, settings.returns);
}

/// What each asset has grown by since the start, on the days of its own returns.
PriceTable growth_table(const ReturnTable& returns) {
  PriceTable table;
  table.days = {returns.start};
  table.days.insert(table.days.end(), returns.days.begin(), returns.days.end());
  table.prices.setConstant(Eigen::Index(table.days.size()), returns.returns.cols(), no_figure);
  for (Eigen::Index i = 0; i < returns.returns.cols(); ++i) {
    table.assets.push_back({returns.assets[std::size_t(i)]});
    const auto growth = growth_of(returns, i);
    std::size_t at = 0;
    for (std::size_t t = 0; t < table.days.size() && at < growth.days.size(); ++t) {
      if (table.days[t] == growth.days[at]) table.prices(Eigen::Index(t), i) = growth.values[at++] - 1;
    }
  }
  return table;
}

}  // namespace

std::vector<AssetFigures> Description::all_figures() const {
  auto all = figures;
  if (benchmark) all.push_back(*benchmark);
  return all;
}

Description description_of(const Universe& universe, const Settings& settings, const DescriptionOptions& options) {
  if (!(options.tail > 0 && options.tail <= 1)) {
    throw InputError("tail", fmt::format("{} is no share of the periods", short_percent(options.tail)),
                     {Means::tail, "Give more than 0% and at most 100%"});
  }
  Description result;
  auto columns = universe.assets;
  if (universe.benchmark) columns.push_back(*universe.benchmark);
  result.returns = options.within_day
                       ? returns_within_days(universe, settings, columns, result.warnings)
                       : returns_by(universe.prices.only(columns), universe.every, settings, result.warnings);
  result.figures = figures_of(result.returns, {.denominator = settings.methods.denominator, .tail = options.tail});
  for (const auto& figures : result.figures) {
    if (!figures.moves) result.warnings.push_back(fmt::format("{}: all its returns are the same", figures.asset));
  }
  for (Eigen::Index i = 0; i < result.returns.returns.cols(); ++i) {
    result.histograms.emplace_back(result.returns.assets[std::size_t(i)],
                                   histogram_of(single_period_returns(result.returns, i), options.bins));
  }
  result.growth = growth_table(result.returns);
  if (universe.benchmark) {
    result.benchmark = result.figures.back();
    result.figures.pop_back();
  }
  return result;
}

}  // namespace inchtide

// inchtide describe: each asset's figures of return and risk, and how its returns are spread.

#include <fmt/format.h>

#include <algorithm>
#include <limits>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/report/return_views.hpp"
#include "output.hpp"
#include "study.hpp"

namespace inchtide::app {

namespace {

// Where misprints are to go, a day whose close is one has no return within the day.
BarHistory without_misprints(const Study& study, BarHistory bars) {
  if (!study.mandate.settings.drop_misprints || !bars.has(PriceField::close)) return bars;
  for (const auto& spike : find_spikes(bars.history(PriceField::close))) {
    const auto row = std::size_t(std::ranges::lower_bound(bars.days, spike.day) - bars.days.begin());
    bars.of(PriceField::close)[row] = std::numeric_limits<double>::quiet_NaN();
  }
  return bars;
}

// Of the universe, then the benchmark.
ReturnTable described_returns(Study& study) {
  auto columns = study.assets;
  if (study.benchmark) columns.push_back(*study.benchmark);
  if (!study.options.within_day) {
    return returns_by(study.prices.only(columns), study.every, study.settings(), study.warnings);
  }
  if (study.settings().every.value_or(study.every) != study.every) {
    throw InputError("--within-day", fmt::format("it doesn't go with --every {}", study.settings().every->text()),
                     "Leave --every out: there is one return a day");
  }
  std::vector<BarHistory> bars;
  for (const auto& code : columns) {
    const auto found = std::ranges::find(study.bars, code, &BarHistory::asset);
    bars.push_back(without_misprints(study, *found).between(study.prices.days.front(), study.prices.days.back()));
  }
  study.warnings.push_back(
      "Returns are within the day, close over open as they came: what happens overnight isn't in them");
  return within_day_returns(bars, study.mandate.settings.returns);
}

}  // namespace

Outcome describe(const Options& options) {
  auto study = load_study(options, options.within_day ? Purpose::within_day : Purpose::returns);
  const auto returns = described_returns(study);
  FigureOptions choice{study.mandate.settings.methods.denominator};
  if (!options.tail.empty()) {
    choice.tail = fraction_from_percent(options.tail, "--tail");
    if (!(choice.tail > 0 && choice.tail <= 1)) {
      throw InputError("--tail", fmt::format("{} is no share of the periods", options.tail),
                       "Give more than 0% and at most 100%");
    }
  }
  auto figures = figures_of(returns, choice);
  std::vector<report::NamedHistogram> histograms;
  for (Eigen::Index i = 0; i < returns.returns.cols(); ++i) {
    histograms.emplace_back(returns.assets[std::size_t(i)],
                            histogram_of(single_period_returns(returns, i), options.bins.value_or(0)));
  }

  const auto every = study.every;
  Outcome outcome{"describe", study.inputs(), study.warnings, {}, {}, {}};
  for (const auto& f : figures) {
    if (!f.moves) outcome.warnings.push_back(fmt::format("{}: all its returns are the same", f.asset));
  }
  outcome.tables = {report::return_risk_table(figures, returns), report::shape_table(figures, every),
                    report::extremes_table(figures, every), report::histograms_table(histograms)};
  outcome.tables.back().preview = 0;
  outcome.charts = {{"growth", report::growth_chart(returns, study.benchmark.has_value())},
                    {"bars", report::return_risk_chart(figures)},
                    {"histogram", report::histogram_chart(histograms.front(), every, returns.kind)}};
  for (const auto& histogram : histograms) {
    outcome.charts.emplace_back("histogram-" + histogram.first,
                                report::histogram_chart(histogram, every, returns.kind));
  }
  if (study.benchmark) {
    const auto benchmark = figures.back();
    figures.pop_back();
    outcome.tables[0].notes.push_back(benchmark.asset + " is the benchmark");
    outcome.result = report::describe_result(figures, &benchmark, histograms);
  } else {
    outcome.result = report::describe_result(figures, nullptr, histograms);
  }
  return outcome;
}

void add_describe(CLI::App& tool, Options& options) {
  auto& command =
      add_command(tool, options, "describe", "Each asset's return and risk figures, and how its returns are spread",
                  "  inchtide describe --mandate demo/mandate.toml --figure bars.png\n"
                  "  inchtide describe --prices demo/prices --assets TIDEMILL,KELPFARM --every 1w --last 3y "
                  "--figure histogram-TIDEMILL:tidemill.png",
                  [&options] { deliver(describe(options), options); });
  add_input_options(command, options);
  add_settings(command, options, {Step::reading, Step::universe, Step::returns});
  add_describe_options(command, options);
  add_output_options(command, options);
  add_figure_option(command, options, "growth, bars, histogram (of the first asset), histogram-CODE");
}

}  // namespace inchtide::app

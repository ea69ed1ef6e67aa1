#include "inchtide/report/returns.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "begin.hpp"
#include "inchtide/base/percent.hpp"
#include "json.hpp"
#include "lines.hpp"

namespace inchtide::report {
namespace {

/// A count a year, with decimals only where it has any.
std::string rounded(double count) {
  return fmt::format("{:g}", std::round(100 * count) / 100);
}

Table return_risk_table(const std::vector<AssetFigures>& figures, const ReturnTable& returns) {
  const auto& every = returns.every;
  const auto kind = to_string(figures.front().kind);
  Table table{"return-and-risk",
              fmt::format("Return and risk per year, from {} {} returns", every.adjective(), kind),
              {{"Asset"},
               {"Returns", Format::count},
               {"Mean, arithmetic", Format::percent},
               {"Mean, geometric", Format::percent},
               {"Gap", Format::percent},
               {.name = "Standard error", .format = Format::percent, .error_of = "Mean, arithmetic"},
               {"Volatility", Format::percent},
               {"Risk per unit of return", Format::number2}},
              {},
              {}};
  for (const auto& f : figures) {
    table.add({f.asset, double(f.observations), f.mean_arithmetic, f.mean_geometric,
               f.mean_arithmetic - f.mean_geometric, f.standard_error, f.volatility,
               f.coefficient_of_variation ? Cell(*f.coefficient_of_variation) : Cell()});
    if (f.long_returns > 0) {
      table.notes.push_back(fmt::format("{}: {} return{} after a hole span{} several periods, and count{} as many",
                                        f.asset, f.long_returns, f.long_returns == 1 ? "" : "s",
                                        f.long_returns == 1 ? "s" : "", f.long_returns == 1 ? "s" : ""));
    }
    if (!f.moves) table.notes.push_back(fmt::format("{}: all its returns are the same", f.asset));
  }
  const auto& first = figures.front();
  table.notes.push_back(fmt::format("From {} to {}", to_string(returns.start), to_string(returns.days.back())));
  table.notes.push_back(
      fmt::format("Arithmetic: the mean of {} returns x {}; geometric: their growth, compounded over "
                  "a year; the standard error is of the arithmetic mean",
                  kind, rounded(returns.periods_per_year)));
  table.notes.push_back(fmt::format("Volatility: x root {}, {} figures ({})", rounded(returns.periods_per_year),
                                    first.denominator == Denominator::sample ? "sample" : "population",
                                    to_string(first.denominator)));
  return table;
}

Table shape_table(const std::vector<AssetFigures>& figures, const Interval& every) {
  const auto tail = short_percent(figures.front().tail);
  Table table{"shape",
              fmt::format("The lower side and the shape of {} returns", every.adjective()),
              {{"Asset"},
               {"Downside deviation", Format::percent},
               {"Expected shortfall", Format::percent},
               {"Skewness", Format::number2},
               {"Excess kurtosis", Format::number2},
               {"Autocorrelation", Format::number2}},
              {},
              {}};
  for (const auto& f : figures) {
    table.add({f.asset, f.downside_deviation, f.expected_shortfall, f.moves ? Cell(f.skewness) : Cell(),
               f.moves ? Cell(f.excess_kurtosis) : Cell(), f.moves ? Cell(f.autocorrelation) : Cell()});
  }
  table.notes.push_back(
      fmt::format("Downside deviation per year, of returns below 0; expected shortfall: the mean of the worst {} of "
                  "{} returns; autocorrelation of one period with the next",
                  tail, every.adjective()));
  return table;
}

Table extremes_table(const std::vector<AssetFigures>& figures, const Interval& every) {
  Table table{
      "extremes",
      fmt::format("Worst and best of {} {} returns, deepest fall", every.adjective(), to_string(figures.front().kind)),
      {{"Asset"},
       {"Worst", Format::percent},
       {"ended", Format::day},
       {"Best", Format::percent},
       {"ended", Format::day},
       {"Max drawdown", Format::percent},
       {"from", Format::day},
       {"to", Format::day}},
      {},
      {}};
  for (const auto& f : figures) {
    table.add(
        {f.asset, f.worst, f.worst_day, f.best, f.best_day, f.max_drawdown, f.max_drawdown_from, f.max_drawdown_to});
  }
  table.notes.push_back(fmt::format("Drawdowns are measured between {} prices", every.adjective()));
  return table;
}

Table histograms_table(const std::vector<std::pair<std::string, Histogram>>& histograms) {
  Table table{"histograms",
              "How often returns of each size came",
              {{"Asset"},
               {"From", Format::percent},
               {"Below", Format::percent},
               {"Returns", Format::count},
               {"Normal", Format::number2}},
              {},
              {}};
  for (const auto& [asset, histogram] : histograms) {
    for (std::size_t k = 0; k < histogram.counts.size(); ++k) {
      table.add(
          {asset, histogram.edges[k], histogram.edges[k + 1], double(histogram.counts[k]), histogram.normal_count(k)});
    }
  }
  return table;
}

/// Bins as boxes under the normal curve of the same mean and deviation.
Chart histogram_chart(const std::string& name, const std::string& asset, const Histogram& histogram,
                      const Interval& every, ReturnKind kind) {
  Chart chart{.name = name, .title = fmt::format("{}: {} {} returns", asset, every.adjective(), to_string(kind))};
  chart.subtitle =
      fmt::format("mean {}, deviation {} a period", percent_text(histogram.mean), percent_text(histogram.deviation));
  chart.x = {"Return", Scale::percent};
  chart.y = {"Returns in the bin", Scale::number};
  chart.y_from_zero = true;
  chart.key = Chart::Key::top_left;
  Boxes boxes{"returns"};
  boxes.width = histogram.width();
  for (std::size_t k = 0; k < histogram.counts.size(); ++k) {
    boxes.x.push_back((histogram.edges[k] + histogram.edges[k + 1]) / 2);
    boxes.y.push_back(double(histogram.counts[k]));
  }
  chart.series.emplace_back(std::move(boxes));
  if (histogram.deviation > 0) {
    constexpr int points = 200;
    const double least = std::min(histogram.edges.front(), histogram.mean - 3 * histogram.deviation);
    const double most = std::max(histogram.edges.back(), histogram.mean + 3 * histogram.deviation);
    std::vector<double> x;
    Line normal{"normal, same mean and deviation"};
    normal.colour = colour::amber;
    for (int k = 0; k <= points; ++k) {
      x.push_back(least + (most - least) * k / points);
      normal.y.push_back(histogram.normal_height(x.back()));
    }
    normal.x = std::move(x);
    chart.series.emplace_back(std::move(normal));
  }
  return chart;
}

/// Mean return and volatility per year of each asset side by side.
Chart return_risk_chart(const std::vector<AssetFigures>& figures) {
  Chart chart{.name = "bars", .title = "Return and risk per year", .x = {""}, .y = {"Per year", Scale::percent}};
  chart.key = Chart::Key::below;
  chart.y_from_zero = true;
  constexpr double width = 0.38;
  Boxes mean{.name = "mean return, arithmetic", .width = width, .colour = colour::deep};
  Boxes risk{.name = "volatility", .width = width, .colour = colour::sand, .hatched = true};
  Whiskers error{.name = "the mean, one standard error either way", .colour = colour::rust};
  for (std::size_t i = 0; i < figures.size(); ++i) {
    chart.x.categories.push_back(figures[i].asset);
    mean.x.push_back(double(i) - width / 2);
    risk.x.push_back(double(i) + width / 2);
    mean.y.push_back(figures[i].mean_arithmetic);
    risk.y.push_back(figures[i].volatility);
    error.x.push_back(mean.x.back());
    error.low.push_back(figures[i].mean_arithmetic - figures[i].standard_error);
    error.high.push_back(figures[i].mean_arithmetic + figures[i].standard_error);
  }
  chart.series = {mean, risk, error};
  return chart;
}

/// Each asset where its risk and its mean return meet, with what the mean may lie off.
Chart risk_and_return_chart(const std::vector<AssetFigures>& figures, const std::optional<AssetFigures>& benchmark) {
  Chart chart{.name = "risk-and-return",
              .title = "Risk and return per year",
              .subtitle = "lines: the mean, one standard error either way",
              .x = {"Volatility per year", Scale::percent},
              .y = {"Mean return per year, arithmetic", Scale::percent}};
  chart.x_from_zero = true;
  const auto add = [&](const std::string& name, const std::vector<AssetFigures>& of, const char* hue, Marker marker) {
    Points means{.name = name, .colour = hue, .marker = marker, .size = 1.6};
    Whiskers errors{.name = "", .colour = hue};
    for (const auto& f : of) {
      means.x.push_back(f.volatility);
      means.y.push_back(f.mean_arithmetic);
      means.labels.push_back(f.asset);
      errors.x.push_back(f.volatility);
      errors.low.push_back(f.mean_arithmetic - f.standard_error);
      errors.high.push_back(f.mean_arithmetic + f.standard_error);
    }
    chart.series.emplace_back(std::move(errors));
    chart.series.emplace_back(std::move(means));
  };
  add("assets", figures, colour::deep, Marker::circle);
  if (benchmark) add("benchmark", {*benchmark}, colour::ink, Marker::diamond);
  return chart;
}

Json figures_json(const AssetFigures& f) {
  return {{"asset", f.asset},
          {"observations", f.observations},
          {"long_returns", f.long_returns},
          {"mean_arithmetic", f.mean_arithmetic},
          {"mean_geometric", f.mean_geometric},
          {"volatility", f.volatility},
          {"variance", f.variance},
          {"standard_error", f.standard_error},
          {"skewness", f.skewness},
          {"excess_kurtosis", f.excess_kurtosis},
          {"autocorrelation", f.autocorrelation},
          {"coefficient_of_variation", or_null(f.coefficient_of_variation)},
          {"downside_deviation", f.downside_deviation},
          {"expected_shortfall", f.expected_shortfall},
          {"worst", f.worst},
          {"worst_day", to_string(f.worst_day)},
          {"best", f.best},
          {"best_day", to_string(f.best_day)},
          {"max_drawdown", f.max_drawdown},
          {"max_drawdown_from", to_string(f.max_drawdown_from)},
          {"max_drawdown_to", to_string(f.max_drawdown_to)}};
}

Json describe_json(const Description& description) {
  auto list = Json::array();
  for (const auto& figures : description.figures) list.push_back(figures_json(figures));
  const auto& first = description.figures.front();
  auto histograms = Json::array();
  for (const auto& [asset, histogram] : description.histograms) {
    histograms.push_back({{"asset", asset}, {"edges", histogram.edges}, {"counts", histogram.counts}});
  }
  return {{"assets", list},
          {"benchmark", description.benchmark ? figures_json(*description.benchmark) : Json()},
          {"returns", to_string(first.kind)},
          {"denominator", to_string(first.denominator)},
          {"expected_shortfall_tail", first.tail},
          {"histograms", histograms}};
}

std::string sentence_of(const Description& description) {
  const auto& figures = description.figures;
  const auto [least, most] = std::ranges::minmax(figures, {}, &AssetFigures::mean_arithmetic);
  return fmt::format("Mean returns from {} ({}) to {} ({}) a year", percent_text(least.mean_arithmetic), least.asset,
                     percent_text(most.mean_arithmetic), most.asset);
}

}  // namespace

Chapter describe_chapter(const Description& description, const Universe& universe, const Settings& settings,
                         const Background& from) {
  auto chapter = begin_chapter("describe", universe, settings, from, description.warnings);
  chapter.sentence = sentence_of(description);
  chapter.result = describe_json(description);
  const auto& figures = description.figures;
  const auto all = description.all_figures();
  const auto& returns = description.returns;
  const auto& every = universe.every;
  chapter.tables = {return_risk_table(all, returns), shape_table(all, every), extremes_table(all, every),
                    histograms_table(description.histograms)};
  chapter.tables.back().preview = 0;
  if (description.benchmark) chapter.tables[0].notes.push_back(description.benchmark->asset + " is the benchmark");
  chapter.charts = {lines_chart("growth", "Cumulative growth", {"Growth since the start", Scale::percent},
                                description.growth, description.benchmark.has_value()),
                    return_risk_chart(all), risk_and_return_chart(figures, description.benchmark)};
  const auto add = [&](const std::string& name, const auto& histogram) {
    chapter.charts.push_back(histogram_chart(name, histogram.first, histogram.second, every, returns.kind));
  };
  add("histogram", description.histograms.front());
  for (const auto& histogram : description.histograms) add("histogram-" + histogram.first, histogram);
  return chapter;
}

}  // namespace inchtide::report

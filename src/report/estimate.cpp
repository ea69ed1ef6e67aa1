#include "inchtide/report/estimate.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "begin.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/exchange/estimate_file.hpp"
#include "json.hpp"

namespace inchtide::report {
namespace {

std::string mark_of(const Estimated& estimated, const std::string& asset) {
  const auto among = [&](const std::vector<std::string>& list) { return std::ranges::find(list, asset) != list.end(); };
  return among(estimated.capped) ? "cap" : among(estimated.own) ? "own figure" : "";
}

std::string condition_text(double condition) {
  return std::isfinite(condition) ? shown(Cell(condition), Format::count) : "infinite: it is singular";
}

/// @param options the methods, where they are known
Table estimate_table(const Estimated& estimated, const EstimateOptions* options, const BootstrapBands* bands,
                     double coverage) {
  const auto& e = estimated.estimate;
  Table table{"estimate",
              options == nullptr ? std::string("Estimate per year")
                                 : fmt::format("Estimate per year: expected returns {}, covariance {}",
                                               options->expected.text(), options->covariance.text()),
              {{"Asset"},
               {"Expected return", Format::percent},
               {.name = "Standard error", .format = Format::percent, .error_of = "Sample mean"},
               {"Sample mean", Format::percent},
               {"Volatility", Format::percent},
               {"Sharpe", Format::number2}},
              {},
              {}};
  if (bands != nullptr) {
    for (const char* name : {"Mean, low", "Mean, high", "Volatility, low", "Volatility, high"}) {
      table.columns.push_back({name, Format::percent});
    }
  }
  table.columns.push_back({"Mark"});
  const Eigen::VectorXd volatility = e.volatilities(), sharpe = e.sharpe_ratios();
  for (std::size_t k = 0; k < e.assets.size(); ++k) {
    const auto i = Eigen::Index(k);
    std::vector<Cell> row{e.assets[k],
                          e.expected_return[i],
                          estimated.standard_errors[i],
                          estimated.sample_means[i],
                          volatility[i],
                          std::isfinite(sharpe[i]) ? Cell(sharpe[i]) : Cell()};
    if (bands != nullptr) {
      row.insert(row.end(),
                 {bands->mean_low[i], bands->mean_high[i], bands->volatility_low[i], bands->volatility_high[i]});
    }
    row.push_back(mark_of(estimated, e.assets[k]));
    table.add(std::move(row));
  }
  table.notes.push_back(in_a_line(e) + fmt::format("; risk-free {}", short_percent(e.risk_free)));
  table.notes.push_back("Standard error: of the sample mean, s / sqrt(T) per year");
  if (bands != nullptr) {
    table.notes.push_back(
        fmt::format("Low and high: {} of {} draws of the stationary bootstrap lie between them; blocks of {:.1f} "
                    "periods on average",
                    short_percent(coverage), bands->draws, bands->block));
  }
  if (estimated.expected_intensity) {
    table.notes.push_back(fmt::format("Means are drawn {} of the way to their common value",
                                      percent_text(*estimated.expected_intensity, 1)));
  }
  if (estimated.covariance_intensity) {
    table.notes.push_back(fmt::format("The covariance is drawn {} of the way to its target",
                                      percent_text(*estimated.covariance_intensity, 1)));
  }
  if (estimated.factor_share) {
    table.notes.push_back(
        fmt::format("The factors explain {} of all variance", percent_text(*estimated.factor_share, 1)));
  }
  table.notes.push_back(fmt::format("Condition number of the covariance: {}; {} returns for {} assets",
                                    condition_text(condition_number(e.covariance)), e.observations, e.assets.size()));
  for (const auto& advice : estimated.advice) table.notes.push_back(advice);
  return table;
}

/// One row an asset, one column a method.
Table expected_methods_table(const std::vector<ComparedReturns>& methods, const std::vector<std::string>& assets) {
  Table table{"expected-returns", "Expected returns per year by method", {{"Asset"}}, {}, {}};
  for (const auto& one : methods) table.columns.push_back({one.method, Format::percent});
  for (std::size_t k = 0; k < assets.size(); ++k) {
    std::vector<Cell> row{assets[k]};
    for (const auto& one : methods) row.emplace_back(one.expected_return[Eigen::Index(k)]);
    table.add(std::move(row));
  }
  return table;
}

/// One row a method: intensity, condition number, mean volatility and correlation.
Table covariance_methods_table(const std::vector<ComparedCovariance>& methods) {
  Table table{"covariances",
              "Covariances by method",
              {{"Method"},
               {"Intensity", Format::percent},
               {"Condition number", Format::count},
               {"Mean volatility", Format::percent},
               {"Mean correlation", Format::number2},
               {"Equal weights' volatility", Format::percent}},
              {},
              {"Intensity: how far the sample is drawn to its target",
               "Condition number: largest over smallest eigenvalue; - when singular"}};
  for (const auto& one : methods) {
    table.add({one.method, one.intensity ? Cell(*one.intensity) : Cell(), one.condition, one.mean_volatility,
               one.mean_correlation, one.equal_weights_volatility});
  }
  return table;
}

/// Expected returns as dots on a line an asset: the estimate's own with what its draws leave open, and where methods
/// were compared theirs.
Chart expected_chart(const Estimated& estimated, const BootstrapBands* bands,
                     const std::vector<ComparedReturns>& methods) {
  const auto& e = estimated.estimate;
  Chart chart{.name = "expected", .title = "Expected returns", .flat = true};
  chart.x = {"", Scale::number, e.assets};
  chart.y = {"Per year", Scale::percent};
  chart.key = Chart::Key::right;
  const std::vector<double> values(e.expected_return.begin(), e.expected_return.end());
  std::vector<double> places;
  for (std::size_t i = 0; i < e.assets.size(); ++i) places.push_back(double(i));
  if (bands != nullptr) {
    chart.subtitle = "bars: the sample mean in 90% of the draws of its history";
    chart.series.emplace_back(Whiskers{"90% of draws",
                                       places,
                                       {bands->mean_low.begin(), bands->mean_low.end()},
                                       {bands->mean_high.begin(), bands->mean_high.end()},
                                       colour::sand});
  }
  constexpr Marker markers[] = {Marker::square, Marker::triangle, Marker::diamond, Marker::circle};
  for (std::size_t k = 0; k < methods.size(); ++k) {
    const auto& [method, returns] = methods[k];
    chart.series.emplace_back(Points{method,
                                     places,
                                     {returns.begin(), returns.end()},
                                     {},
                                     colour::of_series(k + 1),
                                     markers[k % std::size(markers)],
                                     1.2});
  }
  chart.series.emplace_back(Points{"the study's", places, values, {}, colour::ink, Marker::dot, 1.3});
  for (const auto& [list, name, marker] : {std::tuple{&estimated.own, "own figure", Marker::diamond},
                                           std::tuple{&estimated.capped, "capped", Marker::square}}) {
    Points marked{name, {}, {}, {}, colour::rust, marker, 2.4};
    for (std::size_t i = 0; i < e.assets.size(); ++i) {
      if (std::ranges::find(*list, e.assets[i]) == list->end()) continue;
      marked.x.push_back(places[i]);
      marked.y.push_back(values[i]);
    }
    if (!marked.x.empty()) chart.series.emplace_back(std::move(marked));
  }
  return chart;
}

Json estimated_json(const Estimated& estimated, const BootstrapBands* bands) {
  const auto& e = estimated.estimate;
  auto json = estimate_json(e);
  json["standard_errors"] = list_of(estimated.standard_errors);
  json["sample_means"] = list_of(estimated.sample_means);
  json["expected_intensity"] = or_null(estimated.expected_intensity);
  json["covariance_intensity"] = or_null(estimated.covariance_intensity);
  json["own"] = estimated.own;
  json["capped"] = estimated.capped;
  json["condition_number"] = finite_or_null(condition_number(e.covariance));
  if (bands != nullptr) {
    json["bands"] = {{"draws", bands->draws},
                     {"block", bands->block},
                     {"mean_low", list_of(bands->mean_low)},
                     {"mean_high", list_of(bands->mean_high)},
                     {"volatility_low", list_of(bands->volatility_low)},
                     {"volatility_high", list_of(bands->volatility_high)},
                     {"correlation_low", rows_of(bands->correlation_low)},
                     {"correlation_high", rows_of(bands->correlation_high)}};
  }
  return json;
}

}  // namespace

std::string in_a_line(const Estimate& estimate) {
  std::string text = estimate.from && estimate.to
                         ? fmt::format("Estimated from {} to {}", to_string(*estimate.from), to_string(*estimate.to))
                         : "Estimate from a file";
  text += fmt::format(", {} assets", estimate.assets.size());
  if (estimate.observations > 0) text += fmt::format(", {} returns each", estimate.observations);
  if (estimate.returns == ReturnKind::log) text += ", of log returns";
  if (!estimate.denominator) return text + "; which denominator its variances have isn't said";
  return text + fmt::format("; variances have the denominator {}", to_string(*estimate.denominator));
}

std::string in_full(const Estimated& estimated) {
  return to_text(estimate_table(estimated, nullptr, nullptr, 0));
}

Chapter estimate_chapter(const Estimation& estimation, const Universe& universe, const Settings& settings,
                         const Background& from) {
  const auto* bands = estimation.bands ? &*estimation.bands : nullptr;
  const auto& estimated = estimation.estimated;
  auto chapter = begin_chapter("estimate", universe, settings, from, estimation.warnings);
  chapter.sentence = in_a_line(estimated.estimate);
  chapter.inputs["expected"] = estimation.methods.expected.text();
  chapter.inputs["covariance"] = estimation.methods.covariance.text();
  if (from.split) chapter.inputs["split"] = to_string(*from.split);
  chapter.result = estimated_json(estimated, bands);
  chapter.files = {{"estimate-file.csv", exchange::estimate_sheet(estimated.estimate)}};
  chapter.tables = {estimate_table(estimated, &estimation.methods, bands, estimation.coverage)};
  if (!estimation.expected.empty()) {
    chapter.tables.push_back(expected_methods_table(estimation.expected, estimated.estimate.assets));
  }
  chapter.charts = {expected_chart(estimated, bands, estimation.expected)};
  if (!estimation.covariances.empty()) chapter.tables.push_back(covariance_methods_table(estimation.covariances));
  return chapter;
}

}  // namespace inchtide::report

// inchtide relate: how the assets move together, whether that lasts, and against what.

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <numeric>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/relations/correlation.hpp"
#include "inchtide/relations/market_model.hpp"
#include "inchtide/report/relation_views.hpp"
#include "output.hpp"
#include "study.hpp"

namespace inchtide::app {
namespace {

std::vector<std::size_t> order_of(const Correlation& correlation, const Study& study) {
  const auto& how = study.options.order;
  if (same_name(how, "cluster")) return order_by_clustering(correlation);
  if (!how.empty() && !same_name(how, "given")) {
    auto known = study.tags.columns;
    if (!find_name(how, known)) {
      known.insert(known.end(), {"given", "cluster"});
      throw InputError("--order", fmt::format("the tags have no column '{}'", how), did_you_mean(how, known));
    }
    return order_by_tag(correlation.assets, study.tags, how);
  }
  std::vector<std::size_t> order(correlation.assets.size());
  std::iota(order.begin(), order.end(), std::size_t(0));
  return order;
}

report::Json matrix_json(const Eigen::MatrixXd& matrix) {
  auto rows = report::Json::array();
  for (auto row : matrix.rowwise()) {
    auto cells = report::Json::array();
    for (double value : row) cells.push_back(std::isfinite(value) ? report::Json(value) : report::Json());
    rows.push_back(std::move(cells));
  }
  return rows;
}

report::Json averages_json(const std::vector<PairAverage>& averages) {
  auto list = report::Json::array();
  for (const auto& a : averages) list.push_back({{"of", a.of}, {"mean", a.mean}, {"pairs", a.pairs}});
  return list;
}

// The same matrix over spans back from the last day.
struct Window {
  std::string name;
  Correlation correlation;
};

std::vector<Window> windows_of(const Study& study, std::vector<std::string>& warnings) {
  std::vector<Window> windows;
  const Day first = study.prices.days.front(), last = study.prices.days.back();
  for (const auto& span : study.options.windows) {
    const Day from = Interval::parse(span, "--windows").before(last);
    if (from < first - std::chrono::days{7}) {
      warnings.push_back(fmt::format("The window {} reaches before {}, where the prices begin; it holds what there is",
                                     span, to_string(first)));
    }
    auto narrower = study;
    narrower.prices = study.prices.between(from, std::nullopt);
    windows.push_back({"last " + span, correlation_of(estimation_returns(narrower, std::nullopt).universe)});
  }
  return windows;
}

}  // namespace

Outcome relate(const Options& options) {
  auto study = load_study(options);
  const auto returns = estimation_returns(study, std::nullopt);
  const auto as_given = correlation_of(returns.universe);
  const auto order = order_of(as_given, study);
  const auto correlation = as_given.in_order(order);
  auto warnings = study.warnings;
  const auto windows = windows_of(study, warnings);
  if (!find_name(options.by, study.tags.columns) && !same_name(options.by, "sector")) {
    throw InputError("--by", fmt::format("the tags have no column '{}'", options.by),
                     did_you_mean(options.by, study.tags.columns));
  }
  const auto averages = average_correlations(correlation, study.tags, options.by);
  if (averages.empty()) throw InputError("relate", "there is no pair of assets", "Name at least two that move");

  Outcome outcome{"relate", study.inputs(), warnings, {}, {}};
  auto& result = outcome.result;
  result["assets"] = correlation.assets;
  result["correlation"] = matrix_json(correlation.matrix);
  result["average_correlation"] = averages.front().mean;
  result["averages"] = averages_json(averages);
  result["observations"] = correlation.observations;

  std::vector<std::pair<std::string, std::vector<PairAverage>>> by_window{{"Whole", averages}};
  outcome.tables = {report::correlation_table(correlation, study.every().adjective())};
  outcome.charts.emplace_back("heat", report::heat_chart(correlation, "Correlations"));
  auto windows_json = report::Json::array();
  for (const auto& window : windows) {
    const auto ordered = window.correlation.in_order(order);
    by_window.emplace_back(window.name, average_correlations(ordered, study.tags, options.by));
    auto table = report::correlation_table(ordered, study.every().adjective());
    table.name = "correlation " + window.name;
    table.title += ", " + window.name;
    outcome.tables.push_back(std::move(table));
    outcome.charts.emplace_back("heat-" + window.name.substr(5),
                                report::heat_chart(ordered, "Correlations, " + window.name));
    windows_json.push_back({{"window", window.name},
                            {"observations", ordered.observations},
                            {"correlation", matrix_json(ordered.matrix)},
                            {"averages", averages_json(by_window.back().second)}});
  }
  result["windows"] = windows_json;
  outcome.tables.push_back(report::averages_table(by_window));
  outcome.tables.push_back(report::negative_table(correlation));
  if (study.benchmark) {
    const double risk_free = study.mandate.risk_free.value_or(0);
    const auto models = market_models(returns.universe, returns.benchmark, risk_free);
    outcome.tables.push_back(report::market_model_table(models, *study.benchmark, risk_free));
    auto list = report::Json::array();
    for (const auto& m : models) {
      list.push_back({{"asset", m.asset},
                      {"beta", m.beta},
                      {"beta_error", m.beta_error},
                      {"alpha", m.alpha},
                      {"alpha_error", m.alpha_error},
                      {"r_squared", m.r_squared},
                      {"specific_volatility", m.specific_volatility}});
    }
    result["market_model"] = list;
  }
  if (correlation.motionless.empty()) {
    const auto components = principal_components(correlation);
    outcome.tables.push_back(report::components_table(components, correlation.assets));
    result["component_shares"] = std::vector<double>(components.shares.begin(), components.shares.end());
  }
  auto pairs = report::pairs_table(correlation);
  pairs.preview = 0;
  outcome.tables.push_back(std::move(pairs));
  return outcome;
}

void add_relate(CLI::App& tool, Options& options) {
  auto& command = add_command(tool, "relate",
                              "How the assets move together: correlations, windows, averages, market model, components",
                              "  inchtide relate --mandate demo/mandate.toml --order sector --figure heat.png\n"
                              "  inchtide relate --mandate demo/mandate.toml --windows 4y,2y --figure heat-2y:heat.png",
                              [&options] { deliver(relate(options), options); });
  add_input_options(command, options);
  add_window_options(command, options);
  add_interval_option(command, options);
  add_relation_options(command, options);
  add_risk_free_option(command, options);
  add_output_options(command, options);
  add_figure_option(command, options, "heat, and heat-2y for each window");
}

}  // namespace inchtide::app

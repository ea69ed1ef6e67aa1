// inchtide relate: how the assets move together, whether that lasts, and against what.

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <numeric>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/estimate/bootstrap.hpp"
#include "inchtide/relations/correlation.hpp"
#include "inchtide/relations/diversification.hpp"
#include "inchtide/relations/market_model.hpp"
#include "inchtide/relations/stability.hpp"
#include "inchtide/relations/subset.hpp"
#include "inchtide/report/relation_views.hpp"
#include "output.hpp"
#include "study.hpp"
#include "watch.hpp"

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

// What `relate` gathers from its parts.
struct Relations {
  Study study;
  StudyReturns returns;
  Correlation correlation;  // in the order of display
  std::vector<std::size_t> order;
  Outcome outcome;

  // A part that this history may be too short or too still for: then it is left out, and said.
  template <typename Part>
  void attempt(Part part) {
    try {
      part();
    } catch (const InputError& error) {
      outcome.warnings.push_back(error.notice().led_by("Left out"));
    }
  }
  Denominator denominator() const { return study.mandate.settings.methods.denominator; }
  void add(report::Table table) { outcome.tables.push_back(std::move(table)); }
};

Correlation correlation_over(const StudyReturns& returns, const Options& options) {
  return options.pairwise ? pairwise_correlation(returns.assets) : correlation_of(returns.assets);
}

std::vector<PairAverage> averages_of(const Correlation& correlation, const StudyReturns& returns, const Study& study) {
  auto averages = average_correlations(correlation, study.tags, study.options.by);
  if (averages.empty()) throw InputError("relate", "there is no pair of assets", "Name at least two that move");
  // Pair by pair there may be no period that all have, and so nothing to compare with the benchmark.
  const bool comparable = !study.options.pairwise || returns.assets.common_rows().size() > 2;
  if (study.benchmark && comparable) {
    const auto with = correlations_with(returns.assets, returns.benchmark);
    PairAverage average{fmt::format("with {}", *study.benchmark)};
    for (double r : with) {
      if (std::isnan(r)) continue;
      average.mean += r;
      ++average.pairs;
    }
    average.mean /= double(std::max<std::size_t>(average.pairs, 1));
    if (average.pairs > 0) averages.push_back(average);
  }
  return averages;
}

// The whole, then the same over spans back from the last day, and the change from each to the next.
void add_windows(Relations& r) {
  const auto adjective = r.study.every.adjective() + " " + to_string(r.returns.assets.kind);
  std::vector<std::pair<std::string, Correlation>> by_window{{"Whole", r.correlation}};
  std::vector<std::pair<std::string, std::vector<PairAverage>>> averages{
      {"Whole", averages_of(r.correlation, r.returns, r.study)}};
  auto& outcome = r.outcome;
  auto& result = outcome.result;
  result["average_correlation"] = averages.front().second.front().mean;
  result["averages"] = averages_json(averages.front().second);
  r.add(report::correlation_table(r.correlation, adjective));
  outcome.charts.emplace_back("heat", report::heat_chart(r.correlation, "Correlations"));

  auto windows = report::Json::array();
  const Day first = r.study.prices.days.front(), last = r.study.prices.days.back();
  for (const auto& span : r.study.options.windows) {
    const auto window = Interval::parse(span, "--windows");
    const Day from = window.before(last);
    if (from < first - std::chrono::days{7}) {
      outcome.warnings.push_back(
          fmt::format("The window {} reaches before {}, where the prices begin; it holds what "
                      "there is",
                      span, to_string(first)));
    }
    auto narrower = r.study;
    const bool keep = r.study.mandate.settings.keep_last_period;
    narrower.prices = r.study.prices.between(window_start(r.study.prices, window, r.study.every, keep), std::nullopt);
    const auto returns = returns_of(narrower, std::nullopt);
    const auto correlation = correlation_over(returns, r.study.options).in_order(r.order);
    const auto name = "last " + span;
    averages.emplace_back(name, averages_of(correlation, returns, r.study));
    by_window.emplace_back(name, correlation);
    auto table = report::correlation_table(correlation, adjective);
    table.name = "correlation " + name;
    table.title += ", " + name;
    r.add(std::move(table));
    outcome.charts.emplace_back("heat-" + span, report::heat_chart(correlation, "Correlations, " + name));
    windows.push_back({{"window", name},
                       {"observations", correlation.observations},
                       {"correlation", matrix_json(correlation.matrix)},
                       {"averages", averages_json(averages.back().second)}});
  }
  result["windows"] = windows;
  r.add(report::averages_table(averages));
  if (by_window.size() > 1) r.add(report::changes_table(by_window));
  r.add(report::negative_table(r.correlation));
}

void add_market_model(Relations& r) {
  if (!r.study.benchmark) return;
  r.attempt([&] {
    const double risk_free = r.study.mandate.settings.risk_free.value_or(0);
    const auto models = market_models(r.returns.assets, r.returns.benchmark, risk_free);
    r.add(report::market_model_table(models, *r.study.benchmark, risk_free));
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
    r.outcome.result["market_model"] = list;
  });
}

void add_components(Relations& r) {
  if (!r.correlation.motionless.empty()) return;
  const auto components = principal_components(r.correlation);
  r.add(report::components_table(components, r.correlation.assets));
  r.add(report::loadings_table(components, r.correlation.assets));
  r.outcome.result["component_shares"] = std::vector<double>(components.shares.begin(), components.shares.end());
  r.outcome.result["component_loadings"] = matrix_json(components.loadings);
}

void add_stability(Relations& r) {
  const auto& split = r.study.options.text("--split");
  const auto parted = split.empty() ? std::nullopt : std::optional(day_from(split, "--split"));
  r.attempt([&] {
    const auto stability = parted ? stability_of(r.returns.assets, *parted, r.denominator())
                                  : stability_of(r.returns.assets, r.denominator());
    r.add(report::stability_table(stability));
    r.add(report::persistence_table(stability));
    const auto maybe = [](double value) { return std::isnan(value) ? report::Json() : report::Json(value); };
    auto assets = report::Json::array();
    for (const auto& a : stability.assets) {
      assets.push_back({{"asset", a.asset},
                        {"mean_before", a.mean_before},
                        {"mean_after", a.mean_after},
                        {"volatility_before", a.volatility_before},
                        {"volatility_after", a.volatility_after},
                        {"correlation_before", maybe(a.correlation_before)},
                        {"correlation_after", maybe(a.correlation_after)}});
    }
    r.outcome.result["stability"] = {{"before_to", to_string(stability.before_to)},
                                     {"after_from", to_string(stability.after_from)},
                                     {"assets", assets},
                                     {"rank_of_means", maybe(stability.mean_ranks)},
                                     {"rank_of_volatilities", maybe(stability.volatility_ranks)},
                                     {"rank_of_correlations", maybe(stability.correlation_ranks)},
                                     {"rank_of_pairs", maybe(stability.pair_ranks)},
                                     {"average_before", maybe(stability.average_before)},
                                     {"average_after", maybe(stability.average_after)}};
  });
}

void add_diversification(Relations& r) {
  r.attempt([&] {
    constexpr int random_subsets = 1000;
    EstimateOptions sample;
    sample.denominator = r.denominator();
    const auto estimate = estimate_by(r.returns.assets, sample).estimate;
    const auto curve = diversification_curve(estimate.covariance, random_subsets, r.study.options.seed.value_or(1));
    r.add(report::diversification_table(curve));
    r.outcome.charts.emplace_back("diversification", report::diversification_chart(curve));
    const auto list = [](const Eigen::VectorXd& values) { return std::vector<double>(values.begin(), values.end()); };
    r.outcome.result["diversification"] = {{"expected", list(curve.expected)},
                                           {"floor", curve.floor},
                                           {"mean", list(curve.mean)},
                                           {"low", list(curve.low)},
                                           {"high", list(curve.high)}};
  });
}

// The least related assets, for as long as the user has patience.
void add_subset(Relations& r) {
  const auto& options = r.study.options;
  if (!options.pick) return;
  if (*options.pick < 1 || std::size_t(*options.pick) > r.correlation.assets.size()) {
    throw InputError("--pick", fmt::format("{} of {} assets", *options.pick, r.correlation.assets.size()),
                     fmt::format("Give a number from 1 to {}", r.correlation.assets.size()));
  }
  if (!r.correlation.motionless.empty()) {
    throw InputError("--pick",
                     fmt::format("{} never moves, so it has no correlation", r.correlation.motionless.front()),
                     "Leave it out with --assets");
  }
  const auto begin = std::chrono::steady_clock::now();
  SubsetOptions search;
  search.absolute = options.pick_absolute;
  search.seed = options.seed.value_or(1);
  search.should_stop = [&] {
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count() >
           options.patience.value_or(usual_patience);
  };
  const auto subset = least_related(r.correlation.matrix, *options.pick, search);
  r.add(report::subset_table(subset, r.correlation, options.pick_absolute));
  std::vector<std::string> members;
  for (auto i : subset.members) members.push_back(r.correlation.assets[i]);
  r.outcome.result["least_related"] = {{"assets", members},         {"sum", subset.sum},
                                       {"average", subset.average}, {"absolute", options.pick_absolute},
                                       {"proven", subset.proven},   {"gap", subset.gap}};
}

// The asset of that name, or the benchmark as a column after the last asset.
Eigen::Index column_of(const std::string& code, const Relations& r) {
  const auto& assets = r.returns.assets.assets;
  if (const auto found = find_name(code, assets)) return Eigen::Index(*found);
  if (r.study.benchmark && same_name(code, *r.study.benchmark)) return Eigen::Index(assets.size());
  throw InputError("--pair", fmt::format("no asset has the code '{}'", code), did_you_mean(code, assets));
}

// Pairs as chosen; else the least and the most related.
std::vector<std::pair<Eigen::Index, Eigen::Index>> chosen_pairs(const Relations& r) {
  std::vector<std::pair<Eigen::Index, Eigen::Index>> pairs;
  for (const auto& text : r.study.options.pairs) {
    const auto colon = text.find(':');
    if (colon == std::string::npos) {
      throw InputError("--pair", fmt::format("'{}' names no second asset", text), "Write it like KELPFARM:TIDEMILL");
    }
    pairs.emplace_back(column_of(text.substr(0, colon), r), column_of(text.substr(colon + 1), r));
    if (pairs.back().first == pairs.back().second) {
      throw InputError("--pair", fmt::format("'{}' is one asset", text), "Name two");
    }
  }
  if (!pairs.empty()) return pairs;
  const auto& m = r.correlation.matrix;
  std::pair<Eigen::Index, Eigen::Index> least{-1, -1}, most{-1, -1};
  for (Eigen::Index j = 0; j < m.cols(); ++j) {
    for (Eigen::Index i = j + 1; i < m.rows(); ++i) {
      if (std::isnan(m(i, j))) continue;
      if (least.first < 0 || m(i, j) < m(least.second, least.first)) least = {j, i};
      if (most.first < 0 || m(i, j) > m(most.second, most.first)) most = {j, i};
    }
  }
  for (const auto& [a, b] : {most, least}) {
    pairs.emplace_back(column_of(r.correlation.assets[std::size_t(a)], r),
                       column_of(r.correlation.assets[std::size_t(b)], r));
  }
  if (pairs[0] == pairs[1]) pairs.pop_back();
  return pairs;
}

void add_rolling(Relations& r) {
  const auto& options = r.study.options;
  if (options.rolling.empty()) return;
  auto table = r.returns.assets;
  if (r.study.benchmark) {
    const auto last = table.returns.cols();
    table.assets.push_back(*r.study.benchmark);
    table.returns.conservativeResize(Eigen::NoChange, last + 1);
    table.spans.conservativeResize(Eigen::NoChange, last + 1);
    table.returns.col(last) = r.returns.benchmark;
    for (Eigen::Index t = 0; t < table.spans.rows(); ++t) {
      table.spans(t, last) = std::isfinite(r.returns.benchmark[t]) ? table.spans(t, 0) : 0;
    }
  }
  const double per_year = Interval::parse(options.rolling, "--rolling").periods_per_year();
  const auto window = std::size_t(std::llround(table.periods_per_year / per_year));
  std::vector<RollingCorrelation> pairs;
  auto list = report::Json::array();
  for (const auto& [a, b] : chosen_pairs(r)) {
    pairs.push_back(rolling_correlation(table, a, b, window));
    const auto& pair = pairs.back();
    auto days = report::Json::array();
    for (Day day : pair.days) days.push_back(to_string(day));
    list.push_back({{"a", pair.a},
                    {"b", pair.b},
                    {"window", pair.window},
                    {"days", days},
                    {"correlation", pair.values},
                    {"low", pair.low},
                    {"high", pair.high}});
  }
  r.outcome.result["rolling"] = list;
  r.outcome.charts.emplace_back("rolling", report::rolling_chart(pairs));
  r.add(report::rolling_table(pairs));
  r.outcome.tables.back().preview = 0;
}

void add_pairs(Relations& r) {
  std::optional<BootstrapBands> bands;
  BootstrapOptions draws{r.study.options.draws.value_or(0), r.study.options.block.value_or(0),
                         r.study.options.seed.value_or(1)};
  if (draws.draws > 0) {
    draws.threads = r.study.options.threads;
    draws.correlations = true;
    draws.watch = watched(r.study.options);
    bands = bootstrap_bands(r.returns.assets, draws);
    bands->correlation_low = bands->correlation_low(r.order, r.order).eval();
    bands->correlation_high = bands->correlation_high(r.order, r.order).eval();
    r.outcome.result["bands"] = {{"draws", bands->draws},
                                 {"block", bands->block},
                                 {"correlation_low", matrix_json(bands->correlation_low)},
                                 {"correlation_high", matrix_json(bands->correlation_high)}};
  }
  auto pairs = report::pairs_table(r.correlation, bands ? &*bands : nullptr, draws.coverage);
  if (!bands) pairs.preview = 0;
  r.add(std::move(pairs));
}

// Pair by pair, holes are welcome: prices are kept as they are unless the user says otherwise.
Options with_holes_kept(Options options) {
  if (!options.pairwise) return options;
  options.given.try_emplace("--align", std::vector<std::string>{"any"});
  options.given.try_emplace("--short-histories", std::vector<std::string>{"keep"});
  return options;
}

}  // namespace

Outcome relate(const Options& given) {
  const auto options = with_holes_kept(given);
  auto study = load_study(options);
  auto returns = returns_of(study, std::nullopt);
  if (!find_name(options.by, study.tags.columns) && !same_name(options.by, "sector")) {
    throw InputError("--by", fmt::format("the tags have no column '{}'", options.by),
                     did_you_mean(options.by, study.tags.columns));
  }
  auto as_given = correlation_over(returns, options);
  auto order = order_of(as_given, study);
  Relations r{study, std::move(returns), as_given.in_order(order), order,
              Outcome{"relate", study.inputs(), study.warnings, {}, {}}};
  for (const auto& asset : r.correlation.motionless) {
    r.outcome.warnings.push_back(fmt::format("{} never moves, so it has no correlation", asset));
  }
  auto& result = r.outcome.result;
  result["assets"] = r.correlation.assets;
  result["correlation"] = matrix_json(r.correlation.matrix);
  const auto denominator = r.study.mandate.settings.methods.denominator;
  result["covariance"] = matrix_json(r.correlation.covariance(denominator));
  result["denominator"] = to_string(denominator);
  result["returns"] = to_string(r.returns.assets.kind);
  result["observations"] = r.correlation.observations;
  r.add(report::covariance_table(r.correlation, denominator));
  if (const auto& repair = r.correlation.repair) {
    result["repair"] = {{"least_eigenvalue", repair->least_eigenvalue},
                        {"distance", repair->distance},
                        {"largest_change", repair->largest_change},
                        {"pair", {repair->a, repair->b}}};
    r.outcome.warnings.push_back(
        fmt::format("The correlations contradicted each other and were moved by {:.4f} in all "
                    "to the nearest that hold together",
                    repair->distance));
  }
  add_windows(r);
  add_subset(r);
  add_market_model(r);
  add_components(r);
  add_stability(r);
  add_diversification(r);
  add_rolling(r);
  add_pairs(r);
  return std::move(r.outcome);
}

void add_relate(CLI::App& tool, Options& options) {
  auto& command = add_command(
      tool, options, "relate", "How the assets move together, whether that lasts, and which are least related",
      "  inchtide relate --mandate demo/mandate.toml --order sector --figure heat.png\n"
      "  inchtide relate --mandate demo/mandate.toml --pick 5 --rolling 3y --pair TIDEMILL:KELPFARM "
      "--figure rolling:rolling.png",
      [&options] { deliver(relate(options), options); });
  add_input_options(command, options);
  add_settings(command, options, {Step::reading, Step::universe, Step::returns});
  add_relation_options(command, options);
  add_setting(command, options, "--split",
              "The day that parts first and then in the table of what lasted (default: halfway)");
  add_draw_options(command, options);
  add_setting(command, options, "--risk-free");
  add_output_options(command, options);
  add_figure_option(command, options, "heat, heat-2y for each window, diversification, rolling");
}

}  // namespace inchtide::app

#include "relation_measures.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <numeric>

#include "inchtide/base/percent.hpp"
#include "json.hpp"
#include "relation_charts.hpp"

namespace inchtide::report {
namespace {

std::string counts_of(const std::vector<MarketModel>& models) {
  const auto [least, most] = std::ranges::minmax(models, {}, &MarketModel::observations);
  return least.observations == most.observations ? fmt::format("{}", least.observations)
                                                 : fmt::format("{} to {}", least.observations, most.observations);
}

Table market_model_table(const std::vector<MarketModel>& models, const std::string& benchmark, double risk_free) {
  Table table{"market-model",
              fmt::format("Against {}", benchmark),
              {{"Asset"},
               {"Beta", Format::number2},
               {"Its standard error", Format::number2},
               {"Alpha", Format::percent},
               {"Its standard error", Format::percent},
               {"R-squared", Format::number2},
               {"Specific volatility", Format::percent},
               {"Correlation", Format::number2}},
              {},
              {}};
  for (const auto& m : models) {
    table.add({m.asset, m.beta, m.beta_error, m.alpha, m.alpha_error, m.r_squared, m.specific_volatility,
               figure_or_none(m.correlation)});
  }
  table.notes.push_back(fmt::format("Excess returns over a risk-free rate of {}; alpha per year; {} returns each",
                                    short_percent(risk_free), counts_of(models)));
  return table;
}

Table components_table(const PrincipalComponents& components, const std::vector<std::string>& assets) {
  Table table{"components",
              "Principal components of the correlations",
              {{"Component", Format::count},
               {"Share of variance", Format::percent},
               {"Together", Format::percent},
               {"Loads most on"}},
              {},
              {}};
  constexpr Eigen::Index most = 5;
  constexpr std::size_t named = 4;
  double together = 0;
  for (Eigen::Index k = 0; k < std::min(most, components.shares.size()); ++k) {
    std::vector<std::size_t> order(assets.size());
    std::iota(order.begin(), order.end(), std::size_t(0));
    const auto loading = components.loadings.col(k);
    std::ranges::stable_sort(order, std::greater{}, [&](std::size_t i) { return std::abs(loading[Eigen::Index(i)]); });
    std::vector<std::string> parts;
    for (std::size_t i = 0; i < std::min(named, order.size()); ++i) {
      parts.push_back(fmt::format("{} {:+.2f}", assets[order[i]], loading[Eigen::Index(order[i])]));
    }
    together += components.shares[k];
    table.add({double(k + 1), components.shares[k], together, fmt::format("{}", fmt::join(parts, ", "))});
  }
  return table;
}

Table subset_table(const LeastRelated& subset, const Correlation& correlation, bool absolute) {
  Table table{
      "least-related",
      fmt::format("The {} of {} assets that are least related", subset.members.size(), correlation.assets.size()),
      {{"Asset"}},
      {},
      {}};
  for (auto i : subset.members) table.columns.push_back({correlation.assets[i], Format::number2});
  for (auto i : subset.members) {
    std::vector<Cell> row{correlation.assets[i]};
    for (auto j : subset.members) row.push_back(correlation.matrix(Eigen::Index(i), Eigen::Index(j)));
    table.add(std::move(row));
  }
  table.notes.push_back(fmt::format("Average {} of a pair {:.4f}, over all assets {:.4f}",
                                    absolute ? "absolute correlation" : "correlation", subset.average,
                                    average_correlation(correlation, absolute)));
  if (subset.proven) {
    table.notes.push_back("Proven: no other choice has a lower one");
  } else {
    table.notes.push_back(
        {{},
         fmt::format("Stopped before it was proven: another choice could be lower by {:.4f} at most", subset.gap),
         {{Means::patience, "Give it longer"}}});
  }
  return table;
}

Table diversification_table(const DiversificationCurve& curve) {
  Table table{"diversification",
              "Volatility of equal weights in n of the assets",
              {{"Assets", Format::count}, {"Volatility", Format::percent}},
              {},
              {}};
  if (curve.draws > 0) {
    for (const char* name : {"Drawn: mean", "5% point", "95% point"}) table.columns.push_back({name, Format::percent});
  }
  const auto n = curve.expected.size();
  for (Eigen::Index k = 1; k <= n; ++k) {
    const bool round = k <= 10 || (k <= 30 && k % 5 == 0) || (k <= 100 && k % 10 == 0) || k % 50 == 0 || k == n;
    if (!round) continue;
    std::vector<Cell> row{double(k), curve.expected[k - 1]};
    if (curve.draws > 0) {
      for (const auto* column : {&curve.mean, &curve.low, &curve.high}) row.push_back((*column)[k - 1]);
    }
    table.add(std::move(row));
  }
  table.notes.push_back(fmt::format(
      "Volatility: the root of v/n + (1 - 1/n)c with average variance v and covariance c ({} and {} as volatilities)",
      percent_text(std::sqrt(curve.average_variance)),
      curve.average_covariance >= 0 ? percent_text(curve.floor) : "below 0"));
  return table;
}

Table stability_table(const Stability& stability) {
  Table table{"stability",
              fmt::format("What was, and what came: returns to {}, and from {} on", to_string(stability.before_to),
                          to_string(stability.after_from)),
              {{"Asset"},
               {"Mean, first", Format::percent},
               {"then", Format::percent},
               {"Volatility, first", Format::percent},
               {"then", Format::percent},
               {"Correlation, first", Format::number2},
               {"then", Format::number2}},
              {},
              {}};
  for (const auto& a : stability.assets) {
    table.add({a.asset, a.mean_before, a.mean_after, a.volatility_before, a.volatility_after,
               figure_or_none(a.correlation_before), figure_or_none(a.correlation_after)});
  }
  table.notes.push_back(
      fmt::format("{} and {} returns each; means and volatilities per year; correlation: an asset's "
                  "mean with the others",
                  stability.before, stability.after));
  return table;
}

Table persistence_table(const Stability& stability) {
  Table table{"persistence",
              "How much of it lasted: rank correlation of first and then (1: the same order, 0: none)",
              {{"Of"}, {"Rank correlation", Format::number2}},
              {},
              {}};
  table.add({"mean returns", figure_or_none(stability.mean_ranks)});
  table.add({"volatilities", figure_or_none(stability.volatility_ranks)});
  table.add({"mean correlations of assets", figure_or_none(stability.correlation_ranks)});
  table.add({"correlations of pairs", figure_or_none(stability.pair_ranks)});
  if (!std::isnan(stability.average_before)) {
    table.notes.push_back(fmt::format(
        "Average of all pairs: {:.2f} first, then {:.2f}. A pair's correlation moved by {:.2f} (root mean square); had "
        "each been taken for the first average, it would have missed by {:.2f}",
        stability.average_before, stability.average_after, stability.pair_error, stability.average_error));
  }
  return table;
}

Table rolling_table(const std::vector<RollingCorrelation>& pairs) {
  Table table{"rolling",
              "Rolling correlations",
              {{"Asset"},
               {"With"},
               {"To", Format::day},
               {"Correlation", Format::number2},
               {"Low", Format::number2},
               {"High", Format::number2}},
              {},
              {}};
  for (const auto& pair : pairs) {
    for (std::size_t t = 0; t < pair.days.size(); ++t) {
      table.add({pair.a, pair.b, pair.days[t], figure_or_none(pair.values[t]), figure_or_none(pair.low[t]),
                 figure_or_none(pair.high[t])});
    }
  }
  return table;
}

Table loadings_table(const PrincipalComponents& components, const std::vector<std::string>& assets) {
  Table table{"loadings", "Loadings of the principal components", {{"Asset"}}, {}, {}};
  for (Eigen::Index k = 0; k < components.loadings.cols(); ++k) {
    table.columns.push_back({fmt::format("Component {}", k + 1), Format::number3});
  }
  for (std::size_t i = 0; i < assets.size(); ++i) {
    std::vector<Cell> row{assets[i]};
    for (double loading : components.loadings.row(Eigen::Index(i))) row.push_back(loading);
    table.add(std::move(row));
  }
  table.preview = 0;
  return table;
}

}  // namespace

std::vector<std::string> members_of(const LeastRelated& subset, const Correlation& correlation) {
  std::vector<std::string> members;
  for (auto i : subset.members) members.push_back(correlation.assets[i]);
  return members;
}

void add_subset(Chapter& chapter, const Relations& relations, bool absolute) {
  if (!relations.least_related) return;
  const auto& subset = *relations.least_related;
  chapter.tables.push_back(subset_table(subset, relations.correlation, absolute));
  chapter.result["least_related"] = {{"assets", members_of(subset, relations.correlation)},
                                     {"sum", subset.sum},
                                     {"average", subset.average},
                                     {"absolute", absolute},
                                     {"proven", subset.proven},
                                     {"gap", subset.gap}};
}

void add_market_model(Chapter& chapter, const Relations& relations, const Universe& universe) {
  if (!relations.market) return;
  chapter.tables.push_back(market_model_table(*relations.market, *universe.benchmark, relations.risk_free));
  auto list = Json::array();
  for (const auto& m : *relations.market) {
    list.push_back({{"asset", m.asset},
                    {"beta", m.beta},
                    {"observations", m.observations},
                    {"beta_error", m.beta_error},
                    {"alpha", m.alpha},
                    {"alpha_error", m.alpha_error},
                    {"r_squared", m.r_squared},
                    {"specific_volatility", m.specific_volatility}});
  }
  chapter.result["market_model"] = list;
}

void add_components(Chapter& chapter, const Relations& relations) {
  if (!relations.components) return;
  const auto& components = *relations.components;
  chapter.tables.push_back(components_table(components, relations.correlation.assets));
  chapter.tables.push_back(loadings_table(components, relations.correlation.assets));
  chapter.result["component_shares"] = list_of(components.shares);
  chapter.result["component_loadings"] = rows_of(components.loadings);
}

void add_stability(Chapter& chapter, const Relations& relations) {
  if (!relations.stability) return;
  const auto& stability = *relations.stability;
  chapter.tables.push_back(stability_table(stability));
  chapter.tables.push_back(persistence_table(stability));
  auto assets = Json::array();
  for (const auto& a : stability.assets) {
    assets.push_back({{"asset", a.asset},
                      {"mean_before", a.mean_before},
                      {"mean_after", a.mean_after},
                      {"volatility_before", a.volatility_before},
                      {"volatility_after", a.volatility_after},
                      {"correlation_before", finite_or_null(a.correlation_before)},
                      {"correlation_after", finite_or_null(a.correlation_after)}});
  }
  chapter.result["stability"] = {{"before_to", to_string(stability.before_to)},
                                 {"after_from", to_string(stability.after_from)},
                                 {"assets", assets},
                                 {"rank_of_means", finite_or_null(stability.mean_ranks)},
                                 {"rank_of_volatilities", finite_or_null(stability.volatility_ranks)},
                                 {"rank_of_correlations", finite_or_null(stability.correlation_ranks)},
                                 {"rank_of_pairs", finite_or_null(stability.pair_ranks)},
                                 {"average_before", finite_or_null(stability.average_before)},
                                 {"average_after", finite_or_null(stability.average_after)}};
}

void add_diversification(Chapter& chapter, const Relations& relations) {
  if (!relations.diversification) return;
  const auto& curve = *relations.diversification;
  chapter.tables.push_back(diversification_table(curve));
  chapter.charts.push_back(diversification_chart(curve));
  chapter.result["diversification"] = {{"expected", list_of(curve.expected)},
                                       {"floor", curve.floor},
                                       {"mean", list_of(curve.mean)},
                                       {"low", list_of(curve.low)},
                                       {"high", list_of(curve.high)}};
}

void add_rolling(Chapter& chapter, const Relations& relations) {
  if (relations.rolling.empty()) return;
  auto list = Json::array();
  for (const auto& pair : relations.rolling) {
    list.push_back({{"a", pair.a},
                    {"b", pair.b},
                    {"window", pair.window},
                    {"days", days_json(pair.days)},
                    {"correlation", pair.values},
                    {"low", pair.low},
                    {"high", pair.high}});
  }
  chapter.result["rolling"] = list;
  chapter.charts.push_back(rolling_chart(relations.rolling));
  chapter.tables.push_back(rolling_table(relations.rolling));
  chapter.tables.back().preview = 0;
}

}  // namespace inchtide::report

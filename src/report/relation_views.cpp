#include "inchtide/report/relation_views.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <numeric>

#include "inchtide/base/percent.hpp"

namespace inchtide::report {
namespace {

Cell figure_or_none(double value) {
  return std::isnan(value) ? Cell() : Cell(value);
}

std::string span_of(const Correlation& correlation) {
  return fmt::format("{} returns each, from {} to {}", correlation.observations, to_string(*correlation.from),
                     to_string(*correlation.to));
}

}  // namespace

Table correlation_table(const Correlation& correlation, const std::string& adjective) {
  Table table{"correlation", fmt::format("Correlations of {} returns", adjective), {{"Asset"}}, {}, {}};
  for (const auto& asset : correlation.assets) table.columns.push_back({asset, Format::number2});
  for (std::size_t i = 0; i < correlation.assets.size(); ++i) {
    std::vector<Cell> row{correlation.assets[i]};
    for (double value : correlation.matrix.row(Eigen::Index(i))) row.push_back(figure_or_none(value));
    table.add(std::move(row));
  }
  table.notes.push_back(span_of(correlation));
  if (!correlation.motionless.empty()) {
    table.notes.push_back(
        fmt::format("Never moves, so it has no correlation: {}", fmt::join(correlation.motionless, ", ")));
  }
  return table;
}

Table pairs_table(const Correlation& correlation) {
  Table table{
      "pairs",
      "Pairs, with 95% intervals (Fisher)",
      {{"Asset"}, {"With"}, {"Correlation", Format::number2}, {"Low", Format::number2}, {"High", Format::number2}},
      {},
      {}};
  std::vector<Pair> pairs;
  for (Eigen::Index j = 0; j < correlation.matrix.cols(); ++j) {
    for (Eigen::Index i = j + 1; i < correlation.matrix.rows(); ++i) {
      if (std::isnan(correlation.matrix(i, j))) continue;
      pairs.push_back(
          {correlation.assets[std::size_t(j)], correlation.assets[std::size_t(i)], correlation.matrix(i, j)});
    }
  }
  std::ranges::stable_sort(pairs, {}, &Pair::correlation);
  for (const auto& pair : pairs) {
    const auto interval = fisher_interval(pair.correlation, correlation.observations);
    table.add({pair.a, pair.b, pair.correlation, interval.low, interval.high});
  }
  return table;
}

Table averages_table(const std::vector<std::pair<std::string, std::vector<PairAverage>>>& windows) {
  Table table{"averages", "Average correlations", {{"Of"}, {"Pairs", Format::count}}, {}, {}};
  for (const auto& [name, averages] : windows) table.columns.push_back({name, Format::number2});
  for (const auto& whole : windows.front().second) {
    std::vector<Cell> row{whole.of, double(whole.pairs)};
    for (const auto& [name, averages] : windows) {
      const auto found = std::ranges::find(averages, whole.of, &PairAverage::of);
      row.push_back(found == averages.end() ? Cell() : Cell(found->mean));
    }
    table.add(std::move(row));
  }
  return table;
}

Table negative_table(const Correlation& correlation) {
  Table table{"negative-pairs", "Pairs that moved against each other", {}, {}, {}};
  table.columns = {
      {"Asset"}, {"With"}, {"Correlation", Format::number2}, {"Low", Format::number2}, {"High", Format::number2}};
  const auto pairs = negative_pairs(correlation);
  std::size_t sure = 0;
  constexpr std::size_t most_shown = 10;
  for (const auto& pair : pairs) {
    const auto interval = fisher_interval(pair.correlation, correlation.observations);
    sure += interval.high < 0 ? 1 : 0;
    if (table.rows.size() < most_shown) table.add({pair.a, pair.b, pair.correlation, interval.low, interval.high});
  }
  const auto n = correlation.assets.size();
  table.notes.push_back(
      fmt::format("{} of {} pairs are below 0{}; the whole 95% interval of {} is", pairs.size(), n * (n - 1) / 2,
                  pairs.size() > most_shown ? fmt::format(", the {} lowest shown", most_shown) : "", sure));
  return table;
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
  table.notes.push_back(
      fmt::format("Excess returns over a risk-free rate of {}; alpha per year", short_percent(risk_free)));
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

Chart heat_chart(const Correlation& correlation, const std::string& title) {
  Chart chart;
  chart.title = title;
  chart.subtitle = span_of(correlation);
  HeatMap heat{correlation.assets, {}};
  for (auto row : correlation.matrix.rowwise()) heat.values.insert(heat.values.end(), row.begin(), row.end());
  chart.heat = std::move(heat);
  return chart;
}

}  // namespace inchtide::report

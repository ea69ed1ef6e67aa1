#include "inchtide/report/relation_views.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <numeric>

#include "inchtide/base/percent.hpp"

namespace inchtide::report {
namespace {

Cell figure_or_none(double value) {
  return std::isnan(value) ? Cell() : Cell(value);
}

std::string span_of(const Correlation& correlation) {
  if (correlation.pair_observations.size() > 0) {
    return fmt::format("pair by pair, {} to {} returns each, from {} to {}", correlation.observations,
                       correlation.pair_observations.maxCoeff(), to_string(*correlation.from),
                       to_string(*correlation.to));
  }
  return fmt::format("{} returns each, from {} to {}", correlation.observations, to_string(*correlation.from),
                     to_string(*correlation.to));
}

/// The mean of all pairs that are known.
double average_of_pairs(const Correlation& correlation, bool absolute) {
  double sum = 0;
  std::size_t pairs = 0;
  for (Eigen::Index j = 0; j < correlation.matrix.cols(); ++j) {
    for (Eigen::Index i = j + 1; i < correlation.matrix.rows(); ++i) {
      const double r = correlation.matrix(i, j);
      if (std::isnan(r)) continue;
      sum += absolute ? std::abs(r) : r;
      ++pairs;
    }
  }
  return pairs > 0 ? sum / double(pairs) : 0;
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
  if (const auto& repair = correlation.repair) {
    table.notes.push_back(fmt::format(
        "The pairs contradicted each other (least eigenvalue {:.4f}); this is the nearest matrix that holds "
        "together, {:.4f} away in all, {:.4f} at most, for {} and {}",
        repair->least_eigenvalue, repair->distance, repair->largest_change, repair->a, repair->b));
  }
  if (!correlation.motionless.empty()) {
    table.notes.push_back(
        fmt::format("Never moves, so it has no correlation: {}", fmt::join(correlation.motionless, ", ")));
  }
  return table;
}

Table covariance_table(const Correlation& correlation, Denominator denominator) {
  Table table{
      "covariance", fmt::format("Covariances per year (denominator {})", to_string(denominator)), {{"Asset"}}, {}, {}};
  for (const auto& asset : correlation.assets) table.columns.push_back({asset, Format::number3});
  const auto matrix = correlation.covariance(denominator);
  for (std::size_t i = 0; i < correlation.assets.size(); ++i) {
    std::vector<Cell> row{correlation.assets[i]};
    for (double value : matrix.row(Eigen::Index(i))) row.push_back(value);
    table.add(std::move(row));
  }
  table.preview = 0;
  return table;
}

Table pairs_table(const Correlation& correlation, const BootstrapBands* bands, double coverage) {
  Table table{
      "pairs",
      "Pairs, with 95% intervals (Fisher)",
      {{"Asset"}, {"With"}, {"Correlation", Format::number2}, {"Low", Format::number2}, {"High", Format::number2}},
      {},
      {}};
  if (bands != nullptr) {
    table.columns.push_back({"Bootstrap, low", Format::number2});
    table.columns.push_back({"Bootstrap, high", Format::number2});
    table.notes.push_back(fmt::format("Bootstrap: {} of {} draws of blocks of {:.1f} periods",
                                      percent_text(coverage, 0), bands->draws, bands->block));
  }
  std::vector<std::pair<Eigen::Index, Eigen::Index>> pairs;
  const auto& r = correlation.matrix;
  for (Eigen::Index j = 0; j < r.cols(); ++j) {
    for (Eigen::Index i = j + 1; i < r.rows(); ++i) {
      if (!std::isnan(r(i, j))) pairs.emplace_back(j, i);
    }
  }
  std::ranges::stable_sort(pairs, {}, [&](const auto& pair) { return r(pair.second, pair.first); });
  for (const auto& [a, b] : pairs) {
    const auto interval = fisher_interval(r(b, a), correlation.observations_of(a, b));
    std::vector<Cell> row{correlation.assets[std::size_t(a)], correlation.assets[std::size_t(b)], r(b, a), interval.low,
                          interval.high};
    if (bands != nullptr) {
      row.push_back(bands->correlation_low(b, a));
      row.push_back(bands->correlation_high(b, a));
    }
    table.add(std::move(row));
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

Table changes_table(const std::vector<std::pair<std::string, Correlation>>& windows) {
  Table table{"changes", "Pairs that changed most, from the first window to the last", {{"Asset"}, {"With"}}, {}, {}};
  for (const auto& [name, correlation] : windows) table.columns.push_back({name, Format::number2});
  table.columns.push_back({"Change", Format::number2});
  const auto& assets = windows.front().second.assets;
  const auto &first = windows.front().second.matrix, &last = windows.back().second.matrix;
  std::vector<std::pair<Eigen::Index, Eigen::Index>> pairs;
  for (Eigen::Index j = 0; j < first.cols(); ++j) {
    for (Eigen::Index i = j + 1; i < first.rows(); ++i) {
      if (!std::isnan(last(i, j) - first(i, j))) pairs.emplace_back(i, j);
    }
  }
  const auto change = [&](const auto& pair) { return last(pair.first, pair.second) - first(pair.first, pair.second); };
  std::ranges::stable_sort(pairs, std::greater{}, [&](const auto& pair) { return std::abs(change(pair)); });
  constexpr std::size_t most = 10;
  for (std::size_t k = 0; k < std::min(most, pairs.size()); ++k) {
    const auto& [i, j] = pairs[k];
    std::vector<Cell> row{assets[std::size_t(j)], assets[std::size_t(i)]};
    for (const auto& [name, correlation] : windows) row.push_back(figure_or_none(correlation.matrix(i, j)));
    row.push_back(change(pairs[k]));
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
    const auto interval = fisher_interval(pair.correlation, pair.observations);
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
                                    average_of_pairs(correlation, absolute)));
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

Chart diversification_chart(const DiversificationCurve& curve) {
  Chart chart;
  chart.title = "What spreading over more assets does";
  chart.x = {"Assets, equally weighted", Scale::number};
  chart.y = {"Volatility per year", Scale::percent};
  chart.y_from_zero = true;
  chart.key = Chart::Key::top_right;
  std::vector<double> sizes;
  for (Eigen::Index k = 1; k <= curve.expected.size(); ++k) sizes.push_back(double(k));
  const auto line = [&](const std::string& name, const Eigen::VectorXd& y) {
    return Series{Series::Kind::line, name, sizes, {y.begin(), y.end()}, {}};
  };
  if (curve.draws > 0) {
    auto band = line(fmt::format("90% of {} random choices", curve.draws), curve.high);
    band.kind = Series::Kind::band;
    band.low.assign(curve.low.begin(), curve.low.end());
    band.colour = colour::dusk;
    auto mean = line("their mean", curve.mean);
    mean.colour = colour::dusk;
    mean.dash = Dash::dashed;
    mean.width = 2;
    chart.series = {band, mean};
  }
  auto expected = line("root of the mean variance", curve.expected);
  expected.width = 3;
  chart.series.push_back(expected);
  if (curve.floor > 0) {
    auto floor = line("what no spreading takes away", Eigen::VectorXd::Constant(curve.expected.size(), curve.floor));
    floor.colour = colour::rust;
    floor.dash = Dash::dotted;
    floor.width = 2;
    chart.series.push_back(floor);
  }
  return chart;
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

Chart rolling_chart(const std::vector<RollingCorrelation>& pairs) {
  constexpr std::array hues = {colour::deep, colour::rust, colour::kelp, colour::dusk, colour::amber, colour::ink};
  Chart chart;
  chart.title = fmt::format("Correlation over the last {} returns", pairs.front().window);
  chart.subtitle = "shaded: the 95% interval (Fisher)";
  chart.x = {"Window's last day", Scale::day};
  chart.y = {"Correlation", Scale::number};
  chart.key = Chart::Key::below;
  for (std::size_t k = 0; k < pairs.size(); ++k) {
    const auto& pair = pairs[k];
    Series line{Series::Kind::line, fmt::format("{} and {}", pair.a, pair.b)};
    for (Day day : pair.days) line.x.push_back(double(day.time_since_epoch().count()) * 86400);
    line.y = pair.values;
    line.colour = hues[k % hues.size()];
    line.dash = Dash(k % 4);
    auto band = line;
    band.kind = Series::Kind::band;
    band.name.clear();
    band.y = pair.high;
    band.low = pair.low;
    chart.series.insert(chart.series.begin(), std::move(band));
    chart.series.push_back(std::move(line));
  }
  return chart;
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

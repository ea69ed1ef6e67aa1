#include "inchtide/report/relations.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <numeric>

#include "begin.hpp"
#include "inchtide/base/percent.hpp"
#include "json.hpp"
#include "relation_charts.hpp"
#include "relation_measures.hpp"

namespace inchtide::report {
namespace {

std::string span_of(const Correlation& correlation) {
  if (correlation.pair_observations.size() > 0) {
    return fmt::format("pair by pair, {} to {} returns each, from {} to {}", correlation.observations,
                       correlation.pair_observations.maxCoeff(), to_string(*correlation.from),
                       to_string(*correlation.to));
  }
  return fmt::format("{} returns each, from {} to {}", correlation.observations, to_string(*correlation.from),
                     to_string(*correlation.to));
}

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

/// Every pair with its 95% interval, the lowest first.
Table pairs_table(const Relations& relations) {
  const auto& correlation = relations.correlation;
  Table table{
      "pairs",
      "Pairs, with 95% intervals (Fisher)",
      {{"Asset"}, {"With"}, {"Correlation", Format::number2}, {"Low", Format::number2}, {"High", Format::number2}},
      {},
      {}};
  const auto& bands = relations.bands;
  if (bands) {
    table.columns.push_back({"Bootstrap, low", Format::number2});
    table.columns.push_back({"Bootstrap, high", Format::number2});
    table.notes.push_back(fmt::format("Bootstrap: {} of {} draws of blocks of {:.1f} periods",
                                      percent_text(relations.coverage, 0), bands->draws, bands->block));
  } else {
    table.preview = 0;
  }
  for (const auto& pair : pairs_of(correlation)) {
    std::vector<Cell> row{correlation.assets[std::size_t(pair.a)], correlation.assets[std::size_t(pair.b)],
                          pair.correlation, pair.interval.low, pair.interval.high};
    if (bands) row.insert(row.end(), {bands->correlation_low(pair.b, pair.a), bands->correlation_high(pair.b, pair.a)});
    table.add(std::move(row));
  }
  return table;
}

std::string name_of(const RelationsWindow& window) {
  return "last " + window.span.text();
}

/// Averages of pairs, one column a window; the first is the whole.
Table averages_table(const Relations& relations) {
  Table table{"averages", "Average correlations", {{"Of"}, {"Pairs", Format::count}}, {}, {}};
  table.columns.push_back({"Whole", Format::number2});
  for (const auto& window : relations.windows) table.columns.push_back({name_of(window), Format::number2});
  for (const auto& whole : relations.averages) {
    std::vector<Cell> row{whole.of, double(whole.pairs), whole.mean};
    for (const auto& window : relations.windows) {
      const auto found = std::ranges::find(window.averages, whole.of, &PairAverage::of);
      row.push_back(found == window.averages.end() ? Cell() : Cell(found->mean));
    }
    table.add(std::move(row));
  }
  return table;
}

/// The pairs whose correlation changed most from the whole to the last window, in each of the windows.
Table changes_table(const Relations& relations) {
  Table table{"changes", "Pairs that changed most, from the first window to the last", {{"Asset"}, {"With"}}, {}, {}};
  table.columns.push_back({"Whole", Format::number2});
  for (const auto& window : relations.windows) table.columns.push_back({name_of(window), Format::number2});
  table.columns.push_back({"Change", Format::number2});
  const auto& assets = relations.correlation.assets;
  const auto& last = relations.windows.back().correlation.matrix;
  const auto change = [&](const Pair& pair) { return last(pair.b, pair.a) - pair.correlation; };
  auto pairs = pairs_of(relations.correlation);
  std::erase_if(pairs, [&](const Pair& pair) { return std::isnan(change(pair)); });
  std::ranges::stable_sort(pairs, std::greater{}, [&](const Pair& pair) { return std::abs(change(pair)); });
  constexpr std::size_t most = 10;
  for (std::size_t k = 0; k < std::min(most, pairs.size()); ++k) {
    const auto& pair = pairs[k];
    std::vector<Cell> row{assets[std::size_t(pair.a)], assets[std::size_t(pair.b)], pair.correlation};
    for (const auto& window : relations.windows)
      row.push_back(figure_or_none(window.correlation.matrix(pair.b, pair.a)));
    row.emplace_back(change(pair));
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
    sure += pair.interval.high < 0 ? 1 : 0;
    if (table.rows.size() >= most_shown) continue;
    table.add({correlation.assets[std::size_t(pair.a)], correlation.assets[std::size_t(pair.b)], pair.correlation,
               pair.interval.low, pair.interval.high});
  }
  const auto n = correlation.assets.size();
  table.notes.push_back(
      fmt::format("{} of {} pairs are below 0{}; the whole 95% interval of {} is", pairs.size(), n * (n - 1) / 2,
                  pairs.size() > most_shown ? fmt::format(", the {} lowest shown", most_shown) : "", sure));
  return table;
}

/// Averages at several intervals, and what of each is least related.
Table intervals_table(const std::vector<RelationsInterval>& intervals) {
  Table table{"intervals", "Average correlations at several intervals", {{"Of"}, {"Pairs", Format::count}}, {}, {}};
  for (const auto& at : intervals) table.columns.push_back({at.every.adjective(), Format::number2});
  for (const auto& first : intervals.front().averages) {
    std::vector<Cell> row{first.of, double(first.pairs)};
    for (const auto& at : intervals) {
      const auto found = std::ranges::find(at.averages, first.of, &PairAverage::of);
      row.push_back(found == at.averages.end() ? Cell() : Cell(found->mean));
    }
    table.add(std::move(row));
  }
  for (const auto& at : intervals) {
    if (!at.least_related) continue;
    table.notes.emplace_back(fmt::format("The {} least related of {} returns: {}; {:.2f} on average{}",
                                         at.least_related->members.size(), at.every.adjective(),
                                         fmt::join(members_of(*at.least_related, at.correlation), ", "),
                                         at.least_related->average, at.least_related->proven ? "" : ", not proven"));
  }
  std::vector<std::string> counts;
  for (const auto& at : intervals)
    counts.push_back(fmt::format("{} {}", at.correlation.observations, at.every.adjective()));
  table.notes.emplace_back(fmt::format("Of {} returns", fmt::join(counts, ", ")));
  return table;
}

/// The pairs whose correlation hangs most on the interval.
Table interval_pairs_table(const std::vector<RelationsInterval>& intervals) {
  Table table{"interval-pairs", "Pairs that differ most from interval to interval", {{"Asset"}, {"With"}}, {}, {}};
  for (const auto& at : intervals) table.columns.push_back({at.every.adjective(), Format::number2});
  table.columns.push_back({"Spread", Format::number2});
  const auto& assets = intervals.front().correlation.assets;
  std::vector<std::pair<double, Pair>> pairs;
  for (const auto& pair : pairs_of(intervals.front().correlation)) {
    double low = pair.correlation, high = pair.correlation;
    for (const auto& at : intervals) {
      low = std::min(low, at.correlation.matrix(pair.b, pair.a));
      high = std::max(high, at.correlation.matrix(pair.b, pair.a));
    }
    if (std::isfinite(high - low)) pairs.emplace_back(high - low, pair);
  }
  std::ranges::stable_sort(pairs, std::greater{}, [](const auto& one) { return one.first; });
  constexpr std::size_t most = 10;
  for (std::size_t k = 0; k < std::min(most, pairs.size()); ++k) {
    const auto& [spread, pair] = pairs[k];
    std::vector<Cell> row{assets[std::size_t(pair.a)], assets[std::size_t(pair.b)]};
    for (const auto& at : intervals) row.push_back(figure_or_none(at.correlation.matrix(pair.b, pair.a)));
    row.push_back(spread);
    table.add(std::move(row));
  }
  return table;
}

Json averages_json(const std::vector<PairAverage>& averages) {
  auto list = Json::array();
  for (const auto& a : averages) list.push_back({{"of", a.of}, {"mean", a.mean}, {"pairs", a.pairs}});
  return list;
}

/// The whole, then the same over spans back from the last day, and the change from the one to the other.
void add_matrices(Chapter& chapter, const Relations& relations, const Universe& universe) {
  const auto adjective = universe.every.adjective() + " " + to_string(relations.returns.kind);
  auto& result = chapter.result;
  const auto& correlation = relations.correlation;
  result["assets"] = correlation.assets;
  result["correlation"] = rows_of(correlation.matrix);
  result["covariance"] = rows_of(correlation.covariance(relations.denominator));
  result["denominator"] = to_string(relations.denominator);
  result["returns"] = to_string(relations.returns.kind);
  result["observations"] = correlation.observations;
  chapter.tables.push_back(covariance_table(correlation, relations.denominator));
  if (const auto& repair = correlation.repair) {
    result["repair"] = {{"least_eigenvalue", repair->least_eigenvalue},
                        {"distance", repair->distance},
                        {"largest_change", repair->largest_change},
                        {"pair", {repair->a, repair->b}}};
  }
  result["average_correlation"] = relations.averages.front().mean;
  result["averages"] = averages_json(relations.averages);
  chapter.tables.push_back(correlation_table(correlation, adjective));
  chapter.charts.push_back(heat_chart("heat", correlation, "Correlations", span_of(correlation)));
  auto windows = Json::array();
  for (const auto& window : relations.windows) {
    const auto name = name_of(window);
    auto table = correlation_table(window.correlation, adjective);
    table.name = "correlation " + name;
    table.title += ", " + name;
    chapter.tables.push_back(std::move(table));
    chapter.charts.push_back(heat_chart("heat-" + window.span.text(), window.correlation, "Correlations, " + name,
                                        span_of(window.correlation)));
    windows.push_back({{"window", name},
                       {"observations", window.correlation.observations},
                       {"correlation", rows_of(window.correlation.matrix)},
                       {"averages", averages_json(window.averages)}});
  }
  result["windows"] = windows;
  chapter.tables.push_back(averages_table(relations));
  if (!relations.windows.empty()) chapter.tables.push_back(changes_table(relations));
  chapter.tables.push_back(negative_table(correlation));
}

/// What a page computes the correlations of other days from: the returns between days on which all have a price, and
/// how many periods each spans.
void add_returns(Json& result, const Relations& relations) {
  if (relations.orders.empty()) return;
  const auto returns = relations.returns.at_common_ends();
  const auto rows = returns.common_rows();
  auto days = Json::array(), spans = Json::array(), values = Json::array();
  for (const auto row : rows) {
    days.push_back(to_string(returns.days[row]));
    spans.push_back(returns.spans(Eigen::Index(row), 0));
    values.push_back(list_of(returns.returns.row(Eigen::Index(row)).transpose()));
  }
  result["returns_table"] = {{"assets", returns.assets},
                             {"start", to_string(returns.start)},
                             {"days", days},
                             {"spans", spans},
                             {"returns", values}};
  auto orders = Json::object();
  for (const auto& [name, assets] : relations.orders) orders[name] = assets;
  result["orders"] = orders;
}

/// The same at several intervals, side by side.
void add_intervals(Chapter& chapter, const Relations& relations) {
  const auto& intervals = relations.intervals;
  if (intervals.empty()) return;
  auto list = Json::array();
  for (const auto& at : intervals) {
    list.push_back({{"every", at.every.text()},
                    {"observations", at.correlation.observations},
                    {"correlation", rows_of(at.correlation.matrix)},
                    {"averages", averages_json(at.averages)}});
    if (at.least_related) {
      list.back()["least_related"] = {{"assets", members_of(*at.least_related, at.correlation)},
                                      {"average", at.least_related->average},
                                      {"proven", at.least_related->proven}};
    }
    const auto kind = at.every.adjective() + " " + to_string(relations.returns.kind);
    auto table = correlation_table(at.correlation, kind);
    table.name = "correlation " + at.every.text();
    table.preview = 0;  // for files: the first matrix is the one that is looked at
    chapter.tables.push_back(std::move(table));
    chapter.charts.push_back(heat_chart("heat-" + at.every.text(), at.correlation,
                                        "Correlations of " + kind + " returns", span_of(at.correlation)));
  }
  chapter.result["intervals"] = std::move(list);
  chapter.tables.push_back(intervals_table(intervals));
  if (intervals.size() > 1) chapter.tables.push_back(interval_pairs_table(intervals));
}

void add_pairs(Chapter& chapter, const Relations& relations) {
  if (const auto& bands = relations.bands) {
    chapter.result["bands"] = {{"draws", bands->draws},
                               {"block", bands->block},
                               {"correlation_low", rows_of(bands->correlation_low)},
                               {"correlation_high", rows_of(bands->correlation_high)}};
  }
  chapter.tables.push_back(pairs_table(relations));
}

}  // namespace

Chapter relate_chapter(const Relations& relations, const Universe& universe, const Settings& settings,
                       const Background& from) {
  auto chapter = begin_chapter("relate", universe, settings, from, relations.warnings);
  chapter.sentence = fmt::format("Average correlation {:.2f} of {} pairs", relations.averages.front().mean,
                                 relations.averages.front().pairs);
  add_matrices(chapter, relations, universe);
  add_returns(chapter.result, relations);
  add_intervals(chapter, relations);
  add_subset(chapter, relations, relations.by_absolute);
  add_market_model(chapter, relations, universe);
  add_components(chapter, relations);
  add_stability(chapter, relations);
  add_diversification(chapter, relations);
  add_rolling(chapter, relations);
  add_pairs(chapter, relations);
  return chapter;
}

}  // namespace inchtide::report

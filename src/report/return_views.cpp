#include "inchtide/report/return_views.hpp"

#include <fmt/format.h>

#include <cmath>
#include <limits>

#include "inchtide/base/percent.hpp"
#include "inchtide/report/price_views.hpp"

namespace inchtide::report {
namespace {

/// A count a year, with decimals only where it has any.
std::string rounded(double count) {
  return fmt::format("{:g}", std::round(100 * count) / 100);
}

}  // namespace

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
               {"Standard error", Format::percent},
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

Table histograms_table(const std::vector<NamedHistogram>& histograms) {
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

Chart histogram_chart(const NamedHistogram& named, const Interval& every, ReturnKind kind) {
  const auto& [asset, histogram] = named;
  Chart chart;
  chart.title = fmt::format("{}: {} {} returns", asset, every.adjective(), to_string(kind));
  chart.subtitle =
      fmt::format("mean {}, deviation {} a period", percent_text(histogram.mean), percent_text(histogram.deviation));
  chart.x = {"Return", Scale::percent};
  chart.y = {"Returns in the bin", Scale::number};
  chart.y_from_zero = true;
  chart.key = Chart::Key::top_left;
  Series boxes{Series::Kind::boxes, "returns"};
  boxes.colour = colour::deep;
  boxes.box = histogram.width();
  for (std::size_t k = 0; k < histogram.counts.size(); ++k) {
    boxes.x.push_back((histogram.edges[k] + histogram.edges[k + 1]) / 2);
    boxes.y.push_back(double(histogram.counts[k]));
  }
  chart.series.push_back(std::move(boxes));
  if (histogram.deviation > 0) {
    Series normal{Series::Kind::line, "normal, same mean and deviation"};
    normal.colour = colour::amber;
    constexpr int points = 200;
    const double least = std::min(histogram.edges.front(), histogram.mean - 3 * histogram.deviation);
    const double most = std::max(histogram.edges.back(), histogram.mean + 3 * histogram.deviation);
    for (int k = 0; k <= points; ++k) {
      normal.x.push_back(least + (most - least) * k / points);
      normal.y.push_back(histogram.normal_height(normal.x.back()));
    }
    chart.series.push_back(std::move(normal));
  }
  return chart;
}

Chart growth_chart(const ReturnTable& returns, bool has_benchmark) {
  PriceTable table;
  table.days = {returns.start};
  table.days.insert(table.days.end(), returns.days.begin(), returns.days.end());
  table.prices.setConstant(Eigen::Index(table.days.size()), returns.returns.cols(),
                           std::numeric_limits<double>::quiet_NaN());
  for (Eigen::Index i = 0; i < returns.returns.cols(); ++i) {
    table.assets.push_back({returns.assets[std::size_t(i)]});
    const auto growth = growth_of(returns, i);
    std::size_t at = 0;
    for (std::size_t t = 0; t < table.days.size() && at < growth.days.size(); ++t) {
      if (table.days[t] == growth.days[at]) table.prices(Eigen::Index(t), i) = growth.values[at++] - 1;
    }
  }
  return prices_chart("Cumulative growth", {"Growth since the start", Scale::percent}, table, has_benchmark);
}

Chart return_risk_chart(const std::vector<AssetFigures>& figures) {
  Chart chart;
  chart.title = "Return and risk per year";
  chart.x = {"", Scale::number};
  chart.y = {"Per year", Scale::percent};
  chart.key = Chart::Key::top_left;
  chart.y_from_zero = true;
  Series mean{Series::Kind::boxes, "mean return, arithmetic"}, risk{Series::Kind::boxes, "volatility"};
  mean.colour = colour::deep;
  risk.colour = colour::sand;
  risk.hatched = true;
  constexpr double width = 0.38;
  mean.box = risk.box = width;
  for (std::size_t i = 0; i < figures.size(); ++i) {
    chart.x.categories.push_back(figures[i].asset);
    mean.x.push_back(double(i) - width / 2);
    risk.x.push_back(double(i) + width / 2);
    mean.y.push_back(figures[i].mean_arithmetic);
    risk.y.push_back(figures[i].volatility);
  }
  chart.series = {mean, risk};
  return chart;
}

}  // namespace inchtide::report

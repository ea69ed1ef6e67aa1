#include "relation_charts.hpp"

#include <fmt/format.h>

#include <utility>

namespace inchtide::report {

Chart heat_chart(const std::string& name, const Correlation& correlation, const std::string& title,
                 const std::string& subtitle) {
  Chart chart{.name = name, .title = title, .subtitle = subtitle};
  HeatMap heat{correlation.assets, {}};
  for (auto row : correlation.matrix.rowwise()) heat.values.insert(heat.values.end(), row.begin(), row.end());
  chart.heat = std::move(heat);
  return chart;
}

Chart diversification_chart(const DiversificationCurve& curve) {
  Chart chart{.name = "diversification", .title = "What spreading over more assets does"};
  chart.x = {"Assets, equally weighted", Scale::number};
  chart.y = {"Volatility per year", Scale::percent};
  chart.y_from_zero = true;
  chart.key = Chart::Key::top_right;
  std::vector<double> sizes;
  for (Eigen::Index k = 1; k <= curve.expected.size(); ++k) sizes.push_back(double(k));
  const auto list = [](const Eigen::VectorXd& values) { return std::vector<double>(values.begin(), values.end()); };
  if (curve.draws > 0) {
    chart.series.emplace_back(Band{fmt::format("90% of {} random choices", curve.draws), sizes, list(curve.low),
                                   list(curve.high), colour::dusk});
    chart.series.emplace_back(Line{"their mean", sizes, list(curve.mean), colour::dusk, Dash::dashed, 2});
  }
  chart.series.emplace_back(
      Line{"root of the mean variance", sizes, list(curve.expected), colour::deep, Dash::solid, 3});
  if (curve.floor > 0) {
    chart.series.emplace_back(Line{"what no spreading takes away", sizes,
                                   std::vector<double>(sizes.size(), curve.floor), colour::rust, Dash::dotted, 2});
  }
  return chart;
}

Chart rolling_chart(const std::vector<RollingCorrelation>& pairs) {
  Chart chart{.name = "rolling", .title = fmt::format("Correlation over the last {} returns", pairs.front().window)};
  chart.subtitle = "shaded: the 95% interval (Fisher)";
  chart.x = {"Window's last day", Scale::day};
  chart.y = {"Correlation", Scale::number};
  chart.key = Chart::Key::below;
  for (std::size_t k = 0; k < pairs.size(); ++k) {
    const auto& pair = pairs[k];
    const auto* hue = colour::of_series(k);
    chart.series.insert(chart.series.begin(), Band{"", pair.days, pair.low, pair.high, hue});
    chart.series.emplace_back(Line{fmt::format("{} and {}", pair.a, pair.b), pair.days, pair.values, hue, Dash(k % 4)});
  }
  return chart;
}

}  // namespace inchtide::report

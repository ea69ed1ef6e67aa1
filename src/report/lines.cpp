#include "lines.hpp"

#include <cmath>

namespace inchtide::report {

Line line_over(const std::vector<Day>& days, const std::vector<double>& values, std::string name, const char* hue,
               Dash dash, double width) {
  std::vector<Day> x;
  Line line{std::move(name), {}, {}, hue, dash, width};
  for (std::size_t t = 0; t < days.size(); ++t) {
    if (x.empty() && !std::isfinite(values[t])) continue;
    x.push_back(days[t]);
    line.y.push_back(values[t]);
  }
  line.x = std::move(x);
  return line;
}

Chart lines_chart(const std::string& name, const std::string& title, const Axis& y, const PriceTable& prices,
                  bool has_benchmark) {
  constexpr std::size_t few = 8;
  Chart chart{.name = name, .title = title, .x = {"Day", Scale::day}, .y = y};
  chart.key = Chart::Key::ends;
  for (std::size_t i = 0; i < prices.assets.size(); ++i) {
    const bool last = has_benchmark && i + 1 == prices.assets.size();
    const auto column = prices.prices.col(Eigen::Index(i));
    const auto dash = last ? Dash::solid : Dash(i / colour::series.size() % 4);
    auto line = line_over(prices.days, {column.begin(), column.end()}, prices.assets[i].code,
                          last ? colour::ink : colour::of_series(i), dash, last ? 3.5 : 1.6);
    line.faint = !last && prices.assets.size() > few;
    chart.series.emplace_back(std::move(line));
  }
  return chart;
}

}  // namespace inchtide::report

#include "frontier_charts.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "inchtide/base/percent.hpp"
#include "stack.hpp"

namespace inchtide::report {
namespace {

/// A line through points of risk and return.
Line line_through(std::string name, const std::vector<RiskReturn>& points, const char* hue, Dash dash, double width) {
  std::vector<double> x;
  Line line{std::move(name), {}, {}, hue, dash, width};
  for (const auto& point : points) {
    x.push_back(point.volatility);
    line.y.push_back(point.expected_return);
  }
  line.x = std::move(x);
  return line;
}

Points marked(std::string name, const std::vector<RiskReturn>& points, const char* hue, Marker marker, double size) {
  Points marks{.name = std::move(name), .colour = hue, .marker = marker, .size = size};
  for (const auto& point : points) {
    marks.x.push_back(point.volatility);
    marks.y.push_back(point.expected_return);
  }
  return marks;
}

Points asset_points(const Estimate& estimate) {
  const Eigen::VectorXd volatilities = estimate.volatilities();
  Points assets{.name = "assets", .colour = colour::dusk, .marker = Marker::dot, .size = 0.9};
  assets.x.assign(volatilities.begin(), volatilities.end());
  assets.y.assign(estimate.expected_return.begin(), estimate.expected_return.end());
  assets.labels = estimate.assets;
  return assets;
}

/// The portfolio of highest Sharpe ratio, and the capital market line through it, which lies behind.
void add_best(Chart& chart, const Frontier& frontier, double risk_free) {
  if (frontier.why_no_maximum_sharpe(risk_free)) return;
  const auto best = frontier.maximum_sharpe(risk_free);
  const auto& [portfolio, sharpe, at_top] = best;
  const double far = std::max(frontier.corners().front().volatility, 1.4 * portfolio.volatility);
  Line market{fmt::format("capital market line from {}", short_percent(risk_free)),
              std::vector<double>{0, far},
              {risk_free, risk_free + sharpe * far},
              colour::amber,
              Dash::dashed,
              2};
  chart.series.insert(chart.series.begin(), std::move(market));
  const double whole = whole_return(portfolio.expected_return, frontier.bounds().budget, risk_free);
  chart.series.emplace_back(marked(fmt::format("maximum Sharpe ({:.2f})", sharpe), {{whole, portfolio.volatility}},
                                   colour::rust, Marker::diamond, 2.4));
}

/// What 90% of the draws promise.
void add_band(Chart& chart, const Sensitivity& drawn) {
  if (drawn.frontier.size() < 2) return;
  std::vector<double> x;
  Band band{.name = "90% of draws", .opacity = 0.15};
  Line middle{"median draw", {}, {}, colour::sand, Dash::dash_dot, 2};
  for (const auto& at : drawn.frontier) {
    x.push_back(at.volatility);
    band.low.push_back(at.low);
    band.high.push_back(at.high);
    middle.y.push_back(at.middle);
  }
  band.x = x;
  middle.x = x;
  chart.key = Chart::Key::right;  // the band reaches where the key would be
  chart.series.insert(chart.series.begin(), {band, middle});
}

}  // namespace

Chart frontier_chart(const Tracing& tracing, double risk_free) {
  const auto& frontier = tracing.frontier;
  const auto& estimate = frontier.estimate();
  Chart chart{.name = "frontier", .title = "Efficient frontier"};
  if (estimate.from && estimate.to) {
    chart.subtitle = fmt::format("estimated from {} to {}, {} returns", to_string(*estimate.from),
                                 to_string(*estimate.to), estimate.observations);
  }
  chart.x = {"Volatility per year", Scale::percent};
  chart.y = {"Expected return per year", Scale::percent};
  chart.x_from_zero = true;
  chart.key = Chart::Key::top_left;
  std::vector<RiskReturn> corners;
  for (std::size_t k = 0; k < frontier.corners().size(); ++k) {
    corners.push_back(frontier.risk_and_return(k, risk_free));
  }
  chart.series.emplace_back(
      line_through("efficient frontier", frontier.line(risk_free), colour::deep, Dash::solid, 3.5));
  chart.series.emplace_back(marked("corners", corners, colour::deep, Marker::circle, 0.8));
  chart.series.emplace_back(asset_points(estimate));
  chart.series.emplace_back(marked("minimum variance", {corners.back()}, colour::kelp, Marker::square, 2));
  add_best(chart, frontier, risk_free);
  if (!tracing.tracked.empty()) {
    std::vector<RiskReturn> points;
    for (const auto& [portfolio, error, price, volatility_price, prices] : tracing.tracked) {
      points.push_back(
          {whole_return(portfolio.expected_return, portfolio.weights.sum(), risk_free), portfolio.volatility});
    }
    chart.series.emplace_back(line_through("within the tracking error", points, colour::dusk, Dash::dotted, 3));
  }
  if (!tracing.lower_line.empty()) {
    chart.series.emplace_back(line_through("lower half", tracing.lower_line, colour::deep, Dash::dotted, 2));
  }
  if (tracing.drawn) add_band(chart, *tracing.drawn);
  if (!tracing.cloud.empty()) {
    chart.key = Chart::Key::right;
    chart.series.insert(chart.series.begin(), marked(fmt::format("{} random portfolios", tracing.cloud.size()),
                                                     tracing.cloud, colour::sand, Marker::dot, 0.4));
  }
  return chart;
}

Chart transition_chart(const Frontier& frontier) {
  const auto& corners = frontier.corners();
  const auto& assets = frontier.estimate().assets;
  Chart chart{.name = "transition", .title = "Weights along the efficient frontier"};
  chart.subtitle = "straight lines between the corners, minimum variance at the left";
  chart.x = {"Expected return per year", Scale::percent};
  chart.y = {"Weight, stacked", Scale::percent};
  chart.key = Chart::Key::right;
  chart.y_from_zero = chart.tight = true;
  Eigen::MatrixXd weights(Eigen::Index(assets.size()), Eigen::Index(corners.size()));
  std::vector<double> x;
  for (std::size_t k = 0; k < corners.size(); ++k) {
    const auto at = corners.size() - 1 - k;
    weights.col(Eigen::Index(k)) = frontier.weights(at);
    x.push_back(frontier.risk_and_return(at, frontier.estimate().risk_free).expected_return);
  }
  if (x.size() == 1) {  // one portfolio only: a bar of some width
    x = {x[0] - 1e-4, x[0] + 1e-4};
    weights = weights.replicate(1, 2).eval();
  }
  Stack stack(x, x.size());
  for (std::size_t i = 0; i < assets.size(); ++i) stack.lay(chart, assets[i], weights.row(Eigen::Index(i)).transpose());
  return chart;
}

}  // namespace inchtide::report

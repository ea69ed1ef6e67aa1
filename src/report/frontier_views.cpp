#include "inchtide/report/frontier_views.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "inchtide/report/views.hpp"

namespace inchtide::report {
namespace {

double return_of(const Portfolio& p, double risk_free) {
  return whole_return(p.expected_return, p.weights.sum(), risk_free);
}

Json point_json(const TrackedPortfolio& point, const Estimate& estimate) {
  return {{"expected_return", return_of(point.portfolio, estimate.risk_free)},
          {"volatility", point.portfolio.volatility},
          {"tracking_error", point.tracking_error},
          {"lambda", point.portfolio.lambda},
          {"on_ceiling", point.ceiling_price > 0},
          {"weights", weights_json(estimate.assets, point.portfolio.weights)}};
}

}  // namespace

Table tracked_table(const std::vector<TrackedPortfolio>& points, double risk_free) {
  Table table{"tracked",
              "Certified points within the tracking error, per year",
              {{"Expected return", Format::percent},
               {"Volatility", Format::percent},
               {"Tracking error", Format::percent},
               {"Sharpe", Format::number3},
               {"Held", Format::count},
               {"Ceiling"}},
              {},
              {}};
  for (const auto& point : points) {
    const auto& p = point.portfolio;
    table.add({return_of(p, risk_free), p.volatility, point.tracking_error,
               p.volatility > 0 ? Cell(p.sharpe(risk_free)) : Cell(), double(held_count(p.weights)),
               point.ceiling_price > 0 ? "met" : "slack"});
  }
  return table;
}

void add_tracked(Chart& chart, const std::vector<TrackedPortfolio>& points, double risk_free) {
  Series line{Series::Kind::line, "within the tracking error"};
  line.colour = colour::dusk;
  line.dash = Dash::dotted;
  line.width = 3;
  for (const auto& point : points) {
    line.x.push_back(point.portfolio.volatility);
    line.y.push_back(return_of(point.portfolio, risk_free));
  }
  chart.series.push_back(std::move(line));
}

void restrict_to_tracking_error(Json& result, const Frontier& frontier, const std::vector<TrackedPortfolio>& points,
                                const std::vector<Allocation>& chosen, const BenchmarkRisk& benchmark) {
  const auto& assets = frontier.estimate().assets;
  const double ceiling = frontier.bounds().tracking_error.value().value;
  auto corners = Json::array();
  for (std::size_t k = 0; k < frontier.corners().size(); ++k) {
    const double error = benchmark.tracking_error(frontier.estimate().covariance, frontier.weights(k));
    if (error > ceiling) continue;
    auto corner = result["corners"][k];
    corner["tracking_error"] = error;
    corners.push_back(std::move(corner));
  }
  result["corners"] = std::move(corners);
  auto list = Json::array();
  for (const auto& point : points) list.push_back(point_json(point, frontier.estimate()));
  result["points"] = std::move(list);
  result["maximum_sharpe"] = nullptr;  // where there is one it follows
  for (const auto& allocation : chosen) {
    auto& target = result[allocation.aim == "minimum-variance" ? "minimum_variance" : "maximum_sharpe"];
    target = {{"expected_return", allocation.expected_return},
              {"volatility", allocation.volatility},
              {"sharpe", allocation.volatility > 0 ? Json(allocation.sharpe) : Json()},
              {"tracking_error", *allocation.tracking_error},
              {"weights", weights_json(assets, allocation.weights)}};
  }
}

Table lower_half_table(const std::vector<Portfolio>& corners, double risk_free) {
  Table table{"lower-half",
              "The inefficient half: corners from the minimum variance down, per year",
              {{"Expected return", Format::percent}, {"Volatility", Format::percent}, {"Held", Format::count}},
              {},
              {}};
  for (const auto& corner : corners) {
    table.add({return_of(corner, risk_free), corner.volatility, double(held_count(corner.weights))});
  }
  return table;
}

void add_lower_half(Json& result, Chart& chart, const Estimate& estimate, const std::vector<Portfolio>& corners) {
  auto list = Json::array();
  Series line{Series::Kind::line, "lower half"};
  line.colour = colour::deep;
  line.dash = Dash::dotted;
  line.width = 2;
  for (std::size_t k = 0; k < corners.size(); ++k) {
    const double whole = return_of(corners[k], estimate.risk_free);
    list.push_back({{"expected_return", whole},
                    {"volatility", corners[k].volatility},
                    {"lambda", corners[k].lambda},
                    {"weights", weights_json(estimate.assets, corners[k].weights)}});
    line.x.push_back(corners[k].volatility);
    line.y.push_back(whole);
    if (k + 1 == corners.size()) break;
    add_between(line, estimate, corners[k].weights, corners[k + 1].weights);
  }
  result["lower_half"] = std::move(list);
  chart.series.push_back(std::move(line));
}

Table weight_bands_table(const WeightBands& bands, const std::vector<std::string>& assets, const Sensitivity& drawn) {
  Table table{"draws-" + bands.aim,
              fmt::format("Weights of {} over {} draws", bands.aim, bands.draws),
              {{"Asset"},
               {"As estimated", Format::percent},
               {"Average", Format::percent},
               {"5% of draws below", Format::percent},
               {"5% above", Format::percent},
               {"Held in", Format::percent, "of draws"}},
              {},
              {}};
  std::vector<std::string> never;
  for (std::size_t i = 0; i < assets.size(); ++i) {
    const auto at = Eigen::Index(i);
    if (bands.held[at] == 0 && !(bands.weights.size() > 0 && is_held(bands.weights[at]))) {
      never.push_back(assets[i]);
      continue;
    }
    table.add({assets[i], bands.weights.size() > 0 ? Cell(bands.weights[at]) : Cell(), bands.average[at], bands.low[at],
               bands.high[at], bands.held[at]});
  }
  if (!never.empty()) table.notes.push_back(fmt::format("Held in no draw: {} assets", never.size()));
  table.notes.push_back(fmt::format(
      "Each draw resamples the history in blocks of {:.1f} periods on average, estimates anew and solves under the "
      "same limits{}",
      drawn.block, drawn.left_out > 0 ? fmt::format("; {} draws had no certified frontier", drawn.left_out) : ""));
  return table;
}

void add_band(Chart& chart, const Sensitivity& drawn) {
  Series band{Series::Kind::band, "90% of draws"};
  band.colour = colour::deep;
  band.opacity = 0.15;
  Series middle{Series::Kind::line, "median draw"};
  middle.colour = colour::sand;
  middle.dash = Dash::dash_dot;
  middle.width = 2;
  for (const auto& at : drawn.frontier) {
    band.x.push_back(at.volatility);
    band.low.push_back(at.low);
    band.y.push_back(at.high);
    middle.x.push_back(at.volatility);
    middle.y.push_back(at.middle);
  }
  if (band.x.size() < 2) return;
  chart.key = Chart::Key::right;  // the band reaches where the key would be
  chart.series.insert(chart.series.begin(), {band, middle});
}

Json sensitivity_result(const Sensitivity& drawn, const std::vector<std::string>& assets) {
  auto frontier = Json::array(), portfolios = Json::array();
  for (const auto& at : drawn.frontier) {
    frontier.push_back({{"volatility", at.volatility},
                        {"low", at.low},
                        {"median", at.middle},
                        {"high", at.high},
                        {"draws", at.draws}});
  }
  for (const auto& bands : drawn.portfolios) {
    portfolios.push_back({{"aim", bands.aim},
                          {"draws", bands.draws},
                          {"average", weights_json(assets, bands.average)},
                          {"low", weights_json(assets, bands.low)},
                          {"high", weights_json(assets, bands.high)},
                          {"held", weights_json(assets, bands.held)}});
  }
  return {{"draws", drawn.draws},
          {"block", drawn.block},
          {"left_out", drawn.left_out},
          {"frontier", frontier},
          {"portfolios", portfolios}};
}

void add_cloud(Chart& chart, const Estimate& estimate, const Eigen::MatrixXd& weights) {
  Series cloud{Series::Kind::points, fmt::format("{} random portfolios", weights.cols())};
  cloud.colour = colour::sand;
  cloud.marker = Marker::dot;
  cloud.width = 0.4;
  for (Eigen::Index c = 0; c < weights.cols(); ++c) {
    cloud.x.push_back(std::sqrt(estimate.covariance.portfolio_variance(weights.col(c))));
    const double of_weights = estimate.expected_return.dot(weights.col(c));
    cloud.y.push_back(whole_return(of_weights, weights.col(c).sum(), estimate.risk_free));
  }
  chart.key = Chart::Key::right;
  chart.series.insert(chart.series.begin(), std::move(cloud));
}

}  // namespace inchtide::report

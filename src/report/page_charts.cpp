#include "report/page_charts.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>

namespace inchtide::report {
namespace {

constexpr std::size_t most_figures = 300'000;  // of a chart's lines

/// To six figures, as many as a chart can show.
Json figure(double value) {
  if (!std::isfinite(value)) return {};
  if (value == 0) return 0.0;
  char text[32];
  const auto end = std::to_chars(text, text + sizeof text, value, std::chars_format::general, 6).ptr;
  std::from_chars(text, end, value);
  return value;
}

Json figures(const std::vector<double>& values) {
  auto list = Json::array();
  for (const double value : values) list.push_back(figure(value));
  return list;
}

Json days(const std::vector<Day>& values) {
  auto list = Json::array();
  for (const auto day : values) list.push_back(day.time_since_epoch().count());
  return list;
}

Json along(const Along& x) {
  if (const auto* of_days = std::get_if<std::vector<Day>>(&x)) return days(*of_days);
  return figures(std::get<std::vector<double>>(x));
}

const char* name_of(Scale scale) {
  return scale == Scale::percent ? "percent" : scale == Scale::day ? "day" : "number";
}

Json axis(const Axis& axis) {
  return {{"title", axis.title}, {"scale", name_of(axis.scale)}, {"categories", axis.categories}};
}

Json one(const Line& line) {
  const char* dashes[] = {"solid", "dashed", "dotted", "dash_dot"};
  return {{"kind", "line"},
          {"x", along(line.x)},
          {"y", figures(line.y)},
          {"dash", dashes[std::size_t(line.dash)]},
          {"width", line.width}};
}
Json one(const Points& points) {
  const char* markers[] = {"dot", "circle", "square", "diamond", "triangle"};
  return {{"kind", "points"},        {"x", figures(points.x)}, {"y", figures(points.y)},
          {"labels", points.labels}, {"size", points.size},    {"marker", markers[std::size_t(points.marker)]}};
}
Json one(const Columns& columns) {
  return {{"kind", "columns"}, {"x", days(columns.x)}, {"y", figures(columns.y)}};
}
Json one(const PriceBars& bars) {
  return {{"kind", "bars"},
          {"x", days(bars.x)},
          {"open", figures(bars.open)},
          {"high", figures(bars.high)},
          {"low", figures(bars.low)},
          {"close", figures(bars.close)}};
}
Json one(const Boxes& boxes) {
  return {{"kind", "boxes"},
          {"x", figures(boxes.x)},
          {"y", figures(boxes.y)},
          {"width", boxes.width},
          {"hatched", boxes.hatched}};
}
Json one(const Band& band) {
  return {{"kind", "band"},          {"x", along(band.x)},     {"low", figures(band.low)}, {"high", figures(band.high)},
          {"hatched", band.hatched}, {"opacity", band.opacity}};
}

Json one(const Whiskers& whiskers) {
  return {{"kind", "whiskers"},
          {"x", figures(whiskers.x)},
          {"low", figures(whiskers.low)},
          {"high", figures(whiskers.high)}};
}

Json all(const std::vector<Series>& series) {
  auto list = Json::array();
  for (const auto& each : series) {
    list.push_back(std::visit(
        [](const auto& of_kind) {
          auto json = one(of_kind);
          json["name"] = of_kind.name;
          json["colour"] = of_kind.colour;
          return json;
        },
        each));
  }
  return list;
}

/// Series after series, panel by panel: one along the same figures as an earlier one has that one's number in their
/// place.
void share_x(std::vector<Json*>& series) {
  std::vector<std::pair<std::size_t, const Json*>> known;
  for (std::size_t k = 0; k < series.size(); ++k) {
    auto& x = (*series[k])["x"];
    const auto same = std::ranges::find_if(known, [&](const auto& one) { return *one.second == x; });
    if (same != known.end()) {
      x = same->first;
    } else {
      known.emplace_back(k, &x);
    }
  }
}

template <typename Value>
void keep_each(std::vector<Value>& values, std::size_t stride) {
  std::vector<Value> kept;
  for (std::size_t k = 0; k < values.size(); k += stride) kept.push_back(values[k]);
  if (!values.empty() && (values.size() - 1) % stride != 0) kept.push_back(values.back());
  values = std::move(kept);
}

/// Lines over days of hundreds of assets: as many of their days as a page can hold, the last among them.
Chart thinned(Chart chart) {
  std::size_t figures = 0;
  for (const auto& series : chart.series) {
    if (const auto* line = std::get_if<Line>(&series)) figures += line->y.size();
  }
  const auto stride = (figures + most_figures - 1) / most_figures;
  if (stride < 2 || chart.x.scale != Scale::day) return chart;
  for (auto& series : chart.series) {
    auto* line = std::get_if<Line>(&series);
    if (line == nullptr) continue;
    std::visit([&](auto& values) { keep_each(values, stride); }, line->x);
    keep_each(line->y, stride);
  }
  chart.subtitle += fmt::format("{}one day in {} is drawn", chart.subtitle.empty() ? "" : "; ", stride);
  return chart;
}

}  // namespace

Json page_chart(const Chart& whole) {
  const auto chart = thinned(whole);
  Json json{{"name", chart.name},
            {"title", chart.title},
            {"subtitle", chart.subtitle},
            {"x", axis(chart.x)},
            {"y", axis(chart.y)},
            {"series", all(chart.series)},
            {"x_from_zero", chart.x_from_zero},
            {"y_from_zero", chart.y_from_zero},
            {"tight", chart.tight},
            {"flat", chart.flat}};
  json["below"] = Json::array();
  for (const auto& panel : chart.below) json["below"].push_back({{"y", axis(panel.y)}, {"series", all(panel.series)}});
  std::vector<Json*> series;
  for (auto& one : json["series"]) series.push_back(&one);
  for (auto& panel : json["below"]) {
    for (auto& one : panel["series"]) series.push_back(&one);
  }
  share_x(series);
  json["heat"] = chart.heat ? Json{{"names", chart.heat->names}, {"values", figures(chart.heat->values)}} : Json();
  return json;
}

}  // namespace inchtide::report

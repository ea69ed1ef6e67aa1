#include "report/page_charts.hpp"

#include <fmt/format.h>

#include <cmath>
#include <cstdlib>

namespace inchtide::report {
namespace {

Json figure(double value) {
  if (!std::isfinite(value)) return {};
  return std::strtod(fmt::format("{:.6g}", value).c_str(), nullptr);
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

}  // namespace

Json page_chart(const Chart& chart) {
  Json json{{"name", chart.name},
            {"title", chart.title},
            {"subtitle", chart.subtitle},
            {"x", axis(chart.x)},
            {"y", axis(chart.y)},
            {"series", all(chart.series)},
            {"x_from_zero", chart.x_from_zero},
            {"y_from_zero", chart.y_from_zero},
            {"tight", chart.tight}};
  json["below"] = Json::array();
  for (const auto& panel : chart.below) json["below"].push_back({{"y", axis(panel.y)}, {"series", all(panel.series)}});
  json["heat"] = chart.heat ? Json{{"names", chart.heat->names}, {"values", figures(chart.heat->values)}} : Json();
  return json;
}

}  // namespace inchtide::report

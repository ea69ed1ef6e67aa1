#include "labels.hpp"

#include <algorithm>
#include <cmath>
#include <cstddef>
#include <type_traits>
#include <variant>

namespace inchtide::report {
namespace {

constexpr double seconds_a_day = 86400;

std::vector<double> on_line(const std::vector<double>& places) {
  return places;
}

std::vector<double> on_line(const std::vector<Day>& days) {
  std::vector<double> seconds;
  for (Day day : days) seconds.push_back(seconds_a_day * double(day.time_since_epoch().count()));
  return seconds;
}

std::vector<double> on_line(const Along& places) {
  return std::visit([](const auto& list) { return on_line(list); }, places);
}

struct Box {
  double left, right, bottom, top;

  bool touches(const Box& other) const {
    return left < other.right && other.left < right && bottom < other.top && other.bottom < top;
  }
};

/// The room that a label takes, in points of a picture of about 1100 x 640, for a point at (x, y).
Box label_box(double x, double y, std::size_t letters, Side side) {
  constexpr double letter = 8.5, half_line = 8, gap = 9;
  const double width = letter * double(letters);
  switch (side) {
    case Side::right: return {x + gap, x + gap + width, y - half_line, y + half_line};
    case Side::left: return {x - gap - width, x - gap, y - half_line, y + half_line};
    case Side::above: return {x - width / 2, x + width / 2, y + gap, y + gap + 2 * half_line};
    case Side::below: return {x - width / 2, x + width / 2, y - gap - 2 * half_line, y - gap};
  }
  return {};
}

/// Maps a chart's data onto the picture, near enough to see which labels would collide.
struct Picture {
  double least_x = 1e300, most_x = -1e300, least_y = 1e300, most_y = -1e300;

  explicit Picture(const Chart& chart) {
    if (chart.x_from_zero) least_x = 0;
    for (const auto& series : chart.series) {
      const auto figures = figures_of(series);
      for (double x : figures.x) least_x = std::min(least_x, x), most_x = std::max(most_x, x);
      for (double y : *figures.columns.back()) least_y = std::min(least_y, y), most_y = std::max(most_y, y);
    }
  }
  double x(double value) const { return 1100 * 0.85 * (value - least_x) / std::max(most_x - least_x, 1e-300); }
  double y(double value) const { return 640 * 0.8 * (value - least_y) / std::max(most_y - least_y, 1e-300); }
};

}  // namespace

Figures figures_of(const Series& series) {
  return std::visit(
      [](const auto& s) -> Figures {
        using Kind = std::decay_t<decltype(s)>;
        if constexpr (std::is_same_v<Kind, PriceBars>) {
          return {on_line(s.x), {&s.open, &s.low, &s.high, &s.close}};
        } else if constexpr (std::is_same_v<Kind, Band> || std::is_same_v<Kind, Whiskers>) {
          return {on_line(s.x), {&s.low, &s.high}};
        } else if constexpr (std::is_same_v<Kind, Points>) {
          return {on_line(s.x), {&s.y}, &s};
        } else {
          return {on_line(s.x), {&s.y}};
        }
      },
      series);
}

std::vector<LineEnd> line_ends(const std::vector<Series>& all) {
  constexpr double room_of_a_name = 0.027;  // of the picture's height
  double least = 1e300, most = -1e300;
  std::vector<LineEnd> ends;
  for (const auto& series : all) {
    const auto* line = std::get_if<Line>(&series);
    if (line == nullptr) continue;
    const auto figures = figures_of(series);
    for (std::size_t t = 0; t < line->y.size(); ++t) {
      if (!std::isfinite(line->y[t])) continue;
      least = std::min(least, line->y[t]);
      most = std::max(most, line->y[t]);
    }
    for (std::size_t t = line->y.size(); t-- > 0 && !line->name.empty();) {
      if (!std::isfinite(line->y[t])) continue;
      ends.push_back({line->name, line->colour, figures.x[t], line->y[t]});
      break;
    }
  }
  std::ranges::stable_sort(ends, std::ranges::greater(), &LineEnd::y);
  const double gap = room_of_a_name * (most - least);
  for (std::size_t k = 1; k < ends.size(); ++k) ends[k].y = std::min(ends[k].y, ends[k - 1].y - gap);
  if (!ends.empty()) ends.back().y = std::max(ends.back().y, least);
  for (std::size_t k = ends.size(); k-- > 1;) ends[k - 1].y = std::max(ends[k - 1].y, ends[k].y + gap);
  return ends;
}

std::vector<Side> label_sides(const Chart& chart, const Points& series) {
  const Picture picture(chart);
  std::vector<Box> taken;
  for (std::size_t i = 0; i < series.labels.size(); ++i) {
    const double x = picture.x(series.x[i]), y = picture.y(series.y[i]);
    taken.push_back({x - 4, x + 4, y - 4, y + 4});
  }
  std::vector<Side> chosen;
  for (std::size_t i = 0; i < series.labels.size(); ++i) {
    const auto box_on = [&](Side side) {
      return label_box(picture.x(series.x[i]), picture.y(series.y[i]), series.labels[i].size(), side);
    };
    const auto is_free = [&](Side side) {
      const auto box = box_on(side);
      return box.left >= 0 && std::ranges::none_of(taken, [&](const Box& other) { return box.touches(other); });
    };
    const auto* side = std::ranges::find_if(sides, is_free);
    chosen.push_back(side == std::end(sides) ? Side::right : *side);
    taken.push_back(box_on(chosen.back()));
  }
  return chosen;
}

}  // namespace inchtide::report

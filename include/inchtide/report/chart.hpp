#pragma once
/// A chart made once as values, then drawn by a writer.

#include <chrono>
#include <filesystem>
#include <optional>
#include <string>
#include <vector>

namespace inchtide::report {

/// Our colours.
namespace colour {
inline constexpr const char* ink = "#1E2A32";
inline constexpr const char* deep = "#0B5563";
inline constexpr const char* foam = "#DDEBE9";
inline constexpr const char* sand = "#C8A26B";
inline constexpr const char* kelp = "#5B7F3A";
inline constexpr const char* amber = "#D98E04";
inline constexpr const char* rust = "#A8442A";
inline constexpr const char* dusk = "#6B5B95";
}  // namespace colour

/// What an axis measures: a plain number, a fraction shown as percent, or days (seconds since 1970).
enum class Scale { number, percent, day };

struct Axis {
  std::string title;  ///< with its unit
  Scale scale = Scale::number;
  std::vector<std::string> categories = {};  ///< names at 0, 1, 2, ... in place of figures
};

enum class Dash { solid, dashed, dotted, dash_dot };
enum class Marker { dot, circle, square, diamond, triangle };

/// One series of points: joined by a line, marked one by one, standing on the axis, bars from low to high with ticks
/// at open (left) and close (right), boxes from 0 as wide as `box`, or a band from `low` to y.
struct Series {
  enum class Kind { line, points, columns, bars, boxes, band };
  Kind kind = Kind::line;
  std::string name;  ///< in the key; none when empty
  std::vector<double> x, y;
  std::vector<std::string> labels;            ///< beside the points; empty for none
  std::string colour = report::colour::deep;  ///< one of ours; a dark theme shows a lighter tint of it
  Dash dash = Dash::solid;
  Marker marker = Marker::circle;
  double width = 2.5;
  std::vector<double> open = {}, high = {}, low = {};  ///< for bars, whose close is y; low for a band
  double box = 1;                                      ///< width of boxes, in the units of x
  bool hatched = false;                                ///< boxes and bands that must be told apart from others
  double opacity = 0.25;                               ///< of a band that isn't hatched
};

/// A strip below the chart with the same horizontal axis.
struct Panel {
  Axis y;
  std::vector<Series> series;
};

enum class Theme { light, dark };

/// A square of correlations, each cell coloured from deep (-1) over foam (0) to amber (+1), with its figure in it.
struct HeatMap {
  std::vector<std::string> names;
  std::vector<double> values;  ///< row by row; NaN is an empty cell
};

struct Chart {
  std::string title;
  std::string subtitle;
  Axis x, y;
  std::vector<Series> series;
  bool x_from_zero = false;
  bool y_from_zero = false;  ///< 0 is within the vertical axis
  bool tight = false;        ///< the axes end where the data do
  enum class Key { bottom_right, top_left, top_right, below, right };
  Key key = Key::bottom_right;
  std::vector<Panel> below = {};
  Theme theme = Theme::light;
  std::optional<HeatMap> heat = {};  ///< takes the place of axes and series
};

/// Draws a chart with gnuplot, as PNG, SVG or PDF by the file's ending. The file appears whole or not at all.
/// @throws InputError when the ending is another one or a series has no points to draw
/// @throws OutsideFailure when gnuplot isn't installed (saying how to get it), fails, takes longer than
///   `patience` (it is then stopped), leaves half a picture, or the file cannot be written
/// Texts may hold anything: they are drawn as they stand, what cannot be shown as U+FFFD.
void draw(const Chart& chart, const std::filesystem::path& path,
          std::chrono::milliseconds patience = std::chrono::seconds(60));

}  // namespace inchtide::report

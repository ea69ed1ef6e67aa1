#pragma once
/// A chart made once as values, then drawn by a writer.
///
/// @code
/// #include <cassert>
/// using namespace inchtide::report;
/// Chart chart{.name = "line", .title = "A line"};
/// chart.series = {Line{"line", std::vector<double>{0, 1}, {0, 2}}};
/// assert(name_of(chart.series[0]) == "line" && colour::of_series(0) == colour::deep);
/// @endcode

#include <array>
#include <chrono>
#include <cstddef>
#include <exception>
#include <filesystem>
#include <optional>
#include <string>
#include <variant>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/day.hpp"

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
/// The colours of series that are alike, in turn; ink is the benchmark's.
inline constexpr std::array series = {deep, rust, kelp, dusk, amber, sand};
[[nodiscard]] constexpr const char* of_series(std::size_t number) {
  return series[number % series.size()];
}
}  // namespace colour

/// What an axis measures: a plain number, a fraction shown as percent, or days.
enum class Scale { number, percent, day };

struct INCHTIDE_API Axis {
  std::string title;  ///< with its unit
  Scale scale = Scale::number;
  std::vector<std::string> categories = {};  ///< names at 0, 1, 2, ... in place of figures
};

enum class Dash { solid, dashed, dotted, dash_dot };
enum class Marker { dot, circle, square, diamond, triangle };

/// Places along the horizontal axis: figures, or days.
using Along = std::variant<std::vector<double>, std::vector<Day>>;

/// Points joined by a line, which gaps in y interrupt.
struct INCHTIDE_API Line {
  std::string name;  ///< in the key; none when empty
  Along x;
  std::vector<double> y;
  std::string colour = colour::deep;  ///< one of ours; a dark theme shows a lighter tint of it, here and below
  Dash dash = Dash::solid;
  double width = 2.5;
  bool faint = false;  ///< one of many: it stands back behind those that aren't
};

/// Points marked one by one.
struct INCHTIDE_API Points {
  std::string name;
  std::vector<double> x, y;
  std::vector<std::string> labels = {};  ///< beside them; empty for none
  std::string colour = colour::deep;
  Marker marker = Marker::circle;
  double size = 2.5;
};

/// Columns that stand on the axis, one a day.
struct INCHTIDE_API Columns {
  std::string name;
  std::vector<Day> x;
  std::vector<double> y;
  std::string colour = colour::sand;
  double width = 2.5;
};

/// Bars from low to high, with ticks at open (left) and close (right).
struct INCHTIDE_API PriceBars {
  std::string name;
  std::vector<Day> x;
  std::vector<double> open, high, low, close;
  std::string colour = colour::deep;
  double width = 1.8;
};

/// Boxes from 0, around their places.
struct INCHTIDE_API Boxes {
  std::string name;
  std::vector<double> x, y;
  double width = 1;  ///< in the units of x
  std::string colour = colour::deep;
  bool hatched = false;  ///< to be told apart from others
};

/// The space between two lines.
struct INCHTIDE_API Band {
  std::string name;
  Along x;
  std::vector<double> low, high;
  std::string colour = colour::deep;
  bool hatched = false;
  double opacity = 0.25;  ///< of one that isn't hatched
};

/// How far a figure may lie off, at each place.
struct INCHTIDE_API Whiskers {
  std::string name;
  std::vector<double> x;
  std::vector<double> low, high;
  std::string colour = colour::deep;
};

using Series = std::variant<Line, Points, Columns, PriceBars, Boxes, Band, Whiskers>;

[[nodiscard]] INCHTIDE_API const std::string& name_of(const Series& series);

/// A strip below the chart with the same horizontal axis.
struct INCHTIDE_API Panel {
  Axis y;
  std::vector<Series> series;
};

enum class Theme { light, dark };

/// A square of correlations, each cell coloured from deep (-1) over foam (0) to amber (+1), with its figure in it.
struct INCHTIDE_API HeatMap {
  std::vector<std::string> names;
  std::vector<double> values;  ///< row by row; NaN is an empty cell
};

struct INCHTIDE_API Chart {
  std::string name;  ///< how people ask for it: "frontier"
  std::string title;
  std::string subtitle;
  Axis x, y;
  std::vector<Series> series;
  bool x_from_zero = false;
  bool y_from_zero = false;  ///< 0 is within the vertical axis
  bool tight = false;        ///< the axes end where the data do
  bool flat = false;         ///< the axes change places, the first category on top; of points, boxes and whiskers alone
  enum class Key { bottom_right, top_left, top_right, below, right, ends };  ///< ends: each line ends in its name
  Key key = Key::bottom_right;
  std::vector<Panel> below = {};
  Theme theme = Theme::light;
  std::optional<HeatMap> heat = {};  ///< takes the place of axes and series
  bool picture = true;               ///< false for one of many: a report has it in its page alone
};

/// A chart whose categories have names too long to stand below it lies flat.
[[nodiscard]] INCHTIDE_API Chart flat_if_long(Chart chart);

/// Draws a chart with gnuplot, as PNG, SVG or PDF by the file's ending. The file appears whole or not at all.
/// @throws InputError when the ending is another one or a series has no points to draw
/// @throws OutsideFailure when gnuplot isn't installed (saying how to get it), fails, takes longer than
///   `patience` (it is then stopped), leaves half a picture, or the file cannot be written
/// Texts may hold anything: they are drawn as they stand, what cannot be shown as U+FFFD.
INCHTIDE_API void draw(const Chart& chart, const std::filesystem::path& path,
                       std::chrono::milliseconds patience = std::chrono::seconds(60));

struct INCHTIDE_API ChartFile {
  Chart chart;
  std::filesystem::path path;
};

/// Draws several charts by one gnuplot, which takes its time to start; one by one where that fails.
/// @returns of each chart what `draw` throws; null where it is drawn
[[nodiscard]] INCHTIDE_API std::vector<std::exception_ptr> draw_all(
    const std::vector<ChartFile>& charts, std::chrono::milliseconds patience = std::chrono::seconds(60));

}  // namespace inchtide::report

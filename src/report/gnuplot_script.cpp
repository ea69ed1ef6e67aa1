// A chart as a gnuplot script with the data in it.

#include "gnuplot_script.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <variant>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/base/text.hpp"
#include "labels.hpp"

namespace inchtide::report {
namespace {

namespace fs = std::filesystem;

/// Text as gnuplot takes it as it stands: in single quotes nothing is run, replaced or escaped. A single quote and a
/// line end are joined in from double quotes, which hold nothing else.
std::string in_quotes(std::string_view text) {
  std::string result = "'";
  for (char c : printable(text)) {
    result += c == '\'' ? std::string("'.\"'\".'") : c == '\n' ? std::string("'.\"\\n\".'") : std::string(1, c);
  }
  return result + "'";
}

/// A tic's label, which is a format: a percent sign is written twice.
std::string tic_label(std::string_view text) {
  std::string label;
  for (char c : text) label.append(c == '%' ? 2 : 1, c);
  return in_quotes(label);
}

/// What a theme makes of our colours: on a dark ground the dark ones give way to lighter tints.
struct Look {
  std::string ground, ink, grid;
  bool dark;

  /// Of what stands back: the ground shows through.
  std::string faint(const std::string& of) const { return "#90" + shown(of).substr(1); }

  std::string shown(const std::string& of) const {
    static const std::pair<const char*, const char*> tints[] = {
        {colour::ink, colour::foam}, {colour::deep, "#5FB0BF"}, {colour::kelp, "#93BF6B"},
        {colour::rust, "#E0806A"},   {colour::dusk, "#A99BD6"}, {colour::amber, "#F0B03C"}};
    for (const auto& [from, to] : tints) {
      if (dark && of == from) return to;
    }
    return of;
  }
};

Look look_of(Theme theme) {
  if (theme == Theme::dark) return {colour::ink, colour::foam, "#33454F", true};
  return {"#FFFFFF", colour::ink, colour::foam, false};
}

/// Points high: one that lies flat grows with its categories.
std::size_t height_of(const Chart& chart) {
  constexpr std::size_t usual = 800, a_category = 16, around = 160;
  return chart.flat ? std::max(usual, around + a_category * chart.x.categories.size()) : usual;
}

std::string terminal_for(const fs::path& path, const Look& look, std::size_t height) {
  const auto ending = path.extension().string();
  const auto rest = [&](const std::string& size) {
    return fmt::format("noenhanced size {} font 'DejaVu Sans,13' background '{}'", size, look.ground);
  };
  if (same_name(ending, ".png")) return "pngcairo " + rest(fmt::format("1280,{}", height));
  if (same_name(ending, ".svg")) return "svg " + rest(fmt::format("1280,{} dynamic", height));
  if (same_name(ending, ".pdf")) return "pdfcairo " + rest(fmt::format("12.8in,{:.2f}in", double(height) / 100));
  throw InputError(Where::in_file(path.string()), fmt::format("figures of kind '{}' are not offered", ending),
                   "End its name with .png, .svg or .pdf");
}

/// @param flat its categories stand one below the other, and take no turning
std::string axis_lines(char name, const Axis& axis, const Look& look, bool flat = false) {
  std::string lines = fmt::format("set {}label {} textcolor rgb '{}'\n", name, in_quotes(axis.title), look.ink);
  if (axis.scale == Scale::percent) lines += fmt::format("set format {} '%g%%'\n", name);
  if (axis.scale == Scale::number) lines += fmt::format("set format {} \"%'.10g\"\n", name);
  if (!axis.categories.empty()) {
    std::string names;
    for (std::size_t i = 0; i < axis.categories.size(); ++i) {
      names += fmt::format("{}{} {}", i > 0 ? ", " : "", tic_label(axis.categories[i]), i);
    }
    const double first = -0.7, last = double(axis.categories.size()) - 0.3;
    lines += fmt::format("set {0}tics {1} ({2}) font ',11'\nset {0}range [{3}:{4}]\n", name,
                         flat ? "norotate" : "rotate by 40 right", names, flat ? last : first, flat ? first : last);
  }
  if (axis.scale == Scale::day)
    lines += fmt::format("set {}data time\nset timefmt '%s'\nset format {} '%Y-%m'\n", name, name);
  return lines;
}

double on_axis(double value, const Axis& axis) {
  return axis.scale == Scale::percent ? 100 * value : value;
}

/// Of figures, which count days; places along a chart come in seconds.
double up_axis(double value, const Axis& axis) {
  return axis.scale == Scale::day ? 86400 * value : on_axis(value, axis);
}

/// Labels of points, as an array of strings that the points name by position: data blocks hold nothing but figures.
std::string label_array(std::size_t number, const std::vector<std::string>& labels) {
  if (labels.empty()) return {};
  std::string lines = fmt::format("array Label{}[{}]\n", number, labels.size());
  for (std::size_t i = 0; i < labels.size(); ++i) {
    lines += fmt::format("Label{}[{}] = {}\n", number, i + 1, in_quotes(labels[i]));
  }
  return lines;
}

/// Gaps in a series are gaps in its line.
std::string shown_figure(double value) {
  return std::isfinite(value) ? fmt::format("{:.12g}", value) : "NaN";
}

std::string data_block(std::size_t number, const Chart& chart, const Axis& y, const Series& series) {
  const auto figures = figures_of(series);
  const auto* labelled = figures.points;
  const auto sides_of_labels = labelled != nullptr ? label_sides(chart, *labelled) : std::vector<Side>();
  std::string block = labelled != nullptr ? label_array(number, labelled->labels) : std::string();
  block += fmt::format("$series{} << EOD\n", number);
  for (std::size_t i = 0; i < figures.size(); ++i) {
    block += fmt::format("{:.12g}", on_axis(figures.x[i], chart.x));
    for (const auto* column : figures.columns) block += " " + shown_figure(up_axis((*column)[i], y));
    if (!sides_of_labels.empty()) block += fmt::format(" {} {}", i + 1, int(sides_of_labels[i]));
    block += "\n";
  }
  return block + "EOD\n";
}

int dash_type(Dash dash) {
  return dash == Dash::solid ? 1 : dash == Dash::dashed ? 2 : dash == Dash::dotted ? 3 : 4;
}

int point_type(Marker marker) {
  constexpr int types[] = {7, 6, 5, 13, 9};
  return types[int(marker)];
}

/// How gnuplot is asked to plot a series, kind by kind.
struct PlotClause {
  std::size_t number;
  const Chart& chart;
  const Look& look;

  static std::string title_of(const std::string& name) { return name.empty() ? "notitle" : "title " + in_quotes(name); }

  std::string operator()(const Line& line) const {
    const bool named = chart.key != Chart::Key::ends;
    return fmt::format("$series{} using 1:2 with lines lw {} dt {} lc rgb '{}' {}", number, line.width,
                       dash_type(line.dash), line.faint ? look.faint(line.colour) : look.shown(line.colour),
                       named ? title_of(line.name) : "notitle");
  }

  std::string operator()(const Columns& columns) const {
    return fmt::format("$series{} using 1:2 with impulses lw {} lc rgb '{}' {}", number, columns.width,
                       look.shown(columns.colour), title_of(columns.name));
  }

  std::string operator()(const Boxes& boxes) const {
    const auto hue = look.shown(boxes.colour);
    const auto fill = boxes.hatched ? fmt::format("pattern 4 border rgb '{}'", hue)
                                    : fmt::format("solid 0.85 border rgb '{}'", look.ground);
    const double width = on_axis(boxes.width, chart.x);
    const auto how = chart.flat ? fmt::format("using ($2/2):1:(abs($2)/2):({:.12g}) with boxxyerror", width / 2)
                                : fmt::format("using 1:2:({:.12g}) with boxes", width);
    return fmt::format("$series{} {} fs {} lc rgb '{}' {}", number, how, fill, hue, title_of(boxes.name));
  }

  std::string operator()(const Whiskers& whiskers) const {
    const auto* how = chart.flat ? "using 2:1:($3-$2):(0)" : "using 1:2:(0):($3-$2)";
    return fmt::format("$series{} {} with vectors nohead lw 5 lc rgb '{}' {}", number, how, look.faint(whiskers.colour),
                       title_of(whiskers.name));
  }

  std::string operator()(const Band& band) const {
    const auto fill =
        band.hatched ? std::string("pattern 5 noborder") : fmt::format("transparent solid {} noborder", band.opacity);
    return fmt::format("$series{} using 1:3:2 with filledcurves fs {} lc rgb '{}' {}", number, fill,
                       look.shown(band.colour), title_of(band.name));
  }

  std::string operator()(const PriceBars& bars) const {
    return fmt::format("$series{} using 1:2:3:4:5 with financebars lw {} lc rgb '{}' {}", number, bars.width,
                       look.shown(bars.colour), title_of(bars.name));
  }

  std::string operator()(const Points& points) const {
    std::string clause =
        fmt::format("$series{} using {} with points pt {} ps {} lc rgb '{}' {}", number, chart.flat ? "2:1" : "1:2",
                    point_type(points.marker), points.size, look.shown(points.colour), title_of(points.name));
    if (points.labels.empty()) return clause;
    constexpr const char* places[] = {"left offset 0.9,0", "right offset -0.9,0", "center offset 0,0.8",
                                      "center offset 0,-0.8"};
    const auto chosen = label_sides(chart, points);
    for (Side side : sides) {
      if (std::ranges::find(chosen, side) == chosen.end()) continue;  // nothing to plot is an error
      clause += fmt::format(
          ", $series{0} using ($4 == {1} ? $1 : 1/0):2:(Label{0}[int($3)]) with labels {2} font ',11' "
          "textcolor rgb '{3}' notitle",
          number, int(side), places[int(side)], look.ink);
    }
    return clause;
  }
};

std::string key_line(Chart::Key key) {
  switch (key) {
    case Chart::Key::top_left: return "set key top left Left reverse opaque\n";
    case Chart::Key::top_right: return "set key top right opaque\n";
    case Chart::Key::right:
      return "set key outside right top vertical Left reverse font ',11' samplen 2 width 2\nset rmargin 19\n";
    case Chart::Key::below: return "set key below center horizontal maxcols 3 Left reverse width 2\n";
    case Chart::Key::ends: return "unset key\n";
    case Chart::Key::bottom_right: break;
  }
  return "set key bottom right opaque\n";
}

/// Series alone; `first` is the number of the first.
std::string plot_series(const Chart& chart, const Axis& y, const std::vector<Series>& series, std::size_t first,
                        const Look& look) {
  std::string blocks, clauses;
  for (std::size_t k = 0; k < series.size(); ++k) {
    blocks += data_block(first + k, chart, y, series[k]);
    clauses += (k > 0 ? ", \\\n  " : "") + std::visit(PlotClause{first + k, chart, look}, series[k]);
  }
  return blocks + "plot " + clauses + "\n";
}

/// The chart's own axes and series.
std::string plot_lines(const Chart& chart, const Axis& y, const std::vector<Series>& series, std::size_t first,
                       const Look& look) {
  return axis_lines('y', y, look) + plot_series(chart, y, series, first, look);
}

/// About three steps of 1, 2 or 5 times a power of ten over what a strip shows.
double tic_step(const Panel& panel) {
  double least = std::numeric_limits<double>::infinity(), most = -least;
  for (const auto& series : panel.series) {
    const auto figures = figures_of(series);
    for (double y : *figures.columns.back()) {
      if (!std::isfinite(y)) continue;
      least = std::min(least, on_axis(y, panel.y));
      most = std::max(most, on_axis(y, panel.y));
    }
  }
  if (!(most > least)) return 1;
  const double wanted = (most - least) / 3;
  const double power = std::pow(10.0, std::floor(std::log10(wanted)));
  for (double step : {1.0, 2.0, 5.0}) {
    if (step * power >= wanted) return step * power;
  }
  return 10 * power;
}

/// The chart above and its strips below, on one horizontal axis.
std::string stacked_lines(const Chart& chart, const std::string& title, const Look& look) {
  constexpr double top = 0.92, bottom = 0.08, gap = 0.02;
  const double strip = chart.below.size() == 1 ? 0.2 : 0.36 / double(chart.below.size());
  const auto [first_day, last_day] = std::ranges::minmax(figures_of(chart.series.front()).x);
  const double room = 0.01 * (last_day - first_day);
  std::string lines = "set multiplot\nset rmargin 27\nset offsets 0, 0, 0, 0\n";
  lines += fmt::format("set xrange ['{:.0f}':'{:.0f}']\n", first_day - room, last_day + room);
  lines += fmt::format("set label 100 {} at screen 0.5, 0.965 center textcolor rgb '{}'\n", title, look.ink);
  lines += "set xlabel\nset format x ''\nset key outside right top vertical Left reverse font ',11' samplen 2\n";
  double upper = bottom + (strip + gap) * double(chart.below.size());
  lines += fmt::format("set tmargin at screen {}\nset bmargin at screen {}\n", top, upper);
  lines += plot_lines(chart, chart.y, chart.series, 0, look) + "unset label 100\nset ytics autofreq\n";
  std::size_t number = chart.series.size();
  for (std::size_t k = 0; k < chart.below.size(); ++k) {
    const auto& panel = chart.below[k];
    lines += fmt::format("set tmargin at screen {}\nset bmargin at screen {}\n", upper - gap, upper - gap - strip);
    upper -= gap + strip;
    if (k + 1 == chart.below.size()) lines += axis_lines('x', chart.x, look);
    lines += fmt::format("set ytics {:.12g}\n", tic_step(panel));
    lines += "set ylabel font ',10'\n";
    lines += plot_lines(chart, panel.y, panel.series, number, look);
    number += panel.series.size();
  }
  return lines + "unset multiplot\n";
}

/// Coloured cells with their figures. Fifty assets still fit: the letters shrink with their number.
std::string heat_lines(const HeatMap& heat, const std::string& title, const Look& look) {
  const auto n = heat.names.size();
  const double letters = std::clamp(14 - 0.19 * double(n), 5.0, 12.0);
  std::string lines = fmt::format("set title {} textcolor rgb '{}'\nunset key\nunset grid\n", title, look.ink);
  lines += fmt::format("set palette defined (-1 '{}', 0 '{}', 1 '{}')\nset cbrange [-1:1]\n", colour::deep,
                       colour::foam, colour::amber);
  lines += fmt::format("set xrange [-0.5:{0}]\nset yrange [{0}:-0.5]\nset lmargin 13\n", double(n) - 0.5);
  std::string tics;
  for (std::size_t i = 0; i < n; ++i) tics += fmt::format("{}{} {}", i > 0 ? ", " : "", tic_label(heat.names[i]), i);
  lines += fmt::format("set xtics rotate by 60 right ({0}) font ',{1:.0f}'\nset ytics ({0}) font ',{1:.0f}'\n", tics,
                       std::clamp(letters, 6.0, 11.0));
  lines += "$cells << EOD\n";
  for (std::size_t k = 0; k < heat.values.size(); ++k) {
    const double value = heat.values[k];
    auto text = std::isfinite(value) ? fmt::format("{:.2f}", std::abs(value) < 0.005 ? 0.0 : value) : std::string("-");
    if (n > 20 && text.starts_with("0.")) text.erase(0, 1);
    if (n > 20 && text.starts_with("-0.")) text.erase(1, 1);
    lines += fmt::format("{} {} {} \"{}\" {}\n", k % n, k / n, shown_figure(value), text, value < -0.5 ? 1 : 0);
  }
  lines += "EOD\nplot $cells using 1:2:3 with image";
  const auto labels = [&](int dark, const std::string& ink) {
    lines += fmt::format(", $cells using ($5 == {} ? $1 : 1/0):2:4 with labels font ',{:.1f}' textcolor rgb '{}'", dark,
                         letters, ink);
  };
  labels(0, colour::ink);
  if (std::ranges::any_of(heat.values, [](double value) { return value < -0.5; })) labels(1, "#FFFFFF");
  return lines + "\n";
}

/// A vertical range that has 0 in it, with the side at 0 left where it is.
std::string zero_in_range(const Chart& chart) {
  bool below = false, above = false;
  for (const auto& series : chart.series) {
    const auto figures = figures_of(series);
    for (const auto* column : figures.columns) {
      for (double y : *column) below = below || y < 0, above = above || y > 0;
    }
  }
  return !below ? "set yrange [0:*]\n" : !above ? "set yrange [*:0]\n" : "";
}

/// Each line's name at its end, in its colour.
std::string end_lines(const Chart& chart, const Look& look) {
  std::string lines;
  std::size_t longest = 0, number = 200;
  for (const auto& [name, hue, x, y] : line_ends(chart.series)) {
    const auto place =
        chart.x.scale == Scale::day ? fmt::format("'{:.0f}'", x) : fmt::format("{:.12g}", on_axis(x, chart.x));
    lines += fmt::format("set label {} {} at first {}, first {:.12g} left offset 0.6,0 font ',10' textcolor rgb '{}'\n",
                         number++, in_quotes(name), place, on_axis(y, chart.y), look.shown(hue));
    longest = std::max(longest, name.size());
  }
  return lines + fmt::format("set rmargin {:.1f}\n", 2 + 0.95 * double(longest));
}

/// Room and axes of a chart that lies flat: its categories from the top down.
std::string flat_lines(const Chart& chart, const Look& look) {
  std::size_t longest = 0;
  for (const auto& category : chart.x.categories) longest = std::max(longest, category.size());
  auto lines = axis_lines('x', chart.y, look) + axis_lines('y', chart.x, look, true);
  lines +=
      fmt::format("set lmargin {:.1f}\nset yzeroaxis lt 1 lw 1 lc rgb '{}'\n", 4 + 0.95 * double(longest), look.ink);
  if (chart.y.scale == Scale::day) return lines + "set autoscale xfix\nset offsets 0, 0, 0, 0\n";
  return lines + "set offsets 0, graph 0.04, 0, 0\n" + (chart.y_from_zero ? "set xrange [*<0:0<*]\n" : "");
}

std::string script_for(const Chart& chart, const std::string& terminal, const Look& look) {
  std::string script = fmt::format("set terminal {}\n", terminal);
  script += "set encoding utf8\nset decimalsign '.'\n";
  const auto title = in_quotes(chart.subtitle.empty() ? chart.title : chart.title + "\n" + chart.subtitle);
  script += fmt::format("set border 3 lc rgb '{}'\nset tics nomirror textcolor rgb '{}'\n", look.ink, look.ink);
  script += fmt::format("set grid lc rgb '{}' lw 1.5 dt 1\n", look.grid);
  script += key_line(chart.key) + fmt::format("set key textcolor rgb '{}'\nset lmargin 11\n", look.ink);
  if (chart.heat) return script + heat_lines(*chart.heat, title, look);
  if (chart.flat) {
    return script + flat_lines(chart, look) + fmt::format("set title {} textcolor rgb '{}'\n", title, look.ink) +
           plot_series(chart, chart.y, chart.series, 0, look);
  }
  if (chart.key == Chart::Key::ends) script += end_lines(chart, look);
  auto x = chart.x;
  if (chart.key == Chart::Key::below) x.title += "\n ";  // room before the key
  script += axis_lines('x', x, look);
  if (!chart.below.empty()) return script + stacked_lines(chart, title, look);
  script += fmt::format("set title {} textcolor rgb '{}'\n", title, look.ink);
  const bool boxed =
      std::ranges::any_of(chart.series, [](const auto& series) { return std::holds_alternative<Boxes>(series); });
  if (boxed) {                // they stand on 0, and need no room at their sides
    std::size_t longest = 0;  // of the names, which stand aslant below
    for (const auto& category : chart.x.categories) longest = std::max(longest, category.size());
    script += fmt::format("set offsets 0, 0, graph 0.12, 0\nset bmargin {:.1f}\n",
                          std::max(6.0, 2.5 + 0.45 * double(longest)));
    script += fmt::format("set xzeroaxis lt 1 lw 1 lc rgb '{}'\n", look.ink);
  } else {
    const bool labelled = std::ranges::any_of(chart.series, [](const auto& series) {
      const auto* points = std::get_if<Points>(&series);
      return points != nullptr && !points->labels.empty();
    });
    script += fmt::format("set offsets graph 0, graph {}, graph 0.03, graph {}\n", labelled ? 0.07 : 0.01,
                          chart.y_from_zero ? 0 : 0.03);
  }
  if (chart.y_from_zero) script += zero_in_range(chart);
  if (chart.tight) script += "set offsets 0, 0, 0, 0\nset autoscale xfix\nset autoscale yfixmax\n";
  if (chart.x_from_zero) script += "set xrange [0:*]\n";
  if (chart.x.scale == Scale::day && !chart.tight)
    script += "set autoscale xfix\nset offsets 0, 0, graph 0.03, graph 0.03\n";
  return script + plot_lines(chart, chart.y, chart.series, 0, look);
}

/// Each series has something to draw, and as many figures as places.
void check_figures(const std::vector<Series>& all, const fs::path& path) {
  for (const auto& series : all) {
    const auto figures = figures_of(series);
    for (const auto* column : figures.columns) {
      const bool finite = std::ranges::any_of(*column, [](double y) { return std::isfinite(y); });
      if (finite && column->size() == figures.size()) continue;
      throw InputError(Where::in_file(path.string()), fmt::format("the series '{}' has no points", name_of(series)),
                       "Leave it out");
    }
  }
}

}  // namespace

std::string gnuplot_script(const Chart& chart, const fs::path& path, const std::string& output) {
  const auto look = look_of(chart.theme);
  const auto terminal = terminal_for(path, look, height_of(chart));
  check_figures(chart.series, path);
  for (const auto& panel : chart.below) check_figures(panel.series, path);
  return script_for(chart, output.empty() ? terminal : terminal + "\nset output " + in_quotes(output), look);
}

}  // namespace inchtide::report

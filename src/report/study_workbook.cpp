#include "inchtide/report/study_workbook.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <optional>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "report/book.hpp"
#include "report/what_if_sheet.hpp"

namespace inchtide::report {
namespace {

/// Of a sheet: beyond, a spreadsheet takes its time to open.
constexpr std::size_t most_cells = 200'000;

constexpr lxw_row_t below_chart = 30;  // where what a chart is drawn from begins

const Chapter* chapter_named(const std::vector<Chapter>& chapters, const char* command) {
  const auto found = std::ranges::find(chapters, command, &Chapter::command);
  return found == chapters.end() ? nullptr : &*found;
}

Eigen::VectorXd vector_in(const Json& list) {
  const auto values = list.get<std::vector<double>>();
  return Eigen::Map<const Eigen::VectorXd>(values.data(), Eigen::Index(values.size()));
}

Eigen::MatrixXd matrix_in(const Json& rows) {
  const auto columns = rows.empty() ? 0 : Eigen::Index(rows.front().size());
  Eigen::MatrixXd matrix(Eigen::Index(rows.size()), columns);
  for (Eigen::Index i = 0; i < matrix.rows(); ++i) matrix.row(i) = vector_in(rows[std::size_t(i)]).transpose();
  return matrix;
}

Eigen::MatrixXd covariance_in(const Json& estimate) {
  if (estimate.contains("covariance")) return matrix_in(estimate["covariance"]);
  const auto loadings = matrix_in(estimate["loadings"]), factors = matrix_in(estimate["factor_covariance"]);
  Eigen::MatrixXd covariance = loadings * factors * loadings.transpose();
  covariance.diagonal() += vector_in(estimate["specific_variance"]);
  return covariance;
}

/// From the first portfolio that was chosen.
std::optional<WhatIf> what_if_of(const std::vector<Chapter>& chapters) {
  const auto *estimated = chapter_named(chapters, "estimate"), *weighed = chapter_named(chapters, "weigh");
  if (estimated == nullptr || weighed == nullptr || weighed->result["portfolios"].empty()) return std::nullopt;
  const auto& estimate = estimated->result;
  const auto& portfolio = weighed->result["portfolios"].front();
  WhatIf from{.assets = estimate["assets"].get<std::vector<std::string>>(),
              .expected_return = vector_in(estimate["expected_return"]),
              .covariance = covariance_in(estimate),
              .risk_free = estimate["risk_free"].get<double>(),
              .portfolio = portfolio["name"].get<std::string>(),
              .weights = {},
              .tags = {}};
  from.weights.setZero(Eigen::Index(from.assets.size()));
  for (const auto& [asset, weight] : portfolio["weights"].items()) {
    if (const auto at = find_name(asset, from.assets)) from.weights[Eigen::Index(*at)] = weight.get<double>();
  }
  if (!weighed->result.contains("tags")) return from;
  for (const auto& [column, of_assets] : weighed->result["tags"].items()) {
    std::vector<std::string> values;
    for (const auto& asset : from.assets) values.push_back(of_assets.value(asset, std::string()));
    from.tags.emplace_back(column, std::move(values));
  }
  return from;
}

lxw_color_t shade_of(const std::string& colour) {
  return lxw_color_t(std::stoul(colour.substr(1), nullptr, 16));
}

/// A chart of lines and points on a sheet of its own, with what it is drawn from below it: two columns a series.
void add_chart(Book& book, const Chart& drawn, const std::string& name) {
  auto* sheet = book.sheet(name);
  auto* chart = workbook_add_chart(*book, LXW_CHART_SCATTER);
  chart_title_set_name(chart, drawn.title.c_str());
  chart_axis_set_name(chart->x_axis, drawn.x.title.c_str());
  chart_axis_set_name(chart->y_axis, drawn.y.title.c_str());
  if (drawn.x.scale == Scale::day) chart_axis_set_num_format(chart->x_axis, "yyyy-mm");
  if (drawn.x.scale == Scale::percent) chart_axis_set_num_format(chart->x_axis, "0%");
  if (drawn.y.scale == Scale::percent) chart_axis_set_num_format(chart->y_axis, "0%");
  chart_axis_set_label_position(chart->x_axis, LXW_CHART_AXIS_LABEL_POSITION_LOW);
  chart_legend_set_position(chart, LXW_CHART_LEGEND_RIGHT);
  const auto format_of = [](const Axis& axis) {
    return axis.scale == Scale::percent ? Format::percent : Format::number2;
  };
  lxw_col_t column = 0;
  for (const auto& series : drawn.series) {
    const auto* line = std::get_if<Line>(&series);
    const auto* points = std::get_if<Points>(&series);
    if (line == nullptr && points == nullptr) continue;
    const auto& y = line != nullptr ? line->y : points->y;
    if (y.empty()) continue;
    book.write(sheet, below_chart, column, drawn.x.title.empty() ? "Day" : drawn.x.title, Format::text);
    book.write(sheet, below_chart, lxw_col_t(column + 1), name_of(series), Format::text);
    for (std::size_t k = 0; k < y.size(); ++k) {
      const auto row = below_chart + 1 + lxw_row_t(k);
      if (const auto* days = line != nullptr ? std::get_if<std::vector<Day>>(&line->x) : nullptr) {
        book.write(sheet, row, column, (*days)[k], Format::day);
      } else {
        book.write(sheet, row, column, line != nullptr ? std::get<std::vector<double>>(line->x)[k] : points->x[k],
                   format_of(drawn.x));
      }
      book.write(sheet, row, lxw_col_t(column + 1), y[k], format_of(drawn.y));
    }
    const auto first = below_chart + 1, last = below_chart + lxw_row_t(y.size());
    auto* one = chart_add_series(chart, nullptr, nullptr);
    chart_series_set_categories(one, sheet->name, first, column, last, column);
    chart_series_set_values(one, sheet->name, first, lxw_col_t(column + 1), last, lxw_col_t(column + 1));
    chart_series_set_name_range(one, sheet->name, below_chart, lxw_col_t(column + 1));
    const auto shade = shade_of(line != nullptr ? line->colour : points->colour);
    lxw_chart_line stroke{};
    stroke.color = shade;
    stroke.width = 1.5F;
    lxw_chart_fill fill{};
    fill.color = shade;
    if (line == nullptr) stroke.none = LXW_TRUE;
    chart_series_set_line(one, &stroke);
    chart_series_set_marker_type(one, line != nullptr ? LXW_CHART_MARKER_NONE : LXW_CHART_MARKER_CIRCLE);
    if (line == nullptr) chart_series_set_marker_fill(one, &fill);
    column = lxw_col_t(column + 2);
  }
  worksheet_set_column(sheet, 0, column, 14, nullptr);
  lxw_chart_options size{};
  size.x_scale = 2.2;
  size.y_scale = 1.9;
  worksheet_insert_chart_opt(sheet, 0, 0, chart, &size);
}

/// Bars beside a table of weights: an asset a group, a portfolio a colour.
void add_bars(Book& book, lxw_worksheet* sheet, const Table& table) {
  auto* chart = workbook_add_chart(*book, LXW_CHART_COLUMN);
  chart_title_set_name(chart, table.title.c_str());
  chart_axis_set_num_format(chart->y_axis, "0%");
  const auto last = lxw_row_t(table.rows.size());
  for (std::size_t c = 1; c < table.columns.size(); ++c) {
    if (table.columns[c].format != Format::percent) continue;
    auto* one = chart_add_series(chart, nullptr, nullptr);
    chart_series_set_categories(one, sheet->name, 1, 0, last, 0);
    chart_series_set_values(one, sheet->name, 1, lxw_col_t(c), last, lxw_col_t(c));
    chart_series_set_name_range(one, sheet->name, 0, lxw_col_t(c));
    lxw_chart_fill fill{};
    fill.color = shade_of(colour::of_series(c - 1));
    chart_series_set_fill(one, &fill);
  }
  lxw_chart_options size{};
  size.x_scale = 1.8;
  size.y_scale = 1.6;
  worksheet_insert_chart_opt(sheet, 1, lxw_col_t(table.columns.size() + 1), chart, &size);
}

}  // namespace

void write_study_workbook(const std::vector<Chapter>& chapters, const std::filesystem::path& path,
                          const SpeltMeans& spelt) {
  Book book(path);
  bool empty = true;
  if (const auto from = what_if_of(chapters)) {
    add_what_if(book, *from);
    empty = false;
  }
  for (const auto& [command, name] : {std::pair("frontier", "frontier"), std::pair("inspect", "rebased")}) {
    const auto* chapter = chapter_named(chapters, command);
    if (chapter == nullptr) continue;
    const auto chart = std::ranges::find(chapter->charts, name, &Chart::name);
    if (chart != chapter->charts.end()) add_chart(book, *chart, fmt::format("chart {}", name));
  }
  Table left_out{"left out",
                 "Tables that are too large for a sheet that people open: they are in these files",
                 {{"Table"}, {"Rows", Format::count}, {"Columns", Format::count}, {"File"}},
                 {},
                 {}};
  for (const auto& chapter : chapters) {
    for (const auto& table : chapter.tables) {
      if (table.rows.size() * table.columns.size() > most_cells) {
        left_out.add({table.title, double(table.rows.size()), double(table.columns.size()),
                      fmt::format("{}/{}.csv", chapter.command, table.name)});
        continue;
      }
      auto named = table;  // the large ones are not copied
      named.name = chapter.command + " " + table.name;
      auto* sheet = book.add(named, spelt);
      if (named.name == "weigh weights") add_bars(book, sheet, named);
      empty = false;
    }
  }
  if (!left_out.rows.empty()) book.add(left_out, spelt);
  if (empty) throw InputError(Where::in_file(path.string()), "there is no table to write", "Leave the spreadsheet out");
  book.save();
}

}  // namespace inchtide::report

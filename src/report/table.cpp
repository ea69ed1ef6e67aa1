#include "inchtide/report/table.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>
#include <sstream>
#include <stdexcept>

#include "inchtide/base/percent.hpp"
#include "inchtide/base/text.hpp"
#include "inchtide/exchange/csv.hpp"

namespace inchtide::report {
namespace {

/// Headings of up to this many characters aren't folded.
constexpr std::size_t narrowest_heading = 9;

std::string shown_number(double value, Format format) {
  if (!std::isfinite(value)) return "-";
  switch (format) {
    case Format::percent: return percent_text(value);
    case Format::number2: return fmt::format("{:.2f}", std::abs(value) < 0.005 ? 0.0 : value);
    case Format::number3: return fmt::format("{:.3f}", std::abs(value) < 0.0005 ? 0.0 : value);
    default: return with_thousands(value);
  }
}

std::string_view format_name(Format format) {
  constexpr std::string_view names[] = {"text", "day", "count", "percent", "number", "number", "money"};
  return names[std::size_t(format)];
}

/// The number of characters that a UTF-8 text shows.
std::size_t width_of(std::string_view text) {
  return std::size_t(
      std::ranges::count_if(text, [](char c) { return (static_cast<unsigned char>(c) & 0xC0) != 0x80; }));
}

std::string heading(const Column& column) {
  return column.unit.empty() ? column.name : fmt::format("{} [{}]", column.name, column.unit);
}

std::string padded(const std::string& text, std::size_t width, bool right) {
  const std::string space(width - std::min(width, width_of(text)), ' ');
  return right ? space + text : text + space;
}

/// A heading over a narrow column goes on several lines, broken between words.
std::vector<std::string> folded(const std::string& text, std::size_t width) {
  std::vector<std::string> lines;
  std::istringstream words(text);
  for (std::string word; words >> word;) {
    if (!lines.empty() && width_of(lines.back()) + 1 + width_of(word) <= width) {
      lines.back() += " " + word;
    } else {
      lines.push_back(word);
      width = std::max(width, width_of(word));
    }
  }
  return lines;
}

}  // namespace

void Table::add(std::vector<Cell> row) {
  if (row.size() != columns.size()) throw std::logic_error("a row has as many cells as the table has columns");
  rows.push_back(std::move(row));
}

std::string shown(const Cell& cell, Format format) {
  if (const auto* text = std::get_if<std::string>(&cell)) return *text;
  if (const auto* day = std::get_if<Day>(&cell)) return to_string(*day);
  if (const auto* number = std::get_if<double>(&cell)) return shown_number(*number, format);
  return "-";
}

std::string to_text(const Table& whole, const SpeltMeans& spelt) {
  if (whole.preview && *whole.preview < whole.rows.size()) {
    auto last = whole;
    last.preview.reset();
    last.rows.erase(last.rows.begin(), last.rows.end() - std::ptrdiff_t(*whole.preview));
    last.notes.insert(
        last.notes.begin(),
        {{},
         fmt::format("The last {} of {} rows", *whole.preview, with_thousands(double(whole.rows.size()))),
         {{Means::table_files, "All are in tables written to files"}, {Means::workbook, "to a spreadsheet"}}});
    return to_text(last, spelt);
  }
  const auto& table = whole;
  const auto columns = table.columns.size();
  const auto is_right = [&](std::size_t c) {
    return table.columns[c].format != Format::text && table.columns[c].format != Format::day;
  };
  std::vector<std::size_t> widths;
  std::vector<std::vector<std::string>> headings;
  std::size_t heading_lines = 0;
  for (std::size_t c = 0; c < columns; ++c) {
    std::size_t width = 0;
    for (const auto& row : table.rows) width = std::max(width, width_of(shown(row[c], table.columns[c].format)));
    headings.push_back(folded(heading(table.columns[c]), std::max(width, narrowest_heading)));
    for (const auto& line : headings.back()) width = std::max(width, width_of(line));
    widths.push_back(width);
    heading_lines = std::max(heading_lines, headings.back().size());
  }
  const auto line = [&](const auto& cell_text) {
    std::string text;
    for (std::size_t c = 0; c < columns; ++c) {
      text += (c > 0 ? "  " : "") + padded(cell_text(c), widths[c], is_right(c));
    }
    text.erase(text.find_last_not_of(' ') + 1);
    return text + "\n";
  };
  std::string text = table.title.empty() ? "" : table.title + "\n";
  for (std::size_t k = 0; k < heading_lines; ++k) {
    text += line([&](std::size_t c) {  // short headings stand at the bottom
      const auto above = heading_lines - headings[c].size();
      return k < above ? std::string() : headings[c][k - above];
    });
  }
  text += line([&](std::size_t c) { return std::string(widths[c], '-'); });
  for (const auto& row : table.rows) {
    text += line([&](std::size_t c) { return shown(row[c], table.columns[c].format); });
  }
  for (const auto& note : table.notes) text += "  " + note.text(spelt) + "\n";
  return text;
}

std::string to_csv(const Table& table) {
  const auto written = [](const Cell& cell) -> std::string {
    if (std::holds_alternative<std::monostate>(cell)) return "";
    if (const auto* number = std::get_if<double>(&cell))
      return std::isfinite(*number) ? fmt::format("{}", *number) : "";
    return exchange::csv_cell(shown(cell, Format::text));
  };
  std::string text;
  for (std::size_t c = 0; c < table.columns.size(); ++c) {
    text += (c > 0 ? "," : "") + exchange::csv_cell(heading(table.columns[c]));
  }
  text += "\n";
  for (const auto& row : table.rows) {
    for (std::size_t c = 0; c < row.size(); ++c) text += (c > 0 ? "," : "") + written(row[c]);
    text += "\n";
  }
  return text;
}

nlohmann::ordered_json to_json(const Table& table) {
  auto columns = nlohmann::ordered_json::array();
  for (const auto& column : table.columns) {
    columns.push_back({{"name", column.name}, {"unit", column.unit}, {"format", format_name(column.format)}});
  }
  auto rows = nlohmann::ordered_json::array();
  for (const auto& row : table.rows) {
    auto cells = nlohmann::ordered_json::array();
    for (const auto& cell : row) {
      if (const auto* number = std::get_if<double>(&cell)) {
        cells.push_back(std::isfinite(*number) ? nlohmann::ordered_json(*number) : nlohmann::ordered_json());
      } else if (std::holds_alternative<std::monostate>(cell)) {
        cells.push_back(nullptr);
      } else {
        cells.push_back(shown(cell, Format::text));
      }
    }
    rows.push_back(std::move(cells));
  }
  return {{"name", table.name}, {"title", table.title}, {"columns", columns}, {"rows", rows}};
}

}  // namespace inchtide::report

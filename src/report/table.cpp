#include "inchtide/report/table.hpp"

#include <fmt/format.h>

#include <cmath>
#include <nlohmann/json.hpp>
#include <stdexcept>

#include "inchtide/base/percent.hpp"
#include "inchtide/base/text.hpp"
#include "inchtide/exchange/csv.hpp"
#include "report/heading.hpp"

namespace inchtide::report {
namespace {

constexpr double large_sum = 1000;

bool shows_hundredths(double money) {
  return std::abs(money) < large_sum && std::abs(money - std::round(money)) >= 0.005;
}

std::string shown_money(double value) {
  return shows_hundredths(value) ? fmt::format("{:.2f}", value) : with_thousands(value);
}

std::string shown_number(double value, Format format) {
  if (!std::isfinite(value)) return "-";
  switch (format) {
    case Format::percent: return percent_text(value);
    case Format::number2: return fmt::format("{:.2f}", std::abs(value) < 0.005 ? 0.0 : value);
    case Format::number3: return fmt::format("{:.3f}", std::abs(value) < 0.0005 ? 0.0 : value);
    case Format::fine: return fine_text(value);
    case Format::money: return shown_money(value);
    default: return with_thousands(value);
  }
}

std::string_view format_name(Format format) {
  constexpr std::string_view names[] = {"text", "day", "count", "percent", "number", "number", "money", "number"};
  return names[std::size_t(format)];
}

}  // namespace

std::string heading(const Column& column) {
  return column.unit.empty() ? column.name : fmt::format("{} [{}]", column.name, column.unit);
}

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

Format format_of(const Table& table, std::size_t column) {
  const auto format = table.columns[column].format;
  if (format != Format::money) return format;
  bool hundredths = false;
  for (const auto& row : table.rows) {
    const auto* money = std::get_if<double>(&row[column]);
    if (money == nullptr || !std::isfinite(*money)) continue;
    if (std::abs(*money) >= large_sum) return Format::count;
    hundredths = hundredths || shows_hundredths(*money);
  }
  return hundredths ? Format::number2 : Format::count;
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

// The spreadsheet writer, by libxlsxwriter.

#include <fmt/format.h>
#include <xlsxwriter.h>

#include <algorithm>
#include <cmath>
#include <set>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/exchange/files.hpp"
#include "inchtide/report/table.hpp"
#include "memory_file.hpp"

namespace inchtide::report {
namespace {

namespace fs = std::filesystem;

/// A sheet's name has at most 31 characters, none of []:*?/\, and is the only one of its kind.
std::string sheet_name(const std::string& wanted, std::set<std::string>& taken) {
  std::string plain;
  for (char c : wanted) plain += std::string_view("[]:*?/\\'").find(c) == std::string_view::npos ? c : '-';
  plain.resize(std::min<std::size_t>(plain.size(), 28));
  if (plain.empty()) plain = "table";
  auto name = plain;
  for (int k = 2; !taken.insert(lower_name(name)).second; ++k) name = fmt::format("{} {}", plain, k);
  return name;
}

lxw_format* number_format(lxw_workbook* book, const char* pattern) {
  auto* format = workbook_add_format(book);
  format_set_num_format(format, pattern);
  return format;
}

/// The cell formats of one workbook.
struct Formats {
  lxw_format *heading, *note, *by_kind[7];

  explicit Formats(lxw_workbook* book) : heading(workbook_add_format(book)), note(workbook_add_format(book)) {
    format_set_bold(heading);
    format_set_text_wrap(heading);
    format_set_bottom(heading, LXW_BORDER_THIN);
    format_set_font_color(note, 0x6B5B95);
    // text, day, count, percent, number2, number3, money
    const char* patterns[] = {"General", "yyyy-mm-dd", "#,##0", "0.00%", "#,##0.00", "#,##0.000", "#,##0"};
    for (std::size_t k = 0; k < 7; ++k) by_kind[k] = number_format(book, patterns[k]);
  }
};

/// Spreadsheets know no day before it, so those are written as text.
constexpr Day first_day_of_sheets{std::chrono::year{1900} / 3 / 1};

void write_cell(lxw_worksheet* sheet, lxw_row_t row, lxw_col_t column, const Cell& cell, Format format,
                const Formats& formats) {
  auto* style = formats.by_kind[std::size_t(format)];
  if (const auto* text = std::get_if<std::string>(&cell)) {
    worksheet_write_string(sheet, row, column, text->c_str(), nullptr);
  } else if (const auto* day = std::get_if<Day>(&cell); day != nullptr && *day < first_day_of_sheets) {
    worksheet_write_string(sheet, row, column, shown(cell, Format::day).c_str(), nullptr);
  } else if (day != nullptr) {
    const std::chrono::year_month_day ymd{*day};
    lxw_datetime when{int(ymd.year()), int(unsigned(ymd.month())), int(unsigned(ymd.day())), 0, 0, 0};
    worksheet_write_datetime(sheet, row, column, &when, formats.by_kind[std::size_t(Format::day)]);
  } else if (const auto* number = std::get_if<double>(&cell); number != nullptr && std::isfinite(*number)) {
    worksheet_write_number(sheet, row, column, *number, style);
  }
}

void write_sheet(lxw_worksheet* sheet, const Table& table, const Formats& formats, const SpeltMeans& spelt) {
  for (std::size_t c = 0; c < table.columns.size(); ++c) {
    const auto& column = table.columns[c];
    const auto heading = column.unit.empty() ? column.name : fmt::format("{} [{}]", column.name, column.unit);
    worksheet_write_string(sheet, 0, lxw_col_t(c), heading.c_str(), formats.heading);
    std::size_t width = std::min<std::size_t>(heading.size(), 16);
    for (std::size_t r = 0; r < std::min<std::size_t>(table.rows.size(), 200); ++r) {
      width = std::max(width, shown(table.rows[r][c], column.format).size());
    }
    worksheet_set_column(sheet, lxw_col_t(c), lxw_col_t(c), double(std::min<std::size_t>(width, 60)) + 2, nullptr);
  }
  worksheet_freeze_panes(sheet, 1, 0);
  lxw_row_t row = 1;
  for (const auto& cells : table.rows) {
    for (std::size_t c = 0; c < cells.size(); ++c) {
      write_cell(sheet, row, lxw_col_t(c), cells[c], table.columns[c].format, formats);
    }
    ++row;
  }
  for (const auto& note : table.notes) {
    worksheet_write_string(sheet, ++row, 0, note.text(spelt).c_str(), formats.note);
  }
}

/// A sheet has so many rows, columns and characters in a cell, and loses what goes beyond them.
void check_sizes(const std::vector<Table>& tables, const fs::path& path) {
  constexpr std::size_t most_rows = 1048576, most_columns = 16384, most_letters = 32767;
  for (const auto& table : tables) {
    const auto refuse = [&](std::size_t count, const char* what, std::size_t most) {
      if (count <= most) return;
      throw InputError(Where::in_file(path.string()),
                       fmt::format("the table '{}' has {} {}, a sheet holds {}", table.name, count, what, most),
                       {{Means::table_files, "Write it as CSV"},
                        {Means::window, "choose fewer days"},
                        {Means::assets, "fewer assets"}});
    };
    refuse(table.rows.size() + 2 + table.notes.size(), "rows with its heading and notes", most_rows);
    refuse(table.columns.size(), "columns", most_columns);
    for (const auto& row : table.rows) {
      for (const auto& cell : row) {
        if (const auto* text = std::get_if<std::string>(&cell)) refuse(text->size(), "letters in a cell", most_letters);
      }
    }
  }
}

}  // namespace

void write_workbook(const std::vector<Table>& tables, const fs::path& path, const SpeltMeans& spelt) {
  if (!same_name(path.extension().string(), ".xlsx")) {
    throw InputError(Where::in_file(path.string()), "a spreadsheet's name ends with .xlsx", "Rename it");
  }
  if (tables.empty())
    throw InputError(Where::in_file(path.string()), "there is no table to write",
                     {Means::workbook, "Leave the spreadsheet out"});
  check_sizes(tables, path);
  const MemoryFile file;
  auto* book = workbook_new(file.path().c_str());
  if (book == nullptr) throw OutsideFailure(Where::in_file(path.string()), "it cannot be written");
  const Formats formats(book);
  std::set<std::string> taken;
  for (const auto& table : tables) {
    write_sheet(workbook_add_worksheet(book, sheet_name(table.name, taken).c_str()), table, formats, spelt);
  }
  if (const auto error = workbook_close(book); error != LXW_NO_ERROR) {
    throw OutsideFailure(Where::in_file(path.string()), fmt::format("it cannot be written: {}", lxw_strerror(error)));
  }
  exchange::write_text_file(path, file.content());
}

}  // namespace inchtide::report

#include "report/book.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <utility>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/exchange/files.hpp"

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

/// Spreadsheets know no day before it, so those are written as text.
constexpr Day first_day_of_sheets{std::chrono::year{1900} / 3 / 1};

/// A sheet has so many rows, columns and characters in a cell, and loses what goes beyond them.
void check_size(const Table& table, const fs::path& path) {
  constexpr std::size_t most_rows = 1048576, most_columns = 16384, most_letters = 32767;
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

}  // namespace

Book::Book(fs::path path) : path_(std::move(path)) {
  if (!same_name(path_.extension().string(), ".xlsx")) {
    throw InputError(Where::in_file(path_.string()), "a spreadsheet's name ends with .xlsx", "Rename it");
  }
  book_ = workbook_new(file_.path().c_str());
  if (book_ == nullptr) throw OutsideFailure(Where::in_file(path_.string()), "it cannot be written");
  heading_ = workbook_add_format(book_);
  format_set_bold(heading_);
  format_set_text_wrap(heading_);
  format_set_bottom(heading_, LXW_BORDER_THIN);
  note_ = workbook_add_format(book_);
  format_set_font_color(note_, 0x6B5B95);
  input_ = number_format(book_, "0.00%");
  format_set_bg_color(input_, 0xFBF1DC);
  format_set_border(input_, LXW_BORDER_THIN);
  // text, day, count, percent, number2, number3, money, fine
  const char* patterns[] = {"General",  "yyyy-mm-dd", "#,##0", "0.00%",
                            "#,##0.00", "#,##0.000",  "#,##0", "[<0.1]0.000#####;#,##0.000"};
  for (std::size_t k = 0; k < std::size(patterns); ++k) by_kind_[k] = number_format(book_, patterns[k]);
}

Book::~Book() {
  if (book_ != nullptr) (void)workbook_close(book_);  // into the memory file, which goes too
}

lxw_worksheet* Book::sheet(const std::string& wanted) {
  return workbook_add_worksheet(book_, sheet_name(wanted, taken_).c_str());
}

void Book::write(lxw_worksheet* sheet, lxw_row_t row, lxw_col_t column, const Cell& cell, Format format) const {
  if (const auto* text = std::get_if<std::string>(&cell)) {
    worksheet_write_string(sheet, row, column, text->c_str(), nullptr);
  } else if (const auto* day = std::get_if<Day>(&cell); day != nullptr && *day < first_day_of_sheets) {
    worksheet_write_string(sheet, row, column, shown(cell, Format::day).c_str(), nullptr);
  } else if (day != nullptr) {
    const std::chrono::year_month_day ymd{*day};
    lxw_datetime when{int(ymd.year()), int(unsigned(ymd.month())), int(unsigned(ymd.day())), 0, 0, 0};
    worksheet_write_datetime(sheet, row, column, &when, of(Format::day));
  } else if (const auto* number = std::get_if<double>(&cell); number != nullptr && std::isfinite(*number)) {
    worksheet_write_number(sheet, row, column, *number, of(format));
  }
}

lxw_worksheet* Book::add(const Table& table, const SpeltMeans& spelt) {
  check_size(table, path_);
  auto* made = sheet(table.name);
  std::vector<Format> formats;
  for (std::size_t c = 0; c < table.columns.size(); ++c) {
    const auto& column = table.columns[c];
    const auto words = column.unit.empty() ? column.name : fmt::format("{} [{}]", column.name, column.unit);
    worksheet_write_string(made, 0, lxw_col_t(c), words.c_str(), heading_);
    std::size_t width = std::min<std::size_t>(words.size(), 16);
    formats.push_back(format_of(table, c));
    for (std::size_t r = 0; r < std::min<std::size_t>(table.rows.size(), 200); ++r) {
      width = std::max(width, shown(table.rows[r][c], formats[c]).size());
    }
    worksheet_set_column(made, lxw_col_t(c), lxw_col_t(c), double(std::min<std::size_t>(width, 60)) + 2, nullptr);
  }
  worksheet_freeze_panes(made, 1, 0);
  lxw_row_t row = 1;
  for (const auto& cells : table.rows) {
    for (std::size_t c = 0; c < cells.size(); ++c) write(made, row, lxw_col_t(c), cells[c], formats[c]);
    ++row;
  }
  for (const auto& note : table.notes) {
    worksheet_write_string(made, ++row, 0, note.text(spelt).c_str(), note_);
  }
  return made;
}

void Book::save() {
  const auto error = workbook_close(std::exchange(book_, nullptr));
  if (error != LXW_NO_ERROR) {
    throw OutsideFailure(Where::in_file(path_.string()), fmt::format("it cannot be written: {}", lxw_strerror(error)));
  }
  exchange::write_text_file(path_, file_.content());
}

}  // namespace inchtide::report

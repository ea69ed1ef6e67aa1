#pragma once
// A spreadsheet that is being written, by libxlsxwriter: its sheets and how their cells look.

#include <xlsxwriter.h>

#include <filesystem>
#include <set>
#include <string>
#include <vector>

#include "inchtide/report/table.hpp"
#include "report/memory_file.hpp"

namespace inchtide::report {

class Book {
 public:
  /// @throws InputError where the file's name doesn't end with .xlsx
  explicit Book(std::filesystem::path path);
  ~Book();
  Book(const Book&) = delete;
  Book& operator=(const Book&) = delete;

  /// An empty sheet, named as nearly so as can be.
  lxw_worksheet* sheet(const std::string& wanted);
  /// A table as a sheet of its own.
  lxw_worksheet* add(const Table& table, const SpeltMeans& spelt);
  lxw_workbook* operator*() const { return book_; }

  lxw_format* heading() const { return heading_; }
  lxw_format* note() const { return note_; }
  /// Of cells that are to be typed into.
  lxw_format* input() const { return input_; }
  lxw_format* of(Format format) const { return by_kind_[std::size_t(format)]; }

  void write(lxw_worksheet* sheet, lxw_row_t row, lxw_col_t column, const Cell& cell, Format format) const;

  /// The file appears whole or not at all.
  /// @throws OutsideFailure where it cannot be written
  void save();

 private:
  std::filesystem::path path_;
  MemoryFile file_;
  lxw_workbook* book_;
  lxw_format *heading_, *note_, *input_, *by_kind_[8];
  std::set<std::string> taken_;
};

}  // namespace inchtide::report

// Tables as a spreadsheet.

#include "inchtide/base/errors.hpp"
#include "inchtide/report/table.hpp"
#include "report/book.hpp"

namespace inchtide::report {

void write_workbook(const std::vector<Table>& tables, const std::filesystem::path& path, const SpeltMeans& spelt) {
  Book book(path);
  if (tables.empty()) {
    throw InputError(Where::in_file(path.string()), "there is no table to write",
                     {Means::workbook, "Leave the spreadsheet out"});
  }
  for (const auto& table : tables) book.add(table, spelt);
  book.save();
}

}  // namespace inchtide::report

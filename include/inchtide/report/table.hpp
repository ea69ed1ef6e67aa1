#pragma once
/// A table made once and written many ways: text for people, CSV, JSON.
///
/// @code
/// #include <cassert>
/// using namespace inchtide::report;
/// Table table{"a", "Weights", {{"Asset"}, {"Weight", Format::percent}}, {}, {}};
/// table.add({"KELPFARM", 0.125});
/// assert(to_text(table).find("12.50%") != std::string::npos);
/// assert(to_csv(table) == "Asset,Weight\nKELPFARM,0.125\n");
/// @endcode

#include <filesystem>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <variant>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/day.hpp"
#include "inchtide/base/errors.hpp"

namespace inchtide::report {

/// How a column's numbers are shown. Percent columns hold fractions of 1.
/// `fine` is for what may be small, prices and units: three decimals, or three figures of what is below 0.1. `money`
/// below a thousand is shown to the hundredth, else to the unit; a column of it in one way.
enum class Format { text, day, count, percent, number2, number3, money, fine };

struct INCHTIDE_API Column {
  std::string name;  ///< heading
  Format format = Format::text;
  std::string unit;  ///< shown beside the heading where it isn't plain from the figures, e.g. "per year", "HLC"
  std::string error_of = {};  ///< heading of the column that it holds the standard errors of
};

/// Nothing, a text, a number or a day.
using Cell = std::variant<std::monostate, std::string, double, Day>;

struct INCHTIDE_API Table {
  std::string name;  ///< file name of its CSV, e.g. "corners"
  std::string title;
  std::vector<Column> columns;
  std::vector<std::vector<Cell>> rows;  ///< as many cells as columns
  std::vector<Notice> notes;            ///< a line each, below the table
  /// How many rows a person is shown, the last ones, of a table that is mostly for files; all without it, none for 0.
  std::optional<std::size_t> preview = {};

  /// @throws std::logic_error when the number of cells isn't the number of columns
  void add(std::vector<Cell> row);
};

/// A figure as people read it: percent with two decimals, thousands apart, never in scientific notation; "-" for none.
[[nodiscard]] INCHTIDE_API std::string shown(const Cell& cell, Format format);

/// The format for the cells of a column: its own, and for money `number2` where all is below a thousand, else `count`.
[[nodiscard]] INCHTIDE_API Format format_of(const Table& table, std::size_t column);

/// How much of a table a reader is shown.
struct INCHTIDE_API TextStyle {
  std::size_t width = 0;  ///< characters a line; 0: as many as there are. Texts are folded, then columns go on below
  std::size_t rows = 0;   ///< the first so many; 0: all
  std::string rest{};     ///< how the others are seen: "ask for all"
};

/// Aligned columns under a title: texts to the left, figures to the right; long headings are folded between words.
/// @param spelt how a note spells what can be changed
[[nodiscard]] INCHTIDE_API std::string to_text(const Table& table, const SpeltMeans& spelt = {},
                                               const TextStyle& style = {});

/// Words on lines of at most so many characters, each with its end; the further ones are indented.
/// @param width 0: on one line
[[nodiscard]] INCHTIDE_API std::string in_lines(const std::string& words, std::size_t width,
                                                const std::string& indent = "");

/// A header and rows; numbers at round-trip precision, percent columns as fractions of 1.
[[nodiscard]] INCHTIDE_API std::string to_csv(const Table& table);

/// Writes tables as the sheets of a spreadsheet (.xlsx): a header row that stays in view, numbers as numbers, days as
/// days, percentages and counts shown as such, notes below. The file appears whole or not at all.
/// @throws InputError when there is no table or the name doesn't end with .xlsx; OutsideFailure when it can't be
/// written
INCHTIDE_API void write_workbook(const std::vector<Table>& tables, const std::filesystem::path& path,
                                 const SpeltMeans& spelt = {});

/// {"name", "title", "columns": [{"name", "unit", "format"}], "rows": [[...]]}, numbers at round-trip precision.
[[nodiscard]] INCHTIDE_API nlohmann::ordered_json to_json(const Table& table);

}  // namespace inchtide::report

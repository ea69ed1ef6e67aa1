#pragma once
/// CSV as RFC 4180 has it: a header row, quotes; commas, semicolons or tabs between cells, told by the header. Read by
/// libcsv; lines are counted as an editor shows them.
///
/// @code
/// #include <cassert>
/// #include <string>
/// using namespace inchtide::exchange;
/// std::vector<std::string> codes;
/// read_csv_text("a.csv", "asset;weight\nKELPFARM;10%\n", [](CsvRow) {},
///               [&](std::size_t line, CsvRow row) { codes.push_back(std::to_string(line) + std::string(row[0])); });
/// assert(codes == std::vector<std::string>{"2KELPFARM"} && csv_cell("=1+1") == "'=1+1");
/// @endcode

#include <filesystem>
#include <functional>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/day.hpp"
#include "inchtide/base/errors.hpp"

namespace inchtide::exchange {

/// How a file writes days and figures. Nothing is guessed: 03/04/2024 and 1,234 can both be read in two ways.
struct INCHTIDE_API CsvStyle {
  /// ISO days (2024-03-04, 2024/03/04, 20240304) and days with the month's name (4 Mar 2024) are read in any case, and
  /// each with midnight behind it (2024-03-04 00:00:00).
  enum class Dates { iso, day_first, month_first };
  Dates dates = Dates::iso;
  /// `point`: 1,234.5 with commas between thousands; `comma`: 1.234,5. `unsaid`: a point, and no figure with a comma.
  enum class Decimal { unsaid, point, comma };
  Decimal decimal = Decimal::unsaid;

  /// Reads `iso`, `day-first` or `month-first`. @throws InputError naming `where` for anything else
  [[nodiscard]] static Dates parse_dates(std::string_view text, const Where& where);
  /// Reads `point` or `comma`. @throws InputError naming `where` for anything else
  [[nodiscard]] static Decimal parse_decimal(std::string_view text, const Where& where);

  /// The day that a cell holds. @throws InputError naming `place` and, where it can be read in two ways, the option
  [[nodiscard]] Day day(std::string_view text, const std::function<Where()>& place) const;
  /// The figure that a cell holds, nothing where it is none or can be read in two ways.
  [[nodiscard]] std::optional<double> read_figure(std::string_view text) const;
  /// The same. @throws InputError as `day` does
  [[nodiscard]] double figure(std::string_view text, const std::function<Where()>& place) const;
  /// The percentage that a cell holds, 12.5% as 0.125. @throws InputError as `day` does, or without a % sign
  [[nodiscard]] double share(std::string_view text, const std::function<Where()>& place) const;
};

/// Whether a cell of figures says that there is none, as files write it where they don't leave it empty: n/a, #n/a, na,
/// nan, null, none or - (in any case of letters). Cells of prices and rates that do are read as empty ones.
[[nodiscard]] INCHTIDE_API bool says_none(std::string_view cell);

/// Where a cell stands, for messages: "prices/KELPFARM.csv, line 12, column close".
[[nodiscard]] INCHTIDE_API Where cell_place(const std::filesystem::path& path, std::size_t line,
                                            std::string_view column);

using CsvRow = std::span<const std::string_view>;

/// Calls `header` with the first row and `row` with each later one and its line number. Blank lines, and rows without
/// any text, are passed over, and so are columns at the end that have neither heading nor text; a byte-order mark and
/// CRLF ends are taken off. Cells are separated by what the header has most of: commas, semicolons or tabs.
/// @throws InputError when the file is missing or empty, isn't UTF-8 (UTF-16), a quote isn't closed properly, or a row
///         has another number of cells than the header (naming file and line)
INCHTIDE_API void read_csv(const std::filesystem::path& path, const std::function<void(CsvRow)>& header,
                           const std::function<void(std::size_t, CsvRow)>& row);

/// A column's position by any of its names; case, spaces, dashes and underscores don't count.
[[nodiscard]] INCHTIDE_API std::optional<std::size_t> find_column(const std::vector<std::string>& header,
                                                                  std::initializer_list<std::string_view> names);

/// The same from a text that came from elsewhere; `path` names it in messages.
/// @param needed columns that matter, which `header` may fill in; the cells of others come empty, which is quicker.
/// Empty
///        for all
INCHTIDE_API void read_csv_text(const std::filesystem::path& path, std::string_view content,
                                const std::function<void(CsvRow)>& header,
                                const std::function<void(std::size_t, CsvRow)>& row,
                                const std::vector<bool>& needed = {});

/// A text cell as CSV writes it: quoted where it has to be. Text that a spreadsheet would run as a formula (it starts
/// with =, +, -, @ or a tab) has an apostrophe before it, which `read_csv` takes off again.
[[nodiscard]] INCHTIDE_API std::string csv_cell(std::string_view text);

}  // namespace inchtide::exchange

#pragma once
/// CSV as RFC 4180 has it: commas, quotes, a header row. Read by libcsv; lines are counted as an editor shows them.

#include <filesystem>
#include <functional>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace inchtide::exchange {

/// Where a cell stands, for messages: "prices/KELPFARM.csv, line 12, column close".
std::string cell_place(const std::filesystem::path& path, std::size_t line, std::string_view column);

using CsvRow = std::span<const std::string_view>;

/// Calls `header` with the first row and `row` with each later one and its line number. Blank lines are passed over; a
/// byte-order mark and CRLF ends are taken off.
/// @throws InputError when the file is missing or empty, a quote isn't closed properly, or a row has another number of
///         cells than the header (naming file and line)
void read_csv(const std::filesystem::path& path, const std::function<void(CsvRow)>& header,
              const std::function<void(std::size_t, CsvRow)>& row);

/// A column's position by any of its names; case, spaces and underscores don't count.
std::optional<std::size_t> find_column(const std::vector<std::string>& header,
                                       std::initializer_list<std::string_view> names);

/// A cell as CSV writes it: quoted where it has to be.
std::string csv_cell(std::string_view text);

}  // namespace inchtide::exchange

#pragma once
/// Splits and dividends in a CSV file.
///
/// @code
/// #include <cassert>
/// #include <filesystem>
/// #include "inchtide/exchange/files.hpp"
/// const auto folder = std::filesystem::temp_directory_path() / "inchtide-snippet-actions";
/// std::filesystem::create_directories(folder);
/// using namespace inchtide;
/// exchange::write_text_file(folder / "a.csv", "asset,date,split,dividend\nKELPFARM,2024-03-04,2:1,\n");
/// assert(exchange::read_actions(folder / "a.csv").size() == 1);
/// std::filesystem::remove_all(folder);
/// @endcode

#include <filesystem>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/exchange/csv.hpp"
#include "inchtide/prices/actions.hpp"

namespace inchtide::exchange {

/// Reads splits and dividends: columns `asset` (or `code`), `date` (or `ex_day`), and `split` (2, 2:1, 3:2), `dividend`
/// or both; an empty cell is none.
/// @throws InputError naming file, line and column
[[nodiscard]] INCHTIDE_API std::vector<CorporateAction> read_actions(const std::filesystem::path& path,
                                                                     const CsvStyle& style = {});

}  // namespace inchtide::exchange

#pragma once
/// Splits and dividends in a CSV file.

#include <filesystem>
#include <vector>

#include "inchtide/exchange/csv.hpp"
#include "inchtide/prices/actions.hpp"

namespace inchtide::exchange {

/// Reads splits and dividends: columns `asset` (or `code`), `date` (or `ex_day`), and `split` (2, 2:1, 3:2), `dividend`
/// or both; an empty cell is none.
/// @throws InputError naming file, line and column
[[nodiscard]] std::vector<CorporateAction> read_actions(const std::filesystem::path& path, const CsvStyle& style = {});

}  // namespace inchtide::exchange

#pragma once
/// Exchange rates in CSV files.
///
/// @code
/// #include <cassert>
/// #include <filesystem>
/// #include "inchtide/exchange/files.hpp"
/// const auto folder = std::filesystem::temp_directory_path() / "inchtide-snippet-rates";
/// std::filesystem::create_directories(folder);
/// using namespace inchtide;
/// exchange::write_text_file(folder / "MRD-HLC.csv", "date,rate\n2024-03-04,1.25\n");
/// const auto rates = exchange::read_rates(folder);
/// assert(rates[0].from == "MRD" && rates[0].to == "HLC");
/// std::filesystem::remove_all(folder);
/// @endcode

#include <filesystem>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/exchange/csv.hpp"
#include "inchtide/prices/currency.hpp"

namespace inchtide::exchange {

/// Reads exchange rates: a CSV file, or every .csv file of a folder, each with columns `date` and `rate`. A file's name
/// says what it holds: `MRD-HLC.csv` the price of one MRD in HLC, `MRD.csv` that of one MRD in a base
/// currency that is settled later (`to` is empty).
/// @throws InputError as for prices
[[nodiscard]] INCHTIDE_API std::vector<RateHistory> read_rates(const std::filesystem::path& path,
                                                               const CsvStyle& style = {});

}  // namespace inchtide::exchange

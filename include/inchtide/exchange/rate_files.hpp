#pragma once
/// Exchange rates in CSV files.

#include <filesystem>
#include <vector>

#include "inchtide/exchange/csv.hpp"
#include "inchtide/prices/currency.hpp"

namespace inchtide::exchange {

/// Reads exchange rates: a CSV file, or every .csv file of a folder, each with columns `date` and `rate`. A file's name
/// says what it holds: `MRD-HLC.csv` the price of one MRD in HLC, `MRD.csv` that of one MRD in a base
/// currency that is settled later (`to` is empty).
/// @throws InputError as for prices
[[nodiscard]] std::vector<RateHistory> read_rates(const std::filesystem::path& path, const CsvStyle& style = {});

}  // namespace inchtide::exchange

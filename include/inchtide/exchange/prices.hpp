#pragma once
/// Prices from wherever they are kept: CSV files, or a store that `gather` filled.

#include <filesystem>
#include <vector>

#include "inchtide/exchange/price_files.hpp"

namespace inchtide::exchange {

/// The histories of a store, or of files as `read_price_files` reads them.
/// @throws InputError as for files, and for a store of another version or with rows that cannot be
[[nodiscard]] std::vector<PriceHistory> read_prices(const std::filesystem::path& path,
                                                    const PriceReading& reading = {});

/// The same with every field that is there: open, high, low, close, adjusted close, volume, price.
[[nodiscard]] std::vector<BarHistory> read_bars(const std::filesystem::path& path, const PriceReading& reading = {});

}  // namespace inchtide::exchange

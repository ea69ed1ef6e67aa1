#pragma once
/// Prices from wherever they are kept: CSV files, or a store that `gather` filled.
///
/// @code
/// #include <cassert>
/// #include <filesystem>
/// #include "inchtide/exchange/files.hpp"
/// const auto folder = std::filesystem::temp_directory_path() / "inchtide-snippet-any";
/// std::filesystem::create_directories(folder);
/// using namespace inchtide;
/// exchange::write_text_file(folder / "KELPFARM.csv", "date,close\n2024-03-04,10\n2024-03-05,11\n");
/// assert(exchange::read_bars(folder).front().has(PriceField::close));
/// std::filesystem::remove_all(folder);
/// @endcode

#include <filesystem>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/exchange/price_files.hpp"

namespace inchtide::exchange {

/// The histories of a store, or of files as `read_price_files` reads them.
/// @throws InputError as for files, and for a store of another version or with rows that cannot be
[[nodiscard]] INCHTIDE_API std::vector<PriceHistory> read_prices(const std::filesystem::path& path,
                                                                 const PriceReading& reading = {});

/// The same with every field that is there: open, high, low, close, adjusted close, volume, price.
[[nodiscard]] INCHTIDE_API std::vector<BarHistory> read_bars(const std::filesystem::path& path,
                                                             const PriceReading& reading = {});

}  // namespace inchtide::exchange

#pragma once
/// Prices as people keep them in CSV files.
///
/// @code
/// #include <cassert>
/// #include <filesystem>
/// #include "inchtide/exchange/files.hpp"
/// const auto folder = std::filesystem::temp_directory_path() / "inchtide-snippet-prices";
/// std::filesystem::create_directories(folder);
/// using namespace inchtide;
/// exchange::write_text_file(folder / "KELPFARM.csv", "date,close\n2024-03-04,10\n2024-03-05,11\n");
/// const auto history = exchange::read_price_file(folder / "KELPFARM.csv");
/// assert(history.asset == "KELPFARM" && history.prices.back() == 11);
/// std::filesystem::remove_all(folder);
/// @endcode

#include <array>
#include <filesystem>
#include <functional>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/notice.hpp"
#include "inchtide/exchange/csv.hpp"
#include "inchtide/prices/bars.hpp"
#include "inchtide/prices/field_choice.hpp"
#include "inchtide/prices/history.hpp"

namespace inchtide::exchange {

/// How price files are read.
struct INCHTIDE_API PriceReading {
  CsvStyle style = {};
  FieldChoice fields = {};
  std::vector<std::string> assets = {};  ///< only these, where not empty
  int threads = 0;                       ///< files read at once; 0: as many as there are processors
};

/// Reads one asset's history. Needs a column `date` and one of `adjusted_close`, `close`, `price`; columns may stand in
/// any order and others are passed over. The file's name is the asset's code. Rows without a price are passed over.
/// Rows go by day, the oldest or the newest first.
/// @throws InputError naming file, line and column for anything that cannot be read, for days that come twice or out of
///         order, for prices that aren't positive, and for two columns of one name
[[nodiscard]] INCHTIDE_API PriceHistory read_price_file(const std::filesystem::path& path,
                                                        const PriceReading& reading = {});

/// Reads every .csv file of a folder in order of their names, one asset a file as above; or a single CSV file, which
/// may also hold many assets: rows of `asset`, `date` and a price in any order of assets, or a column `date` and one
/// column an asset, headed by its code, where an empty cell is a day without a price.
/// @throws InputError as above, and when the path doesn't exist, the folder holds no .csv file, two columns have one
///         code, or an asset has fewer than two prices
[[nodiscard]] INCHTIDE_API std::vector<PriceHistory> read_price_files(const std::filesystem::path& path,
                                                                      const PriceReading& reading = {});

/// The same with every field that is there: open, high, low, close, adjusted close, volume, price.
[[nodiscard]] INCHTIDE_API std::vector<BarHistory> read_bar_files(const std::filesystem::path& path,
                                                                  const PriceReading& reading = {});

/// What could be read, and what couldn't: one bad asset doesn't cost the others.
struct INCHTIDE_API BarsRead {
  std::vector<BarHistory> bars;
  std::vector<std::pair<std::string, Notice>> failures;  ///< asset and what is wrong
};

/// As `read_bar_files`, but an asset that cannot be read is left out and listed.
/// @throws InputError when the path or a file as a whole cannot be read
[[nodiscard]] INCHTIDE_API BarsRead read_bars_listing_failures(const std::filesystem::path& path,
                                                               const PriceReading& reading = {});

/// Bars out of a CSV text with one asset, by the names of its columns (empty: not there).
struct INCHTIDE_API BarColumns {
  std::string day = "date";
  /// Reads a day that isn't written as one, such as seconds; nothing when it can't. The style reads days without it.
  std::function<std::optional<Day>(std::string_view)> read_day = {};
  std::array<std::string, price_fields> fields = {};
};
[[nodiscard]] INCHTIDE_API BarHistory bars_from_csv_text(const std::string& asset, const std::string& source,
                                                         std::string_view text, const BarColumns& columns,
                                                         const CsvStyle& style);

}  // namespace inchtide::exchange

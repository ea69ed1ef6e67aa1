#pragma once
/// The CSV files that people keep: prices, rates, tags, weights, splits and dividends, lists of members.

#include <filesystem>
#include <functional>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "inchtide/base/notice.hpp"
#include "inchtide/base/tags.hpp"
#include "inchtide/exchange/csv.hpp"
#include "inchtide/prices/actions.hpp"
#include "inchtide/prices/bars.hpp"
#include "inchtide/prices/currency.hpp"
#include "inchtide/prices/field_choice.hpp"
#include "inchtide/prices/history.hpp"
#include "inchtide/weights/weight_list.hpp"

namespace inchtide::exchange {

/// How price files are read.
struct PriceReading {
  CsvStyle style = {};
  FieldChoice fields = {};
  std::vector<std::string> assets = {};  ///< only these, where not empty
  int threads = 0;                       ///< files read at once; 0: as many as there are processors
};

/// Reads one asset's history. Needs a column `date` and one of `adjusted_close`, `close`, `price`; columns may stand in
/// any order and others are passed over. The file's name is the asset's code. Rows without a price are passed over.
/// @throws InputError naming file, line and column for anything that cannot be read, for days that come twice or out of
///         order, for prices that aren't positive, and for two columns of one name
[[nodiscard]] PriceHistory read_price_file(const std::filesystem::path& path, const PriceReading& reading = {});

/// Reads every .csv file of a folder in order of their names, one asset a file as above; or a single CSV file, which
/// may also hold many assets: rows of `asset`, `date` and a price in any order of assets, or a column `date` and one
/// column an asset, headed by its code, where an empty cell is a day without a price; or a store that `gather` filled.
/// @throws InputError as above, and when the path doesn't exist, the folder holds no .csv file, two columns have one
///         code, or an asset has fewer than two prices
[[nodiscard]] std::vector<PriceHistory> read_prices(const std::filesystem::path& path,
                                                    const PriceReading& reading = {});

/// The same with every field that is there: open, high, low, close, adjusted close, volume, price.
[[nodiscard]] std::vector<BarHistory> read_bars(const std::filesystem::path& path, const PriceReading& reading = {});

/// What could be read, and what couldn't: one bad asset doesn't cost the others.
struct BarsRead {
  std::vector<BarHistory> bars;
  std::vector<std::pair<std::string, Notice>> failures;  ///< asset and what is wrong
};

/// As `read_bars` from CSV files, but an asset that cannot be read is left out and listed.
/// @throws InputError when the path or a file as a whole cannot be read
[[nodiscard]] BarsRead read_bars_listing_failures(const std::filesystem::path& path, const PriceReading& reading = {});

/// Bars out of a CSV text with one asset, by the names of its columns (empty: not there).
struct BarColumns {
  std::string day = "date";
  /// Reads a day that isn't written as one, such as seconds; nothing when it can't. The style reads days without it.
  std::function<std::optional<Day>(std::string_view)> read_day = {};
  std::array<std::string, price_fields> fields = {};
};
[[nodiscard]] BarHistory bars_from_csv_text(const std::string& asset, const std::string& source, std::string_view text,
                                            const BarColumns& columns, const CsvStyle& style);

/// Reads exchange rates: a CSV file, or every .csv file of a folder, each with columns `date` and `rate`. A file's name
/// says what it holds: `MRD-HLC.csv` the price of one MRD in HLC, `MRD.csv` that of one MRD in a base
/// currency that is settled later (`to` is empty).
/// @throws InputError as for prices
[[nodiscard]] std::vector<RateHistory> read_rates(const std::filesystem::path& path, const CsvStyle& style = {});

/// Reads splits and dividends: columns `asset` (or `code`), `date` (or `ex_day`), and `split` (2, 2:1, 3:2), `dividend`
/// or both; an empty cell is none.
/// @throws InputError naming file, line and column
[[nodiscard]] std::vector<CorporateAction> read_actions(const std::filesystem::path& path, const CsvStyle& style = {});

/// Reads a table of tags, or of identifiers: a column `code` and any others.
/// @throws InputError when there is no such column or a code comes twice
[[nodiscard]] Tags read_tags(const std::filesystem::path& path);

/// The members of a universe, in the words of some scheme.
struct MemberList {
  std::string scheme;  ///< the column's name, or empty where the file doesn't say
  std::vector<std::string> members;
};

/// Reads a list of members: a text file with one a line (# begins a comment), or a CSV file, of which the column
/// `code`, else one of `schemes`, else the first is taken.
/// @throws InputError when it is empty
[[nodiscard]] MemberList read_members(const std::filesystem::path& path, const std::vector<std::string>& schemes);

/// Reads weights: a column `asset` (or `code`) and one column a portfolio, cells such as `12.5%`; empty is 0.
/// @throws InputError for a missing column, an asset that comes twice, or a weight that cannot be read or has no %
[[nodiscard]] std::vector<WeightList> read_weights(const std::filesystem::path& path);

}  // namespace inchtide::exchange

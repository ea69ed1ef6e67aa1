#pragma once
/// The CSV files that people keep: prices, tags and weights.

#include <filesystem>
#include <string>
#include <vector>

#include "inchtide/base/tags.hpp"
#include "inchtide/prices/currency.hpp"
#include "inchtide/prices/history.hpp"

namespace inchtide::exchange {

/// Reads one asset's history. Needs a column `date` (ISO days) and one of `adjusted_close`, `close`, `price`, in this
/// order of preference; columns may stand in any order and others are passed over. The file's name is the asset's code.
/// Rows without a price are passed over.
/// @throws InputError naming file, line and column for anything that cannot be read, for days that come twice or out of
///         order, and for prices that aren't positive
PriceHistory read_price_file(const std::filesystem::path& path);

/// Reads every .csv file of a folder in order of their names, one asset a file as above; or a single CSV file, which
/// may also hold many assets: rows of `asset`, `date` and a price in any order of assets, or a column `date` and one
/// column an asset, headed by its code, where an empty cell is a day without a price.
/// @throws InputError as above, and when the path doesn't exist, the folder holds no .csv file, two columns have one
/// code,
///         or an asset has fewer than two prices
std::vector<PriceHistory> read_prices(const std::filesystem::path& path);

/// Reads exchange rates: a CSV file, or every .csv file of a folder, each with columns `date` and `rate`. A file's name
/// says what it holds: `MRD-HLC.csv` the price of one MRD in HLC, `MRD.csv` that of one MRD in `base`.
/// @throws InputError as for prices, and when a name says no second currency and there is no base
std::vector<RateHistory> read_rates(const std::filesystem::path& path, const std::string& base);

/// Reads a table of tags: a column `code` and any others.
/// @throws InputError when there is no such column or a code comes twice
Tags read_tags(const std::filesystem::path& path);

/// Weights of one or several portfolios.
struct WeightList {
  std::string name;  ///< the column's header, or the file's name where the column is called `weight`
  std::vector<std::string> assets;
  std::vector<double> weights;  ///< fractions of wealth
};

/// Reads weights: a column `asset` (or `code`) and one column a portfolio, cells such as `12.5%`; empty is 0.
/// @throws InputError for a missing column, an asset that comes twice, or a weight that cannot be read or has no %
std::vector<WeightList> read_weights(const std::filesystem::path& path);

}  // namespace inchtide::exchange

#pragma once
/// Tags: what is known of each asset beside its prices, such as its name, sector and currency.
///
/// @code
/// #include <cassert>
/// const inchtide::Tags tags{{"sector"}, {"KELPFARM", "TIDEMILL"}, {{"food"}, {"power"}}};
/// assert(tags.value("kelpfarm", "Sector") == "food");
/// assert(tags.has("sector", "power") && !tags.has("sector", "bonds"));
/// @endcode

#include <cstddef>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "inchtide/base/api.hpp"

namespace inchtide {

/// A table with one row an asset and named text columns.
struct INCHTIDE_API Tags {
  std::vector<std::string> columns;            ///< e.g. name, sector, currency, yield
  std::vector<std::string> assets;             ///< asset codes, one a row
  std::vector<std::vector<std::string>> rows;  ///< rows[asset][column]; empty text = no value

  /// The value of `column` for `asset` (names ignore case), or nothing when either is missing or the cell is empty.
  [[nodiscard]] std::optional<std::string> value(std::string_view asset, std::string_view column) const;

  /// The row of each of these assets (case apart), or nothing for one that has none.
  [[nodiscard]] std::vector<std::optional<std::size_t>> rows_of(const std::vector<std::string>& codes) const;

  /// True when some asset has `value` in `column`.
  [[nodiscard]] bool has(std::string_view column, std::string_view value) const;

  /// The values that some asset has, each once, in the order of the table.
  [[nodiscard]] std::vector<std::string> values(std::string_view column) const;
};

}  // namespace inchtide

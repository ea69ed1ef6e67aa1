#pragma once
/// What trading costs: basis points of the value traded, buys and sells apart, per asset, tag or for all.

#include <string>
#include <string_view>
#include <vector>

#include "inchtide/base/notice.hpp"
#include "inchtide/base/tags.hpp"

namespace inchtide {

/// One basis point is a hundredth of a percent of the value traded.
inline constexpr double basis_point = 1e-4;

/// The rates of one class of assets.
struct CostClass {
  /// Who pays them: `all`, an asset code, or `column:value` for every asset with that tag.
  std::string applies_to = "all";
  double buy_bps = 0;   ///< basis points of the value bought
  double sell_bps = 0;  ///< basis points of the value sold

  /// Reads `10bp` (for all), `KELPFARM=10bp`, `sector:bonds=2bp`, or `10bp/5bp` for buys / sells.
  /// @throws InputError naming `where` when the text is anything else or a rate is negative or 10,000 and more
  [[nodiscard]] static CostClass parse(std::string_view text, const Where& where);
};

/// The rates that each asset of a list pays, as fractions of the value traded.
struct CostRates {
  std::vector<double> buy;
  std::vector<double> sell;

  /// No costs for `assets` assets.
  [[nodiscard]] static CostRates none(std::size_t assets) {
    return {std::vector<double>(assets), std::vector<double>(assets)};
  }
};

/// Looks up every asset's rates: its own class if there is one, else the class of one of its tags, else `all`, else 0.
/// Where several classes of the same kind fit, the last given wins.
/// @throws InputError for a class that names neither an asset nor a tag in use, or a rate outside [0, 10,000) bps
[[nodiscard]] CostRates cost_rates(const std::vector<CostClass>& classes, const std::vector<std::string>& assets,
                                   const Tags& tags);

}  // namespace inchtide

#pragma once
/// What trading costs: basis points of the value traded, buys and sells apart, per asset, tag or for all.
///
/// @code
/// #include <cassert>
/// using namespace inchtide;
/// const Tags tags{{"sector"}, {"KELPFARM", "HOLLBOND"}, {{"food"}, {"bonds"}}};
/// const std::vector<CostClass> classes{CostClass::parse("10bp", ""), CostClass::parse("sector:bonds=2bp", "")};
/// const auto rates = cost_rates(classes, tags.assets, tags);
/// assert(rates.buy[0] == 10 * basis_point && rates.buy[1] == 2 * basis_point);
/// assert(rates.of_trade(0, -1000) == 1);
/// @endcode

#include <string>
#include <string_view>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/eigen.hpp"
#include "inchtide/base/notice.hpp"
#include "inchtide/base/tags.hpp"

namespace inchtide {

/// One basis point is a hundredth of a percent of the value traded.
inline constexpr double basis_point = 1e-4;

/// The rates of one class of assets.
struct INCHTIDE_API CostClass {
  /// Who pays them: `all`, an asset code, or `column:value` for every asset with that tag.
  std::string applies_to = "all";
  double buy_bps = 0;   ///< basis points of the value bought
  double sell_bps = 0;  ///< basis points of the value sold

  /// Reads `10bp` (for all), `KELPFARM=10bp`, `sector:bonds=2bp`, or `10bp/5bp` for buys / sells.
  /// @throws InputError naming `where` when the text is anything else or a rate is negative or 10,000 and more
  [[nodiscard]] static CostClass parse(std::string_view text, const Where& where);
};

/// The rates that each asset of a list pays, as fractions of the value traded.
struct INCHTIDE_API CostRates {
  Eigen::VectorXd buy, sell;  ///< one an asset, from 0

  /// No costs for `assets` assets.
  [[nodiscard]] static CostRates none(Eigen::Index assets) {
    return {Eigen::VectorXd::Zero(assets), Eigen::VectorXd::Zero(assets)};
  }

  /// Of trading a value of one asset, bought (positive) or sold (negative).
  [[nodiscard]] double of_trade(Eigen::Index asset, double value) const {
    return value > 0 ? buy[asset] * value : -sell[asset] * value;
  }

  /// @throws InputError where there isn't a figure an asset, or one is no number from 0 to 1
  void check(Eigen::Index assets) const;
};

/// Looks up every asset's rates: its own class if there is one, else the class of one of its tags, else `all`, else 0.
/// Where several classes of the same kind fit, the last given wins.
/// @throws InputError for a class that names neither an asset nor a tag in use, or a rate outside [0, 10,000) bps
[[nodiscard]] INCHTIDE_API CostRates cost_rates(const std::vector<CostClass>& classes,
                                                const std::vector<std::string>& assets, const Tags& tags);

}  // namespace inchtide

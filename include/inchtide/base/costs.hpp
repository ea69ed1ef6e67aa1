#pragma once
/// What trading and holding cost, part by part, per asset, tag or for all.
///
/// An order costs  fee + min(most, max(least, commission)) + half-spread + stamp duty on buys + currency conversion +
/// impact: least and most bind the commission only. Impact is coefficient x daily volatility x sqrt(value / daily
/// traded value) x value (Almgren, Thum, Hauptmann & Li 2005, "Direct estimation of equity market impact", have a power
/// of 0.6; the square root is the common form). Holding and short-borrowing fees run per calendar day, 1/365 of a
/// year's.
///
/// @code
/// #include <cassert>
/// using namespace inchtide;
/// const Tags tags{{"sector"}, {"KELPFARM", "HOLLBOND"}, {{"food"}, {"bonds"}}};
/// std::vector<CostClass> classes{CostClass::parse("10bp", ""), CostClass::parse("sector:bonds=2bp", "")};
/// classes[0].buy.least = classes[0].sell.least = 50;
/// const auto costs = asset_costs(classes, tags.assets, tags);
/// assert(costs[0].sell.of(1000).total() == 50 && costs[0].sell.of(100'000).total() == 100);
/// assert(costs[1].sell.of(1'000'000).total() == 200);  // of the parts each asset has the narrowest class's
/// assert(proportional(costs).buy[1] == 2 * basis_point);
/// @endcode

#include <functional>
#include <limits>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/eigen.hpp"
#include "inchtide/base/notice.hpp"
#include "inchtide/base/tags.hpp"

namespace inchtide {

/// One basis point is a hundredth of a percent of the value traded.
inline constexpr double basis_point = 1e-4;

/// A commission's rate from a value on.
struct INCHTIDE_API CommissionTier {
  double from = 0;  ///< money
  double rate = 0;  ///< fraction of the value

  friend bool operator==(const CommissionTier&, const CommissionTier&) = default;
};

/// What one order cost, part by part, in money.
struct INCHTIDE_API OrderCost {
  double fee = 0;
  double commission = 0;
  double half_spread = 0;
  double stamp_duty = 0;
  double conversion = 0;
  double impact = 0;
  double other = 0;  ///< by a function of the caller's own

  [[nodiscard]] double total() const {
    return fee + commission + half_spread + stamp_duty + conversion + impact + other;
  }
  OrderCost& operator+=(const OrderCost& more);
  friend bool operator==(const OrderCost&, const OrderCost&) = default;
};

/// What an order on one side, buying or selling, costs. Rates are fractions of the value traded, amounts money.
struct INCHTIDE_API SideCosts {
  double fee = 0;                     ///< of every order, whatever its size
  std::vector<CommissionTier> tiers;  ///< ascending, the first from 0; none is no commission
  bool whole = false;                 ///< the whole order pays the rate of the tier it reaches, not each slice its own
  double least = 0;                   ///< commission of an order at least
  double most = std::numeric_limits<double>::infinity();  ///< and at most
  double half_spread = 0;
  double stamp_duty = 0;
  double conversion = 0;
  double impact = 0;                          ///< coefficient
  std::function<double(double value)> own{};  ///< one more part, by the value traded; from 0, not falling

  /// Of an order of this value, 0 or more.
  /// @param market daily volatility / sqrt(daily traded value), for the impact
  [[nodiscard]] OrderCost of(double value, double market = 0) const;
  /// What the next unit of value would cost, but for `own`'s.
  [[nodiscard]] double marginal(double value, double market = 0) const;
  /// The most that a unit of value may cost, but for the impact and `own`.
  [[nodiscard]] double steepest() const;
  /// Whether the total is a convex function of the value, so that Newton's method finds the wealth after it.
  [[nodiscard]] bool is_convex() const;
  [[nodiscard]] bool is_free() const;
  /// Whether the total is in proportion to the value.
  [[nodiscard]] bool is_proportional() const;
};

/// What one asset costs to trade and to hold.
struct INCHTIDE_API AssetCosts {
  SideCosts buy, sell;
  double custody = 0;    ///< fraction of the position's value per year, long or short
  double borrowing = 0;  ///< fraction of a short position's value per year

  /// Of trading a value, bought (positive) or sold (negative).
  [[nodiscard]] OrderCost of_trade(double value, double market = 0) const {
    return value > 0 ? buy.of(value, market) : sell.of(-value, market);
  }
  /// @throws InputError for a rate outside [0, 1), an amount or coefficient below 0, a least commission above the most,
  ///         or tiers that don't ascend from 0
  void check(const Where& where) const;
};

/// The same with every part of trading so many times as large; custody and borrowing stay.
[[nodiscard]] INCHTIDE_API AssetCosts at_level(AssetCosts costs, double level);

/// The parts of one side that a class sets; what it leaves open a broader class may set. In basis points and money.
struct INCHTIDE_API SideClass {
  std::optional<double> fee{}, bps{}, least{}, most{}, half_spread_bps{}, stamp_duty_bps{}, conversion_bps{}, impact{};
  std::optional<std::vector<CommissionTier>> tiers{};  ///< never beside `bps`
  std::optional<bool> whole{};

  friend bool operator==(const SideClass&, const SideClass&) = default;
};

/// The costs of one class of assets.
struct INCHTIDE_API CostClass {
  /// Who pays them: `all`, an asset code, or `column:value` for every asset with that tag.
  std::string applies_to = "all";
  SideClass buy{}, sell{};
  std::optional<double> custody_bps{}, borrowing_bps{};  ///< per year

  /// Basis points of the value bought and sold.
  [[nodiscard]] static CostClass of(std::string applies_to, double buy_bps, double sell_bps);

  /// Reads `10bp` (for all), `KELPFARM=10bp`, `sector:bonds=2bp`, or `10bp/5bp` for buys / sells.
  /// @throws InputError naming `where` when the text is anything else or a rate is negative or 10,000 and more
  [[nodiscard]] static CostClass parse(std::string_view text, const Where& where);
};

/// The rates that each asset of a list pays, as fractions of the value traded: what is in proportion to it.
struct INCHTIDE_API CostRates {
  Eigen::VectorXd buy, sell;  ///< one an asset, from 0

  /// No costs for `assets` assets.
  [[nodiscard]] static CostRates none(Eigen::Index assets) {
    return {Eigen::VectorXd::Zero(assets), Eigen::VectorXd::Zero(assets)};
  }

  /// @throws InputError where there isn't a figure an asset, or one is no number from 0 to 1
  void check(Eigen::Index assets) const;
};

/// Looks up every asset's costs, part by part: of its own class if that sets the part, else of the class of one of its
/// tags, else of `all`, else 0.
/// @throws InputError where two classes of the same kind set it differently, for a class that names neither an asset
///         nor a tag in use, a rate outside [0, 10,000) bps, an amount or coefficient below 0, a least above the most,
///         tiers that don't ascend from 0, or tiers beside a rate
[[nodiscard]] INCHTIDE_API std::vector<AssetCosts> asset_costs(const std::vector<CostClass>& classes,
                                                               const std::vector<std::string>& assets,
                                                               const Tags& tags);

/// A figure for each asset: of its own class, else of the class of one of its tags, else of `all`, else `otherwise`.
/// @throws InputError for a class that names neither an asset nor a tag in use
[[nodiscard]] INCHTIDE_API std::vector<double> by_class(const std::vector<std::pair<std::string, double>>& classes,
                                                        const std::vector<std::string>& assets, const Tags& tags,
                                                        double otherwise);

/// What of the costs is in proportion to the value traded: the rate of the first tier, half-spread, stamp duty and
/// conversion. Fees, least and most, further tiers and impact are left out.
[[nodiscard]] INCHTIDE_API CostRates proportional(const std::vector<AssetCosts>& costs);

/// Whether some order pays impact, which hangs on what is traded a day.
[[nodiscard]] INCHTIDE_API bool has_impact(const std::vector<AssetCosts>& costs);

/// Costs in proportion to the value traded, for those who have rates.
[[nodiscard]] INCHTIDE_API std::vector<AssetCosts> asset_costs(const CostRates& rates);

}  // namespace inchtide

#include "inchtide/base/costs.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <optional>
#include <utility>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/base/range.hpp"

namespace inchtide {
namespace {

std::optional<double> rate_in_bps(std::string_view text) {
  if (!text.ends_with("bp")) return std::nullopt;
  return parse_number(text.substr(0, text.size() - 2));
}

void check_rate(const std::optional<double>& bps, const Where& where) {
  if (bps && !(*bps >= 0 && *bps < 10000)) {
    throw InputError(where, fmt::format("a cost of {} basis points", *bps), "A rate lies from 0 to below 10,000");
  }
}

void check_amount(const std::optional<double>& amount, const char* name, const Where& where) {
  if (amount && !(*amount >= 0 && std::isfinite(*amount))) {
    throw InputError(where, fmt::format("a {} of {}", name, *amount), "Give 0 or more");
  }
}

void check_tiers(const std::vector<CommissionTier>& tiers, const Where& where) {
  double last = -1;
  for (const auto& tier : tiers) {
    check_rate(tier.rate / basis_point, where);
    if (!(tier.from > last) || !std::isfinite(tier.from) || (last < 0 && tier.from != 0)) {
      throw InputError(where, fmt::format("a tier from {}", tier.from),
                       "The first tier begins at 0, each further one above the one before");
    }
    last = tier.from;
  }
}

void check_side(const SideClass& side, const Where& where) {
  for (const auto& bps : {side.bps, side.half_spread_bps, side.stamp_duty_bps, side.conversion_bps}) {
    check_rate(bps, where);
  }
  check_amount(side.fee, "fee", where);
  check_amount(side.least, "least commission", where);
  check_amount(side.most, "largest commission", where);
  check_amount(side.impact, "coefficient of impact", where);
  if (side.tiers) check_tiers(*side.tiers, where);
  if (!side.tiers || !side.bps) return;
  throw InputError(where, "it sets a commission and tiers of it for the same orders",
                   "Leave one of them out, or set them for buying and for selling apart");
}

void check_side(const SideCosts& side, const Where& where) {
  for (const double rate : {side.half_spread, side.stamp_duty, side.conversion}) check_rate(rate / basis_point, where);
  check_amount(side.fee, "fee", where);
  check_amount(side.least, "least commission", where);
  check_amount(side.impact, "coefficient of impact", where);
  check_tiers(side.tiers, where);
  if (side.least <= side.most) return;
  throw InputError(where, fmt::format("its least commission of {} lies above its largest of {}", side.least, side.most),
                   "Raise the one or lower the other");
}

enum class Fit { none, all, tag, asset };

/// How closely a class (an asset, `column:value` or `all`) fits an asset.
Fit fit_of(const std::string& name, const std::string& asset, const Tags& tags) {
  if (same_name(name, asset)) return Fit::asset;
  if (same_name(name, "all")) return Fit::all;
  const auto colon = name.find(':');
  if (colon == std::string::npos) return Fit::none;
  const auto value = tags.value(asset, name.substr(0, colon));
  return value && same_name(*value, name.substr(colon + 1)) ? Fit::tag : Fit::none;
}

void check_known(const std::string& name, const std::vector<std::string>& assets, const Tags& tags,
                 const std::string& where) {
  if (same_name(name, "all") || find_name(name, assets) || find_name(name, tags.assets)) return;
  const auto colon = name.find(':');
  if (colon == std::string::npos) throw InputError(where, "no asset has this code", did_you_mean(name, assets));
  const auto column = name.substr(0, colon), value = name.substr(colon + 1);
  if (tags.has(column, value)) return;
  if (tags.columns.empty()) throw InputError(where, "there are no tags", {Means::tags, "Give a table of them"});
  throw InputError(
      where, "no asset has this tag",
      find_name(column, tags.columns) ? did_you_mean(value, tags.values(column)) : did_you_mean(column, tags.columns));
}

template <typename Value>
void lay_over(Value& below, const std::optional<Value>& above) {
  if (above) below = *above;
}

void lay_over_rate(double& below, const std::optional<double>& bps) {
  if (bps) below = *bps * basis_point;
}

void lay_over(SideCosts& side, const SideClass& above) {
  lay_over(side.fee, above.fee);
  if (above.bps) side.tiers = {{0, *above.bps * basis_point}};
  lay_over(side.tiers, above.tiers);
  lay_over(side.whole, above.whole);
  lay_over(side.least, above.least);
  lay_over(side.most, above.most);
  lay_over_rate(side.half_spread, above.half_spread_bps);
  lay_over_rate(side.stamp_duty, above.stamp_duty_bps);
  lay_over_rate(side.conversion, above.conversion_bps);
  lay_over(side.impact, above.impact);
}

[[noreturn]] void refuse_both(const std::string& asset, const std::string& first, const std::string& second,
                              const std::string& what) {
  const bool same = same_name(first, second);
  throw InputError(Where::of_asset(asset),
                   same ? fmt::format("'{}' sets its {} twice, and not alike", first, what)
                        : fmt::format("'{}' and '{}' both set its {}, and not alike", first, second, what),
                   same ? "Leave one of them out" : "Leave one of them out, or set it for the asset itself");
}

using Fitting = std::vector<std::pair<Fit, const CostClass*>>;  // the narrowest last

/// That the narrowest of the classes which set a part set it alike.
template <typename Part>
void check_alike(const std::string& asset, const Fitting& fitting, const char* what, Part part) {
  const std::pair<Fit, const CostClass*>* narrowest = nullptr;
  const CostClass* other = nullptr;  // of the same kind, and not alike
  for (const auto& entry : fitting) {
    const auto figure = part(*entry.second);
    if (!figure) continue;
    if (narrowest == nullptr || narrowest->first != entry.first) {
      narrowest = &entry;
      other = nullptr;
    } else if (part(*narrowest->second) != figure) {
      other = entry.second;
    }
  }
  if (other != nullptr) refuse_both(asset, narrowest->second->applies_to, other->applies_to, what);
}

void check_alike(const std::string& asset, const Fitting& fitting) {
  constexpr std::pair<std::optional<double> SideClass::*, const char*> parts[] = {
      {&SideClass::fee, "fee"},
      {&SideClass::least, "least commission"},
      {&SideClass::most, "largest commission"},
      {&SideClass::half_spread_bps, "half-spread"},
      {&SideClass::stamp_duty_bps, "stamp duty"},
      {&SideClass::conversion_bps, "conversion"},
      {&SideClass::impact, "impact"}};
  for (auto side : {&CostClass::buy, &CostClass::sell}) {
    for (const auto& [part, name] : parts) {
      check_alike(asset, fitting, name, [&, part = part](const CostClass& c) { return (c.*side).*part; });
    }
    check_alike(asset, fitting, "commission", [&](const CostClass& c) {
      const auto& one = c.*side;
      return one.bps && !one.tiers ? std::optional(std::vector<CommissionTier>{{0, *one.bps * basis_point}})
                                   : one.tiers;
    });
    check_alike(asset, fitting, "commission of the whole", [&](const CostClass& c) { return (c.*side).whole; });
  }
  check_alike(asset, fitting, "holding fee", [](const CostClass& c) { return c.custody_bps; });
  check_alike(asset, fitting, "borrowing fee", [](const CostClass& c) { return c.borrowing_bps; });
}

AssetCosts costs_of(const std::string& asset, const std::vector<CostClass>& classes, const Tags& tags) {
  Fitting fitting;
  for (const auto& cost : classes) {
    if (const auto fit = fit_of(cost.applies_to, asset, tags); fit != Fit::none) fitting.emplace_back(fit, &cost);
  }
  std::ranges::stable_sort(fitting, {}, [](const auto& entry) { return entry.first; });
  check_alike(asset, fitting);
  AssetCosts costs;
  for (const auto& entry : fitting) {
    lay_over(costs.buy, entry.second->buy);
    lay_over(costs.sell, entry.second->sell);
    lay_over_rate(costs.custody, entry.second->custody_bps);
    lay_over_rate(costs.borrowing, entry.second->borrowing_bps);
  }
  costs.check(Where::of_asset(asset));
  return costs;
}

/// Before least and most.
double commission_of(const SideCosts& side, double value) {
  double commission = 0;
  for (std::size_t k = 0; k < side.tiers.size(); ++k) {
    const auto& tier = side.tiers[k];
    if (k > 0 && value <= tier.from) break;
    const double to = k + 1 < side.tiers.size() ? side.tiers[k + 1].from : std::numeric_limits<double>::infinity();
    commission = side.whole ? tier.rate * value : commission + tier.rate * (std::min(value, to) - tier.from);
  }
  return commission;
}

/// Of the tier in which the next unit of value lies.
double rate_at(const SideCosts& side, double value) {
  double rate = 0;
  for (const auto& tier : side.tiers) {
    if (value >= tier.from) rate = tier.rate;
  }
  return rate;
}

}  // namespace

OrderCost& OrderCost::operator+=(const OrderCost& more) {
  fee += more.fee;
  commission += more.commission;
  half_spread += more.half_spread;
  stamp_duty += more.stamp_duty;
  conversion += more.conversion;
  impact += more.impact;
  other += more.other;
  return *this;
}

OrderCost SideCosts::of(double value, double market) const {
  OrderCost cost;
  cost.fee = fee;
  const double commission = tiers.size() == 1 ? tiers[0].rate * value : commission_of(*this, value);
  cost.commission = std::min(most, std::max(least, commission));
  cost.half_spread = half_spread * value;
  cost.stamp_duty = stamp_duty * value;
  cost.conversion = conversion * value;
  if (impact > 0) cost.impact = impact * market * std::sqrt(value) * value;
  if (own) cost.other = own(value);
  return cost;
}

double SideCosts::marginal(double value, double market) const {
  double rate = half_spread + stamp_duty + conversion;
  const double commission = tiers.size() == 1 ? tiers[0].rate * value : commission_of(*this, value);
  if (commission >= least && commission < most) rate += tiers.size() == 1 ? tiers[0].rate : rate_at(*this, value);
  if (impact > 0) rate += 1.5 * impact * market * std::sqrt(value);
  return rate;
}

double SideCosts::steepest() const {
  double rate = 0;
  for (const auto& tier : tiers) rate = std::max(rate, tier.rate);
  return rate + half_spread + stamp_duty + conversion;
}

bool SideCosts::is_convex() const {
  if (own || whole || std::isfinite(most)) return false;
  return std::ranges::is_sorted(tiers, {}, &CommissionTier::rate);
}

bool SideCosts::is_free() const {
  return fee == 0 && least == 0 && steepest() == 0 && impact == 0 && !own;
}

AssetCosts at_level(AssetCosts costs, double level) {
  for (auto* side : {&costs.buy, &costs.sell}) {
    for (double* part :
         {&side->fee, &side->least, &side->half_spread, &side->stamp_duty, &side->conversion, &side->impact}) {
      *part *= level;
    }
    if (std::isfinite(side->most)) side->most *= level;
    for (auto& tier : side->tiers) tier.rate *= level;
    if (side->own) side->own = [own = side->own, level](double value) { return level * own(value); };
  }
  return costs;
}

bool SideCosts::is_proportional() const {
  return fee == 0 && least == 0 && std::isinf(most) && impact == 0 && tiers.size() <= 1 && !own;
}

void AssetCosts::check(const Where& where) const {
  check_side(buy, where);
  check_side(sell, where);
  check_rate(custody / basis_point, where);
  check_rate(borrowing / basis_point, where);
}

CostClass CostClass::of(std::string applies_to, double buy_bps, double sell_bps) {
  CostClass cost{std::move(applies_to)};
  cost.buy.bps = buy_bps;
  cost.sell.bps = sell_bps;
  return cost;
}

CostClass CostClass::parse(std::string_view text, const Where& where) {
  const auto equals = text.find('=');
  std::string applies_to = equals == std::string_view::npos ? "all" : std::string(text.substr(0, equals));
  const auto rates = equals == std::string_view::npos ? text : text.substr(equals + 1);
  const auto slash = rates.find('/');
  const auto buy = rate_in_bps(rates.substr(0, slash));
  const auto sell = slash == std::string_view::npos ? buy : rate_in_bps(rates.substr(slash + 1));
  if (!buy || !sell || applies_to.empty()) {
    throw InputError(where, fmt::format("'{}' is not a cost", text),
                     "Write 10bp, KELPFARM=10bp, sector:bonds=2bp, or 10bp/5bp for buys/sells");
  }
  check_rate(*buy, where);
  check_rate(*sell, where);
  return of(std::move(applies_to), *buy, *sell);
}

void CostRates::check(Eigen::Index assets) const {
  check_per_asset(buy, assets, "costs of buying");
  check_per_asset(sell, assets, "costs of selling");
  for (Eigen::Index i = 0; i < assets; ++i) {
    within(buy[i], 0, 1, "cost of buying");
    within(sell[i], 0, 1, "cost of selling");
  }
}

std::vector<AssetCosts> asset_costs(const std::vector<CostClass>& classes, const std::vector<std::string>& assets,
                                    const Tags& tags) {
  for (const auto& cost : classes) {
    const std::string where = fmt::format("cost class '{}'", cost.applies_to);
    check_side(cost.buy, where);
    check_side(cost.sell, where);
    check_rate(cost.custody_bps, where);
    check_rate(cost.borrowing_bps, where);
    check_known(cost.applies_to, assets, tags, where);
  }
  std::vector<AssetCosts> costs;
  costs.reserve(assets.size());
  for (const auto& asset : assets) costs.push_back(costs_of(asset, classes, tags));
  return costs;
}

std::vector<double> by_class(const std::vector<std::pair<std::string, double>>& classes,
                             const std::vector<std::string>& assets, const Tags& tags, double otherwise) {
  for (const auto& [name, figure] : classes) check_known(name, assets, tags, fmt::format("class '{}'", name));
  std::vector<double> figures(assets.size(), otherwise);
  for (std::size_t i = 0; i < assets.size(); ++i) {
    Fit best = Fit::none;
    const std::string *by = nullptr, *other = nullptr;
    for (const auto& [name, figure] : classes) {
      const auto fit = fit_of(name, assets[i], tags);
      if (fit == Fit::none || fit < best) continue;
      if (fit > best) {
        best = fit;
        by = &name;
        other = nullptr;
        figures[i] = figure;
      } else if (figure != figures[i]) {
        other = &name;
      }
    }
    if (other != nullptr) refuse_both(assets[i], *by, *other, "figure");
  }
  return figures;
}

bool has_impact(const std::vector<AssetCosts>& costs) {
  return std::ranges::any_of(costs, [](const AssetCosts& c) { return c.buy.impact > 0 || c.sell.impact > 0; });
}

CostRates proportional(const std::vector<AssetCosts>& costs) {
  auto rates = CostRates::none(Eigen::Index(costs.size()));
  const auto rate = [](const SideCosts& side) {
    return rate_at(side, 0) + side.half_spread + side.stamp_duty + side.conversion;
  };
  for (std::size_t i = 0; i < costs.size(); ++i) {
    rates.buy[Eigen::Index(i)] = rate(costs[i].buy);
    rates.sell[Eigen::Index(i)] = rate(costs[i].sell);
  }
  return rates;
}

std::vector<AssetCosts> asset_costs(const CostRates& rates) {
  std::vector<AssetCosts> costs(std::size_t(rates.buy.size()));
  for (std::size_t i = 0; i < costs.size(); ++i) {
    costs[i].buy.tiers = {{0, rates.buy[Eigen::Index(i)]}};
    costs[i].sell.tiers = {{0, rates.sell[Eigen::Index(i)]}};
  }
  return costs;
}

}  // namespace inchtide

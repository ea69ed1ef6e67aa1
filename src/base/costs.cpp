#include "inchtide/base/costs.hpp"

#include <fmt/format.h>

#include <optional>

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

void check_rate(double bps, const Where& where) {
  if (!(bps >= 0 && bps < 10000)) {
    throw InputError(where, fmt::format("a cost of {} basis points", bps), "A rate lies from 0 to below 10,000");
  }
}

enum class Fit { none, all, tag, asset };

Fit fit_of(const CostClass& cost, const std::string& asset, const Tags& tags) {
  if (same_name(cost.applies_to, asset)) return Fit::asset;
  if (same_name(cost.applies_to, "all")) return Fit::all;
  const auto colon = cost.applies_to.find(':');
  if (colon == std::string::npos) return Fit::none;
  const auto value = tags.value(asset, cost.applies_to.substr(0, colon));
  return value && same_name(*value, cost.applies_to.substr(colon + 1)) ? Fit::tag : Fit::none;
}

bool is_known(const CostClass& cost, const std::vector<std::string>& assets, const Tags& tags) {
  if (same_name(cost.applies_to, "all") || find_name(cost.applies_to, assets) ||
      find_name(cost.applies_to, tags.assets)) {
    return true;
  }
  const auto colon = cost.applies_to.find(':');
  return colon != std::string::npos && tags.has(cost.applies_to.substr(0, colon), cost.applies_to.substr(colon + 1));
}

}  // namespace

CostClass CostClass::parse(std::string_view text, const Where& where) {
  CostClass cost;
  const auto equals = text.find('=');
  if (equals != std::string_view::npos) cost.applies_to = std::string(text.substr(0, equals));
  const auto rates = equals == std::string_view::npos ? text : text.substr(equals + 1);
  const auto slash = rates.find('/');
  const auto buy = rate_in_bps(rates.substr(0, slash));
  const auto sell = slash == std::string_view::npos ? buy : rate_in_bps(rates.substr(slash + 1));
  if (!buy || !sell || cost.applies_to.empty()) {
    throw InputError(where, fmt::format("'{}' is not a cost", text),
                     "Write 10bp, KELPFARM=10bp, sector:bonds=2bp, or 10bp/5bp for buys/sells");
  }
  check_rate(*buy, where);
  check_rate(*sell, where);
  cost.buy_bps = *buy;
  cost.sell_bps = *sell;
  return cost;
}

void CostRates::check(Eigen::Index assets) const {
  check_per_asset(buy, assets, "costs of buying");
  check_per_asset(sell, assets, "costs of selling");
  for (Eigen::Index i = 0; i < assets; ++i) {
    within(buy[i], 0, 1, "cost of buying");
    within(sell[i], 0, 1, "cost of selling");
  }
}

CostRates cost_rates(const std::vector<CostClass>& classes, const std::vector<std::string>& assets, const Tags& tags) {
  for (const auto& cost : classes) {
    const std::string where = fmt::format("cost class '{}'", cost.applies_to);
    check_rate(cost.buy_bps, where);
    check_rate(cost.sell_bps, where);
    if (!is_known(cost, assets, tags)) {
      throw InputError(where, "no asset has this code or tag", did_you_mean(cost.applies_to, assets));
    }
  }
  auto rates = CostRates::none(Eigen::Index(assets.size()));
  for (std::size_t i = 0; i < assets.size(); ++i) {
    Fit best = Fit::none;
    for (const auto& cost : classes) {
      const Fit fit = fit_of(cost, assets[i], tags);
      if (fit == Fit::none || fit < best) continue;
      best = fit;
      rates.buy[Eigen::Index(i)] = cost.buy_bps * basis_point;
      rates.sell[Eigen::Index(i)] = cost.sell_bps * basis_point;
    }
  }
  return rates;
}

}  // namespace inchtide

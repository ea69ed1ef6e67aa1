#include "inchtide/prices/currency.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <optional>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"

namespace inchtide {
namespace {

/// One step of a conversion: a list of rates, used as it is or upside down.
struct Leg {
  const RateHistory* rates;
  bool inverse;

  const std::string& from() const { return inverse ? rates->to : rates->from; }
  const std::string& to() const { return inverse ? rates->from : rates->to; }
};

std::vector<Leg> legs_from(const std::string& currency, const std::vector<RateHistory>& rates) {
  std::vector<Leg> legs;
  for (bool inverse : {false, true}) {
    for (const auto& candidate : rates) {
      const Leg leg{&candidate, inverse};
      if (same_name(leg.from(), currency)) legs.push_back(leg);
    }
  }
  return legs;
}

/// The legs that lead from one currency to another; empty when none do.
std::vector<Leg> path_between(const std::string& from, const std::string& to, const std::vector<RateHistory>& rates) {
  const auto first = legs_from(from, rates);
  for (const auto& leg : first) {
    if (same_name(leg.to(), to)) return {leg};
  }
  for (const auto& leg : first) {
    for (const auto& second : legs_from(leg.to(), rates)) {
      if (same_name(second.to(), to)) return {leg, second};
    }
  }
  return {};
}

struct RateOnDay {
  double rate;
  bool carried;
};

/// The rate of the day, or the last one before it within `carry_days`.
std::optional<RateOnDay> rate_on(const Leg& leg, Day day, int carry_days) {
  const auto after = std::ranges::upper_bound(leg.rates->days, day);
  if (after == leg.rates->days.begin()) return std::nullopt;
  const auto at = after - 1;
  if (day - *at > std::chrono::days{carry_days}) return std::nullopt;
  const double rate = leg.rates->rates[std::size_t(at - leg.rates->days.begin())];
  return RateOnDay{leg.inverse ? 1 / rate : rate, *at != day};
}

void check(const RateHistory& rates) {
  if (rates.days.size() != rates.rates.size()) {
    throw InputError(fmt::format("rates of {} in {}", rates.from, rates.to),
                     fmt::format("{} days but {} rates", rates.days.size(), rates.rates.size()), "Give one a day");
  }
  for (std::size_t i = 0; i < rates.rates.size(); ++i) {
    if (!(rates.rates[i] > 0) || !std::isfinite(rates.rates[i])) {
      throw InputError(fmt::format("rates of {} in {}", rates.from, rates.to),
                       fmt::format("the rate on {} is {}", to_string(rates.days[i]), rates.rates[i]),
                       "A rate is a positive number");
    }
  }
}

}  // namespace

Converted convert(const PriceHistory& history, const std::string& base, const std::vector<RateHistory>& rates,
                  int carry_days) {
  if (same_name(history.currency, base)) return {history, base};
  const auto path = path_between(history.currency, base, rates);
  if (path.empty()) {
    throw InputError(Where::of_asset(history.asset), fmt::format("no rates lead from {} to {}", history.currency, base),
                     {{Means::rates, fmt::format("Give rates of {} in {}", history.currency, base)},
                      {Means::assets, "leave the asset out"}});
  }
  Converted converted{{history.asset, base, history.field, {}, {}, history.calendar}, history.currency};
  for (const auto& leg : path) {
    check(*leg.rates);
    converted.path += " -> " + leg.to();
  }
  for (std::size_t i = 0; i < history.days.size(); ++i) {
    double price = history.prices[i];
    bool known = true, carried = false;
    for (const auto& leg : path) {
      const auto rate = rate_on(leg, history.days[i], carry_days);
      known = known && rate.has_value();
      if (!rate) continue;
      price *= rate->rate;
      carried = carried || rate->carried;
    }
    if (!known) {
      converted.dropped.push_back(history.days[i]);
      continue;
    }
    converted.carried += carried ? 1 : 0;
    converted.history.days.push_back(history.days[i]);
    converted.history.prices.push_back(price);
  }
  if (converted.history.days.empty()) {
    const auto& days = path.front().rates->days;
    throw InputError(Where::of_asset(history.asset), fmt::format("none of its prices has a rate ({})", converted.path),
                     days.empty()
                         ? "The list of rates is empty"
                         : fmt::format("The rates run from {} to {}", to_string(days.front()), to_string(days.back())));
  }
  return converted;
}

}  // namespace inchtide

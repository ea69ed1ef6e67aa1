#include <fmt/format.h>

#include <algorithm>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/percent.hpp"
#include "mandate/takers.hpp"

namespace inchtide {
namespace {

CostClass& cost_of(Mandate& mandate, const Given& given) {
  return entry_of(mandate.settings.costs, &CostClass::applies_to, given.names[0]);
}

/// What a side of trading takes: both, unless the key begins with one.
template <typename Read>
Take side(bool buys, bool sells, Read read) {
  return [buys, sells, read](Mandate& mandate, const Given& given) {
    auto& cost = cost_of(mandate, given);
    if (buys) read(cost.buy, given);
    if (sells) read(cost.sell, given);
  };
}

double any_number(const Given& given) {
  return number_in(given, -1e15, 1e15);
}

/// `1000000: 8bp`: from that value on.
CommissionTier tier_in(const std::string& text, const Given& given) {
  const auto colon = text.find(':');
  std::string_view rate = colon == std::string::npos ? std::string_view{} : std::string_view(text).substr(colon + 1);
  while (rate.starts_with(' ')) rate.remove_prefix(1);
  const auto from = parse_number(std::string_view(text).substr(0, colon));
  const auto bps = rate.ends_with("bp") ? parse_number(rate.substr(0, rate.size() - 2)) : std::nullopt;
  if (!from || !bps) {
    throw InputError(given.where, fmt::format("'{}' is not a tier", text),
                     "Write the value from which it counts and a rate: 1000000: 8bp");
  }
  return {*from, *bps * basis_point};
}

/// The parts of trading costs, each for both sides, for buying (`buy_...`) and for selling (`sell_...`).
void add_trading_costs(Declarations& all) {
  struct Part {
    const char *key, *form, *help, *example;
    std::function<void(SideClass&, const Given&)> take;
    Takes takes = Takes::number;
  };
  const std::vector<Part> parts = {
      {"bps", "BPS", "Commission, basis points of the value traded", "10",
       [](SideClass& s, const Given& g) { s.bps = any_number(g); }},
      {"tiers", "LIST", "Commission by the size of an order: [\"0: 12bp\", \"1000000: 8bp\"], each slice its own",
       "0: 12bp",
       [](SideClass& s, const Given& g) {
         s.tiers.emplace();
         for (const auto& text : g.texts) s.tiers->push_back(tier_in(text, g));
       },
       Takes::list},
      {"whole", "", "The whole order pays the rate of the tier it reaches", "true",
       [](SideClass& s, const Given& g) { s.whole = yes_in(g); }, Takes::yes_or_no},
      {"least", "AMOUNT", "Commission of an order at least", "90",
       [](SideClass& s, const Given& g) { s.least = amount_in(g); }, Takes::amount},
      {"most", "AMOUNT", "Commission of an order at most", "4000",
       [](SideClass& s, const Given& g) { s.most = amount_in(g); }, Takes::amount},
      {"fee", "AMOUNT", "Fee of every order", "15", [](SideClass& s, const Given& g) { s.fee = amount_in(g); },
       Takes::amount},
      {"half_spread", "BPS", "Half the spread between bid and offer", "5",
       [](SideClass& s, const Given& g) { s.half_spread_bps = any_number(g); }},
      {"conversion", "BPS", "Changing the currency", "8",
       [](SideClass& s, const Given& g) { s.conversion_bps = any_number(g); }},
      {"impact", "FACTOR", "Of impact: times daily volatility x root of value / daily traded value", "0.3",
       [](SideClass& s, const Given& g) { s.impact = number_in(g, 0, 1e15); }},
  };
  for (const auto& part : parts) {
    for (const char* prefix : {"", "buy_", "sell_"}) {
      const bool both = *prefix == 0, buys = *prefix == 'b';
      all.push_back({fmt::format("costs.*.{}{}", prefix, part.key),
                     "",
                     part.takes,
                     part.form,
                     both ? part.help : fmt::format("The same of what is {}", buys ? "bought" : "sold"),
                     "",
                     part.example,
                     {Step::adjusting, Step::rehearsal},
                     side(both || buys, both || !buys, part.take)});
    }
  }
}

}  // namespace

Declarations of_trading_costs() {
  Declarations all;
  add_trading_costs(all);
  const std::vector<Step> steps{Step::adjusting, Step::rehearsal};
  all.push_back({"costs.*.stamp_duty", "", Takes::number, "BPS", "Stamp duty on what is bought", "", "50", steps,
                 side(true, false, [](SideClass& s, const Given& g) { s.stamp_duty_bps = any_number(g); })});
  all.push_back(
      {"costs.*.custody",
       "",
       Takes::number,
       "BPS",
       "Holding fee a year",
       "",
       "3",
       {Step::rehearsal},
       [](Mandate& mandate, const Given& given) { cost_of(mandate, given).custody_bps = any_number(given); }});
  all.push_back(
      {"costs.*.borrowing",
       "",
       Takes::number,
       "BPS",
       "Fee a year of short positions",
       "",
       "40",
       {Step::rehearsal},
       [](Mandate& mandate, const Given& given) { cost_of(mandate, given).borrowing_bps = any_number(given); }});
  return all;
}

}  // namespace inchtide

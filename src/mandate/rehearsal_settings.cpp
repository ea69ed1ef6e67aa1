#include <fmt/format.h>

#include <algorithm>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/percent.hpp"
#include "mandate/takers.hpp"

namespace inchtide {
namespace {

/// The entry of a list that has a name; made where there is none.
template <typename Entry>
Entry& entry_of(std::vector<Entry>& list, std::string Entry::*name, const std::string& wanted) {
  const auto found = std::ranges::find(list, wanted, name);
  if (found != list.end()) return *found;
  list.emplace_back().*name = wanted;
  return list.back();
}

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

template <typename Read>
Take flow(Read read) {
  return [read](Mandate& mandate, const Given& given) {
    read(entry_of(mandate.settings.flows, &FlowPlan::name, given.names[0]), given);
  };
}

double any_number(const Given& given) {
  return number_in(given, -1e15, 1e15);
}
double amount_in(const Given& given) {
  return money_in(given, 0, 1e15);
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

Declarations of_the_rehearsal() {
  return {
      {"",
       "--cost",
       Takes::list,
       "C",
       "10bp, KELPFARM=10bp, sector:bonds=2bp, 10bp/5bp for buys/sells; repeatable; replaces the mandate's",
       "",
       "25bp",
       {Step::adjusting, Step::rehearsal},
       list_of(&Settings::costs,
               [](const std::string& text, const Given& g) { return CostClass::parse(text, g.where); }),
       Means::costs},
      {"schedules.*.check",
       "",
       Takes::text,
       "S",
       "When a schedule looks and what makes it trade: never, 1m, 1q@first, 21d@7, band:5pp, 1q+band:20%:edge",
       "",
       "1q",
       {Step::rehearsal},
       [](Mandate& mandate, const Given& given) {
         auto schedule = Schedule::parse(given.text(), given.where);
         schedule.name = given.names[0];
         mandate.settings.schedules.push_back(schedule);
       },
       Means::none,
       true},
      {"schedules.*.tranches",
       "",
       Takes::whole,
       "N",
       "Ledgers of their own that look in turn, so that the choice of the day does less",
       "1",
       "4",
       {Step::rehearsal},
       [](Mandate& mandate, const Given& given) {
         auto& schedule = mandate.settings.schedules.back();
         const auto text = fmt::format("{}:tranches={}", schedule.text(), whole_in(given, 1, 1'000'000));
         const auto name = schedule.name;
         schedule = Schedule::parse(text, given.where);
         schedule.name = name;
       }},
      {"",
       "--schedule",
       Takes::list,
       "S",
       "never, 1m, 1q@first, 21d@7, band:5pp, band:20%, 1q+band:5pp (both), 1q|band:5pp (either), band:5pp:edge; "
       "repeatable",
       "never, 1m, 1q and 1y",
       "1q",
       {Step::rehearsal},
       list_of(&Settings::schedules,
               [](const std::string& text, const Given& g) { return Schedule::parse(text, g.where); })},
      {"rehearsal.wealth",
       "--wealth",
       Takes::amount,
       "AMOUNT",
       "Wealth at the start: 40m, 500k or plain",
       "1,000,000",
       "40m",
       {Step::rehearsal},
       into(&Settings::wealth, [](const Given& g) { return money_in(g, 1e-9, 1e15); }),
       Means::wealth},
      {"rehearsal.delay",
       "--delay",
       Takes::whole,
       "DAYS",
       "Trading days from decision to trade",
       "1",
       "2",
       {Step::rehearsal},
       into(&Settings::delay, [](const Given& g) { return whole_in(g, 0, 1'000'000); })},
      {"rehearsal.size",
       "--size",
       Takes::word,
       "WHEN",
       "Sizes are set at the trade, or fixed at the decision",
       "trade",
       "decision",
       {Step::rehearsal},
       into(&Settings::size,
            [](const Given& g) {
              return choice_in(g, {"trade", "decision"}) == 0 ? RehearsalOptions::Size::trade
                                                              : RehearsalOptions::Size::decision;
            })},
      {"rehearsal.smallest_order",
       "--smallest-order",
       Takes::amount,
       "AMOUNT",
       "Smaller orders are not made",
       "0",
       "500000",
       {Step::rehearsal},
       into(&Settings::smallest_order, amount_in)},
      {"rehearsal.cash_floor",
       "--cash-floor",
       Takes::percent,
       "RATE",
       "What trades leave in cash",
       "0%",
       "2%",
       {Step::rehearsal},
       into(&Settings::cash_floor, percent_in)},
      {"rehearsal.cash_rate",
       "--cash-rate",
       Takes::percent,
       "RATE",
       "Interest on cash, a year",
       "0%",
       "1%",
       {Step::rehearsal},
       into(&Settings::cash_rate, percent_in)},
      {"rehearsal.overdraft_rate",
       "",
       Takes::percent,
       "RATE",
       "Interest on cash below 0, a year",
       "the risk-free rate",
       "4%",
       {Step::rehearsal},
       into(&Settings::overdraft_rate, percent_in)},
      {"rehearsal.proceeds_earn",
       "",
       Takes::yes_or_no,
       "",
       "Proceeds of short positions earn the rate of cash",
       "",
       "true",
       {Step::rehearsal},
       into(&Settings::proceeds_earn, yes_in)},
      {"rehearsal.holiday",
       "",
       Takes::whole,
       "DAYS",
       "Closed for longer, an asset is suspended and trades go round it",
       "5",
       "3",
       {Step::rehearsal},
       into(&Settings::holiday_rows, [](const Given& g) { return whole_in(g, 0, 1'000'000); })},
      {"rehearsal.ended_after",
       "",
       Takes::whole,
       "DAYS",
       "Closed for so long, an asset has ended and is cashed",
       "",
       "60",
       {Step::rehearsal},
       into(&Settings::ended_after, [](const Given& g) { return whole_in(g, 1, 1'000'000); })},
      {"rehearsal.reestimate",
       "--reestimate",
       Takes::text,
       "CALENDAR",
       "Choose each aim anew on these days: 1q, 1y, 1m@first",
       "",
       "1y",
       {Step::rehearsal},
       into(&Settings::reestimate,
            [](const Given& g) {
              auto when = Schedule::parse(g.text(), g.where);
              if (!when.every || when.band || when.cap) {
                throw InputError(g.where, fmt::format("'{}' is no calendar", g.text()),
                                 "Write one, such as 1q or 1y@first");
              }
              return when;
            })},
      {"rehearsal.window",
       "--window",
       Takes::text,
       "SPAN",
       "The prices that each estimate takes: 5y, 36m",
       "all up to its day",
       "2y",
       {Step::rehearsal},
       into(&Settings::estimate_over, interval_in),
       Means::estimate_window},
      {"rehearsal.start",
       "--start",
       Takes::word,
       "WHAT",
       "Begin with cash, or with what is held now",
       "cash",
       "current",
       {Step::rehearsal},
       into(&Settings::start_from_current,
            [](const Given& g) {
              return choice_in(g, {"cash", "current"}) == 1;
            })},
      {"rehearsal.baseline",
       "--baseline",
       Takes::text,
       "NAME",
       "The run that the others are held against: a schedule, a portfolio, or both: \"equal, yearly\"",
       "the first",
       "monthly",
       {Step::rehearsal},
       into(&Settings::baseline, [](const Given& g) { return g.text(); })},
      {"rehearsal.tried",
       "--tried",
       Takes::whole,
       "N",
       "What you tried besides, for what luck does to the best of many",
       "0",
       "100",
       {Step::rehearsal},
       into(&Settings::tried, [](const Given& g) { return double(whole_in(g, 0, 1'000'000'000)); })},
      {"rehearsal.cost_levels",
       "--cost-levels",
       Takes::yes_or_no,
       "",
       "The baseline's portfolio at 0 to 10 times the trading costs: which schedule is best, and where two change "
       "places",
       "",
       "true",
       {Step::rehearsal},
       into(&Settings::cost_levels, yes_in)},
      {"rehearsal.futures",
       "--futures",
       Takes::whole,
       "N",
       "Rehearse so many histories that did not happen, drawn from the days of the one that did",
       "none",
       "20",
       {Step::rehearsal},
       into(&Settings::futures, [](const Given& g) { return whole_in(g, 1, 1'000'000); })},
      {"rehearsal.below",
       "--below",
       Takes::amount,
       "AMOUNT",
       "Of --futures: how many end with less than this",
       "",
       "38m",
       {Step::rehearsal},
       into(&Settings::ends_below, [](const Given& g) { return money_in(g, 0, 1e15); })},
      {"rehearsal.drawdown",
       "--drawdown",
       Takes::percent,
       "RATE",
       "Of --futures: how many fall by more than this from their highest",
       "",
       "20%",
       {Step::rehearsal},
       into(&Settings::falls_beyond,
            [](const Given& g) {
              const double rate = percent_in(g);
              if (rate > 0 && rate < 1) return rate;
              throw InputError(g.where, fmt::format("'{}' is no fall", g.text()), "Give one between 0% and 100%");
            })},
      {"",
       "--log",
       Takes::yes_or_no,
       "",
       "Print what happened day by day: decisions, waits, flows, splits, ends",
       "",
       "true",
       {Step::rehearsal},
       into(&Settings::show_log, yes_in)},
      {"rehearsal.withholding",
       "",
       Takes::percent,
       "RATE",
       "Of dividends, where closes are raw and their actions are known",
       "0%",
       "15%",
       {Step::rehearsal},
       into(&Settings::withholding, percent_in)},
      {"rehearsal.real_moves",
       "--real-moves",
       Takes::list,
       "CODES",
       "Raw closes of these may move like a split without being one",
       "",
       "BEACONET",
       {Step::rehearsal},
       list_of(&Settings::real_moves, [](const std::string& text, const Given& g) { return code_in(g, text); }),
       Means::real_moves},
      {"lots.*",
       "",
       Takes::number,
       "UNITS",
       "Orders of an asset, a tag's or all are whole multiples of so many units",
       "",
       "1",
       {Step::rehearsal},
       [](Mandate& mandate, const Given& given) {
         mandate.settings.lots.emplace_back(given.names[0], number_in(given, 1e-9, 1e12));
       }},
      {"ends.*.day",
       "",
       Takes::day,
       "DAY",
       "An asset is cashed on this day, at its last price less the haircut",
       "",
       "2024-06-28",
       {Step::rehearsal},
       [](Mandate& mandate, const Given& given) {
         entry_of(mandate.settings.ends, &AssetEnd::asset, given.names[0]).day = day_in(given);
       },
       Means::none,
       true},
      {"ends.*.haircut",
       "",
       Takes::percent,
       "RATE",
       "What is lost of it",
       "0%",
       "30%",
       {Step::rehearsal},
       [](Mandate& mandate, const Given& given) {
         entry_of(mandate.settings.ends, &AssetEnd::asset, given.names[0]).haircut = percent_in(given);
       }},
      {"flows.*.every",
       "",
       Takes::text,
       "CALENDAR",
       "When cash comes or goes: 1m@first",
       "",
       "1m@first",
       {Step::rehearsal},
       flow([](FlowPlan& plan, const Given& g) { plan.every = Schedule::parse(g.text(), g.where); })},
      {"flows.*.month",
       "",
       Takes::whole,
       "MONTH",
       "Only in this month, 1 to 12",
       "",
       "10",
       {Step::rehearsal},
       flow([](FlowPlan& plan, const Given& g) { plan.month = whole_in(g, 1, 12); })},
      {"flows.*.day",
       "",
       Takes::day,
       "DAY",
       "Once, on this day",
       "",
       "2024-03-01",
       {Step::rehearsal},
       flow([](FlowPlan& plan, const Given& g) { plan.day = day_in(g); })},
      {"flows.*.amount",
       "",
       Takes::amount,
       "AMOUNT",
       "Paid in, or out where it is below 0",
       "",
       "-150000",
       {Step::rehearsal},
       flow([](FlowPlan& plan, const Given& g) { plan.amount = money_in(g, -1e15, 1e15); })},
      {"flows.*.share",
       "",
       Takes::percent,
       "RATE",
       "The same as a share of the wealth",
       "",
       "-1%",
       {Step::rehearsal},
       flow([](FlowPlan& plan, const Given& g) {
         plan.amount = percent_in(g);
         plan.of_wealth = true;
       })},
  };
}

}  // namespace inchtide

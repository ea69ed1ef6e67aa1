#include "mandate/takers.hpp"

#include <algorithm>

#include "inchtide/base/errors.hpp"

namespace inchtide {

namespace {

void take_limit(Mandate& mandate, const Given& given) {
  try {
    mandate.settings.limits.push_back(Limit::parse(given.text(), given.names[0]));
  } catch (const InputError& error) {
    auto notice = error.notice();  // it has the limit
    notice.where.file = given.where.file;
    notice.where.line = given.where.line;
    throw InputError(std::move(notice));
  }
}

CostClass& cost_of(Mandate& mandate, const std::string& name) {
  auto& costs = mandate.settings.costs;
  const auto found = std::ranges::find(costs, name, &CostClass::applies_to);
  if (found != costs.end()) return *found;
  costs.push_back({name, 0, 0});
  return costs.back();
}

Take rate(bool buys, bool sells) {
  return [buys, sells](Mandate& mandate, const Given& given) {
    auto& cost = cost_of(mandate, given.names[0]);
    const double bps = number_in(given, -1e15, 1e15);
    if (buys) cost.buy_bps = bps;
    if (sells) cost.sell_bps = bps;
  };
}

/// A list of values that replaces what was there.
template <typename Value, typename Read>
Take list_of(std::vector<Value> Settings::*target, Read read) {
  return [target, read](Mandate& mandate, const Given& given) {
    (mandate.settings.*target).clear();
    for (const auto& text : given.texts) (mandate.settings.*target).push_back(read(text, given));
  };
}

}  // namespace

Declarations of_limits_and_aims() {
  return {
      {"",
       "--no-limits",
       Takes::yes_or_no,
       "",
       "Leave the mandate's limits aside",
       "",
       "true",
       {Step::limits},
       [](Mandate& mandate, const Given&) { mandate.settings.limits.clear(); }},
      {"limits.*",
       "",
       Takes::text,
       "EXPR",
       "A limit, by its name",
       "",
       "each <= 20%",
       {Step::limits},
       take_limit,
       Means::limits},
      {"",
       "--limit",
       Takes::list,
       "EXPR",
       "'KELPFARM <= 12%', 'each >= 1%'; adds to the mandate's; repeatable",
       "",
       "each <= 20%",
       {Step::limits},
       [](Mandate& mandate, const Given& given) {
         for (const auto& text : given.texts) mandate.settings.added_limits.push_back(Limit::parse(text));
       },
       Means::limits},
      {"rehearsal.aims",
       "--aim",
       Takes::list,
       "AIM",
       "What a portfolio is chosen for: " + Aim::all() + "; repeatable",
       "minimum-variance, maximum-sharpe and equal",
       "maximum-sharpe",
       {Step::portfolios},
       list_of(&Settings::aims, [](const std::string& text, const Given& g) { return Aim::parse(text, g.where); }),
       Means::aim},
      {"",
       "--mix",
       Takes::list,
       "PARTS",
       "Compare with weights by tag, equal within each part: 'sector:bonds=40%, rest=60%'; repeatable",
       "",
       "sector:bonds=40%, rest=60%",
       {Step::adjusting},
       list_of(&Settings::mixes, [](const std::string& text, const Given&) { return text; })},
      {"",
       "--borrowing",
       Takes::yes_or_no,
       "",
       "Blends may borrow at the risk-free rate",
       "",
       "true",
       {Step::adjusting},
       into(&Settings::borrowing, yes_in),
       Means::borrowing},
      {"",
       "--move-inside",
       Takes::yes_or_no,
       "",
       "Weights that break limits also moved to the nearest that don't",
       "",
       "true",
       {Step::adjusting},
       into(&Settings::move_inside, yes_in)},
      {"",
       "--round",
       Takes::percent,
       "PERCENT",
       "All also in whole steps, with what that loses",
       "",
       "1%",
       {Step::adjusting},
       into(&Settings::rounding, percent_in)},
      {"",
       "--after-costs",
       Takes::yes_or_no,
       "",
       "Aims also with the cost of trading from the current weights counted",
       "",
       "true",
       {Step::adjusting},
       into(&Settings::after_costs, yes_in)},
      {"",
       "--horizon",
       Takes::number,
       "YEARS",
       "Years over which that cost is spread",
       "1",
       "2",
       {Step::adjusting},
       into(&Settings::horizon, [](const Given& g) { return number_in(g, 1e-6, 1e6); })},
      {"",
       "--gap",
       Takes::percent,
       "PERCENT",
       "With limits on positions: a variance so much above the least is good enough",
       "0.01%",
       "1%",
       {Step::searching},
       into(&Settings::gap, percent_in)},
  };
}

Declarations of_the_rehearsal() {
  return {
      {"costs.*.bps",
       "",
       Takes::number,
       "BPS",
       "Basis points of the value bought or sold",
       "0",
       "10",
       {Step::adjusting, Step::rehearsal},
       rate(true, true)},
      {"costs.*.buy_bps",
       "",
       Takes::number,
       "BPS",
       "The same of what is bought",
       "",
       "10",
       {Step::adjusting, Step::rehearsal},
       rate(true, false)},
      {"costs.*.sell_bps",
       "",
       Takes::number,
       "BPS",
       "The same of what is sold",
       "",
       "5",
       {Step::adjusting, Step::rehearsal},
       rate(false, true)},
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
       "When a schedule looks: never, 1m, 1q, 1y, any count, 1q@first",
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
      {"",
       "--schedule",
       Takes::list,
       "S",
       "never, 1m, 1q, 1y, any count, 1q@first; repeatable",
       "never, 1m, 1q and 1y",
       "1q",
       {Step::rehearsal},
       list_of(&Settings::schedules,
               [](const std::string& text, const Given& g) { return Schedule::parse(text, g.where); })},
      {"rehearsal.wealth",
       "--wealth",
       Takes::number,
       "AMOUNT",
       "Wealth at the start",
       "1,000,000",
       "40000000",
       {Step::rehearsal},
       into(&Settings::wealth, [](const Given& g) { return number_in(g, 1e-9, 1e15); }),
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
  };
}

}  // namespace inchtide

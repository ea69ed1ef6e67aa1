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
       "--room",
       Takes::percent,
       "PERCENT",
       "How far each weight can move for so much less expected return at no more risk",
       "0.1%, for up to 60 assets",
       "0.2%",
       {Step::adjusting},
       into(&Settings::room, percent_in)},
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

}  // namespace inchtide

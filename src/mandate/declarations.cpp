#include "inchtide/mandate/declarations.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <charconv>
#include <cmath>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/base/range.hpp"
#include "inchtide/base/text.hpp"

namespace inchtide {
namespace {

using exchange::CsvStyle, exchange::HttpSettings, exchange::Provider;
using Take = std::function<void(Mandate&, const Given&)>;
using List = std::vector<Declaration>;

constexpr int many = 1'000'000'000;

// ---- values --------------------------------------------------------------------------------------------------------

double number_in(const Given& given, double least, double most) {
  const auto& text = given.text();
  double value = 0;
  const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value);
  if (error != std::errc() || end != text.data() + text.size()) {
    throw InputError(given.where, fmt::format("'{}' is not a number", excerpt(text)), "Give a number");
  }
  return within(value, least, most, given.where);
}

int whole_in(const Given& given, int least, int most) {
  const auto& text = given.text();
  std::int64_t value = 0;
  const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value);
  if (error != std::errc() || end != text.data() + text.size()) {
    throw InputError(given.where, fmt::format("'{}' is not a whole number", excerpt(text)), "Give a whole number");
  }
  return whole_within(value, least, most, given.where);
}

bool yes_in(const Given& given) {
  return given.text() == "true";
}

double percent_in(const Given& given) {
  return fraction_from_percent(given.text(), given.where);
}

std::string code_in(const Given& given, const std::string& text) {
  check_name(text, longest_code, given.where);
  return text;
}

/// Which of the words it is.
std::size_t choice_in(const Given& given, const std::vector<std::string>& words) {
  if (const auto found = find_name(given.text(), words)) return *found;
  throw InputError(given.where, fmt::format("there is no choice '{}'", excerpt(given.text())),
                   fmt::format("Give \"{}\"", fmt::join(words, "\" or \"")));
}

PriceField field_in(const Given& given, const std::string& text) {
  const auto field = field_named(text);
  if (field && *field != PriceField::volume) return *field;
  if (field) throw InputError(given.where, "a volume is no price field", "Give close or adjusted");
  std::vector<std::string> names = {"adjusted"};
  for (std::size_t k = 0; k < price_fields; ++k) {
    if (PriceField(k) != PriceField::volume) names.push_back(to_string(PriceField(k)));
  }
  throw InputError(given.where, fmt::format("there is no price field '{}'", excerpt(text)), did_you_mean(text, names));
}

/// `KELPFARM=6%`, cut at the sign; the first part empty without one.
std::pair<std::string, std::string> of_an_asset(const std::string& text) {
  const auto equals = text.find('=');
  if (equals == std::string::npos) return {"", text};
  return {lower_name(text.substr(0, equals)), text.substr(equals + 1)};
}

// ---- takers --------------------------------------------------------------------------------------------------------

Take path_to(std::optional<std::filesystem::path> Mandate::*target) {
  return [target](Mandate& mandate, const Given& given) { mandate.*target = given.folder / given.text(); };
}

/// Something of the settings by a function of what is given.
template <typename Target, typename Read>
Take into(Target Settings::*target, Read read) {
  return [target, read](Mandate& mandate, const Given& given) { mandate.settings.*target = read(given); };
}

template <typename Target, typename Read>
Take into_methods(Target EstimateOptions::*target, Read read) {
  return [target, read](Mandate& mandate, const Given& given) { mandate.settings.methods.*target = read(given); };
}

Day day_in(const Given& given) {
  return day_from(given.text(), given.where);
}

Interval interval_in(const Given& given) {
  return Interval::parse(given.text(), given.where);
}

// ---- the universe ---------------------------------------------------------------------------------------------------

List of_files() {
  return {
      {"universe.prices",
       "--prices",
       Takes::path,
       "PATH",
       "A CSV file, a folder of them (one an asset), or a store",
       "",
       "demo/prices",
       {Step::reading, Step::gathering},
       path_to(&Mandate::prices),
       Means::prices},
      {"universe.tags",
       "--tags",
       Takes::path,
       "FILE",
       "A CSV table: code, name, sector, currency, ...",
       "",
       "demo/tags.csv",
       {Step::reading, Step::gathering},
       path_to(&Mandate::tags),
       Means::tags},
      {"universe.rates",
       "--rates",
       Takes::path,
       "PATH",
       "Exchange rates: CSV files of date,rate named MRD.csv or MRD-HLC.csv",
       "",
       "demo/rates",
       {Step::universe},
       path_to(&Mandate::rates),
       Means::rates},
      {"universe.actions",
       "--actions",
       Takes::path,
       "FILE",
       "Splits and dividends to work into closes: a CSV file of asset,date,split,dividend",
       "",
       "actions.csv",
       {Step::universe},
       path_to(&Mandate::actions),
       Means::actions},
      {"universe.current",
       "--current",
       Takes::path,
       "FILE",
       "The weights held now: a CSV file of asset,weight (12.5%); for turnover and the cost of trading",
       "",
       "demo/held.csv",
       {Step::limits},
       path_to(&Mandate::current),
       Means::current},
      {"universe.identifiers",
       "--identifiers",
       Takes::path,
       "FILE",
       "A CSV table: code, and a column for each other scheme",
       "",
       "demo/identifiers.csv",
       {Step::gathering},
       path_to(&Mandate::identifiers)},
      {"",
       "--weights",
       Takes::path,
       "FILE",
       "Given weights: a CSV file of asset,weight (12.5%), or one column a portfolio",
       "",
       "demo/held.csv",
       {Step::portfolios},
       [](Mandate& mandate, const Given& given) {
         mandate.given = {given.folder / given.text()};
         mandate.settings.aims.clear();
       },
       Means::weights},
      {"universe.dates",
       "--dates",
       Takes::text,
       "ORDER",
       "How CSV files write days that aren't ISO: day-first (4/3/2024 is in March) or month-first",
       "",
       "day-first",
       {Step::reading, Step::gathering},
       [](Mandate& mandate, const Given& given) {
         mandate.style.dates = CsvStyle::parse_dates(given.text(), given.where);
       },
       Means::date_order},
      {"universe.decimal",
       "--decimal",
       Takes::text,
       "MARK",
       "The decimal mark of CSV files: comma (1.234,5), or point with commas between thousands (1,234.5)",
       "",
       "point",
       {Step::reading, Step::gathering},
       [](Mandate& mandate, const Given& given) {
         mandate.style.decimal = CsvStyle::parse_decimal(given.text(), given.where);
       },
       Means::decimal_mark},
  };
}

void take_field(Mandate& mandate, const Given& given, const std::string& asset, const std::string& text) {
  auto& settings = mandate.settings;
  settings.fields_chosen = true;
  (asset.empty() ? settings.fields.preferred : settings.fields.of_asset[asset]) = field_in(given, text);
}

List of_the_universe() {
  return {
      {"universe.assets",
       "--assets",
       Takes::list,
       "A,B,...",
       "Only these assets",
       "all that have prices",
       "TIDEMILL,KELPFARM",
       {Step::reading, Step::gathering},
       [](Mandate& mandate, const Given& given) {
         mandate.settings.assets.clear();
         for (const auto& code : given.texts) mandate.settings.assets.push_back(code_in(given, code));
       },
       Means::assets},
      {"universe.benchmark",
       "--benchmark",
       Takes::text,
       "CODE",
       "Compared with, never held",
       "",
       "HOLLIN40",
       {Step::universe},
       into(&Settings::benchmark, [](const Given& g) { return code_in(g, g.text()); }),
       Means::benchmark},
      {"universe.currency",
       "--currency",
       Takes::text,
       "CODE",
       "The base currency; prices in another one are converted by the rates",
       "the only one of the tags",
       "HLC",
       {Step::universe},
       into(&Settings::currency, [](const Given& g) { return code_in(g, g.text()); }),
       Means::currency},
      {"universe.rate_carry",
       "",
       Takes::whole,
       "DAYS",
       "A rate is good for so many calendar days after its own",
       "5",
       "3",
       {Step::universe},
       into(&Settings::rate_carry, [](const Given& g) { return whole_in(g, 0, 1'000'000); })},
      {"universe.align",
       "--align",
       Takes::text,
       "HOW",
       "common: days on which all have a price; any; carry:5: fill from up to 5 days before",
       "common",
       "carry:5",
       {Step::universe},
       into(&Settings::align, [](const Given& g) { return AlignPolicy::parse(g.text(), g.where); }),
       Means::alignment},
      {"universe.short_histories",
       "--short-histories",
       Takes::text,
       "HOW",
       "When an asset begins later or ends earlier than the others: shorten the window, leave-out the asset, or keep "
       "the window with holes",
       "shorten",
       "leave-out",
       {Step::universe},
       into(&Settings::short_histories, [](const Given& g) { return parse_short_histories(g.text(), g.where); }),
       Means::short_histories},
      {"universe.field",
       "--field",
       Takes::list,
       "FIELD",
       "Which price: adjusted, close, price, open, high, low; KELPFARM=close for one asset; repeatable",
       "adjusted",
       "close",
       {Step::universe},
       [](Mandate& mandate, const Given& given) {
         for (const auto& text : given.texts) {
           const auto [asset, field] = of_an_asset(text);
           take_field(mandate, given, asset, field);
         }
       },
       Means::price_field},
      {"universe.fields.*",
       "",
       Takes::text,
       "FIELD",
       "Which price of one asset",
       "",
       "close",
       {Step::universe},
       [](Mandate& mandate, const Given& given) {
         take_field(mandate, given, lower_name(given.names[0]), given.text());
       }},
      {"universe.drop_misprints",
       "--drop-misprints",
       Takes::yes_or_no,
       "",
       "Treat likely misprints (a price that jumps threefold and comes back) as days without a price",
       "",
       "true",
       {Step::universe},
       into(&Settings::drop_misprints, yes_in),
       Means::misprints},
      {"",
       "--strict",
       Takes::yes_or_no,
       "",
       "End with an error when a finding in the prices is a warning",
       "",
       "true",
       {Step::universe},
       into(&Settings::strict, yes_in)},
  };
}

List of_the_window() {
  return {
      {"estimate.from",
       "--from",
       Takes::day,
       "DAY",
       "First day of prices",
       "",
       "2021-01-01",
       {Step::universe, Step::gathering},
       into(&Settings::from, day_in),
       Means::window},
      {"estimate.to",
       "--to",
       Takes::day,
       "DAY",
       "Last day of prices",
       "",
       "2024-12-31",
       {Step::universe, Step::gathering},
       into(&Settings::to, day_in)},
      {"",
       "--last",
       Takes::text,
       "SPAN",
       "Count back from the last priced day",
       "",
       "2y",
       {Step::universe},
       [](Mandate& mandate, const Given& given) {
         mandate.settings.from.reset();
         mandate.settings.last = interval_in(given);
       }},
      {"",
       "--trading-days",
       Takes::whole,
       "N",
       "So many days of prices: from the first day on, or the last ones",
       "",
       "500",
       {Step::universe},
       into(&Settings::trading_days, [](const Given& g) { return std::size_t(whole_in(g, 1, many)); })},
      {"estimate.every",
       "--every",
       Takes::text,
       "INTERVAL",
       "Estimation interval: 1d, 1w, 1m, 1q, 1y or any count",
       "1m",
       "1w",
       {Step::returns},
       into(&Settings::every, interval_in),
       Means::interval},
      {"estimate.last_period",
       "--last-period",
       Takes::word,
       "HOW",
       "drop or keep a last period that had not ended with the prices",
       "drop",
       "keep",
       {Step::returns},
       into(&Settings::keep_last_period,
            [](const Given& g) {
              return choice_in(g, {"drop", "keep"}) == 1;
            }),
       Means::last_period},
      {"estimate.periods_per_year",
       "--periods-per-year",
       Takes::number,
       "N",
       "What makes a figure per period one per year",
       "52, 12, 4 or 1; of days what the prices count, 252 for weekdays",
       "250",
       {Step::returns},
       into(&Settings::periods_per_year, [](const Given& g) { return number_in(g, 1e-3, 1e5); })},
      {"rehearsal.split",
       "--split",
       Takes::day,
       "DAY",
       "Estimate from the prices before this day, rehearse from it",
       "",
       "2022-01-01",
       {Step::rehearsal},
       into(&Settings::split, day_in),
       Means::split},
  };
}

// ---- the estimate ---------------------------------------------------------------------------------------------------

void take_own(Mandate& mandate, const Given& given) {
  for (const auto& text : given.texts) {
    const auto [asset, figure] = of_an_asset(text);
    if (asset.empty()) {
      throw InputError(given.where, fmt::format("'{}' names no figure", excerpt(text)), "Write it like KELPFARM=6%");
    }
    mandate.settings.methods.own[asset] = fraction_from_percent(figure, given.where);
  }
}

View& view_of(Mandate& mandate, const std::string& name) {
  auto& views = mandate.settings.methods.views;
  const auto found = std::ranges::find(views, name, &View::name);
  if (found != views.end()) return *found;
  views.push_back({});
  views.back().name = name;
  views.back().confidence = 0.5;
  return views.back();
}

void take_view(Mandate& mandate, const Given& given) {
  auto& view = view_of(mandate, given.names[0]);
  view = View::parse(given.text(), view.name, view.confidence);
}

List of_the_estimate() {
  return {
      {"estimate.returns",
       "--returns",
       Takes::word,
       "KIND",
       "Returns: simple or log",
       "simple",
       "log",
       {Step::returns},
       into(&Settings::returns,
            [](const Given& g) {
              return ReturnKind(choice_in(g, {"simple", "log"}));
            }),
       Means::returns_kind},
      {"estimate.denominator",
       "--denominator",
       Takes::word,
       "WHICH",
       "Of variances: sample (T-1) or population (T)",
       "sample",
       "population",
       {Step::returns},
       into_methods(&EstimateOptions::denominator,
                    [](const Given& g) {
                      return Denominator(choice_in(g, {"sample", "population"}));
                    })},
      {"estimate.expected",
       "--expected",
       Takes::text,
       "METHOD",
       "Expected returns: arithmetic, geometric, exponential:H (half-life in periods), bayes-stein, market-model, "
       "implied, views",
       "arithmetic",
       "bayes-stein",
       {Step::estimate},
       into_methods(&EstimateOptions::expected,
                    [](const Given& g) { return ExpectedMethod::parse(g.text(), g.where); }),
       Means::expected_return},
      {"estimate.covariance",
       "--covariance",
       Takes::text,
       "METHOD",
       "Covariance: sample, exponential:H, constant-correlation, scaled-identity, one-factor, nonlinear, factors:K",
       "sample",
       "constant-correlation",
       {Step::estimate},
       into_methods(&EstimateOptions::covariance,
                    [](const Given& g) { return CovarianceMethod::parse(g.text(), g.where); }),
       Means::covariance},
      {"estimate.risk_free",
       "--risk-free",
       Takes::percent,
       "RATE",
       "Risk-free rate per year",
       "0%",
       "2%",
       {Step::limits},
       into(&Settings::risk_free, percent_in),
       Means::risk_free},
      {"",
       "--own",
       Takes::list,
       "CODE=RATE",
       "Your own expected return of an asset, KELPFARM=6%; beats the method; repeatable",
       "",
       "KELPFARM=6%",
       {Step::estimate},
       take_own},
      {"estimate.own.*",
       "",
       Takes::percent,
       "RATE",
       "Your own expected return of an asset",
       "",
       "6%",
       {Step::estimate},
       [](Mandate& mandate, const Given& given) {
         mandate.settings.methods.own[lower_name(given.names[0])] = percent_in(given);
       }},
      {"estimate.caps.*",
       "",
       Takes::percent,
       "RATE",
       "The most that is expected of an asset",
       "",
       "9%",
       {Step::estimate},
       [](Mandate& mandate, const Given& given) {
         mandate.settings.methods.caps[lower_name(given.names[0])] = percent_in(given);
       }},
      {"estimate.premium",
       "",
       Takes::percent,
       "RATE",
       "Of the benchmark over the risk-free rate",
       "as measured",
       "4%",
       {Step::estimate},
       into_methods(&EstimateOptions::premium, percent_in)},
      {"estimate.risk_aversion",
       "",
       Takes::number,
       "N",
       "Of who holds the implied weights",
       "3",
       "2.5",
       {Step::estimate},
       into_methods(&EstimateOptions::risk_aversion,
                    [](const Given& g) {
                      const double value = number_in(g, -1e15, 1e15);
                      if (value > 0) return value;
                      throw InputError(g.where, "it is not positive", "Give a positive number");
                    })},
      {"estimate.tau",
       "",
       Takes::number,
       "",
       "",
       "",
       "",
       {Step::estimate},
       [](Mandate&, const Given& given) {
         throw InputError(given.where, "it cancels out: the doubt of a view comes from its confidence alone",
                          "Take it out");
       }},
      {"estimate.implied_weights",
       "",
       Takes::path,
       "FILE",
       "Whose expected returns are implied: asset,weight",
       "equal weights",
       "held.csv",
       {Step::estimate},
       path_to(&Mandate::implied_weights)},
      {"views.*.confidence",
       "",
       Takes::percent,
       "SHARE",
       "How sure a view is",
       "50%",
       "60%",
       {Step::estimate},
       [](Mandate& mandate, const Given& given) { view_of(mandate, given.names[0]).confidence = percent_in(given); }},
      {"views.*.says",
       "",
       Takes::text,
       "VIEW",
       "What is believed of expected returns",
       "",
       "KELPFARM = 8%",
       {Step::estimate},
       take_view,
       Means::views,
       true},
  };
}

// ---- choice ---------------------------------------------------------------------------------------------------------

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

List of_limits_and_aims() {
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

List of_the_rehearsal() {
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

// ---- gathering ------------------------------------------------------------------------------------------------------

Provider& provider_of(Mandate& mandate, const Given& given) {
  auto& providers = mandate.providers;
  const auto found = std::ranges::find(providers, given.names[0], &Provider::name);
  if (found != providers.end()) return *found;
  providers.push_back(Provider{given.names[0]});
  return providers.back();
}

Declaration of_a_provider(const char* key, Takes takes, const char* help, const char* example,
                          std::function<void(Provider&, const Given&)> take) {
  return {fmt::format("providers.*.{}", key),
          "",
          takes,
          "",
          help,
          "",
          example,
          {Step::gathering},
          [take](Mandate& mandate, const Given& given) { take(provider_of(mandate, given), given); }};
}

Declaration provider_text(const char* key, std::string Provider::*target, const char* help, const char* example) {
  return of_a_provider(key, Takes::text, help, example,
                       [target](Provider& provider, const Given& given) { provider.*target = given.text(); });
}

Declaration provider_number(const char* key, double HttpSettings::*target, const char* help, const char* example) {
  return of_a_provider(key, Takes::number, help, example, [target](Provider& provider, const Given& given) {
    provider.http.*target = number_in(given, -1e15, 1e15);
  });
}

List of_providers() {
  List list = {
      provider_text("url", &Provider::url, "Where it answers", "https://prices.example"),
      provider_text("path", &Provider::path, "The path of a history, with {asset}", "/history/{asset}"),
      provider_text("key_header", &Provider::key_header, "The header that carries the key", "X-Key"),
      provider_text("key_env", &Provider::key_env, "The environment variable that holds the key", "PIER_KEY"),
      provider_text("days", &Provider::days, "Where the days are: a pointer, or a column", "/days"),
      provider_text("zone", &Provider::zone, "Of its days", "Europe/Oslo"),
      provider_text("message", &Provider::message, "Where its complaints are", "/error"),
      provider_text("every", &Provider::every, "The interval to ask for", "1d"),
      provider_text("scheme", &Provider::scheme, "Of the identifiers that it knows assets by", "pier"),
      provider_text("suffix", &Provider::suffix, "Added to every code", ".HL"),
      provider_text("members_path", &Provider::members_path, "The path of a list, with {list}", "/lists/{list}"),
      provider_text("members", &Provider::members, "Where the members of a list are", "/members"),
      of_a_provider("answer", Takes::text, "json or csv", "csv",
                    [](Provider& p, const Given& g) {
                      p.csv = choice_in(g, {"json", "csv"}) == 1;
                    }),
      of_a_provider("days_are", Takes::text, "day, or seconds since 1970", "seconds",
                    [](Provider& p, const Given& g) {
                      p.seconds = choice_in(g, {"day", "seconds"}) == 1;
                    }),
      of_a_provider("from", Takes::day, "The first day that it has", "2010-01-01",
                    [](Provider& p, const Given& g) { p.from = day_in(g); }),
      of_a_provider("dates", Takes::text, "As for files", "day-first",
                    [](Provider& p, const Given& g) { p.style.dates = CsvStyle::parse_dates(g.text(), g.where); }),
      of_a_provider("decimal", Takes::text, "As for files", "comma",
                    [](Provider& p, const Given& g) { p.style.decimal = CsvStyle::parse_decimal(g.text(), g.where); }),
      of_a_provider("suffixes.*", Takes::text, "Added to the codes of assets with a tag", ".MX",
                    [](Provider& p, const Given& g) { p.suffixes[g.names[1]] = g.text(); }),
      provider_number("timeout_seconds", &HttpSettings::timeout_seconds, "How long an answer may take", "20"),
      provider_number("backoff_seconds", &HttpSettings::backoff_seconds, "The first wait before another try", "1"),
      provider_number("requests_per_second", &HttpSettings::requests_per_second, "At most", "5"),
      of_a_provider("retries", Takes::whole, "Tries after the first", "4",
                    [](Provider& p, const Given& g) { p.http.retries = whole_in(g, 0, 1'000'000); }),
      of_a_provider("ca_file", Takes::path, "The certificate of who issued its own", "pier.pem",
                    [](Provider& p, const Given& g) { p.http.ca_file = (g.folder / g.text()).string(); }),
      of_a_provider("parallel", Takes::whole, "Requests at a time", "4",
                    [](Provider& p, const Given& g) { p.parallel = whole_in(g, 0, 1'000'000); }),
      of_a_provider("overlap_days", Takes::whole, "Asked for again before the last stored day", "10",
                    [](Provider& p, const Given& g) { p.overlap_days = whole_in(g, 0, 1'000'000); }),
  };
  for (std::size_t k = 0; k < price_fields; ++k) {
    auto key = to_string(PriceField(k));
    std::ranges::replace(key, ' ', '_');
    list.push_back(of_a_provider(key.c_str(), Takes::text, "Where these figures are", "/close",
                                 [k](Provider& p, const Given& g) { p.fields[k] = g.text(); }));
  }
  return list;
}

List of_gathering() {
  List list = of_providers();
  list.push_back({"gather.store",
                  "--store",
                  Takes::path,
                  "FILE",
                  "The store, one file; made when it isn't there",
                  "",
                  "prices.store",
                  {Step::gathering},
                  path_to(&Mandate::store),
                  Means::store});
  list.push_back({"gather.provider",
                  "--provider",
                  Takes::text,
                  "NAME",
                  "Gather from this provider of the mandate",
                  "",
                  "pier",
                  {Step::gathering},
                  [](Mandate& mandate, const Given& given) { mandate.provider = given.text(); }});
  list.push_back({"gather.list",
                  "--list",
                  Takes::text,
                  "LIST",
                  "The assets of a list: a text file (one a line), a CSV file, or a universe list of the provider",
                  "",
                  "hollin",
                  {Step::gathering},
                  [](Mandate& mandate, const Given& given) {
                    std::error_code error;  // a file beside the mandate, or the name of a provider's list
                    const auto file = given.folder / given.text();
                    mandate.list = std::filesystem::is_regular_file(file, error) ? file.string() : given.text();
                  }});
  return list;
}

}  // namespace

const std::vector<Declaration>& declarations() {
  static const auto all = [] {
    const std::pair<const char*, List> parts[] = {
        {"Input", of_files()},           {"Input", of_the_universe()},     {"Window", of_the_window()},
        {"Estimate", of_the_estimate()}, {"Choice", of_limits_and_aims()}, {"Choice", of_the_rehearsal()},
        {"Input", of_gathering()}};
    List list;
    for (const auto& [topic, part] : parts) {
      for (auto declaration : part) {
        declaration.topic = topic;
        const bool commas =
            declaration.option == "--assets" || declaration.option == "--field" || declaration.option == "--own";
        declaration.between = commas ? ',' : '\0';
        list.push_back(std::move(declaration));
      }
    }
    return list;
  }();
  return all;
}

const Declaration* declaration_of(std::string_view option) {
  const auto found = std::ranges::find(declarations(), option, &Declaration::option);
  return option.empty() || found == declarations().end() ? nullptr : &*found;
}

std::string key_of(Means means) {
  if (means == Means::none) return "";
  for (const auto& declaration : declarations()) {
    if (declaration.means == means && !declaration.key.empty()) return declaration.key + " in the mandate";
  }
  return "";
}

}  // namespace inchtide

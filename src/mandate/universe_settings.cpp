#include "mandate/takers.hpp"

#include "inchtide/base/names.hpp"

namespace inchtide {

using exchange::CsvStyle;

Declarations of_files() {
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
       "What is held now: a CSV file of asset,weight (12.5%), or asset,units with a row for cash; for turnover, "
       "the cost of trading and orders",
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

namespace {

void take_field(Mandate& mandate, const Given& given, const std::string& asset, const std::string& text) {
  auto& settings = mandate.settings;
  settings.fields_chosen = true;
  (asset.empty() ? settings.fields.preferred : settings.fields.of_asset[asset]) = field_in(given, text);
}

}  // namespace

Declarations of_the_universe() {
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

}  // namespace inchtide

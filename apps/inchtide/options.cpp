#include "options.hpp"

#include <CLI/CLI.hpp>

#include "means.hpp"

namespace inchtide::app {

CLI::App& add_command(CLI::App& tool, Options& options, const std::string& name, const std::string& does,
                      const std::string& examples, std::function<void()> run) {
  auto* command = tool.add_subcommand(name, does);
  command->footer("Examples:\n" + examples);
  command->callback([command, &options, run = std::move(run)] {
    options.spelt = means_of(*command);
    run();
  });
  return *command;
}

namespace {

void add_last_period_option(CLI::App& command, Options& options) {
  command
      .add_option("--last-period", options.last_period,
                  "drop or keep a last period that had not ended with the prices (default drop)")
      ->type_name("HOW")
      ->check(CLI::IsMember({"drop", "keep"}))
      ->group("Window");
}

void add_style_options(CLI::App& command, Options& options) {
  command
      .add_option("--dates", options.dates,
                  "How CSV files write days that aren't ISO: day-first (4/3/2024 is in March) or month-first")
      ->type_name("ORDER")
      ->group("Input");
  command
      .add_option("--decimal", options.decimal,
                  "The decimal mark of CSV files: comma (1.234,5), or point with commas between thousands (1,234.5)")
      ->type_name("MARK")
      ->group("Input");
}

}  // namespace

void add_input_options(CLI::App& command, Options& options) {
  command.add_option("--mandate", options.mandate, "The manager's rules, a TOML file; options given here beat it")
      ->type_name("FILE")
      ->group("Input");
  command.add_option("--prices", options.prices, "A CSV file, a folder of them (one an asset), or a store")
      ->type_name("PATH")
      ->group("Input");
  command.add_option("--tags", options.tags, "A CSV table: code, name, sector, currency, ...")
      ->type_name("FILE")
      ->group("Input");
  command.add_option("--assets", options.assets, "Only these assets, e.g. TIDEMILL,KELPFARM")
      ->type_name("A,B,...")
      ->delimiter(',')
      ->group("Input");
  command.add_option("--benchmark", options.benchmark, "Compared with, never held")->type_name("CODE")->group("Input");
  command
      .add_option("--currency", options.currency, "The base currency; prices in another one are converted by --rates")
      ->type_name("CODE")
      ->group("Input");
  command.add_option("--rates", options.rates, "Exchange rates: CSV files of date,rate named MRD.csv or MRD-HLC.csv")
      ->type_name("PATH")
      ->group("Input");
  command
      .add_option("--align", options.align,
                  "common: days on which all have a price; any; carry:5: fill from up to 5 days before")
      ->type_name("HOW")
      ->group("Input");
  command
      .add_option(
          "--short-histories", options.short_histories,
          "When an asset begins later or ends earlier than the others: shorten the window, leave-out the asset, "
          "or keep the window with holes (default shorten)")
      ->type_name("HOW")
      ->group("Input");
  command
      .add_option("--field", options.field,
                  "Which price: adjusted (default), close, price, open, high, low; KELPFARM=close for one asset; "
                  "repeatable")
      ->type_name("FIELD")
      ->delimiter(',')
      ->group("Input");
  command
      .add_option("--actions", options.actions,
                  "Splits and dividends to work into closes: a CSV file of asset,date,split,dividend")
      ->type_name("FILE")
      ->group("Input");
  add_style_options(command, options);
  command.add_flag("--strict", options.strict, "End with an error when a finding in the prices is a warning")
      ->group("Input");
  command.add_option("--threads", options.threads, "Files read at once (default: one a processor)")
      ->type_name("N")
      ->check(CLI::Range(0, 256))
      ->group("Input");
  command
      .add_flag("--drop-misprints", options.drop_misprints,
                "Treat likely misprints (a price that jumps threefold and comes back) as days without a price")
      ->group("Input");
}

void add_window_options(CLI::App& command, Options& options) {
  command.add_option("--from", options.from, "First day of prices to use")->type_name("DAY")->group("Window");
  command.add_option("--to", options.to, "Last day of prices to use")->type_name("DAY")->group("Window");
  command.add_option("--last", options.last, "Count back from the last priced day, e.g. 2y, 6m")
      ->type_name("SPAN")
      ->excludes("--from")
      ->group("Window");
  command
      .add_option("--trading-days", options.trading_days, "So many days of prices: from --from on, or the last ones")
      ->type_name("N")
      ->check(CLI::PositiveNumber)
      ->excludes("--to")
      ->excludes("--last")
      ->group("Window");
}

void add_interval_option(CLI::App& command, Options& options) {
  command.add_option("--every", options.every, "Estimation interval: 1d, 1w, 1m, 1q, 1y or any count (default 1m)")
      ->type_name("INTERVAL")
      ->group("Window");
  add_last_period_option(command, options);
  command
      .add_option(
          "--periods-per-year", options.periods_per_year,
          "What makes a figure per period one per year (default: 52, 12, 4 or 1; of days what the prices count, 252 "
          "for weekdays)")
      ->type_name("N")
      ->check(CLI::PositiveNumber)
      ->group("Window");
}

void add_convention_options(CLI::App& command, Options& options) {
  command.add_option("--returns", options.returns, "Returns: simple (default) or log")
      ->type_name("KIND")
      ->check(CLI::IsMember({"simple", "log"}))
      ->group("Estimate");
  command.add_option("--denominator", options.denominator, "Of variances: sample (T-1, default) or population (T)")
      ->type_name("WHICH")
      ->check(CLI::IsMember({"sample", "population"}))
      ->group("Estimate");
}

void add_describe_options(CLI::App& command, Options& options) {
  command
      .add_flag("--within-day", options.within_day, "Returns within the day, close over open, where a history has both")
      ->group("Estimate");
  command.add_option("--bins", options.bins, "Of the histograms (default: as many as their spread asks for)")
      ->type_name("N")
      ->check(CLI::Range(1, 10000))
      ->group("Estimate");
  command.add_option("--tail", options.tail, "Expected shortfall is the mean of this share of periods (default 5%)")
      ->type_name("SHARE")
      ->group("Estimate");
}

void add_look_options(CLI::App& command, Options& options) {
  command.add_option("--on", options.on, "Each asset's price on this day, or the last one before it")
      ->type_name("DAY")
      ->group("Window");
  command.add_option("--every", options.every, "Look at every so many days, weeks, months, ...: 1d, 3d, 2w, 1m")
      ->type_name("INTERVAL")
      ->group("Window");
  add_last_period_option(command, options);
  command
      .add_option("--fields", options.fields,
                  "Show these of open, high, low, close, adjusted, volume, price, as they came")
      ->type_name("A,B,...")
      ->delimiter(',')
      ->group("Look");
  command
      .add_option(
          "--overlay", options.overlays,
          "sma:20, ema:20, bands:20:2, macd:12:26:9, momentum:10, stochastic:14:3: as columns and in the figure "
          "bars; repeatable")
      ->type_name("O")
      ->delimiter(',')
      ->group("Look");
  command.add_option("--shape", options.shape, "Of written prices: wide (a column an asset) or long (default wide)")
      ->type_name("SHAPE")
      ->check(CLI::IsMember({"wide", "long"}))
      ->group("Output");
  command.add_option("--theme", options.theme, "Of figures: light or dark (default light)")
      ->type_name("THEME")
      ->check(CLI::IsMember({"light", "dark"}))
      ->group("Output");
}

void add_gather_options(CLI::App& command, Options& options) {
  command.add_option("--mandate", options.mandate, "The manager's rules, a TOML file; options given here beat it")
      ->type_name("FILE")
      ->group("Input");
  command
      .add_option("--prices", options.prices, "Gather from a CSV file (one asset, long or wide), or a folder of them")
      ->type_name("PATH")
      ->group("Input");
  command.add_option("--provider", options.provider, "Gather from this provider of the mandate")
      ->type_name("NAME")
      ->excludes("--prices")
      ->group("Input");
  command.add_option("--assets", options.assets, "Only these assets, e.g. TIDEMILL,KELPFARM")
      ->type_name("A,B,...")
      ->delimiter(',')
      ->group("Input");
  command
      .add_option("--list", options.list,
                  "The assets of a list: a text file (one a line), a CSV file, or a universe list of the provider")
      ->type_name("LIST")
      ->excludes("--assets")
      ->group("Input");
  command.add_option("--identifiers", options.identifiers, "A CSV table: code, and a column for each other scheme")
      ->type_name("FILE")
      ->group("Input");
  command.add_option("--tags", options.tags, "A CSV table: code, currency, ...; for suffixes by tag")
      ->type_name("FILE")
      ->group("Input");
  add_style_options(command, options);
  command.add_option("--from", options.from, "First day to gather")->type_name("DAY")->group("Window");
  command.add_option("--to", options.to, "Last day to gather (default for a provider: today)")
      ->type_name("DAY")
      ->group("Window");
  command.add_flag("--in-full", options.in_full, "Whole histories again, even where the store has some")
      ->group("Window");
  command.add_option("--store", options.store, "The store, one file; made when it isn't there")
      ->type_name("FILE")
      ->group("Output");
}

void add_split_option(CLI::App& command, Options& options, const std::string& help) {
  command.add_option("--split", options.split, help)->type_name("DAY")->group("Window");
}

void add_estimate_option(CLI::App& command, Options& options) {
  command
      .add_option("--estimate", options.estimate, "Expected returns and covariance from a JSON file, or a CSV sheet")
      ->type_name("FILE")
      ->excludes("--prices")
      ->group("Input");
}

void add_risk_free_option(CLI::App& command, Options& options) {
  command.add_option("--risk-free", options.risk_free, "Risk-free rate per year, e.g. 2%")
      ->type_name("RATE")
      ->group("Choice");
}

void add_method_options(CLI::App& command, Options& options) {
  command
      .add_option(
          "--expected", options.expected,
          "Expected returns: arithmetic (default), geometric, exponential:H (half-life in periods), bayes-stein, "
          "market-model, implied, views")
      ->type_name("METHOD")
      ->group("Estimate");
  command
      .add_option("--covariance", options.covariance,
                  "Covariance: sample (default), exponential:H, constant-correlation, scaled-identity, one-factor, "
                  "nonlinear, factors:K")
      ->type_name("METHOD")
      ->group("Estimate");
  add_convention_options(command, options);
  command
      .add_option("--own", options.own,
                  "Your own expected return of an asset, KELPFARM=6%; beats the method; repeatable")
      ->type_name("CODE=RATE")
      ->delimiter(',')
      ->group("Estimate");
}

void add_relation_options(CLI::App& command, Options& options) {
  command
      .add_option("--windows", options.windows,
                  "The same over these spans back from the last day, side by side: 8y,4y,2y")
      ->type_name("SPAN,...")
      ->delimiter(',')
      ->group("Relations");
  command
      .add_option("--order", options.order,
                  "Of the matrix: given (default), cluster (what moves together), or a column of the tags")
      ->type_name("HOW")
      ->group("Relations");
  command.add_option("--by", options.by, "The column of the tags for averages within and across (default sector)")
      ->type_name("COLUMN")
      ->group("Relations");
  command
      .add_flag("--pairwise", options.pairwise,
                "Each pair over all the periods that the two have; contradictions are repaired, and said")
      ->group("Relations");
  command.add_option("--pick", options.pick, "The so many assets that are least related, proven")
      ->type_name("N")
      ->group("Relations");
  command
      .add_flag("--pick-absolute", options.pick_absolute,
                "By absolute correlation: moving against each other is a relation too")
      ->needs("--pick")
      ->group("Relations");
  command.add_option("--patience", options.patience, "Seconds for the proof of --pick (default 20)")
      ->type_name("SECONDS")
      ->check(CLI::PositiveNumber)
      ->group("Relations");
  command.add_option("--rolling", options.rolling, "Correlations over a window that moves along, e.g. 3y")
      ->type_name("SPAN")
      ->group("Relations");
  command
      .add_option("--pair", options.pairs,
                  "For --rolling: KELPFARM:TIDEMILL, the benchmark too; repeatable (default: the most and the least "
                  "related)")
      ->type_name("A:B")
      ->delimiter(',')
      ->group("Relations");
}

void add_draw_options(CLI::App& command, Options& options) {
  command.add_option("--draws", options.draws, "Bands by so many draws of the stationary bootstrap (0: none)")
      ->type_name("N")
      ->check(CLI::NonNegativeNumber)
      ->group("Estimate");
  command
      .add_option("--block", options.block, "Mean length of its blocks in periods (default: cube root of their number)")
      ->type_name("PERIODS")
      ->check(CLI::PositiveNumber)
      ->group("Estimate");
  command.add_option("--seed", options.seed, "Of the random draws (default 1)")
      ->type_name("N")
      ->group("Estimate")
      ->check([](const std::string& text) {  // a negative one would come round to a huge one
        return text.starts_with('-') ? "a seed is 0 or more" : std::string();
      });
}

void add_bootstrap_options(CLI::App& command, Options& options) {
  add_draw_options(command, options);
  command.add_flag("--compare", options.compare, "All methods side by side")->group("Estimate");
}

void add_limit_options(CLI::App& command, Options& options) {
  add_risk_free_option(command, options);
  command.add_option("--limit", options.limits, "'KELPFARM <= 12%', 'each >= 1%'; adds to the mandate's; repeatable")
      ->type_name("EXPR")
      ->take_all()
      ->expected(1)
      ->group("Choice");
  command
      .add_option("--current", options.current,
                  "The weights held now: a CSV file of asset,weight (12.5%); for turnover and the cost of trading")
      ->type_name("FILE")
      ->group("Input");
  command.add_flag("--no-limits", options.no_limits, "Leave the mandate's limits aside")->group("Choice");
}

void add_aim_options(CLI::App& command, Options& options) {
  command
      .add_option(
          "--aim", options.aims,
          "minimum-variance, maximum-sharpe, target-return=8%, target-volatility=10%, utility=4 (risk aversion), "
          "maximum-diversification, equal, inverse-volatility, equal-risk-contribution; repeatable")
      ->type_name("AIM")
      ->take_all()
      ->expected(1)
      ->group("Choice");
  command
      .add_option("--weights", options.weights,
                  "Given weights: a CSV file of asset,weight (12.5%), or one column a "
                  "portfolio")
      ->type_name("FILE")
      ->group("Input");
}

void add_frontier_options(CLI::App& command, Options& options) {
  command.add_flag("--lower-half", options.lower_half, "Also the inefficient half, down to the lowest return")
      ->group("Choice");
  command.add_option("--cloud", options.cloud, "So many random portfolios within the limits behind the chart")
      ->type_name("N")
      ->check(CLI::NonNegativeNumber)
      ->group("Output");
}

void add_search_options(CLI::App& command, Options& options) {
  command
      .add_option("--gap", options.gap,
                  "With limits on positions: a variance so much above the least is good enough (0.01%)")
      ->type_name("PERCENT")
      ->group("Choice");
  command
      .add_option("--patience", options.patience, "Seconds for that search (20); then the best so far, with its gap")
      ->type_name("SECONDS")
      ->group("Choice");
}

static void add_cost_option(CLI::App& command, Options& options) {
  command
      .add_option("--cost", options.costs,
                  "10bp, KELPFARM=10bp, sector:bonds=2bp, 10bp/5bp for buys/sells; repeatable; replaces the mandate's")
      ->type_name("C")
      ->take_all()
      ->expected(1)
      ->group("Choice");
}

void add_adjust_options(CLI::App& command, Options& options) {
  command
      .add_option("--mix", options.mixes,
                  "Compare with weights by tag, equal within each part: 'sector:bonds=40%, rest=60%'; repeatable")
      ->type_name("PARTS")
      ->take_all()
      ->expected(1)
      ->group("Choice");
  command.add_flag("--borrowing", options.borrowing, "Blends may borrow at the risk-free rate")->group("Choice");
  command
      .add_flag("--move-inside", options.move_inside, "Weights that break limits also moved to the nearest that don't")
      ->group("Choice");
  command.add_option("--round", options.round, "All also in whole steps such as 1%, with what that loses")
      ->type_name("PERCENT")
      ->group("Choice");
  command
      .add_flag("--after-costs", options.after_costs,
                "Aims also with the cost of trading from the current weights counted (--current, --cost)")
      ->group("Choice");
  command.add_option("--horizon", options.horizon, "Years over which that cost is spread (1)")
      ->type_name("YEARS")
      ->check(CLI::PositiveNumber)
      ->group("Choice");
  command.add_option("--sweep", options.sweep, "Two assets side by side, from all in one to all in the other")
      ->type_name("CODE:CODE")
      ->group("Choice");
  command.add_option("--step", options.step, "Of --sweep (10%)")->type_name("PERCENT")->group("Choice");
  add_cost_option(command, options);
}

void add_rehearsal_options(CLI::App& command, Options& options) {
  command.add_option("--schedule", options.schedules, "never, 1m, 1q, 1y, any count, 1q@first; repeatable")
      ->type_name("S")
      ->take_all()
      ->expected(1)
      ->group("Choice");
  add_cost_option(command, options);
  command.add_option("--wealth", options.wealth, "Wealth at the start (default 1,000,000)")
      ->type_name("AMOUNT")
      ->group("Choice");
  command.add_option("--delay", options.delay, "Trading days from decision to trade (default 1)")
      ->type_name("DAYS")
      ->group("Choice");
}

void add_folder_option(CLI::App& command, Options& options, const std::string& help) {
  command.add_option("--out", options.out, help)
      ->type_name("FOLDER")
      ->multi_option_policy(CLI::MultiOptionPolicy::TakeLast)
      ->group("Output");
}

void add_output_options(CLI::App& command, Options& options) {
  command.add_option("--json", options.json, "Write the result as JSON; - for standard output, and nothing else there")
      ->type_name("FILE")
      ->group("Output");
  command.add_option("--csv", options.csv, "Write each table as a CSV file into this folder")
      ->type_name("FOLDER")
      ->group("Output");
  command.add_option("--xlsx", options.xlsx, "Write each table as a sheet of this spreadsheet")
      ->type_name("FILE")
      ->group("Output");
  command.add_flag("--quiet", options.quiet, "No tables on standard output, no warnings")->group("Output");
}

void add_figure_option(CLI::App& command, Options& options, const std::string& names) {
  command
      .add_option("--figure", options.figures,
                  "Draw a figure, .png, .svg or .pdf by the file's ending; names: " + names)
      ->type_name("[NAME:]FILE")
      ->take_all()
      ->expected(1)
      ->group("Output");
}

}  // namespace inchtide::app

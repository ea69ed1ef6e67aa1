#include "options.hpp"

namespace inchtide::app {

void add_input_options(CLI::App& command, Options& options) {
  command.add_option("--mandate", options.mandate, "The manager's rules, a TOML file; options given here beat it")
      ->type_name("FILE")
      ->group("Input");
  command.add_option("--prices", options.prices, "A CSV file, or a folder of them, one file an asset")
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
  command.add_option("--currency", options.currency, "The base currency; assets in another one are left out")
      ->type_name("CODE")
      ->group("Input");
}

void add_window_options(CLI::App& command, Options& options) {
  command.add_option("--from", options.from, "First day of prices to use")->type_name("DAY")->group("Window");
  command.add_option("--to", options.to, "Last day of prices to use")->type_name("DAY")->group("Window");
  command.add_option("--last", options.last, "Count back from the last priced day, e.g. 2y, 6m")
      ->type_name("SPAN")
      ->excludes("--from")
      ->group("Window");
  command.add_option("--every", options.every, "Estimation interval: 1d, 1w, 1m, 1q, 1y or any count (default 1m)")
      ->type_name("INTERVAL")
      ->group("Window");
}

void add_split_option(CLI::App& command, Options& options) {
  command.add_option("--split", options.split, "Estimate from the prices before this day")
      ->type_name("DAY")
      ->group("Window");
}

void add_estimate_option(CLI::App& command, Options& options) {
  command.add_option("--estimate", options.estimate, "Expected returns and covariance from a JSON file")
      ->type_name("FILE")
      ->excludes("--prices")
      ->group("Input");
}

void add_limit_options(CLI::App& command, Options& options) {
  command.add_option("--risk-free", options.risk_free, "Risk-free rate per year, e.g. 2%")
      ->type_name("RATE")
      ->group("Choice");
  command.add_option("--limit", options.limits, "'KELPFARM <= 12%', 'each >= 1%'; adds to the mandate's; repeatable")
      ->type_name("EXPR")
      ->take_all()
      ->expected(1)
      ->group("Choice");
  command.add_flag("--no-limits", options.no_limits, "Leave the mandate's limits aside")->group("Choice");
}

void add_aim_options(CLI::App& command, Options& options) {
  command
      .add_option("--aim", options.aims,
                  "minimum-variance, maximum-sharpe, target-return=8%, target-volatility=10%, equal; repeatable")
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

void add_output_options(CLI::App& command, Options& options) {
  command.add_option("--json", options.json, "Write the result as JSON; - for standard output, and nothing else there")
      ->type_name("FILE")
      ->group("Output");
  command.add_option("--csv", options.csv, "Write each table as a CSV file into this folder")
      ->type_name("FOLDER")
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

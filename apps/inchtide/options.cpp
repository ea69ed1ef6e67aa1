#include "options.hpp"

#include <fmt/format.h>

#include <CLI/CLI.hpp>
#include <algorithm>

#include "inchtide/mandate/declarations.hpp"
#include "means.hpp"

namespace inchtide::app {

bool Options::has(const std::string& option) const {
  return given.contains(option);
}

const std::string& Options::text(const std::string& option) const {
  static const std::string none;
  const auto found = given.find(option);
  return found == given.end() ? none : found->second.back();
}

CLI::App& add_command(CLI::App& tool, Options& options, const std::string& name, const std::string& does,
                      const std::string& examples, std::function<void()> run) {
  auto* command = tool.add_subcommand(name, does);
  command->footer("Examples:\n" + examples);
  command->callback([command, &options, run = std::move(run)] {
    options.spelt = means_of(*command);
    options.command = command->get_name();
    for (const auto* option : command->get_options()) {
      if (option->count() > 0) options.typed.insert(option->get_name());
    }
    run();
  });
  return *command;
}

namespace {

std::vector<std::string> split_at(const std::vector<std::string>& texts, char between) {
  if (between == 0) return texts;
  std::vector<std::string> parts;
  for (const auto& text : texts) {
    for (std::size_t begin = 0; begin <= text.size();) {
      const auto end = std::min(text.find(between, begin), text.size());
      if (end > begin) parts.push_back(text.substr(begin, end - begin));
      begin = end + 1;
    }
  }
  return parts;
}

}  // namespace

void add_setting(CLI::App& command, Options& options, const std::string& option, const std::string& help) {
  const auto& one = *declaration_of(option);
  auto words = help.empty() ? one.help : help;
  if (!one.usual.empty()) words += " (default: " + one.usual + ")";
  const auto take = [&options, option, between = one.between](const std::vector<std::string>& texts) {
    options.given[option] = split_at(texts, between);
  };
  if (one.takes == Takes::yes_or_no) {
    command
        .add_flag_function(
            option, [take](std::int64_t) { take({"true"}); }, words)
        ->group(one.topic);
    return;
  }
  auto* made = command.add_option_function<std::vector<std::string>>(option, take, words);
  made->type_name(one.form)->group(one.topic)->expected(1);
  if (one.takes == Takes::list) made->take_all();
}

void add_settings(CLI::App& command, Options& options, const std::vector<Step>& steps) {
  for (const auto& one : declarations()) {
    const bool acts = std::ranges::any_of(one.steps, [&](Step step) { return std::ranges::count(steps, step) > 0; });
    const bool there = one.option.empty() || command.get_option_no_throw(one.option) != nullptr;
    if (acts && !there) add_setting(command, options, one.option);
  }
}

void add_threads_option(CLI::App& command, Options& options) {
  command.add_option("--threads", options.threads, "Threads, and files read at once (default: one a processor)")
      ->type_name("N")
      ->group("Input");
}

void add_input_options(CLI::App& command, Options& options) {
  command.add_option("--mandate", options.mandate, "The manager's rules, a TOML file; options given here beat it")
      ->type_name("FILE")
      ->group("Input");
  add_threads_option(command, options);
}

void add_describe_options(CLI::App& command, Options& options) {
  command
      .add_flag("--within-day", options.within_day, "Returns within the day, close over open, where a history has both")
      ->group("Estimate");
  command.add_option("--bins", options.bins, "Of the histograms (default: as many as their spread asks for)")
      ->type_name("N")
      ->group("Estimate");
  command.add_option("--tail", options.tail, "Expected shortfall is the mean of this share of periods (default 5%)")
      ->type_name("SHARE")
      ->group("Estimate");
}

void add_look_options(CLI::App& command, Options& options) {
  command.add_option("--on", options.on, "Each asset's price on this day, or the last one before it")
      ->type_name("DAY")
      ->group("Window");
  add_setting(command, options, "--every", "Look at every so many days, weeks, months, ...: 1d, 3d, 2w, 1m");
  add_setting(command, options, "--last-period");
  command
      .add_option("--fields", options.fields,
                  "Show these of open, high, low, close, adjusted, volume, price, as they came")
      ->type_name("A,B,...")
      ->delimiter(',')
      ->expected(1)
      ->take_all()
      ->group("Look");
  command
      .add_option(
          "--overlay", options.overlays,
          "sma:20, ema:20, bands:20:2, macd:12:26:9, momentum:10, stochastic:14:3: as columns and in the figure "
          "bars; repeatable")
      ->type_name("O")
      ->delimiter(',')
      ->expected(1)
      ->take_all()
      ->group("Look");
  command.add_option("--shape", options.shape, "Of written prices: wide (a column an asset) or long (default wide)")
      ->type_name("SHAPE")
      ->group("Output");
}

void add_estimate_option(CLI::App& command, Options& options) {
  command
      .add_option("--estimate", options.estimate, "Expected returns and covariance from a JSON file, or a CSV sheet")
      ->type_name("FILE")
      ->group("Input");
}

void add_relation_options(CLI::App& command, Options& options) {
  command
      .add_option("--windows", options.windows,
                  "The same over these spans back from the last day, side by side: 8y,4y,2y")
      ->type_name("SPAN,...")
      ->delimiter(',')
      ->expected(1)
      ->take_all()
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
      ->group("Relations");
  command.add_option("--patience", options.patience, "Seconds for the proof of --pick (default 20)")
      ->type_name("SECONDS")
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
      ->expected(1)
      ->take_all()
      ->group("Relations");
}

namespace {

void add_draws(CLI::App& command, Options& options, const std::string& help, const std::string& usual_block,
               const std::string& group) {
  command.add_option("--draws", options.draws, help)->type_name("N")->group(group);
  command
      .add_option("--block", options.block,
                  fmt::format("Mean length of its blocks in periods (default: {})", usual_block))
      ->type_name("PERIODS")
      ->group(group);
  command.add_option("--seed", options.seed, "Of the random draws (default 1)")
      ->type_name("N")
      ->group(group)
      ->check([](const std::string& text) {  // a negative one would come round to a huge one
        return text.starts_with('-') ? "a seed is 0 or more" : std::string();
      });
}

}  // namespace

void add_draw_options(CLI::App& command, Options& options) {
  add_draws(command, options, "Bands by so many draws of the stationary bootstrap (0: none)",
            "cube root of their number", "Estimate");
}

void add_luck_options(CLI::App& command, Options& options) {
  add_draws(command, options, "What was luck, by so many draws of the stationary bootstrap (default 1000; 0: none)",
            "by how the runs' days hang together", "Rehearsal");
}

void add_runs_option(CLI::App& command, Options& options, const std::string& help) {
  command.add_option("--runs", options.runs, help)->type_name("FILE")->group("Many rehearsals");
}

void add_grid_options(CLI::App& command, Options& options) {
  command
      .add_option("--grid", options.grid,
                  "Rehearse every combination of the mandate's [grid]; or of values given here, repeatable: "
                  "schedule=1m,1q, cost-level=0,1,2, aim=..., estimator=bayes-stein/one-factor, window=3y,all, "
                  "delay=0,1, start=DAY")
      ->type_name("[AXIS=LIST]")
      ->expected(0, 1)
      ->take_all()
      ->group("Many rehearsals");
  add_runs_option(command, options, "Keep the grid's runs in this file; what is there is not run again");
  command
      .add_option("--hosts", options.hosts,
                  "Run it on these machines, each with so many threads: desk1:8,desk2:16; slurm within an allocation")
      ->type_name("LIST")
      ->group("Many rehearsals");
  command
      .add_option("--retries", options.retries,
                  "Of --hosts: how often it goes on with the machines that answer when one dies (default 3)")
      ->type_name("N")
      ->group("Many rehearsals");
  command.add_option("--part", options.part, "Of the grid, one part of several: 3/12")
      ->type_name("K/N")
      ->group("Many rehearsals");
}

void add_choice_of_runs(CLI::App& command, Options& options) {
  command
      .add_option("--where", options.where,
                  "Runs for which this holds; repeatable: 'sharpe > 0.5', 'cost_per_year <= 0.5%', 'schedule = yearly'")
      ->type_name("CONDITION")
      ->expected(1)
      ->take_all()
      ->group("Many rehearsals");
  command.add_option("--inputs", options.inputs, "Runs of these prices and rules, by the digest that a store has")
      ->type_name("DIGEST")
      ->group("Many rehearsals");
}

void add_runs_options(CLI::App& command, Options& options) {
  command.add_option("--sort", options.sort, "By this figure, the highest first (default: sharpe)")
      ->type_name("FIGURE")
      ->group("Many rehearsals");
  command.add_flag("--lowest", options.lowest, "The lowest first")->group("Many rehearsals");
  command.add_option("--key", options.key, "One run whole, made again: by its key, or the beginning of it")
      ->type_name("KEY")
      ->group("Many rehearsals");
  command.add_option("--merge", options.merge, "Take over what this store has and --runs hasn't; repeatable")
      ->type_name("FILE")
      ->expected(1)
      ->take_all()
      ->group("Many rehearsals");
  command.add_option("--top", options.top, "So many (default 25; 0: all)")->type_name("N")->group("Many rehearsals");
}

void add_bootstrap_options(CLI::App& command, Options& options) {
  add_draw_options(command, options);
  command.add_flag("--compare", options.compare, "All methods side by side")->group("Estimate");
}

void add_frontier_options(CLI::App& command, Options& options) {
  command.add_flag("--lower-half", options.lower_half, "Also the inefficient half, down to the lowest return")
      ->group("Choice");
  command.add_option("--cloud", options.cloud, "So many random portfolios within the limits behind the chart")
      ->type_name("N")
      ->group("Output");
}

void add_search_options(CLI::App& command, Options& options) {
  command
      .add_option("--patience", options.patience, "Seconds for that search (20); then the best so far, with its gap")
      ->type_name("SECONDS")
      ->group("Choice");
}

void add_sweep_options(CLI::App& command, Options& options) {
  command.add_option("--sweep", options.sweep, "Two assets side by side, from all in one to all in the other")
      ->type_name("CODE:CODE")
      ->group("Choice");
  command.add_option("--step", options.step, "Of --sweep (default: 10%)")->type_name("PERCENT")->group("Choice");
}

void add_gather_options(CLI::App& command, Options& options) {
  command.add_option("--mandate", options.mandate, "The manager's rules, a TOML file; options given here beat it")
      ->type_name("FILE")
      ->group("Input");
  command.add_flag("--in-full", options.in_full, "Whole histories again, even where the store has some")
      ->group("Window");
}

void add_folder_option(CLI::App& command, Options& options, const std::string& help) {
  command.add_option("--out", options.out, help)
      ->type_name("FOLDER")
      ->multi_option_policy(CLI::MultiOptionPolicy::TakeLast)
      ->group("Output");
}

namespace {

void add_wide_option(CLI::App& command, Options& options) {
  command.add_flag("--wide", options.wide, "Tables whole, however wide and long")->group("Output");
}

}  // namespace

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
  add_wide_option(command, options);
}

void add_report_options(CLI::App& command, Options& options) {
  command
      .add_option("--json", options.json,
                  "Write the list of files as JSON; - for standard output, and nothing else there")
      ->type_name("FILE")
      ->group("Output");
  command.add_flag("--quiet", options.quiet, "Nothing on standard output, no warnings")->group("Output");
}

void add_full_option(CLI::App& command, Options& options) {
  command.add_flag("--full", options.all_tables, "All tables, stage by stage, in place of one screen")->group("Output");
  add_wide_option(command, options);
}

void add_explore_options(CLI::App& command, Options& options) {
  command.add_option("--port", options.port, "Of this machine (default: a free one)")
      ->type_name("N")
      ->check(CLI::Range(0, 65535))
      ->group("Page");
  command.add_flag("--open", options.open, "Open it in the browser too")->group("Page");
  command.add_option("--idle", options.idle, "End when nothing was asked for so long: 90s, 30m, 2h")
      ->type_name("TIME")
      ->group("Page");
}

void add_orders_options(CLI::App& command, Options& options) {
  command
      .add_option("--orders", options.orders,
                  "Write the orders that lead from --current to the portfolio, .csv, .json or .xlsx")
      ->type_name("FILE")
      ->group("Output");
  add_setting(command, options, "--wealth", "Of --orders: what the weights held now are of");
  add_setting(command, options, "--smallest-order", "Of --orders: smaller ones are not made");
  add_setting(command, options, "--cash-floor", "Of --orders: what they leave in cash");
}

void add_figure_option(CLI::App& command, Options& options, const std::string& names) {
  command
      .add_option("--figure", options.figures,
                  "Draw a figure, .png, .svg or .pdf by the file's ending; names: " + names)
      ->type_name("[NAME:]FILE")
      ->take_all()
      ->expected(1)
      ->group("Output");
  command.add_option("--theme", options.theme, "Of figures: light or dark (default light)")
      ->type_name("THEME")
      ->group("Output");
}

}  // namespace inchtide::app

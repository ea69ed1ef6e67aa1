#pragma once
// The options that commands share, each declared once with its help. The argument parser itself is included in few
// places: it takes long to compile.

#include <cstdint>
#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "inchtide/base/errors.hpp"

namespace CLI {
class App;
}

namespace inchtide::app {

// What the tool ends with.
enum ExitCode {
  done = 0,
  bad_input = 1,
  wrong_usage = 2,
  outside_failed = 3,
  done_in_part = 4,
  uncertified = 5,
  own_fault = 70,
  interrupted = 130
};

struct Options {
  // input
  std::string mandate, prices, estimate, tags, benchmark, currency, rates, align, weights, current;
  std::string identifiers, actions, short_histories, dates, decimal;
  std::vector<std::string> assets, field;
  // gathering
  std::string store, provider, list;
  bool in_full = false;
  int threads = 0;
  // window
  std::string from, to, last, every, split, on, last_period;
  std::optional<int> trading_days;
  std::optional<double> periods_per_year;
  // looking
  std::vector<std::string> fields, overlays;
  std::string shape, theme;
  bool strict = false, look_at_findings = false;
  // estimating
  std::string expected, covariance, denominator;
  std::string returns;  // simple or log
  std::vector<std::string> own;
  // describing
  bool within_day = false;
  int bins = 0;
  std::string tail;
  std::optional<int> draws;
  double block = 0;
  std::uint64_t seed = 1;
  bool compare = false;
  // relating
  std::vector<std::string> windows;
  std::string order, by = "sector";
  bool pairwise = false, pick_absolute = false;
  std::optional<int> pick;
  double patience = 20;  // seconds
  std::string gap;       // of a search for positions
  bool lower_half = false;
  std::optional<int> cloud;  // random portfolios behind a frontier
  std::string rolling;
  std::vector<std::string> pairs;  // CODE:CODE
  // choice
  std::string risk_free;
  std::vector<std::string> limits, aims, schedules, costs;
  std::vector<std::string> mixes;
  std::string round, sweep, step;
  double horizon = 1;  // years
  bool no_limits = false, borrowing = false, move_inside = false, after_costs = false;
  bool show_current = false;  // among the portfolios compared
  bool drop_misprints = false;
  std::optional<double> wealth;
  std::optional<int> delay;
  // output
  std::string json, csv, xlsx, out;
  std::vector<std::string> figures;
  bool quiet = false;
  // how the command that runs spells what can be changed
  SpeltMeans spelt;
  // what the tool ends with once everything is delivered
  int exit_code = 0;
};

// A command of the tool: its name, what it does, two examples, and what to do when it is chosen.
CLI::App& add_command(CLI::App& tool, Options& options, const std::string& name, const std::string& does,
                      const std::string& examples, std::function<void()> run);

void add_input_options(CLI::App& command, Options& options);
void add_window_options(CLI::App& command, Options& options);
void add_interval_option(CLI::App& command, Options& options);
void add_convention_options(CLI::App& command, Options& options);
void add_describe_options(CLI::App& command, Options& options);
void add_look_options(CLI::App& command, Options& options);
void add_gather_options(CLI::App& command, Options& options);
void add_method_options(CLI::App& command, Options& options);
void add_relation_options(CLI::App& command, Options& options);
void add_draw_options(CLI::App& command, Options& options);
void add_bootstrap_options(CLI::App& command, Options& options);
void add_risk_free_option(CLI::App& command, Options& options);
void add_split_option(CLI::App& command, Options& options, const std::string& help);
void add_estimate_option(CLI::App& command, Options& options);
void add_frontier_options(CLI::App& command, Options& options);
void add_limit_options(CLI::App& command, Options& options);
void add_search_options(CLI::App& command, Options& options);
void add_aim_options(CLI::App& command, Options& options);
void add_adjust_options(CLI::App& command, Options& options);
void add_rehearsal_options(CLI::App& command, Options& options);
void add_folder_option(CLI::App& command, Options& options, const std::string& help);
void add_output_options(CLI::App& command, Options& options);
void add_figure_option(CLI::App& command, Options& options, const std::string& names);

// Each in its own file.
void add_gather(CLI::App& tool, Options& options);
void add_inspect(CLI::App& tool, Options& options);
void add_describe(CLI::App& tool, Options& options);
void add_estimate(CLI::App& tool, Options& options);
void add_frontier(CLI::App& tool, Options& options);
void add_weigh(CLI::App& tool, Options& options);
void add_relate(CLI::App& tool, Options& options);
void add_rehearse(CLI::App& tool, Options& options);
void add_demo(CLI::App& tool, Options& options);

}  // namespace inchtide::app

#pragma once
// The options of the commands: those of settings come from their declarations, the others are declared here, once. The
// argument parser itself is included in few places: it takes long to compile.

#include <cstdint>
#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <set>
#include <string>
#include <vector>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/progress.hpp"
#include "inchtide/mandate/declarations.hpp"

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

constexpr double usual_patience = 20;  // seconds
constexpr int usual_draws = 1000;
// What a report draws by itself, of so many assets.
constexpr int draws_of_a_report = 200;
constexpr std::size_t most_assets_drawn = 60;

class Kept;

// What a call of a study that is explored has beside its options.
struct Live {
  std::string mandate;         // the text that stands for the file's
  std::shared_ptr<Kept> kept;  // from call to call
  StopCheck stop;
};

struct Options {
  // Of settings (see mandate/declarations.hpp), by option: "--every".
  std::map<std::string, std::vector<std::string>> given;

  bool has(const std::string& option) const;
  // The last text given for it; empty where there is none.
  const std::string& text(const std::string& option) const;

  // The command, and all options that were typed for it.
  std::string command;
  std::set<std::string> typed;

  // input
  std::string mandate, estimate;
  bool in_full = false;
  int threads = 0;
  // looking
  std::string on, shape, theme;
  std::vector<std::string> fields, overlays;
  // describing
  bool within_day = false;
  std::optional<int> bins;
  std::string tail;
  std::optional<int> draws;
  std::optional<double> block;
  std::optional<std::uint64_t> seed;
  bool compare = false;
  // relating
  std::vector<std::string> windows;
  std::string order, by = "sector";
  bool pairwise = false, pick_absolute = false;
  std::optional<int> pick;
  std::optional<double> patience;  // seconds
  bool lower_half = false;
  std::optional<int> cloud;  // random portfolios behind a frontier
  std::string rolling;
  std::vector<std::string> pairs;  // CODE:CODE
  // choosing
  std::string sweep, step;
  bool show_current = false;  // among the portfolios compared
  // many rehearsals
  std::vector<std::string> grid;  // AXIS=VALUES
  std::string runs, part, sort, key, inputs;
  std::vector<std::string> where, merge;
  std::optional<int> top;
  bool lowest = false;
  std::string hosts;
  std::optional<int> retries;
  // exploring
  std::optional<int> port;
  bool open = false;
  std::string idle;
  bool whole_study = false;  // a stage of a report, which shows more than was asked for
  // output
  std::string json, csv, xlsx, orders, out;
  std::vector<std::string> figures;
  bool quiet = false;
  bool all_tables = false;
  bool wide = false;
  // a call of a study that is explored
  std::optional<Live> live;
  // how the command that runs spells what can be changed
  SpeltMeans spelt;
  // what the tool ends with once everything is delivered
  int exit_code = 0;
};

// A command of the tool: its name, what it does, two examples, and what to do when it is chosen.
CLI::App& add_command(CLI::App& tool, Options& options, const std::string& name, const std::string& does,
                      const std::string& examples, std::function<void()> run);

// Options for settings: of all that act in some steps, or one, with words of its own for its help.
void add_settings(CLI::App& command, Options& options, const std::vector<Step>& steps);
void add_setting(CLI::App& command, Options& options, const std::string& option, const std::string& help = "");

// Options that are no settings.
void add_input_options(CLI::App& command, Options& options);
void add_threads_option(CLI::App& command, Options& options);
void add_describe_options(CLI::App& command, Options& options);
void add_look_options(CLI::App& command, Options& options);
void add_gather_options(CLI::App& command, Options& options);
void add_relation_options(CLI::App& command, Options& options);
void add_draw_options(CLI::App& command, Options& options);
// The same for what was luck.
void add_luck_options(CLI::App& command, Options& options);
// Grids, and the store that they fill.
void add_grid_options(CLI::App& command, Options& options);
void add_runs_option(CLI::App& command, Options& options, const std::string& help);
// Which of a store's runs, in which order.
void add_choice_of_runs(CLI::App& command, Options& options);
void add_runs_options(CLI::App& command, Options& options);
void add_bootstrap_options(CLI::App& command, Options& options);
void add_estimate_option(CLI::App& command, Options& options);
void add_frontier_options(CLI::App& command, Options& options);
void add_search_options(CLI::App& command, Options& options);
void add_sweep_options(CLI::App& command, Options& options);
void add_folder_option(CLI::App& command, Options& options, const std::string& help);
// `weigh`'s orders from what is held to a portfolio, and what they keep to.
void add_orders_options(CLI::App& command, Options& options);
void add_output_options(CLI::App& command, Options& options);
void add_report_options(CLI::App& command, Options& options);
// That prints what one screen leaves out.
void add_full_option(CLI::App& command, Options& options);
void add_explore_options(CLI::App& command, Options& options);
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
void add_runs(CLI::App& tool, Options& options);
void add_luck(CLI::App& tool, Options& options);
void add_report(CLI::App& tool, Options& options);
void add_explore(CLI::App& tool, Options& options);
void add_demo(CLI::App& tool, Options& options);

}  // namespace inchtide::app

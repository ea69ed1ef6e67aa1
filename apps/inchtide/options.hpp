#pragma once
// The options that commands share, each declared once with its help.

#include <CLI/CLI.hpp>
#include <optional>
#include <string>
#include <vector>

namespace inchtide::app {

struct Options {
  // input
  std::string mandate, prices, estimate, tags, benchmark, currency, weights;
  std::vector<std::string> assets;
  // window
  std::string from, to, last, every, split;
  // choice
  std::string risk_free;
  std::vector<std::string> limits, aims, schedules, costs;
  bool no_limits = false;
  std::optional<double> wealth;
  std::optional<int> delay;
  // output
  std::string json, csv, out;
  std::vector<std::string> figures;
  bool quiet = false;
};

void add_input_options(CLI::App& command, Options& options);
void add_window_options(CLI::App& command, Options& options);
void add_split_option(CLI::App& command, Options& options);
void add_estimate_option(CLI::App& command, Options& options);
void add_limit_options(CLI::App& command, Options& options);
void add_aim_options(CLI::App& command, Options& options);
void add_output_options(CLI::App& command, Options& options);
void add_figure_option(CLI::App& command, Options& options, const std::string& names);

}  // namespace inchtide::app

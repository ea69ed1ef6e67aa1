// Checks of what was asked, before any work.

#include "checks.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <filesystem>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/base/range.hpp"

namespace inchtide::app {
namespace {

namespace fs = std::filesystem;

/// The files and folders that a run reads.
std::vector<fs::path> inputs_of(const Options& options, const Mandate& mandate) {
  std::vector<fs::path> inputs(mandate.given.begin(), mandate.given.end());
  for (const auto* text : {&options.mandate, &options.estimate}) {
    if (!text->empty()) inputs.emplace_back(*text);
  }
  if (options.command != "rehearse" && !options.runs.empty()) inputs.emplace_back(options.runs);
  for (const auto* path : {&mandate.prices, &mandate.tags, &mandate.identifiers, &mandate.rates, &mandate.actions,
                           &mandate.current, &mandate.store, &mandate.implied_weights}) {
    if (*path) inputs.push_back(**path);
  }
  return inputs;
}

struct Pair {
  const char *option, *other, *why;
};

/// One takes the place of the other.
constexpr Pair apart[] = {
    {"--last", "--from", "it counts back from the last priced day"},
    {"--last", "--trading-days", "each says how long the window is"},
    {"--trading-days", "--to", "they are counted from the first day on, or back from the last priced one"},
    {"--provider", "--prices", "prices from files need no provider"},
    {"--list", "--assets", "each says which assets"},
    {"--wide", "--quiet", "then no table is shown"}};

/// One does nothing without the other.
constexpr Pair together[] = {{"--step", "--sweep", "it is the step of a sweep"},
                             {"--pick-absolute", "--pick", "it says by what assets are picked"},
                             {"--pair", "--rolling", "pairs are followed over a window"},
                             {"--part", "--grid", "it is a part of a grid"},
                             {"--hosts", "--grid", "it is where a grid is run"},
                             {"--hosts", "--runs", "what other machines come to is kept in a file"},
                             {"--retries", "--hosts", "a machine that dies is one of them"},
                             {"--theme", "--figure", "it is the look of a figure"}};

bool typed(const Options& options, const std::string& option) {
  return options.typed.contains(option);
}

void check_pairs(const Options& options) {
  for (const auto& [option, other, why] : apart) {
    if (!typed(options, option) || !typed(options, other)) continue;
    throw WrongUsage(option, fmt::format("it does not go with {}: {}", other, why), "Leave one of them out");
  }
  const auto needs = [&](const char* option, std::vector<std::string> others, const char* why) {
    if (!typed(options, option)) return;
    if (std::ranges::any_of(others, [&](const auto& other) { return typed(options, other); })) return;
    throw WrongUsage(option, fmt::format("it does nothing without {}: {}", fmt::join(others, " or "), why),
                     "Give both, or leave it out");
  };
  for (const auto& [option, other, why] : together) needs(option, {other}, why);
  needs("--shape", {"--csv", "--xlsx"}, "it is that of written prices");
  needs("--overlay", {"--csv", "--xlsx", "--figure"}, "overlays are columns in files and lines of a figure");
  if (options.command == "inspect") {
    needs("--last-period", {"--every"}, "it is that of an interval");
    needs("--every", {"--fields", "--csv", "--xlsx", "--figure"}, "it is that of prices in files and figures");
  }
  if (options.command == "weigh") {
    for (const char* option : {"--wealth", "--smallest-order", "--cash-floor"}) {
      needs(option, {"--orders"}, "it is that of orders");
    }
  }
  if (options.command == "relate") needs("--patience", {"--pick"}, "it is that of a search");
  if (options.command == "relate" || options.command == "frontier") {
    needs("--block", {"--draws"}, "blocks are drawn");
  }
  const auto beside = [&](const char* option, const std::vector<std::string>& idle, const char* why) {
    if (!typed(options, option)) return;
    for (const auto& one : idle) {
      if (typed(options, one)) {
        throw WrongUsage(one, fmt::format("it does nothing beside {}: {}", option, why), "Leave one of them out");
      }
    }
  };
  beside("--grid", {"--futures", "--below", "--drawdown", "--cost-levels", "--log", "--mix", "--weights"},
         "a grid keeps the figures of its aims, and no more");
  if (options.command == "runs") {
    beside("--key", {"--where", "--inputs", "--sort", "--lowest", "--top"}, "it is one run");
  }
  if (options.command == "rehearse") needs("--runs", {"--grid"}, "it keeps what a grid comes to");
  if (options.command == "rehearse" && options.draws == 0 && !typed(options, "--futures")) {
    for (const char* option : {"--block", "--seed", "--baseline", "--tried"}) {
      if (!options.typed.contains(option)) continue;
      throw WrongUsage(option, "it does nothing beside --draws 0", "Leave one of them out");
    }
  }
  if (options.command == "frontier") needs("--seed", {"--draws", "--cloud"}, "nothing is drawn");
}

/// Whether a setting acts on prices and what is made of them, and on nothing else.
bool is_about_prices(const std::string& option) {
  if (option == "--split" || option == "--draws" || option == "--block") return true;
  const auto* one = declaration_of(option);
  if (one == nullptr || option == "--tags") return false;  // limits look tags up
  return std::ranges::all_of(one->steps, [](Step step) {
    return step == Step::gathering || step == Step::reading || step == Step::universe || step == Step::returns ||
           step == Step::estimate;
  });
}

void check_beside_an_estimate(const Options& options) {
  if (options.estimate.empty()) return;
  const auto also_of_lists = [&](const std::string& option) {  // of weights, units and tags, which are CSV too
    return option == "--decimal" &&
           (typed(options, "--current") || typed(options, "--weights") || typed(options, "--tags"));
  };
  for (const auto& option : options.typed) {
    if (!is_about_prices(option) || also_of_lists(option)) continue;
    throw WrongUsage(option,
                     "it does not go with --estimate, which takes the place of prices and all that is made of them",
                     "Leave one of them out");
  }
}

void check_choice(const std::string& text, const char* option, const std::vector<std::string>& words) {
  if (text.empty() || find_name(text, words)) return;
  throw WrongUsage(option, fmt::format("there is no '{}'", text), fmt::format("Give {}", fmt::join(words, " or ")));
}

void check_ranges(const Options& options) {
  constexpr int many = 1'000'000'000;
  whole_within(options.threads, 0, 4096, "--threads");
  whole_within(options.bins.value_or(1), 1, 10'000, "--bins");
  whole_within(options.draws.value_or(0), 0, many, "--draws");
  whole_within(options.cloud.value_or(0), 0, many, "--cloud");
  whole_within(options.top.value_or(0), 0, many, "--top");
  whole_within(options.retries.value_or(0), 0, 1000, "--retries");
  within(options.block.value_or(1), 1, 1e6, "--block");
  within(options.patience.value_or(0), 0, 1e9, "--patience");
}

bool limits_positions(const Limits& limits) {
  return std::ranges::any_of(limits, [](const Limit& limit) {
    return limit.kind == Limit::Kind::holdings || limit.kind == Limit::Kind::held;
  });
}

}  // namespace

void check_options(const Options& options) {
  check_pairs(options);
  check_beside_an_estimate(options);
  check_choice(options.shape, "--shape", {"wide", "long"});
  check_choice(options.theme, "--theme", {"light", "dark"});
  check_ranges(options);
}

void check_that_all_act(const Options& options, const Mandate& mandate) {
  const auto& settings = mandate.settings;
  const auto idle = [&](const char* option, const char* why, const Remedy& remedy) {
    if (typed(options, option)) throw WrongUsage(option, fmt::format("it does nothing: {}", why), remedy);
  };
  const bool blends = std::ranges::any_of(settings.aims, [](const Aim& aim) {
    return aim.kind == Aim::Kind::blend_volatility || aim.kind == Aim::Kind::blend_return;
  });
  if (!blends) idle("--borrowing", "no aim is a blend", {Means::aim, "Give one", "blend-volatility=8%"});
  if (settings.futures == 0) {
    for (const char* option : {"--below", "--drawdown"}) {
      idle(option, "no histories are drawn", Remedy("Draw some: --futures 1000"));
    }
  }
  if (!mandate.current) idle("--horizon", "what is held now is not known", {Means::current, "Give it"});
  if (settings.costs.empty()) idle("--horizon", "trading costs nothing", {Means::costs, "Give costs", "10bp"});
  if (!limits_positions(settings.limits) && !limits_positions(settings.added_limits)) {
    const Remedy remedy(Means::limits, "Give one", "'holdings <= 12'");
    const char* why = "no limit on positions is there to search under";
    idle("--gap", why, remedy);
    if (options.command == "weigh") idle("--patience", why, remedy);
  }
}

void check_outputs(const Options& options, const Mandate& mandate) {
  std::error_code unknown;
  const auto refuse = [](const fs::path& output, const fs::path& input) {
    throw InputError(Where::in_file(output.string()),
                     fmt::format("it would be written over {}, which this run reads", input.string()),
                     "Give the output another name");
  };
  std::vector<fs::path> outputs;
  for (const auto* text : {&options.json, &options.xlsx, &options.orders}) {
    if (!text->empty() && *text != "-") outputs.emplace_back(*text);
  }
  if (options.command == "rehearse" && !options.runs.empty()) outputs.emplace_back(options.runs);
  for (const auto& figure : options.figures) outputs.emplace_back(figure.substr(figure.find(':') + 1));
  for (auto one = outputs.begin(); one != outputs.end(); ++one) {
    const auto name = fs::weakly_canonical(fs::absolute(*one), unknown);
    const auto same = [&](const fs::path& other) { return fs::weakly_canonical(fs::absolute(other), unknown) == name; };
    const bool pipe = fs::exists(*one, unknown) && !fs::is_regular_file(*one, unknown);
    if (!pipe && std::any_of(outputs.begin(), one, same)) {
      throw InputError(Where::in_file(one->string()), "two outputs of this run would be written to it",
                       "Give each a name of its own");
    }
  }
  for (const auto& input : inputs_of(options, mandate)) {
    const bool folder = fs::is_directory(input, unknown);
    for (const auto& output : outputs) {
      const bool sheet = same_name(output.extension().string(), ".csv");
      const bool inside = folder && sheet && fs::equivalent(output.parent_path() / ".", input, unknown);
      if (fs::exists(output, unknown) && (inside || fs::equivalent(output, input, unknown))) refuse(output, input);
    }
    if (options.csv.empty()) continue;
    const auto among = folder ? input : input.parent_path() / ".";
    const bool sheet = folder || same_name(input.extension().string(), ".csv");
    if (sheet && fs::equivalent(options.csv, among, unknown)) refuse(options.csv, input);
  }
}

}  // namespace inchtide::app

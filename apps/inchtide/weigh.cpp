// inchtide weigh: choose portfolios by aim, evaluate given weights, compare them.

#include <fmt/format.h>

#include <filesystem>

#include "checks.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/exchange/files.hpp"
#include "inchtide/report/weights.hpp"
#include "output.hpp"
#include "study.hpp"
#include "watch.hpp"

namespace inchtide::app {
namespace {

// `KELPFARM:HOLLBOND`.
report::Sweep swept(const Basis& basis, const Options& options) {
  const auto& assets = basis.estimate.assets;
  const auto position = [&](const std::string& code) {
    if (const auto found = find_name(code, assets)) return *found;
    throw InputError("--sweep", fmt::format("no asset of the estimate has the code '{}'", code),
                     did_you_mean(code, assets));
  };
  const auto codes = pair_of(options.sweep, "--sweep");
  const auto first = position(codes.first), second = position(codes.second);
  const double step = options.step.empty() ? 0.1 : fraction_from_percent(options.step, "--step");
  return {assets[first], assets[second],
          sweep(basis.estimate, Eigen::Index(first), Eigen::Index(second), step, basis.risk_free)};
}

}  // namespace

namespace {

// To the one portfolio that is chosen.
std::optional<OrderList> orders_of(const Prepared& prepared, const Portfolios& portfolios, const Options& options) {
  if (options.orders.empty()) return std::nullopt;
  if (!prepared.universe) {
    throw WrongUsage("--orders", "there are no prices to trade at",
                     {Means::prices, "Give prices in place of an estimate"});
  }
  std::vector<const Allocation*> chosen;
  for (const auto& one : portfolios.all) {
    if (one.name != "current") chosen.push_back(&one);
  }
  if (chosen.size() != 1) {
    throw InputError("--orders", fmt::format("there are {} portfolios that they could lead to", chosen.size()),
                     {Means::aim, "Choose one", "maximum-sharpe"});
  }
  return orders_to(*prepared.universe, prepared.basis, *chosen.front(), prepared.settings);
}

// As the file's ending says.
void write_orders(const report::Table& table, const Options& options) {
  const auto ending = lower_name(std::filesystem::path(options.orders).extension().string());
  if (ending == ".xlsx") return report::write_workbook({table}, options.orders, options.spelt);
  if (ending != ".csv" && ending != ".json") {
    throw InputError("--orders", fmt::format("'{}' ends with no kind of file", options.orders),
                     "Name a .csv, .json or .xlsx");
  }
  exchange::write_text_file(options.orders, ending == ".csv" ? report::to_csv(table) : to_json(table).dump(1) + "\n");
}

}  // namespace

report::Chapter weigh(const Options& given) {
  auto options = given;
  options.show_current = true;
  const auto prepared = prepare(options);
  const auto portfolios = portfolios_of(prepared, options);
  report::Besides besides;
  if (!options.sweep.empty()) besides.sweep = swept(prepared.basis, options);
  besides.orders = orders_of(prepared, portfolios, options);
  if (const auto given_up = room_given_up(prepared.settings, prepared.basis.estimate.assets.size())) {
    besides.given_up = *given_up;
    besides.rooms = rooms_of(prepared.basis, portfolios.all, *given_up, Executor(options.threads), watched(options));
  }
  besides.hard_times = hard_times_of(prepared.basis, portfolios.all);
  std::optional<Notice> no_trading;
  if (options.whole_study && prepared.universe && prepared.basis.facts.current.size() > 0) {
    try {
      besides.trading = trading_now(*prepared.universe, prepared.basis, prepared.settings);
    } catch (const InputError& none) {
      no_trading = none.notice();
    }
  }
  auto chapter = report::weigh_chapter(portfolios, prepared.basis, prepared.universe.get(), prepared.settings,
                                       prepared.from, besides);
  if (no_trading) chapter.warnings.push_back(*no_trading);
  if (besides.orders) write_orders(report::orders_table(*besides.orders, prepared.universe->currency), options);
  return chapter;
}

void add_weigh(CLI::App& tool, Options& options) {
  auto& command =
      add_command(tool, options, "weigh", "Choose portfolios by aim, evaluate given weights, compare them",
                  "  inchtide weigh --mandate demo/mandate.toml --aim maximum-sharpe --aim target-volatility=6%\n"
                  "  inchtide weigh --estimate estimate.json --weights held.csv --aim minimum-variance --json -",
                  [&options] { deliver(weigh(options), options); });
  add_input_options(command, options);
  add_estimate_option(command, options);
  add_settings(command, options,
               {Step::reading, Step::universe, Step::returns, Step::estimate, Step::limits, Step::portfolios,
                Step::searching, Step::adjusting});
  add_setting(command, options, "--split", "Estimate from the prices before this day");
  add_orders_options(command, options);
  add_search_options(command, options);
  add_sweep_options(command, options);
  add_output_options(command, options);
  add_figure_option(command, options,
                    "compared (return and risk), risk (contributions), prices (of the first portfolio's limits)");
}

}  // namespace inchtide::app

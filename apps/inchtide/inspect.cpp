// inchtide inspect: what the prices hold.

#include <fmt/format.h>

#include "inchtide/base/percent.hpp"
#include "inchtide/prices/lookup.hpp"
#include "inchtide/report/views.hpp"
#include "output.hpp"
#include "study.hpp"

namespace inchtide::app {
namespace {

using report::Finding;

// Spikes that come back, days that this asset alone misses, histories that shorten the common window.
std::vector<Finding> findings_in(const Study& study) {
  std::vector<Finding> findings;
  Day earliest = study.aligned.coverage.front().from;
  for (const auto& coverage : study.aligned.coverage) earliest = std::min(earliest, coverage.from);
  for (const auto& [asset, spike] : study.misprints) {
    const bool looked_at = std::ranges::any_of(study.histories, [&](const auto& h) { return h.asset == asset; });
    if (!looked_at) continue;
    findings.push_back(
        {study.mandate.drop_misprints ? "note" : "warning", asset, to_string(spike.day), "spike",
         fmt::format("{:.2f} between {:.2f} and {:.2f}: likely a misprint", spike.price, spike.before, spike.after),
         study.mandate.drop_misprints ? "Dropped, as asked; correct the file"
                                      : "Correct the file, or --drop-misprints"});
  }
  for (std::size_t i = 0; i < study.histories.size(); ++i) {
    const auto& history = study.histories[i];
    const auto& coverage = study.aligned.coverage[i];
    if (coverage.holes > 0) {
      findings.push_back({"note", history.asset, to_string(coverage.first_hole), "holes",
                          fmt::format("without a price on {} day(s), the first here", coverage.holes),
                          "Fill them (--align carry:5) or leave these days out"});
    }
    if (coverage.from > earliest + std::chrono::days{14}) {
      findings.push_back(
          {"note", history.asset, to_string(coverage.from), "short history",
           fmt::format("it begins {:.1f} years after the first of the others", years_between(earliest, coverage.from)),
           "Leave it out (--assets) for a longer window"});
    }
  }
  return findings;
}

}  // namespace

Outcome inspect(const Options& options) {
  auto study = load_study(options);
  const auto findings = findings_in(study);
  Outcome outcome{"inspect", study.inputs(), study.warnings, report::inspect_result(study.aligned, findings), {}, {}};
  outcome.tables = {report::coverage_table(study.aligned), report::findings_table(findings)};
  auto conversions = report::Json::array();
  for (const auto& c : study.conversions) {
    outcome.tables[0].notes.push_back(fmt::format(
        "{} is converted at the rate of the day, {}; for {} days the rate was carried forward, {} prices had none",
        c.history.asset, c.path, c.carried, c.dropped));
    conversions.push_back(
        {{"asset", c.history.asset}, {"path", c.path}, {"carried", c.carried}, {"dropped", c.dropped}});
  }
  outcome.result["conversions"] = conversions;
  if (!options.on.empty()) {
    std::vector<PriceOnDay> prices;
    const Day day = day_from(options.on, "--on");
    for (const auto& history : study.histories) prices.push_back(price_on(history, day));
    outcome.tables = {report::prices_on_table(prices)};
    outcome.result["prices"] = report::prices_on_json(prices);
  }
  if (study.prices.prices.array().isFinite().rowwise().all().any()) {  // there is a common start
    outcome.charts = {{"rebased", report::rebased_chart(rebased(study.prices), study.benchmark.has_value())}};
  }
  return outcome;
}

void add_inspect(CLI::App& tool, Options& options) {
  auto& command = add_command(tool, "inspect", "What the prices hold: coverage, holes, likely misprints",
                              "  inchtide inspect --prices demo/prices --tags demo/tags.csv --currency HLC\n"
                              "  inchtide inspect --mandate demo/mandate.toml --on 2024-05-05\n"
                              "  inchtide inspect --mandate demo/mandate.toml --last 2y --figure rebased.png",
                              [&options] { deliver(inspect(options), options); });
  add_input_options(command, options);
  add_window_options(command, options);
  add_on_option(command, options);
  add_output_options(command, options);
  add_figure_option(command, options, "rebased");
}

}  // namespace inchtide::app

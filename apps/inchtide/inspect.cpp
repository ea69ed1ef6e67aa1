// inchtide inspect: what the prices hold, what stands out, and how they look over time.

#include <fmt/format.h>
#include <fmt/ranges.h>
#include <spdlog/spdlog.h>

#include <algorithm>
#include <limits>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/prices/findings.hpp"
#include "inchtide/prices/lookup.hpp"
#include "inchtide/report/price_views.hpp"
#include "output.hpp"
#include "study.hpp"

namespace inchtide::app {
namespace {

constexpr std::size_t rows_shown = 10;

// The field as it came that an asset's price is made from.
PriceField field_used(const Study& study, const BarHistory& bars) {
  return study.mandate.settings.fields.pick(bars.asset, bars.fields_held());
}

// The prices looked at: the window, at the interval asked for.
PriceTable looked_at(Study& study) {
  if (!study.options.has("--every")) return study.prices;
  const auto every = Interval::parse(study.options.text("--every"), "--every");
  const auto ends = period_ends(study.prices, every, study.mandate.settings.keep_last_period);
  if (ends.last_unfinished) {
    study.warnings.push_back(fmt::format("The last {} had not ended on {}; it is {} (--last-period)", every.words(),
                                         to_string(study.prices.days.back()), ends.last_kept ? "kept" : "left out"));
  }
  if (ends.table.rows() == 0) {
    throw InputError("--every", fmt::format("not one {} has ended in the window", every.words()),
                     "Take a longer window, or --last-period keep");
  }
  return ends.table;
}

// An asset's bars at the interval asked for, whole, on the days that the table knows.
BarHistory coarser(const Study& study, const BarHistory& bars) {
  if (!study.options.has("--every")) return bars;
  return bars_every(bars, Interval::parse(study.options.text("--every"), "--every"), study.prices.days.front());
}

report::Shape shape_of(const Options& options) {
  return options.shape == "long" ? report::Shape::long_rows : report::Shape::wide;
}

report::Format format_of(PriceField field) {
  return field == PriceField::volume ? report::Format::count : report::Format::number3;
}

// The fields asked for, as they came, on the table's days.
report::Table fields_table(const Study& study, const PriceTable& prices) {
  std::vector<report::FigureColumn> columns;
  std::vector<Day> days = prices.days;
  std::vector<std::string> missing;
  for (const auto& bars : study.bars) {
    auto window = bars.on_days(study.prices.days);
    if (!!study.options.has("--every")) {
      window = bars_every(window, Interval::parse(study.options.text("--every"), "--every")).on_days(days);
    }
    for (const auto& name : study.options.fields) {
      const auto field = field_of(name, "--fields");
      if (!bars.has(field)) {
        missing.push_back(fmt::format("{} {}", bars.asset, to_string(field)));
        continue;
      }
      columns.push_back({bars.asset, to_string(field), window.of(field), format_of(field)});
    }
  }
  if (columns.empty()) {
    throw InputError("--fields", "no asset has any of them", "inspect shows which field each has");
  }
  auto table = report::figures_table("fields", "Figures as they came, each in its own currency", days, columns,
                                     shape_of(study.options));
  table.preview = rows_shown;
  if (!missing.empty()) table.notes.push_back(fmt::format("Not there: {}", fmt::join(missing, ", ")));
  return table;
}

// Overlays over an asset's whole history, so that the window's first rows have them too; then cut to the window.
std::vector<report::DrawnOverlay> overlays_of(const Study& study, const BarHistory& whole, PriceField field, Day from,
                                              Day to) {
  std::vector<report::DrawnOverlay> drawn;
  const auto first = std::size_t(std::ranges::lower_bound(whole.days, from) - whole.days.begin());
  const auto beyond = std::size_t(std::ranges::upper_bound(whole.days, to) - whole.days.begin());
  for (const auto& text : study.options.overlays) {
    const auto overlay = Overlay::parse(text, "--overlay");
    auto lines = lines_of(overlay, whole, field);
    for (auto& line : lines) {
      line.values = {line.values.begin() + std::ptrdiff_t(first), line.values.begin() + std::ptrdiff_t(beyond)};
    }
    drawn.push_back({overlay, std::move(lines)});
  }
  return drawn;
}

struct OneAsset {
  BarHistory bars;  // in the window, at the interval
  PriceField field;
  std::vector<report::DrawnOverlay> overlays;
};

// An asset's bars at the prices that the study has of it: without misprints that are to go, in its currency, at the
// level of the field used.
BarHistory clean_bars(const Study& study, const BarHistory& bars, PriceField field) {
  const auto own = std::ranges::find(study.histories, bars.asset, &PriceHistory::asset);
  const auto level = field == PriceField::adjusted_close ? at_adjusted_level(bars) : bars;
  return at_prices_of(level, field, *own);
}

OneAsset one_asset(const Study& study, std::size_t i) {
  const auto& bars = study.bars[i];
  const auto field = field_used(study, bars);
  const auto whole = coarser(study, clean_bars(study, bars, field));
  const Day from = study.prices.days.front(), to = study.prices.days.back();
  return {whole.between(from, to), field, overlays_of(study, whole, field, from, to)};
}

// A column for each line of each overlay, on the days of any asset.
report::Table overlays_table(const Study& study) {
  std::vector<OneAsset> assets;
  std::vector<Day> days;
  for (std::size_t i = 0; i < study.bars.size(); ++i) {
    assets.push_back(one_asset(study, i));
    std::vector<Day> both;
    std::ranges::set_union(days, assets.back().bars.days, std::back_inserter(both));
    days = std::move(both);
  }
  std::vector<report::FigureColumn> columns;
  for (const auto& asset : assets) {
    const auto on_days = [&](const std::vector<double>& values) {
      BarHistory line{asset.bars.asset};
      line.days = asset.bars.days;
      line.of(PriceField::price) = values;
      return line.on_days(days).of(PriceField::price);
    };
    columns.push_back({asset.bars.asset, to_string(asset.field), on_days(asset.bars.of(asset.field))});
    for (const auto& drawn : asset.overlays) {
      const bool fraction =
          drawn.overlay.kind == Overlay::Kind::momentum || drawn.overlay.kind == Overlay::Kind::stochastic;
      for (const auto& line : drawn.lines) {
        columns.push_back({asset.bars.asset, line.name, on_days(line.values),
                           fraction ? report::Format::percent : report::Format::number3});
      }
    }
  }
  auto table = report::figures_table("overlays", study.currency.empty() ? "Overlays" : "Overlays, in " + study.currency,
                                     days, columns, shape_of(study.options));
  table.preview = rows_shown;
  return table;
}

void add_prices_and_charts(Outcome& outcome, const Study& study, const PriceTable& prices) {
  const auto shape = shape_of(study.options);
  const bool has_benchmark = study.benchmark.has_value();
  const auto currency = study.currency;
  const auto for_files = [&](report::Table table) {
    table.preview = 0;
    outcome.tables.push_back(std::move(table));
  };
  for_files(report::prices_table("prices", "Prices", prices, shape));
  if (prices.prices.array().isFinite().rowwise().all().any()) {  // there is a common start
    const auto growth = cumulative_growth(prices), level = rebased(prices);
    for_files(report::prices_table("rebased", "What 100 became", level, shape));
    for_files(report::prices_table("growth", "Cumulative growth", growth, shape, report::Format::percent));
    outcome.charts.emplace_back(
        "rebased", report::prices_chart("What 100 became", {"Price, 100 at the start", report::Scale::number}, level,
                                        has_benchmark));
    outcome.charts.emplace_back(
        "growth", report::prices_chart("Cumulative growth", {"Growth since the start", report::Scale::percent}, growth,
                                       has_benchmark));
  } else {
    for (const char* name : {"rebased", "growth"}) {
      outcome.undrawable.emplace_back(name,
                                      "no day has a price of every asset, so they have no common start. Leave one "
                                      "out with --assets");
    }
  }
  outcome.charts.emplace_back(
      "prices",
      report::prices_chart("Prices", {currency.empty() ? "Price" : "Price, " + currency, report::Scale::number}, prices,
                           has_benchmark));
  if (study.bars.size() - (has_benchmark ? 1 : 0) == 1) {
    const auto asset = one_asset(study, 0);
    outcome.charts.emplace_back("bars", report::bars_chart(asset.bars, asset.field, asset.overlays));
  } else {
    outcome.undrawable.emplace_back("bars", "bars are drawn for one asset. Name it with --assets");
  }
}

void add_notes_on_cleaning(Outcome& outcome, const Study& study) {
  auto& notes = outcome.tables.front().notes;
  auto conversions = report::Json::array();
  for (const auto& c : study.conversions) {
    notes.push_back(fmt::format(
        "{} is converted at the rate of the day, {}; for {} days the rate was carried forward, {} prices had none",
        c.history.asset, c.path, c.carried, c.dropped));
    conversions.push_back(
        {{"asset", c.history.asset}, {"path", c.path}, {"carried", c.carried}, {"dropped", c.dropped}});
  }
  outcome.result["conversions"] = conversions;
  auto adjusted = report::Json::array();
  std::vector<std::string> without;
  for (const auto& a : study.adjusted) {
    if (a.splits.empty() && a.dividends + a.out_of_range == 0) {
      without.push_back(a.history.asset);
    } else {
      notes.push_back(
          fmt::format("{}: {} split(s) and {} dividend(s) are worked into its closes; {} lie outside its days",
                      a.history.asset, a.splits.size(), a.dividends, a.out_of_range));
    }
    adjusted.push_back({{"asset", a.history.asset},
                        {"splits", a.splits.size()},
                        {"dividends", a.dividends},
                        {"out_of_range", a.out_of_range}});
  }
  if (!without.empty()) {
    notes.push_back(fmt::format("No split or dividend is given for {}: their closes are taken as they are",
                                fmt::join(without, ", ")));
  }
  outcome.result["adjusted"] = adjusted;
}

// A field of an asset as the study has it: the one that it looks at as cleaned and adjusted, any in its currency.
std::optional<PriceHistory> figures_of_field(const Study& study, const BarHistory& bars, PriceField field) {
  const auto own = std::ranges::find(study.histories, bars.asset, &PriceHistory::asset);
  if (own->field == field) return *own;
  if (!bars.has(field)) return std::nullopt;
  auto history = bars.history(field);
  history.currency = study.tags.value(bars.asset, "currency").value_or("");
  return field == PriceField::volume ? history : study.in_currency(std::move(history));
}

// What each asset cost on a day. Those that had no price yet are said, and cost no other its price.
void add_prices_on(Outcome& outcome, const Study& study, Day day) {
  std::vector<PriceOnDay> prices;
  std::vector<std::string> without;
  const auto look_up = [&](const PriceHistory& history) {
    try {
      prices.push_back(price_on(history, day));
    } catch (const InputError& none) {
      without.emplace_back(none.what());
    }
  };
  if (study.options.fields.empty()) std::ranges::for_each(study.histories, look_up);
  for (const auto& bars : study.bars) {
    for (const auto& name : study.options.fields) {
      const auto field = field_of(name, "--fields");
      if (const auto history = figures_of_field(study, bars, field)) {
        look_up(*history);
      } else {
        without.push_back(fmt::format("{}: it has no {}", bars.asset, to_string(field)));
      }
    }
  }
  if (prices.empty()) {
    const auto first =
        std::ranges::min(study.histories, {}, [](const PriceHistory& history) { return history.days.front(); });
    throw InputError("--on", fmt::format("no asset has such a figure on {} or before", to_string(day)),
                     fmt::format("The first price is that of {} on {}", first.asset, to_string(first.days.front())));
  }
  if (!without.empty()) outcome.exit_code = done_in_part;
  for (const auto& none : without) outcome.warnings.push_back(none);
  outcome.tables = {report::prices_on_table(prices)};
  outcome.result["prices"] = report::prices_on_json(prices);
  outcome.result["without"] = without;
}

}  // namespace

Outcome inspect(const Options& given) {
  auto options = given;
  auto study = load_study(options, Purpose::looking);
  const auto prices = looked_at(study);
  const auto findings = findings_of(study, study.settings());
  Outcome outcome{
      "inspect", study.inputs(), study.warnings, report::inspect_result(study.aligned, findings, options.spelt), {},
      {}};
  outcome.tables = {report::coverage_table(study.aligned), report::findings_table(findings, options.spelt)};
  if (!study.short_effects.empty()) {
    outcome.tables.push_back(report::short_histories_table(study.short_effects, study.short_histories));
  }
  add_notes_on_cleaning(outcome, study);
  if (!options.on.empty()) {
    add_prices_on(outcome, study, day_from(options.on, "--on"));
  } else {
    if (!options.fields.empty()) outcome.tables.push_back(fields_table(study, prices));
    if (!options.overlays.empty()) outcome.tables.push_back(overlays_table(study));
  }
  add_prices_and_charts(outcome, study, prices);
  if (study.settings().strict) {
    const auto warnings = std::ranges::count(findings, Severity::warning, &Finding::severity);
    if (warnings > 0) {
      outcome.exit_code = bad_input;
      outcome.warnings.push_back(fmt::format("{} finding(s) are warnings, and --strict was asked for", warnings));
    }
  }
  return outcome;
}

void add_inspect(CLI::App& tool, Options& options) {
  auto& command = add_command(
      tool, options, "inspect", "What the prices hold: coverage, findings, a price on a day, charts and overlays",
      "  inchtide inspect --mandate demo/mandate.toml --strict\n"
      "  inchtide inspect --mandate demo/mandate.toml --on 2024-05-05\n"
      "  inchtide inspect --mandate demo/mandate.toml --last 2y --figure rebased.png\n"
      "  inchtide inspect --prices demo/prices --assets KELPFARM --last 6m --overlay sma:20,macd --figure "
      "bars:kelp.png",
      [&options] { deliver(inspect(options), options); });
  add_input_options(command, options);
  add_settings(command, options, {Step::reading, Step::universe});
  add_look_options(command, options);
  add_output_options(command, options);
  add_figure_option(command, options, "rebased, growth, prices, and bars for one asset");
}

}  // namespace inchtide::app

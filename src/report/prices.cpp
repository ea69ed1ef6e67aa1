#include "inchtide/report/prices.hpp"
#include "inchtide/base/text.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <iterator>

#include "begin.hpp"
#include "json.hpp"
#include "lines.hpp"

namespace inchtide::report {
namespace {

constexpr std::size_t rows_shown = 10;  // of tables that are mostly for files

/// One column of figures beside the days, e.g. "KELPFARM volume".
struct FigureColumn {
  std::string asset, name;
  std::vector<double> values;
  Format format = Format::fine;
};

Table coverage_table(const AlignedPrices& prices) {
  Table table{"coverage",
              "What the prices hold",
              {{"Asset"},
               {"From", Format::day},
               {"To", Format::day},
               {"Prices", Format::count},
               {"Holes", Format::count},
               {"Away", Format::count},
               {"Filled", Format::count},
               {"Field"},
               {"Currency"}},
              {},
              {}};
  for (std::size_t i = 0; i < prices.coverage.size(); ++i) {
    const auto& c = prices.coverage[i];
    const auto& asset = prices.table.assets[i];
    table.add({c.asset, c.from, c.to, double(c.rows), double(c.holes.size()), double(c.away), double(c.filled),
               to_string(asset.field), asset.currency.empty() ? "unknown" : asset.currency});
  }
  table.notes.push_back(fmt::format(
      "In the table: {} from {} to {}; {} of {} were dropped because an asset has no price then",
      counted(prices.table.rows(), "day"), to_string(prices.table.days.front()), to_string(prices.table.days.back()),
      with_thousands(double(prices.days_dropped)), counted(prices.days_seen, "day")));
  table.notes.push_back(
      "Within an asset's own span: holes, days on which others of its currency have a price; away, days on which only "
      "others have");
  table.notes.push_back("Filled: prices of the table that were carried forward from an earlier day");
  return table;
}

Table findings_table(const std::vector<Finding>& findings, const SpeltMeans& spelt) {
  Table table{"findings", "Findings", {{"Severity"}, {"Asset"}, {"Day"}, {"Kind"}, {"Detail"}, {"What to do"}}, {}, {}};
  for (auto severity : {Severity::warning, Severity::note}) {
    for (const auto& f : findings) {
      if (f.severity != severity) continue;
      const auto& where = f.notice.where;
      table.add({to_string(f.severity), where.asset, where.day ? to_string(*where.day) : "-", f.kind, f.notice.problem,
                 text_of(f.notice.remedies, spelt)});
    }
  }
  if (findings.empty()) table.notes.push_back("Nothing that stands out");
  return table;
}

Table short_histories_table(const std::vector<ShortHistoryEffect>& effects, ShortHistories chosen) {
  Table table{"short-histories",
              "What to do about short histories",
              {{"Short histories"},
               {"Days", Format::count},
               {"Of them complete", Format::count},
               {"From", Format::day},
               {"To", Format::day},
               {"Left out"},
               {"Chosen"}},
              {},
              {}};
  for (const auto& e : effects) {
    const bool any = e.rows > 0;
    table.add({to_string(e.choice), double(e.rows), double(e.complete_rows), any ? Cell(e.from) : Cell(),
               any ? Cell(e.to) : Cell(), fmt::format("{}", fmt::join(e.left_out, ", ")),
               e.choice == chosen ? "yes" : ""});
  }
  table.notes.push_back("Complete: days on which every asset of the table has a price");
  return table;
}

Table prices_on_table(const std::vector<PriceOnDay>& prices) {
  Table table{"prices-on-day",
              prices.empty() ? "Prices on a day" : fmt::format("Prices on {}", to_string(prices.front().asked)),
              {{"Asset"},
               {"Figure", Format::fine},
               {"Currency"},
               {"Field"},
               {"Taken from", Format::day},
               {"Days before", Format::count}},
              {},
              {}};
  for (const auto& p : prices) {
    table.add({p.asset, p.price, p.field == PriceField::volume ? "" : p.currency, to_string(p.field), p.taken,
               double((p.asked - p.taken).count())});
  }
  return table;
}

Table figures_table(const std::string& name, const std::string& title, const std::vector<Day>& days,
                    const std::vector<FigureColumn>& columns, Shape shape) {
  const auto cell = [](double value) { return std::isfinite(value) ? Cell(value) : Cell(); };
  if (shape == Shape::wide) {
    Table table{name, title, {{"date", Format::day}}, {}, {}};
    for (const auto& column : columns) {
      const auto heading = column.name.empty() ? column.asset : column.asset + " " + column.name;
      table.columns.push_back({heading, column.format});
    }
    for (std::size_t t = 0; t < days.size(); ++t) {
      std::vector<Cell> row{days[t]};
      for (const auto& column : columns) row.push_back(cell(column.values[t]));
      table.add(std::move(row));
    }
    return table;
  }
  // Rows of asset and day, with a column for each name.
  std::vector<std::string> assets, names;
  for (const auto& column : columns) {
    if (std::ranges::find(assets, column.asset) == assets.end()) assets.push_back(column.asset);
    if (std::ranges::find(names, column.name) == names.end()) names.push_back(column.name);
  }
  Table table{name, title, {{"asset"}, {"date", Format::day}}, {}, {}};
  for (const auto& n : names) {
    const auto first = std::ranges::find(columns, n, &FigureColumn::name);
    table.columns.push_back({n.empty() ? "price" : n, first->format});
  }
  for (const auto& asset : assets) {
    for (std::size_t t = 0; t < days.size(); ++t) {
      std::vector<Cell> row{asset, days[t]};
      bool any = false;
      for (const auto& n : names) {
        const auto column =
            std::ranges::find_if(columns, [&](const auto& c) { return c.asset == asset && c.name == n; });
        row.push_back(column == columns.end() ? Cell() : cell(column->values[t]));
        any = any || row.back().index() != 0;
      }
      if (any) table.add(std::move(row));
    }
  }
  return table;
}

Table prices_table(const std::string& name, const std::string& title, const PriceTable& prices, Shape shape,
                   Format format) {
  std::vector<FigureColumn> columns;
  for (std::size_t i = 0; i < prices.assets.size(); ++i) {
    const auto column = prices.prices.col(Eigen::Index(i));
    columns.push_back({prices.assets[i].code, "", {column.begin(), column.end()}, format});
  }
  return figures_table(name, title, prices.days, columns, shape);
}

Table fields_table(const Inspection& inspection, Shape shape) {
  std::vector<FigureColumn> columns;
  for (const auto& [asset, field, values] : inspection.fields) {
    columns.push_back({asset, to_string(field), values, field == PriceField::volume ? Format::count : Format::fine});
  }
  auto table =
      figures_table("fields", "Figures as they came, each in its own currency", inspection.prices.days, columns, shape);
  table.preview = rows_shown;
  const auto& missing = inspection.fields_not_there;
  if (!missing.empty()) table.notes.push_back(fmt::format("Not there: {}", fmt::join(missing, ", ")));
  return table;
}

/// A column for each line of each overlay, on the days of any asset.
Table overlays_table(const std::vector<AssetBars>& assets, const std::string& currency, Shape shape) {
  std::vector<Day> days;
  for (const auto& asset : assets) {
    std::vector<Day> both;
    std::ranges::set_union(days, asset.bars.days, std::back_inserter(both));
    days = std::move(both);
  }
  std::vector<FigureColumn> columns;
  for (const auto& asset : assets) {
    const auto& bars = asset.bars;
    const auto on_days = [&](const std::vector<double>& values) {
      BarHistory line{bars.asset};
      line.days = bars.days;
      line.of(PriceField::price) = values;
      return line.on_days(days).of(PriceField::price);
    };
    columns.push_back({bars.asset, to_string(asset.field), on_days(bars.of(asset.field))});
    for (const auto& [overlay, lines] : asset.overlays) {
      const bool fraction = overlay.kind == Overlay::Kind::momentum || overlay.kind == Overlay::Kind::stochastic;
      for (const auto& line : lines) {
        columns.push_back({bars.asset, line.name, on_days(line.values), fraction ? Format::percent : Format::fine});
      }
    }
  }
  auto table =
      figures_table("overlays", currency.empty() ? "Overlays" : "Overlays, in " + currency, days, columns, shape);
  table.preview = rows_shown;
  return table;
}

double on_axis(Day day) {
  return double(day.time_since_epoch().count());
}

/// A strip an asset: from the first price to the last, interrupted by its holes; the first of each run is marked.
Chart days_chart(const std::vector<AssetCoverage>& coverage) {
  Chart chart{.name = "days",
              .title = "Days with and without prices",
              .subtitle = "holes: days on which others of its currency have a price",
              .y = {"", Scale::day},
              .flat = true};
  chart.key = Chart::Key::below;
  Whiskers priced{.name = "prices", .colour = colour::deep};
  Points holes{.name = "holes", .colour = colour::rust, .marker = Marker::square, .size = 0.7};
  for (std::size_t i = 0; i < coverage.size(); ++i) {
    const auto& c = coverage[i];
    chart.x.categories.push_back(c.asset);
    for (const auto& span : c.priced) {
      priced.x.push_back(double(i));
      priced.low.push_back(on_axis(span.first));
      priced.high.push_back(on_axis(span.last));
      const auto hole = std::ranges::lower_bound(c.holes, span.last);  // the next one
      if (hole == c.holes.end()) continue;
      holes.x.push_back(double(i));
      holes.y.push_back(on_axis(*hole));
    }
  }
  chart.series.emplace_back(std::move(priced));
  if (!holes.x.empty()) chart.series.emplace_back(std::move(holes));
  return chart;
}

/// Bars that rose, or those that fell or stayed: two series, so that they can have two colours.
PriceBars bars_that(bool rose, const BarHistory& bars) {
  PriceBars series{rose ? "close above open" : "close at or below open"};
  series.colour = rose ? colour::kelp : colour::rust;
  series.width = bars.days.size() > 300 ? 1 : 1.8;
  const auto &open = bars.of(PriceField::open), &close = bars.of(PriceField::close);
  for (std::size_t t = 0; t < bars.days.size(); ++t) {
    if ((close[t] > open[t]) != rose || std::isnan(close[t])) continue;
    series.x.push_back(bars.days[t]);
    series.open.push_back(open[t]);
    series.high.push_back(bars.of(PriceField::high)[t]);
    series.low.push_back(bars.of(PriceField::low)[t]);
    series.close.push_back(close[t]);
  }
  return series;
}

bool has_full_bars(const BarHistory& bars) {
  return bars.has(PriceField::open) && bars.has(PriceField::high) && bars.has(PriceField::low) &&
         bars.has(PriceField::close);
}

bool lies_over_prices(const Overlay& overlay) {
  return overlay.kind == Overlay::Kind::sma || overlay.kind == Overlay::Kind::ema ||
         overlay.kind == Overlay::Kind::bands;
}

Axis axis_of(const Overlay& overlay) {
  switch (overlay.kind) {
    case Overlay::Kind::macd: return {"MACD", Scale::number};
    case Overlay::Kind::momentum: return {"Momentum", Scale::percent};
    case Overlay::Kind::stochastic: return {"Stochastic", Scale::percent};
    default: return {"Price", Scale::number};
  }
}

bool has_volume(const BarHistory& bars) {
  return std::ranges::any_of(bars.of(PriceField::volume), [](double volume) { return volume > 0; });
}

Panel volume_panel(const BarHistory& bars) {
  Columns columns{"", {bars.days.begin(), bars.days.end()}};
  columns.width = bars.days.size() > 300 ? 1 : 3;
  for (double volume : bars.of(PriceField::volume)) columns.y.push_back(volume / 1000);
  return {{"Volume, 000s", Scale::number}, {std::move(columns)}};
}

/// Of the palette what the bars leave: an overlay in their green or red would be taken for one of them.
constexpr std::array overlay_colours = {colour::deep, colour::amber, colour::dusk, colour::ink};

/// One line of an overlay; the difference of a MACD stands on the axis.
Series overlay_series(const BarHistory& bars, const LaidOverlay& laid, std::size_t k, std::size_t hue) {
  const auto& of = laid.lines[k];
  const bool edge = laid.overlay.kind == Overlay::Kind::bands && k > 0;
  auto line = line_over(bars.days, of.values, of.name, overlay_colours[hue % overlay_colours.size()],
                        edge ? Dash::dashed : Dash(hue % 4), 1.8);
  if (laid.overlay.kind != Overlay::Kind::macd || k != 2) return line;
  return Columns{line.name, std::get<std::vector<Day>>(line.x), line.y, colour::sand, line.width};
}

/// One asset's bars with their volume below, and overlays: averages and bands over the bars, the others in strips of
/// their own. Without open, high and low a line of the field takes the place of the bars.
Chart bars_chart(const AssetBars& asset) {
  const auto& [bars, field, overlays] = asset;
  Chart chart{.name = "bars"};
  const bool full = has_full_bars(bars);
  chart.title = fmt::format("{}: {}", bars.asset, full ? "open, high, low and close" : to_string(field));
  if (full && field == PriceField::adjusted_close) chart.title += ", adjusted";
  chart.x = {"Day", Scale::day};
  chart.y = {bars.currency.empty() ? "Price" : "Price, " + bars.currency, Scale::number};
  chart.key = Chart::Key::top_left;
  if (full) {
    for (bool rose : {true, false}) {
      auto series = bars_that(rose, bars);
      if (!series.x.empty()) chart.series.emplace_back(std::move(series));
    }
  } else {
    chart.series.emplace_back(line_over(bars.days, bars.of(field), to_string(field), colour::deep, Dash::solid, 2));
  }
  if (has_volume(bars)) chart.below.push_back(volume_panel(bars));
  std::size_t used = 0;
  for (const auto& laid : overlays) {
    const bool over = lies_over_prices(laid.overlay);
    Panel panel{axis_of(laid.overlay), {}};
    for (std::size_t k = 0; k < laid.lines.size(); ++k) {
      (over ? chart.series : panel.series).push_back(overlay_series(bars, laid, k, over ? used : k));
    }
    used += over ? 1 : 0;
    if (!over) chart.below.push_back(std::move(panel));
  }
  return chart;
}

Json inspect_json(const AlignedPrices& prices, const std::vector<Finding>& findings, const SpeltMeans& spelt) {
  auto assets = Json::array();
  for (std::size_t i = 0; i < prices.coverage.size(); ++i) {
    const auto& c = prices.coverage[i];
    const auto& priced = prices.table.assets[i];
    assets.push_back({{"asset", c.asset},
                      {"from", to_string(c.from)},
                      {"to", to_string(c.to)},
                      {"rows", c.rows},
                      {"holes", c.holes.size()},
                      {"away", c.away},
                      {"filled", c.filled},
                      {"currency", priced.currency.empty() ? Json() : Json(priced.currency)},
                      {"field", to_string(priced.field)}});
  }
  auto found = Json::array();
  for (const auto& f : findings) {
    found.push_back({{"severity", to_string(f.severity)},
                     {"asset", f.notice.where.asset},
                     {"day", or_null(f.notice.where.day)},
                     {"kind", f.kind},
                     {"detail", f.notice.problem},
                     {"remedy", text_of(f.notice.remedies, spelt)}});
  }
  return {{"assets", assets},
          {"common_days", prices.table.rows()},
          {"days_dropped", prices.days_dropped},
          {"from", to_string(prices.table.days.front())},
          {"to", to_string(prices.table.days.back())},
          {"findings", found}};
}

Json prices_on_json(const std::vector<PriceOnDay>& prices) {
  auto list = Json::array();
  for (const auto& p : prices) {
    list.push_back({{"asset", p.asset},
                    {"day", to_string(p.taken)},
                    {"price", p.price},
                    {"currency", p.currency},
                    {"field", to_string(p.field)}});
  }
  return list;
}

/// What was converted and what actions were worked into, below the coverage and in the result.
void add_cleaning(Chapter& chapter, const Universe& universe) {
  auto& notes = chapter.tables.front().notes;
  auto conversions = Json::array();
  for (const auto& c : universe.conversions) {
    notes.push_back(fmt::format(
        "{} is converted at the rate of the day, {}; for {} days the rate was carried forward, {} prices had none",
        c.history.asset, c.path, c.carried, c.dropped.size()));
    conversions.push_back(
        {{"asset", c.history.asset}, {"path", c.path}, {"carried", c.carried}, {"dropped", c.dropped.size()}});
  }
  chapter.result["conversions"] = conversions;
  auto adjusted = Json::array();
  std::vector<std::string> without;
  for (const auto& a : universe.adjusted) {
    if (a.splits.empty() && a.dividends + a.out_of_range == 0) {
      without.push_back(a.history.asset);
    } else {
      notes.push_back(fmt::format("{}: worked into its closes: {}, {}; outside its days: {}", a.history.asset,
                                  counted(a.splits.size(), "split"), counted(a.dividends, "dividend"), a.out_of_range));
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
  chapter.result["adjusted"] = adjusted;
}

/// Prices over time, as tables for files and as charts.
void add_prices(Chapter& chapter, const Inspection& inspection, const Universe& universe, Shape shape) {
  const bool has_benchmark = universe.benchmark.has_value();
  const auto before = std::ptrdiff_t(chapter.tables.size());
  const auto add = [&](const std::string& name, const std::string& title, const std::string& unit,
                       const PriceTable& prices, bool percent) {
    chapter.tables.push_back(prices_table(name, title, prices, shape, percent ? Format::percent : Format::fine));
    chapter.tables.back().preview = 0;
    chapter.charts.push_back(
        lines_chart(name, title, {unit, percent ? Scale::percent : Scale::number}, prices, has_benchmark));
  };
  if (inspection.rebased) {
    add("rebased", "What 100 became", "Price, 100 at the start", *inspection.rebased, false);
    add("growth", "Cumulative growth", "Growth since the start", *inspection.growth, true);
  } else {
    for (const char* name : {"rebased", "growth"}) {
      chapter.no_charts.push_back({name,
                                   {{},
                                    "no day has a price of every asset, so they have no common start",
                                    {{Means::assets, "Leave one out"}}}});
    }
  }
  add("prices", "Prices", universe.currency.empty() ? "Price" : "Price, " + universe.currency, inspection.prices,
      false);
  chapter.charts.push_back(days_chart(universe.aligned.coverage));
  std::rotate(chapter.tables.begin() + before, chapter.tables.end() - 1, chapter.tables.end());  // the prices first
  if (universe.bars.size() - (has_benchmark ? 1 : 0) == 1) {
    chapter.charts.push_back(bars_chart(inspection.bars.front()));
  } else {
    chapter.no_charts.push_back({"bars", {{}, "bars are drawn for one asset", {{Means::assets, "Name it"}}}});
  }
}

/// Prices on a day take the place of the other tables.
void add_prices_on(Chapter& chapter, const PricesOn& on) {
  chapter.in_part = chapter.in_part || !on.without.empty();
  for (const auto& none : on.without) chapter.warnings.emplace_back(none);
  chapter.tables = {prices_on_table(on.prices)};
  chapter.result["prices"] = prices_on_json(on.prices);
  chapter.result["without"] = on.without;
}

}  // namespace

Chapter inspect_chapter(const Inspection& inspection, const Universe& universe, const Settings& settings,
                        const Background& from, Shape shape) {
  auto chapter = begin_chapter("inspect", universe, settings, from, inspection.warnings);
  chapter.result = inspect_json(universe.aligned, inspection.findings, from.spelt);
  chapter.tables = {coverage_table(universe.aligned), findings_table(inspection.findings, from.spelt)};
  const auto &all = universe.aligned.table.days, &window = universe.prices.days;
  if (!window.empty() && (window.front() != all.front() || window.back() != all.back())) {
    chapter.tables.front().notes.emplace_back(fmt::format("This is all that there is; what follows is of {} to {}",
                                                          to_string(window.front()), to_string(window.back())));
  }
  if (!universe.short_effects.empty()) {
    chapter.tables.push_back(short_histories_table(universe.short_effects, universe.short_histories));
  }
  add_cleaning(chapter, universe);
  if (inspection.on) {
    add_prices_on(chapter, *inspection.on);
  } else {
    if (!inspection.fields.empty()) chapter.tables.push_back(fields_table(inspection, shape));
    const bool overlays = !inspection.bars.empty() && !inspection.bars.front().overlays.empty();
    if (overlays) chapter.tables.push_back(overlays_table(inspection.bars, universe.currency, shape));
  }
  add_prices(chapter, inspection, universe, shape);
  const auto warnings = std::ranges::count(inspection.findings, Severity::warning, &Finding::severity);
  chapter.sentence =
      fmt::format("{} assets over {} common days from {} to {}; {} findings, {} of them warnings",
                  universe.assets.size(), universe.prices.rows(), to_string(universe.prices.days.front()),
                  to_string(universe.prices.days.back()), inspection.findings.size(), warnings);
  return chapter;
}

}  // namespace inchtide::report

#include "inchtide/report/price_views.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <array>
#include <cmath>

namespace inchtide::report {
namespace {

constexpr std::array colours = {colour::deep, colour::rust, colour::kelp, colour::dusk, colour::amber, colour::sand};

double seconds_of(Day day) {
  return double(day.time_since_epoch().count()) * 86400;
}

Cell day_or_none(const std::optional<Day>& day) {
  return day ? Cell(*day) : Cell();
}

/// A line over days, less its first rows without a figure.
Series line_over(const std::vector<Day>& days, const std::vector<double>& values, std::string name, const char* hue,
                 Dash dash, double width) {
  Series series{Series::Kind::line, std::move(name)};
  series.colour = hue;
  series.dash = dash;
  series.width = width;
  for (std::size_t t = 0; t < days.size(); ++t) {
    if (series.x.empty() && !std::isfinite(values[t])) continue;
    series.x.push_back(seconds_of(days[t]));
    series.y.push_back(values[t]);
  }
  return series;
}

/// Bars that rose, or those that fell or stayed: two series, so that they can have two colours.
Series bars_that(bool rose, const BarHistory& bars) {
  Series series{Series::Kind::bars, rose ? "close above open" : "close at or below open"};
  series.colour = rose ? colour::kelp : colour::rust;
  series.width = bars.days.size() > 300 ? 1 : 1.8;
  const auto &open = bars.of(PriceField::open), &close = bars.of(PriceField::close);
  for (std::size_t t = 0; t < bars.days.size(); ++t) {
    if ((close[t] > open[t]) != rose || std::isnan(close[t])) continue;
    series.x.push_back(seconds_of(bars.days[t]));
    series.y.push_back(close[t]);
    series.open.push_back(open[t]);
    series.high.push_back(bars.of(PriceField::high)[t]);
    series.low.push_back(bars.of(PriceField::low)[t]);
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
  Panel panel{{"Volume, 000s", Scale::number}, {}};
  Series columns{Series::Kind::columns, ""};
  columns.colour = colour::sand;
  columns.width = bars.days.size() > 300 ? 1 : 3;
  for (std::size_t t = 0; t < bars.days.size(); ++t) {
    columns.x.push_back(seconds_of(bars.days[t]));
    columns.y.push_back(bars.of(PriceField::volume)[t] / 1000);
  }
  panel.series.push_back(std::move(columns));
  return panel;
}

}  // namespace

Table gathered_table(const exchange::GatherReport& report) {
  Table table{"gathered",
              "What was gathered",
              {{"Asset"},
               {"From", Format::day},
               {"To", Format::day},
               {"New", Format::count},
               {"Changed", Format::count},
               {"Unchanged", Format::count},
               {"Remarks"}},
              {},
              {}};
  std::size_t failed = 0;
  for (const auto& a : report.assets) {
    failed += a.error ? 1 : 0;
    const bool had = !a.error;
    const auto count = [&](std::size_t rows) { return had ? Cell(double(rows)) : Cell(); };
    table.add({a.asset, day_or_none(a.from), day_or_none(a.to), count(a.rows_new), count(a.changed), count(a.unchanged),
               had ? a.note : "failed, see below"});
  }
  table.notes.push_back(fmt::format("{} of {} assets gathered; from and to are those of the store",
                                    report.assets.size() - failed, report.assets.size()));
  if (report.interrupted)
    table.notes.push_back("Stopped on request; what is listed is complete, the rest wasn't reached");
  return table;
}

Table failures_table(const exchange::GatherReport& report, const SpeltMeans& spelt) {
  Table table{"failures", "What failed", {{"Asset"}, {"Why, and what to do"}}, {}, {}};
  for (const auto& a : report.assets) {
    if (a.error) table.add({a.asset, a.error->text(spelt)});
  }
  return table;
}

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
    table.add({c.asset, c.from, c.to, double(c.rows), double(c.holes), double(c.away), double(c.filled),
               to_string(asset.field), asset.currency.empty() ? "unknown" : asset.currency});
  }
  table.notes.push_back(fmt::format(
      "{} days from {} to {} are in the table; {} of {} days were dropped because an asset has no price then",
      prices.table.rows(), to_string(prices.table.days.front()), to_string(prices.table.days.back()),
      prices.days_dropped, prices.days_seen));
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
               {"Figure", Format::number3},
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

Chart prices_chart(const std::string& title, const Axis& y, const PriceTable& prices, bool has_benchmark) {
  Chart chart;
  chart.title = title;
  chart.x = {"Day", Scale::day};
  chart.y = y;
  chart.key = Chart::Key::below;
  for (std::size_t i = 0; i < prices.assets.size(); ++i) {
    const bool last = has_benchmark && i + 1 == prices.assets.size();
    const auto column = prices.prices.col(Eigen::Index(i));
    chart.series.push_back(line_over(prices.days, {column.begin(), column.end()}, prices.assets[i].code,
                                     last ? colour::ink : colours[i % colours.size()],
                                     last ? Dash::solid : Dash(i / colours.size() % 4), last ? 3.5 : 1.6));
  }
  return chart;
}

Chart bars_chart(const BarHistory& bars, PriceField field, const std::vector<DrawnOverlay>& overlays) {
  Chart chart;
  const bool full = has_full_bars(bars);
  chart.title = fmt::format("{}: {}", bars.asset, full ? "open, high, low and close" : to_string(field));
  if (full && field == PriceField::adjusted_close) chart.title += ", adjusted";
  chart.x = {"Day", Scale::day};
  chart.y = {bars.currency.empty() ? "Price" : "Price, " + bars.currency, Scale::number};
  chart.key = Chart::Key::top_left;
  if (full) {
    for (bool rose : {true, false}) {
      auto series = bars_that(rose, bars);
      if (!series.x.empty()) chart.series.push_back(std::move(series));
    }
  } else {
    chart.series.push_back(line_over(bars.days, bars.of(field), to_string(field), colour::deep, Dash::solid, 2));
  }
  if (has_volume(bars)) chart.below.push_back(volume_panel(bars));
  std::size_t used = 0;
  for (const auto& [overlay, lines] : overlays) {
    const bool over = lies_over_prices(overlay);
    Panel panel{axis_of(overlay), {}};
    const bool band = overlay.kind == Overlay::Kind::bands;
    for (std::size_t k = 0; k < lines.size(); ++k) {
      constexpr std::array hues = {colour::deep, colour::amber, colour::dusk, colour::ink};
      const auto* hue = over ? hues[used % hues.size()] : hues[k % hues.size()];
      auto series = line_over(bars.days, lines[k].values, lines[k].name, hue,
                              band && k > 0 ? Dash::dashed : Dash(over ? used % 4 : k % 4), 1.8);
      if (overlay.kind == Overlay::Kind::macd && k == 2) {
        series.kind = Series::Kind::columns;
        series.colour = colour::sand;
      }
      (over ? chart.series : panel.series).push_back(std::move(series));
    }
    used += over ? 1 : 0;
    if (!over) chart.below.push_back(std::move(panel));
  }
  return chart;
}

}  // namespace inchtide::report

#include "inchtide/report/rehearsal.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "begin.hpp"
#include "cost_levels.hpp"
#include "futures.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/base/text.hpp"
#include "inchtide/report/grid.hpp"
#include "json.hpp"
#include "luck.hpp"
#include "rehearsal_charts.hpp"
#include "rehearsal_files.hpp"
#include "weight_tables.hpp"

namespace inchtide::report {
namespace {

Table runs_table(const std::vector<Rehearsal>& runs, const std::string& currency) {
  Table table{"runs",
              "Rehearsed with trading costs",
              {{"Portfolio"},
               {"Schedule"},
               {"Growth per year", Format::percent},
               {"Volatility", Format::percent},
               {"Sharpe", Format::number2},
               {"give or take", Format::number2},
               {"Max drawdown", Format::percent},
               {"Off its targets", Format::percent},
               {"Turnover per year", Format::percent},
               {"Cost per year", Format::percent},
               {"Orders", Format::count},
               {"Trading days", Format::count},
               {"End wealth", Format::money, currency}},
              {},
              {}};
  for (const auto& run : runs) {
    table.add({run.aim, run.schedule, run.growth_per_year, run.volatility, sharpe_cell(run.sharpe, run.volatility),
               sharpe_cell(run.sharpe_error, run.volatility), run.max_drawdown, run.tracking_to_targets,
               run.turnover_after_first, run.cost_per_year, double(run.order_count), double(run.trades.size()),
               run.net[run.net.size() - 1]});
  }
  if (!runs.empty()) {
    table.notes.emplace_back(
        fmt::format("From {} to {}; growth is after costs, compounded; cost per year is what growth would "
                    "have been higher without them",
                    to_string(runs.front().days.front()), to_string(runs.front().days.back())));
    table.notes.emplace_back(
        "Turnover is half the sum of absolute weight changes, the first purchase aside; off its targets is the "
        "tracking "
        "error to the same weights held every day for nothing");
    table.notes.emplace_back("A Sharpe ratio is known give or take one standard error (independent returns)");
  }
  return table;
}

std::string span_text(const SpanOfRun& span) {
  return span.month == 0 ? std::to_string(span.year) : fmt::format("{}-{:02}", span.year, span.month);
}

/// What a run was like to hold.
Table stretches_table(const std::vector<Rehearsal>& runs) {
  Table table{"stretches",
              "Good and bad times, after costs",
              {{"Portfolio"},
               {"Schedule"},
               {"Best year", Format::percent},
               {"Worst year", Format::percent},
               {"in"},
               {"Best month", Format::percent},
               {"Worst month", Format::percent},
               {"in"},
               {"Days under water", Format::count},
               {"until"},
               {"Sortino", Format::number2},
               {"Sharpe give or take", Format::number2},
               {"Money-weighted", Format::percent}},
              {},
              {}};
  std::string none;
  for (const auto& run : runs) {
    const auto& water = run.under_water;
    const std::string until = water.days == 0 ? "" : water.recovered ? to_string(water.to) : "not yet";
    table.add({run.aim, run.schedule, run.best_year.growth, run.worst_year.growth, span_text(run.worst_year),
               run.best_month.growth, run.worst_month.growth, span_text(run.worst_month), double(water.days), until,
               sharpe_cell(run.sortino, run.volatility), sharpe_cell(run.sharpe_error_correlated, run.volatility),
               run.money_weighted.rate ? Cell(*run.money_weighted.rate) : Cell()});
    if (!run.money_weighted.rate) none = run.money_weighted.why;
  }
  table.notes.emplace_back(
      "Years and months as far as the runs have them; under water is the longest time from a highest close to the one "
      "on which it was reached again, in calendar days");
  table.notes.emplace_back(
      "Sortino is measured against the risk-free rate; this standard error of the Sharpe ratio allows for returns that "
      "hang together, are skewed or have fat tails");
  if (!none.empty()) table.notes.emplace_back("No money-weighted return: " + none);
  return table;
}

/// What estimates promised beside what came, a row a run.
Table promised_table(const Runs& runs) {
  Table table{"promised",
              "Promised and delivered",
              {{"Portfolio and schedule"},
               {"Estimates", Format::count},
               {"Return promised", Format::percent},
               {"delivered", Format::percent},
               {"Volatility promised", Format::percent},
               {"delivered", Format::percent},
               {"Sharpe promised", Format::number2},
               {"delivered", Format::number2},
               {"Volatility, times as promised", Format::number2}},
              {},
              {}};
  for (const auto& kept : runs.kept) {
    Promise mean;
    for (const auto& promise : runs.promised) {
      if (promise.run != kept.run) continue;
      const double share = 1 / double(kept.estimates);
      mean.expected_return += share * promise.expected_return;
      mean.delivered_return += share * promise.delivered_return;
      mean.volatility += share * promise.volatility;
      mean.delivered_volatility += share * promise.delivered_volatility;
      mean.sharpe += share * promise.sharpe;
      mean.delivered_sharpe += share * promise.delivered_sharpe;
    }
    table.add({kept.run, double(kept.estimates), mean.expected_return, mean.delivered_return, mean.volatility,
               mean.delivered_volatility, mean.sharpe, mean.delivered_sharpe, kept.volatility_ratio});
  }
  table.notes.emplace_back("Returns are arithmetic means per year, after costs; of several estimates their averages");
  for (const auto& kept : runs.kept) {
    if (kept.estimates < 2) continue;
    table.notes.emplace_back(fmt::format("{}: delivered less promised is {} a year, give or take {}", kept.run,
                                         percent_text(kept.mean_difference), percent_text(kept.difference_error)));
  }
  return table;
}

Table years_table(const std::vector<Rehearsal>& runs, int delay) {
  Table table{"years", "Growth by calendar year, after costs", {{"Portfolio"}, {"Schedule"}}, {}, {}};
  for (const auto& year : years_of(runs.front(), delay)) {
    table.columns.push_back({std::to_string(year.year), Format::percent});
  }
  for (const auto& run : runs) {
    std::vector<Cell> row{run.aim, run.schedule};
    for (const auto& year : years_of(run, delay)) row.emplace_back(year.growth);
    table.add(std::move(row));
  }
  table.notes.emplace_back(fmt::format("The first year from {}, the last to {}",
                                       to_string(runs.front().days[std::size_t(delay)]),
                                       to_string(runs.front().days.back())));
  return table;
}

Table costs_table(const std::vector<Rehearsal>& runs, const std::string& currency) {
  const std::pair<const char*, double OrderCost::*> parts[] = {{"Commission", &OrderCost::commission},
                                                               {"Fees", &OrderCost::fee},
                                                               {"Half-spread", &OrderCost::half_spread},
                                                               {"Stamp duty", &OrderCost::stamp_duty},
                                                               {"Conversion", &OrderCost::conversion},
                                                               {"Impact", &OrderCost::impact},
                                                               {"Other", &OrderCost::other}};
  Table table{"costs", "What it cost, by part", {{"Portfolio"}, {"Schedule"}}, {}, {}};
  const auto any = [&](double OrderCost::*part) {
    return std::ranges::any_of(runs, [&](const Rehearsal& run) { return run.costs.*part != 0; });
  };
  const bool custody = std::ranges::any_of(runs, [](const Rehearsal& run) { return run.running.custody != 0; });
  const bool borrowing = std::ranges::any_of(runs, [](const Rehearsal& run) { return run.running.borrowing != 0; });
  for (const auto& [name, part] : parts) {
    if (any(part)) table.columns.push_back({name, Format::money, currency});
  }
  if (custody) table.columns.push_back({"Custody", Format::money, currency});
  if (borrowing) table.columns.push_back({"Borrowing shares", Format::money, currency});
  table.columns.push_back({"All", Format::money, currency});
  table.columns.push_back({"All per year", Format::percent});
  table.columns.push_back({"Waiting per year", Format::percent});
  for (const auto& run : runs) {
    std::vector<Cell> row{run.aim, run.schedule};
    for (const auto& [name, part] : parts) {
      if (any(part)) row.emplace_back(run.costs.*part);
    }
    if (custody) row.emplace_back(run.running.custody);
    if (borrowing) row.emplace_back(run.running.borrowing);
    row.emplace_back(run.costs_paid + run.running.custody + run.running.borrowing);
    row.emplace_back(run.cost_shares.trading.total() + run.cost_shares.charges);
    row.emplace_back(run.shortfall.delay);
    table.add(std::move(row));
  }
  table.notes.emplace_back(
      "All per year is of log growth; waiting is what prices did against the orders between the close of the decision "
      "and that of the trade, below 0 where it paid");
  return table;
}

Table against_table(const Runs& runs, const std::string& benchmark) {
  Table table{"against",
              "Beside " + benchmark,
              {{"Portfolio"},
               {"Schedule"},
               {"Tracking error", Format::percent},
               {"Information ratio", Format::number2},
               {"Beta", Format::number2},
               {"Up capture", Format::percent},
               {"Down capture", Format::percent}},
              {},
              {}};
  for (std::size_t k = 0; k + 1 < runs.all.size() && k < runs.against.size(); ++k) {
    const auto& one = runs.against[k];
    table.add({runs.all[k].aim, runs.all[k].schedule, one.tracking_error, one.information_ratio, one.beta,
               one.up_capture, one.down_capture});
  }
  table.notes.emplace_back("By returns from day to day after costs; the benchmark trades for nothing");
  return table;
}

/// What the rules would do now.
std::optional<Table> pending_table(const std::vector<Rehearsal>& runs, const std::string& currency) {
  Table table{"pending",
              "Decided and not traded yet, when the prices end",
              {{"Run"},
               {"Decided", Format::day},
               {"Orders", Format::count},
               {"Value", Format::money, currency},
               {"Cost", Format::money, currency}},
              {},
              {}};
  for (const auto& run : runs) {
    if (!run.pending) continue;
    double value = 0;
    for (const auto& order : run.pending->trade.orders) value += std::abs(order.value);
    table.add({run.name, run.pending->decided, double(run.pending->trade.orders.size()), value,
               run.pending->trade.cost.total()});
  }
  if (table.rows.empty()) return std::nullopt;
  table.notes.emplace_back("At the last prices; the orders themselves are in the JSON");
  return table;
}

/// Part by part, those that are 0 left out.
Json costs_json(const OrderCost& cost) {
  auto parts = Json::object();
  const auto add = [&](const char* name, double money) {
    if (money != 0) parts[name] = money;
  };
  add("fee", cost.fee);
  add("commission", cost.commission);
  add("half_spread", cost.half_spread);
  add("stamp_duty", cost.stamp_duty);
  add("conversion", cost.conversion);
  add("impact", cost.impact);
  add("other", cost.other);
  return parts;
}

Json trade_json(const Trade& trade, const std::vector<std::string>& assets) {
  auto orders = Json::array();
  for (const auto& order : trade.orders) {
    orders.push_back({{"asset", assets[std::size_t(order.asset)]},
                      {"units", order.units},
                      {"price", order.price},
                      {"value", order.value},
                      {"costs", costs_json(order.cost)}});
  }
  constexpr const char* reasons[] = {"schedule", "withdrawal", "end"};  // as they are declared
  return {{"decided", to_string(trade.decided)},
          {"traded", to_string(trade.traded)},
          {"reason", reasons[std::size_t(trade.reason)]},
          {"wealth_before", trade.wealth_before},
          {"wealth_after", trade.wealth_after},
          {"cost", trade.cost.total()},
          {"turnover", trade.turnover},
          {"delay", trade.delay},
          {"orders", orders}};
}

Json log_json(const Rehearsal& run) {
  auto log = Json::array();
  for (const auto& event : run.log) {
    Json entry{{"day", to_string(event.day)}, {"event", name_of(event.kind)}};
    if (!event.asset.empty()) entry["asset"] = event.asset;
    if (event.figure != 0) entry["figure"] = event.figure;
    if (!event.words.empty()) entry["words"] = event.words;
    log.push_back(std::move(entry));
  }
  return log;
}

Json span_json(const SpanOfRun& span) {
  return {{"in", span_text(span)}, {"growth", span.growth}};
}

Json shares_json(const CostShares& shares) {
  auto json = costs_json(shares.trading);
  if (shares.charges != 0) json["charges"] = shares.charges;
  return json;
}

Json under_water_json(const UnderWater& water) {
  if (water.days == 0) return {{"days", 0}};
  return {{"days", water.days},
          {"from", to_string(water.from)},
          {"to", to_string(water.to)},
          {"recovered", water.recovered}};
}

Json years_json(const Rehearsal& run, int delay) {
  auto years = Json::array();
  for (const auto& year : years_of(run, delay)) {
    years.push_back({{"year", year.year}, {"growth", year.growth}, {"cost", year.cost}});
  }
  return years;
}

Json run_json(const Rehearsal& run, int delay, bool series) {
  auto trades = Json::array();
  for (const auto& trade : run.trades) trades.push_back(trade_json(trade, run.assets));
  Json json{{"name", run.name},
            {"schedule", run.schedule},
            {"aim", run.aim},
            {"growth", run.growth},
            {"growth_per_year", run.growth_per_year},
            {"mean_per_year", run.mean_per_year},
            {"rows_per_year", run.rows_per_year},
            {"volatility", run.volatility},
            {"sharpe", run.volatility > 0 ? Json(run.sharpe) : Json()},
            {"sharpe_error", run.volatility > 0 ? Json(run.sharpe_error) : Json()},
            {"sharpe_error_correlated", run.volatility > 0 ? Json(run.sharpe_error_correlated) : Json()},
            {"sortino", run.volatility > 0 ? Json(run.sortino) : Json()},
            {"money_weighted", run.money_weighted.rate ? Json(*run.money_weighted.rate) : Json()},
            {"under_water", under_water_json(run.under_water)},
            {"best_month", span_json(run.best_month)},
            {"worst_month", span_json(run.worst_month)},
            {"best_year", span_json(run.best_year)},
            {"worst_year", span_json(run.worst_year)},
            {"shortfall", {{"delay", run.shortfall.delay}, {"costs", run.shortfall.costs}}},
            {"cost_shares", shares_json(run.cost_shares)},
            {"max_drawdown", run.max_drawdown},
            {"max_drawdown_from", to_string(run.max_drawdown_from)},
            {"max_drawdown_to", to_string(run.max_drawdown_to)},
            {"tracking_to_targets", run.tracking_to_targets},
            {"turnover_per_year", run.turnover_per_year},
            {"turnover_after_first", run.turnover_after_first},
            {"cost_per_year", run.cost_per_year},
            {"costs", costs_json(run.costs)},
            {"costs_paid", run.costs_paid},
            {"custody", run.running.custody},
            {"borrowing", run.running.borrowing},
            {"interest", run.running.interest},
            {"flows", run.running.flows},
            {"order_count", run.order_count},
            {"trading_days", run.trades.size()},
            {"years", years_json(run, delay)},
            {"marked", run.marked},
            {"log", log_json(run)},
            {"trades", trades}};
  if (series) {
    json["net"] = list_of(run.net);
    json["gross"] = list_of(run.gross);
  }
  return json;
}

/// Above it the JSON has no series.
constexpr std::size_t most_series = 100;

Json pending_json(const std::vector<Rehearsal>& runs) {
  auto list = Json::array();
  for (const auto& run : runs) {
    if (!run.pending) continue;
    auto trade = trade_json(run.pending->trade, run.assets);
    list.push_back({{"run", run.name}, {"decided", to_string(run.pending->decided)}, {"orders", trade["orders"]}});
  }
  return list;
}

Json promised_json(const Runs& runs) {
  auto list = Json::array();
  for (const auto& one : runs.promised) {
    list.push_back({{"run", one.run},
                    {"from", to_string(one.from)},
                    {"to", to_string(one.to)},
                    {"expected_return", one.expected_return},
                    {"volatility", one.volatility},
                    {"sharpe", one.sharpe},
                    {"delivered_return", one.delivered_return},
                    {"delivered_volatility", one.delivered_volatility},
                    {"delivered_sharpe", one.delivered_sharpe}});
  }
  return list;
}

Json rehearse_json(const Runs& runs, int delay) {
  auto list = Json::array();
  for (std::size_t k = 0; k < runs.all.size(); ++k) {
    auto one = run_json(runs.all[k], delay, runs.all.size() <= most_series);
    if (k < runs.against.size()) {
      const auto& beside = runs.against[k];
      one["against"] = {{"tracking_error", beside.tracking_error},
                        {"information_ratio", beside.information_ratio},
                        {"beta", beside.beta},
                        {"up_capture", beside.up_capture},
                        {"down_capture", beside.down_capture}};
    }
    list.push_back(std::move(one));
  }
  auto failed = Json::array();
  for (const auto& one : runs.failed) failed.push_back({{"name", one.name}, {"error", one.why.text()}});
  return {{"days", runs.all.empty() ? Json::array() : days_json(runs.all.front().days)},
          {"runs", list},
          {"failed", failed},
          {"promised", promised_json(runs)},
          {"pending", pending_json(runs.all)}};
}

}  // namespace

std::string in_a_line(const Rehearsal& run) {
  return fmt::format("{}: {} a year after costs of {} a year, deepest fall {}, {} orders", run.name,
                     percent_text(run.growth_per_year), percent_text(run.cost_per_year), percent_text(run.max_drawdown),
                     run.order_count);
}

std::string in_full(const Rehearsal& run) {
  return to_text(runs_table({run}, ""));
}

Chapter rehearse_chapter(const Runs& runs, const Basis& basis, const Universe& universe, const Portfolios& portfolios,
                         const Settings& settings, const Background& from, const RehearsalAnswers& answers) {
  const auto& [luck, levels, futures] = answers;
  if (runs.all.empty()) throw InputError("rehearsal", "there is no run to show", "Give those of a study");
  auto chapter = begin_chapter("rehearse", basis, &universe, settings, from, runs.warnings);
  chapter.sentence = in_a_line(runs.all.front());
  chapter.in_part = chapter.in_part || !portfolios.unanswered.empty() || !runs.failed.empty();
  chapter.result = rehearse_json(runs, settings.delay);
  if (luck) chapter.result["luck"] = luck_json(*luck, runs.all);
  if (levels) chapter.result["cost_levels"] = cost_levels_json(*levels);
  if (futures) {
    chapter.result["futures"] = futures_json(*futures, settings);
    for (const auto& one : futures->failed) chapter.warnings.push_back(one.why.led_by(one.name + " has no futures"));
    chapter.in_part = chapter.in_part || !futures->failed.empty();
  }
  const auto& currency = universe.currency;
  auto compared = runs_table(runs.all, currency);
  auto& notes = compared.notes;
  notes.emplace_back(fmt::format("Weights estimated before {}; decided at a close, traded {} later; {}",
                                 to_string(split_of(settings)), counted(std::size_t(settings.delay), "trading day"),
                                 settings.cash_rate == 0
                                     ? "cash earns nothing"
                                     : fmt::format("cash earns {} a year", percent_text(settings.cash_rate))));
  notes.emplace_back(
      fmt::format("Figures per year from {:.4g} rows a year, as counted", runs.all.front().rows_per_year));
  if (!runs.kept.empty()) chapter.tables.push_back(promised_table(runs));
  chapter.tables.push_back(std::move(compared));
  if (luck) chapter.tables.push_back(luck_table(*luck, runs.all));
  if (luck && !luck->timing.empty()) chapter.tables.push_back(timing_table(luck->timing));
  if (levels) chapter.tables.push_back(cost_levels_table(*levels));
  if (futures) chapter.tables.push_back(futures_table(*futures, settings, currency));
  if (runs.against.size() > 1) chapter.tables.push_back(against_table(runs, *universe.benchmark));
  chapter.tables.push_back(years_table(runs.all, settings.delay));
  chapter.tables.push_back(stretches_table(runs.all));
  if (!settings.costs.empty()) chapter.tables.push_back(costs_table(runs.all, currency));
  if (auto pending = pending_table(runs.all, currency)) chapter.tables.push_back(std::move(*pending));
  chapter.tables.push_back(trades_table(runs.all, currency));
  chapter.tables.push_back(log_table(runs.all));
  if (settings.show_log) chapter.tables.back().preview.reset();
  chapter.tables.push_back(wealth_table(runs.all, currency));
  chapter.tables.push_back(weights_table(runs.all));
  chapter.tables.push_back(holdings_table(runs.all));
  chapter.charts = rehearsal_charts(runs.all, settings.delay, !runs.against.empty());
  if (levels) chapter.charts.push_back(cost_levels_chart(*levels));
  if (futures) chapter.charts.push_back(futures_chart(*futures, runs.all, currency));
  return chapter;
}

Chapter run_chapter(const Rehearsal& run, const GridRun& kept, const std::string& currency) {
  const std::vector<Rehearsal> runs{run};
  Chapter chapter{.command = "runs", .sentence = in_a_line(run)};
  chapter.inputs = {{"key", kept.key}, {"name", kept.name}};
  auto one = run_json(run, kept.cell.delay, true);
  one["key"] = kept.key;
  chapter.result = {{"days", days_json(run.days)}, {"runs", Json::array({one})}};
  chapter.tables = {runs_table(runs, currency),   years_table(runs, kept.cell.delay),
                    stretches_table(runs),        costs_table(runs, currency),
                    trades_table(runs, currency), log_table(runs),
                    wealth_table(runs, currency), weights_table(runs),
                    holdings_table(runs)};
  chapter.tables.front().notes.emplace_back("Run again: " + kept.name);
  chapter.charts = rehearsal_charts(runs, kept.cell.delay, false);
  return chapter;
}

}  // namespace inchtide::report

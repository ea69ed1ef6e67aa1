#include "inchtide/report/rehearsal.hpp"

#include <fmt/format.h>

#include "begin.hpp"
#include "inchtide/base/percent.hpp"
#include "json.hpp"
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
               {"Sharpe", Format::number3},
               {"Max drawdown", Format::percent},
               {"Turnover per year", Format::percent},
               {"Cost per year", Format::percent},
               {"Costs paid", Format::money, currency},
               {"Orders", Format::count},
               {"End wealth", Format::money, currency}},
              {},
              {}};
  for (const auto& run : runs) {
    table.add({run.aim, run.schedule, run.growth_per_year, run.volatility, sharpe_cell(run.sharpe, run.volatility),
               run.max_drawdown, run.turnover_per_year, run.cost_per_year, run.costs_paid, double(run.order_count),
               run.net[run.net.size() - 1]});
  }
  if (!runs.empty()) {
    table.notes.push_back(
        fmt::format("From {} to {}; growth is after costs, compounded; cost per year is what growth would "
                    "have been higher without them",
                    to_string(runs.front().days.front()), to_string(runs.front().days.back())));
    table.notes.push_back("Turnover is half the sum of absolute weight changes, the first purchase included");
  }
  return table;
}

/// At most this many lines can be told apart; beyond it each aim shows its first and last schedule only.
constexpr std::size_t most_lines = 8;

std::vector<const Rehearsal*> runs_to_draw(const std::vector<Rehearsal>& runs) {
  std::vector<const Rehearsal*> drawn;
  for (std::size_t k = 0; k < runs.size(); ++k) {
    const bool first = k == 0 || runs[k - 1].aim != runs[k].aim;
    const bool last = k + 1 == runs.size() || runs[k + 1].aim != runs[k].aim;
    if (runs.size() <= most_lines || first || last) drawn.push_back(&runs[k]);
  }
  return drawn;
}

/// The net wealth of each run over time, 100 at the start.
Chart wealth_chart(const std::vector<Rehearsal>& runs) {
  const auto drawn = runs_to_draw(runs);
  Chart chart{.name = "wealth", .title = "Rehearsed wealth after costs"};
  if (drawn.size() < runs.size()) chart.subtitle = "the first and the last schedule of each portfolio";
  chart.x = {"Day", Scale::day};
  chart.y = {"Wealth, 100 at the start", Scale::number};
  chart.key = Chart::Key::below;
  std::vector<std::string> aims;
  for (const auto* run : drawn) {
    const bool known = !aims.empty() && aims.back() == run->aim;
    if (!known) aims.push_back(run->aim);
    Line line{fmt::format("{}, {}", run->aim, run->schedule), run->days, {}, colour::of_series(aims.size() - 1)};
    line.dash = known ? Dash::dashed : Dash::solid;
    line.width = 2;
    for (double wealth : run->net) line.y.push_back(100 * wealth / run->net[0]);
    chart.series.emplace_back(std::move(line));
  }
  return chart;
}

Json trade_json(const Trade& trade) {
  auto orders = Json::array();
  for (const auto& order : trade.orders) {
    orders.push_back({{"asset", order.asset},
                      {"units", order.units},
                      {"price", order.price},
                      {"value", order.value},
                      {"costs", {{"proportional", order.cost}}}});
  }
  return {{"decided", to_string(trade.decided)},
          {"traded", to_string(trade.traded)},
          {"wealth_before", trade.wealth_before},
          {"wealth_after", trade.wealth_after},
          {"cost", trade.cost},
          {"turnover", trade.turnover},
          {"orders", orders}};
}

Json run_json(const Rehearsal& run) {
  auto trades = Json::array();
  for (const auto& trade : run.trades) trades.push_back(trade_json(trade));
  return {{"name", run.name},
          {"schedule", run.schedule},
          {"aim", run.aim},
          {"growth", run.growth},
          {"growth_per_year", run.growth_per_year},
          {"rows_per_year", run.rows_per_year},
          {"volatility", run.volatility},
          {"sharpe", run.volatility > 0 ? Json(run.sharpe) : Json()},
          {"max_drawdown", run.max_drawdown},
          {"max_drawdown_from", to_string(run.max_drawdown_from)},
          {"max_drawdown_to", to_string(run.max_drawdown_to)},
          {"turnover_per_year", run.turnover_per_year},
          {"cost_per_year", run.cost_per_year},
          {"costs_paid", run.costs_paid},
          {"order_count", run.order_count},
          {"trading_days", run.trades.size()},
          {"trades", trades},
          {"wealth", {{"days", days_json(run.days)}, {"net", list_of(run.net)}, {"gross", list_of(run.gross)}}}};
}

Json rehearse_json(const std::vector<Rehearsal>& runs) {
  auto list = Json::array();
  for (const auto& run : runs) list.push_back(run_json(run));
  return {{"runs", list}};
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
                         const Settings& settings, const Background& from) {
  auto chapter = begin_chapter("rehearse", basis, &universe, settings, from, runs.warnings);
  chapter.sentence = in_a_line(runs.all.front());
  chapter.in_part = chapter.in_part || !portfolios.unanswered.empty();
  chapter.result = rehearse_json(runs.all);
  chapter.tables = {runs_table(runs.all, universe.currency)};
  auto& notes = chapter.tables[0].notes;
  notes.emplace_back(
      fmt::format("Weights estimated before {}; decided at a close, traded {} trading day(s) later; cash earns nothing",
                  to_string(split_of(settings)), settings.delay));
  notes.emplace_back(
      fmt::format("Figures per year from {:.4g} rows a year, as counted", runs.all.front().rows_per_year));
  chapter.charts = {wealth_chart(runs.all)};
  return chapter;
}

}  // namespace inchtide::report

#include "futures.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "inchtide/base/percent.hpp"
#include "inchtide/base/text.hpp"

namespace inchtide::report {
namespace {

/// Positions among the quantiles that are told.
enum Told : Eigen::Index { low = 0, lower_middle, middle, upper_middle, high };

/// In how many histories a run ends with more than the baseline.
double share_ahead(const FutureRun& run, const FutureRun& baseline) {
  return double((run.end_wealth.array() > baseline.end_wealth.array()).count()) / double(run.end_wealth.size());
}

/// That a fall is beyond a bound, as drawdowns are negative.
DrawnShare share_beyond(const FutureRun& run, double fall) {
  return share_below(run.max_drawdown, -fall);
}

void add_notes(Table& table, const Futures& futures, const FutureRun& baseline) {
  table.notes.emplace_back(fmt::format(
      "{} histories drawn from the {} days from {} to {} on which all assets have returns, in blocks of {:.3g} days "
      "(seed {}), the same for all",
      with_thousands(double(futures.histories)), with_thousands(double(futures.rows)), to_string(futures.from),
      to_string(futures.to), futures.block, futures.seed));
  if (futures.cut > 0) {
    table.notes.emplace_back(fmt::format("{} days between are not drawn, as some asset has no return there",
                                         with_thousands(double(futures.cut))));
  }
  table.notes.emplace_back(
      "The means of the past are in them: they say how far the same markets might have led, not where the next ones "
      "do");
  table.notes.emplace_back("Ahead: how many end with more than " + baseline.name);
}

/// What wealth is counted in on an axis, and its word.
std::pair<double, const char*> unit_of(double most) {
  if (most >= 1e7) return {1e6, "millions"};
  if (most >= 1e5) return {1e3, "thousands"};
  return {1, ""};
}

}  // namespace

Table futures_table(const Futures& futures, const Settings& settings, const std::string& currency) {
  Table table{"futures",
              "Histories that did not happen",
              {{"Portfolio"},
               {"Schedule"},
               {"Growth per year, 5 of 100 below", Format::percent},
               {"half below", Format::percent},
               {"5 of 100 above", Format::percent},
               {"Cost per year, half below", Format::percent},
               {"Max drawdown, half deeper", Format::percent},
               {"5 of 100 deeper", Format::percent},
               {"End wealth, 5 of 100 below", Format::money, currency},
               {"half below", Format::money, currency}},
              {},
              {}};
  if (settings.ends_below) {
    table.columns.push_back(
        {fmt::format("Ends below {}", shown(*settings.ends_below, Format::money)), Format::percent});
  }
  if (settings.falls_beyond) {
    table.columns.push_back({fmt::format("Falls beyond {}", percent_text(*settings.falls_beyond)), Format::percent});
  }
  table.columns.push_back({"Ahead", Format::percent});
  const auto& baseline = futures.runs[futures.baseline];
  double least_certain = 0;
  for (const auto& run : futures.runs) {
    const auto growth = quantiles_of(run.growth_per_year), fall = quantiles_of(run.max_drawdown),
               end = quantiles_of(run.end_wealth);
    std::vector<Cell> row{
        run.aim,      run.schedule, growth[low], growth[middle], growth[high], quantiles_of(run.cost_per_year)[middle],
        fall[middle], fall[low],    end[low],    end[middle]};
    const auto add = [&](const DrawnShare& share) {
      row.emplace_back(share.share);
      least_certain = std::max(least_certain, share.error);
    };
    if (settings.ends_below) add(share_below(run.end_wealth, *settings.ends_below));
    if (settings.falls_beyond) add(share_beyond(run, *settings.falls_beyond));
    row.push_back(&run == &baseline ? Cell() : Cell(share_ahead(run, baseline)));
    table.add(std::move(row));
  }
  add_notes(table, futures, baseline);
  if (least_certain > 0) {
    table.notes.emplace_back(
        fmt::format("So many draws know a probability give or take {}", percent_text(least_certain)));
  }
  return table;
}

Chart futures_chart(const Futures& futures, const std::vector<Rehearsal>& runs, const std::string& currency) {
  const auto& run = futures.runs[futures.baseline];
  Chart chart{.name = "futures", .title = fmt::format("{}: histories that did not happen", run.name)};
  chart.subtitle = fmt::format("{} drawn from the days of the past, whose means are in them",
                               with_thousands(double(futures.histories)));
  chart.x = {"", Scale::day};
  const auto [unit, word] = unit_of(run.fan.col(high).maxCoeff());
  const auto of = fmt::format("{}{}{}", word, *word != 0 && !currency.empty() ? " of " : "", currency);
  chart.y = {of.empty() ? "Wealth" : "Wealth, " + of, Scale::number};
  chart.key = Chart::Key::below;
  chart.tight = true;
  const auto wealth_at = [&, unit = unit](Told column) {
    const Eigen::VectorXd wealth = run.fan.col(column) / unit;
    return std::vector<double>(wealth.begin(), wealth.end());
  };
  chart.series.emplace_back(
      report::Band{"90 of 100", futures.fan_days, wealth_at(low), wealth_at(high), colour::deep, false, 0.15});
  chart.series.emplace_back(report::Band{"half of them", futures.fan_days, wealth_at(lower_middle),
                                         wealth_at(upper_middle), colour::deep, false, 0.25});
  chart.series.emplace_back(Line{"half above, half below", futures.fan_days, wealth_at(middle), colour::deep});
  const auto happened = std::ranges::find(runs, run.name, &Rehearsal::name);
  if (happened != runs.end()) {
    const Eigen::VectorXd wealth = happened->net / unit;
    Line line{"what happened", happened->days, {wealth.begin(), wealth.end()}, colour::rust, Dash::solid};
    line.width = 1.8;
    chart.series.emplace_back(std::move(line));
  }
  return chart;
}

Json futures_json(const Futures& futures, const Settings& settings) {
  const auto told = [](const Eigen::VectorXd& figures) {
    const auto quantiles = quantiles_of(figures);
    auto json = Json::object();
    for (std::size_t k = 0; k < told_quantiles().size(); ++k) {
      json[fmt::format("{:g}", told_quantiles()[k])] = quantiles[Eigen::Index(k)];
    }
    return json;
  };
  const auto share = [](const DrawnShare& one) { return Json{{"share", one.share}, {"error", one.error}}; };
  auto runs = Json::array(), failed = Json::array();
  const auto& baseline = futures.runs[futures.baseline];
  for (const auto& run : futures.runs) {
    Json one{{"name", run.name},
             {"schedule", run.schedule},
             {"aim", run.aim},
             {"growth_per_year", told(run.growth_per_year)},
             {"max_drawdown", told(run.max_drawdown)},
             {"cost_per_year", told(run.cost_per_year)},
             {"end_wealth", told(run.end_wealth)},
             {"ahead", share_ahead(run, baseline)}};
    if (settings.ends_below) one["below"] = share(share_below(run.end_wealth, *settings.ends_below));
    if (settings.falls_beyond) one["drawdown_beyond"] = share(share_beyond(run, *settings.falls_beyond));
    auto fan = Json::object();
    for (std::size_t k = 0; k < told_quantiles().size(); ++k) {
      fan[fmt::format("{:g}", told_quantiles()[k])] = list_of(run.fan.col(Eigen::Index(k)));
    }
    one["fan"] = fan;
    runs.push_back(std::move(one));
  }
  for (const auto& one : futures.failed) failed.push_back({{"name", one.name}, {"error", one.why.text()}});
  return {{"histories", futures.histories},
          {"block", futures.block},
          {"seed", futures.seed},
          {"from", to_string(futures.from)},
          {"to", to_string(futures.to)},
          {"days", futures.rows},
          {"days_cut", futures.cut},
          {"baseline", baseline.name},
          {"fan_days", days_json(futures.fan_days)},
          {"runs", runs},
          {"failed", failed}};
}

}  // namespace inchtide::report

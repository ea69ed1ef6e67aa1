#include "rehearsal_files.hpp"

#include <cmath>
#include <stdexcept>

namespace inchtide::report {
namespace {

const char* word_for(Event::Kind kind) {
  switch (kind) {
    case Event::Kind::decision: return "decides to trade";
    case Event::Kind::wait: return "waits: closed";
    case Event::Kind::suspension: return "trades go round it: suspended";
    case Event::Kind::end: return "ended, cashed";
    case Event::Kind::split: return "split";
    case Event::Kind::dividend: return "dividend";
    case Event::Kind::flow: return "cash paid in or out";
    case Event::Kind::estimate: return "new targets";
    case Event::Kind::failure: return "no new targets";
  }
  throw std::logic_error("an event of no kind");
}

void add_orders(Table& table, const std::string& name, const Trade& trade, const std::vector<std::string>& assets) {
  for (const auto& order : trade.orders) {
    const auto& cost = order.cost;
    table.add({name, trade.decided, trade.traded, assets[std::size_t(order.asset)], order.value > 0 ? "buy" : "sell",
               std::abs(order.units), order.price, std::abs(order.value), cost.fee, cost.commission, cost.half_spread,
               cost.stamp_duty, cost.conversion, cost.impact, cost.other, cost.total()});
  }
}

std::vector<Column> columns_of_orders(const std::string& currency) {
  return {{"Run"},
          {"Decided", Format::day},
          {"Traded", Format::day},
          {"Asset"},
          {"Side"},
          {"Units", Format::fine},
          {"Price", Format::fine, currency},
          {"Value", Format::money, currency},
          {"Fee", Format::money, currency},
          {"Commission", Format::money, currency},
          {"Half-spread", Format::money, currency},
          {"Stamp duty", Format::money, currency},
          {"Conversion", Format::money, currency},
          {"Impact", Format::money, currency},
          {"Other", Format::money, currency},
          {"Cost", Format::money, currency}};
}

}  // namespace

Table log_table(const std::vector<Rehearsal>& runs) {
  Table table{"log",
              "What happened",
              {{"Run"}, {"Day", Format::day}, {"Event"}, {"Asset"}, {"Figure", Format::fine}, {"Words"}},
              {},
              {},
              0};
  for (const auto& run : runs) {
    for (const auto& event : run.log) {
      table.add({run.name, event.day, word_for(event.kind), event.asset,
                 event.figure == 0 ? Cell() : Cell(event.figure), event.words});
    }
  }
  return table;
}

Table trades_table(const std::vector<Rehearsal>& runs, const std::string& currency) {
  Table table{"trades", "Orders", columns_of_orders(currency), {}, {}, 0};
  for (const auto& run : runs) {
    for (const auto& trade : run.trades) add_orders(table, run.name, trade, run.assets);
  }
  return table;
}

Table wealth_table(const std::vector<Rehearsal>& runs, const std::string& currency) {
  Table table{"wealth", "Wealth after costs", {{"Day", Format::day}}, {}, {}, 0};
  for (const auto& run : runs) table.columns.push_back({run.name, Format::money, currency});
  for (std::size_t t = 0; t < runs.front().days.size(); ++t) {
    std::vector<Cell> row{runs.front().days[t]};
    for (const auto& run : runs) row.emplace_back(run.net[Eigen::Index(t)]);
    table.add(std::move(row));
  }
  return table;
}

Table weights_table(const std::vector<Rehearsal>& runs) {
  Table table{"daily_weights", "Weights by day", {{"Run"}, {"Day", Format::day}}, {}, {}, 0};
  for (const auto& asset : runs.front().assets) table.columns.push_back({asset, Format::percent});
  table.columns.push_back({"cash", Format::percent});
  for (const auto& run : runs) {
    if (run.assets != runs.front().assets) continue;  // the benchmark holds itself
    for (Eigen::Index t = 0; t < run.weights.rows(); ++t) {
      std::vector<Cell> row{run.name, run.days[std::size_t(t)]};
      for (double weight : run.weights.row(t)) row.emplace_back(weight);
      row.emplace_back(1 - run.weights.row(t).sum());
      table.add(std::move(row));
    }
  }
  return table;
}

Table holdings_table(const std::vector<Rehearsal>& runs) {
  Table table{"holdings", "Held in the end", {{"Run"}, {"Asset"}, {"Units", Format::fine}}, {}, {}, 0};
  for (const auto& run : runs) {
    for (Eigen::Index i = 0; i < run.end.units.size(); ++i) {
      if (run.end.units[i] != 0) table.add({run.name, run.assets[std::size_t(i)], run.end.units[i]});
    }
    table.add({run.name, "cash", run.end.cash});
  }
  return table;
}

}  // namespace inchtide::report

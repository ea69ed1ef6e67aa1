#include "weight_tables.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>

#include "inchtide/base/percent.hpp"

namespace inchtide::report {

std::string largest_holdings(const Allocation& portfolio) {
  constexpr std::size_t most = 4;
  std::vector<std::string> parts;
  for (auto i : portfolio.largest(most)) {
    parts.push_back(fmt::format("{} {}", portfolio.assets[i], percent_text(portfolio.weights[Eigen::Index(i)], 1)));
  }
  return fmt::format("{}", fmt::join(parts, ", "));
}

Table comparison_table(const std::vector<Allocation>& portfolios, const std::vector<Unanswered>& unanswered) {
  Table table{"comparison",
              "Portfolios side by side, per year",
              {{"Portfolio"},
               {"Expected return", Format::percent},
               {"Volatility", Format::percent},
               {"Sharpe", Format::number3},
               {"Diversification benefit", Format::percent},
               {"Held", Format::count},
               {"Effective holdings", Format::number2}},
              {},
              {}};
  // Figures against a benchmark or against what is held now, where these are known.
  struct Extra {
    const char* name;
    std::optional<double> Allocation::*figure;
    Format format = Format::percent;
  };
  const std::vector<Extra> extra = {{"Net return", &Allocation::net_return},
                                    {"Net Sharpe", &Allocation::net_sharpe, Format::number3},
                                    {"Tracking error", &Allocation::tracking_error},
                                    {"Turnover", &Allocation::turnover},
                                    {"Trading cost", &Allocation::trading_cost}};
  const auto known = [&](const Extra& column) {
    return std::ranges::any_of(portfolios, [&](const Allocation& p) { return (p.*column.figure).has_value(); });
  };
  for (const auto& column : extra) {
    if (known(column)) table.columns.push_back({column.name, column.format});
  }
  table.columns.push_back({"Largest holdings"});
  for (const auto& p : portfolios) {
    std::vector<Cell> row{p.name,
                          p.expected_return,
                          p.volatility,
                          sharpe_cell(p.sharpe, p.volatility),
                          p.diversification_benefit(),
                          double(held_count(p.weights)),
                          p.effective_holdings()};
    for (const auto& column : extra) {
      if (known(column)) row.push_back((p.*column.figure) ? Cell(*(p.*column.figure)) : Cell());
    }
    row.emplace_back(largest_holdings(p));
    table.add(std::move(row));
    for (const auto& note : p.notes) table.notes.push_back(fmt::format("{}: {}", p.name, note));
    for (const auto& v : p.violations) {
      table.notes.push_back(fmt::format("{} breaks {}{} by {}", p.name, v.limit,
                                        v.asset.empty() ? "" : fmt::format(" ({})", v.asset),
                                        v.figure ? fmt::format("{:.4g}", v.by) : percent_text(v.by)));
    }
  }
  for (const auto& one : unanswered) {
    std::vector<Cell> row(table.columns.size());
    row.front() = one.name;
    row.back() = "no answer";
    table.add(std::move(row));
    auto why = one.notice;
    if (!why.where.empty() && why.where.what != one.aim) why.problem = why.where.text() + ": " + why.problem;
    why.where = one.name;
    table.notes.push_back(std::move(why));
  }
  if (std::ranges::any_of(portfolios, [](const Allocation& p) { return p.net_return.has_value(); })) {
    table.notes.push_back("Net: less the trading cost from the weights held now, spread over the horizon");
  }
  table.notes.push_back("Diversification benefit: the holdings' weighted average volatility less the portfolio's");
  table.notes.push_back("Effective holdings: how many equal ones would be as concentrated");
  return table;
}

Table weights_table(const std::vector<Allocation>& portfolios) {
  Table table{"weights", "Weights", {{"Asset"}}, {}, {}};
  if (portfolios.empty()) return table;
  for (const auto& p : portfolios) table.columns.push_back({p.name, Format::percent});
  const auto& assets = portfolios.front().assets;
  std::vector<std::string> left_out;
  for (std::size_t i = 0; i < assets.size(); ++i) {
    std::vector<Cell> row{assets[i]};
    bool held = false;
    for (const auto& p : portfolios) {
      const double weight = p.weights[Eigen::Index(i)];
      held = held || is_held(weight);
      row.push_back(is_held(weight) ? Cell(weight) : Cell());
    }
    if (held) {
      table.add(std::move(row));
    } else {
      left_out.push_back(assets[i]);
    }
  }
  if (!left_out.empty()) table.notes.push_back(fmt::format("In none of them: {}", fmt::join(left_out, ", ")));
  return table;
}

}  // namespace inchtide::report

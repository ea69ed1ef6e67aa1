#include "inchtide/report/weights.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

#include "begin.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/report/estimate.hpp"
#include "json.hpp"
#include "limit_prices.hpp"
#include "orders.hpp"
#include "weight_tables.hpp"

namespace inchtide::report {
namespace {

/// The share of the variance that comes from each holding.
Table risk_table(const std::vector<Allocation>& portfolios) {
  Table table{"risk-shares", "Where the variance comes from", {{"Asset"}}, {}, {}};
  for (const auto& p : portfolios) {
    if (p.risk_shares.size() > 0) table.columns.push_back({p.name, Format::percent});
  }
  if (table.columns.size() == 1) return table;
  const auto& assets = portfolios.front().assets;
  for (std::size_t i = 0; i < assets.size(); ++i) {
    std::vector<Cell> row{assets[i]};
    bool some = false;
    for (const auto& p : portfolios) {
      if (p.risk_shares.size() == 0) continue;
      const bool held = is_held(p.weights[Eigen::Index(i)]);
      some = some || held;
      row.push_back(held ? Cell(p.risk_shares[Eigen::Index(i)]) : Cell());
    }
    if (some) table.add(std::move(row));
  }
  return table;
}

/// What optimal portfolios leave out, and the return that it would need.
Table left_out_table(const std::vector<Allocation>& portfolios) {
  Table table{"left-out",
              "Left out, and the expected return above which each would enter",
              {{"Portfolio"},
               {"Asset"},
               {"Expected return", Format::percent},
               {"Would need", Format::percent},
               {"More by", Format::percent}},
              {},
              {}};
  constexpr std::size_t most = 5;
  for (const auto& p : portfolios) {
    std::size_t shown = 0;
    for (const auto& out : p.left_out) {
      if (!out.would_need) {
        table.notes.push_back(fmt::format("{}: returns don't count for this aim", p.name));
        break;
      }
      if (++shown > most) continue;
      table.add({p.name, out.asset, out.expected_return, *out.would_need, *out.would_need - out.expected_return});
    }
    if (shown > most) {
      table.notes.push_back(fmt::format("{}: the {} nearest of {}", p.name, most, p.left_out.size()));
    }
  }
  return table;
}

Table sweep_table(const Sweep& sweep) {
  Table table{"sweep",
              fmt::format("{} and {} side by side, per year", sweep.first, sweep.second),
              {{sweep.first, Format::percent},
               {sweep.second, Format::percent},
               {"Expected return", Format::percent},
               {"Volatility", Format::percent},
               {"Sharpe", Format::number3}},
              {},
              {}};
  for (const auto& p : sweep.points) {
    table.add({p.first, 1 - p.first, p.expected_return, p.volatility, sharpe_cell(p.sharpe, p.volatility)});
  }
  return table;
}

/// Boxes side by side within each category: this series is number `k` of `count`.
Boxes grouped(const std::string& name, std::size_t k, std::size_t count, const std::vector<double>& values) {
  Boxes boxes{.name = name, .y = values, .width = 0.8 / double(count)};
  boxes.colour = colour::of_series(k);
  boxes.hatched = k % 2 == 1;
  for (std::size_t i = 0; i < values.size(); ++i) {
    boxes.x.push_back(double(i) + (double(k) - (double(count) - 1) / 2) * boxes.width);
  }
  return boxes;
}

Chart compared_chart(const std::vector<Allocation>& portfolios) {
  Chart chart{.name = "compared", .title = "Return and risk of the portfolios"};
  chart.x = {""};
  chart.y = {"Per year", Scale::percent};
  chart.y_from_zero = true;
  chart.key = Chart::Key::right;
  std::vector<double> returns, volatilities;
  for (const auto& p : portfolios) {
    chart.x.categories.push_back(p.name);
    returns.push_back(p.expected_return);
    volatilities.push_back(p.volatility);
  }
  chart.series = {grouped("expected return", 0, 2, returns), grouped("volatility", 1, 2, volatilities)};
  return flat_if_long(std::move(chart));
}

Chart risk_chart(const std::vector<Allocation>& portfolios) {
  Chart chart{.name = "risk", .title = "Where the variance comes from"};
  chart.subtitle = "share of each asset in the portfolio's variance";
  chart.x = {""};
  chart.y = {"Share of the variance", Scale::percent};
  chart.y_from_zero = true;
  chart.key = Chart::Key::right;
  std::vector<const Allocation*> shown;
  for (const auto& p : portfolios) {
    if (p.risk_shares.size() > 0) shown.push_back(&p);
  }
  if (shown.empty()) return chart;
  std::vector<Eigen::Index> held;
  for (Eigen::Index i = 0; i < Eigen::Index(shown.front()->assets.size()); ++i) {
    const bool any =
        std::ranges::any_of(shown, [i](const Allocation* p) { return std::abs(p->risk_shares[i]) > 0.0005; });
    if (!any) continue;
    held.push_back(i);
    chart.x.categories.push_back(shown.front()->assets[std::size_t(i)]);
  }
  for (std::size_t k = 0; k < shown.size(); ++k) {
    std::vector<double> shares;
    for (auto i : held) shares.push_back(shown[k]->risk_shares[i]);
    chart.series.push_back(grouped(shown[k]->name, k, shown.size(), shares));
  }
  return chart;
}

/// null where there is no room.
Json price_json(const std::optional<double>& price) {
  return price ? finite_or_null(*price) : Json();
}

Json binding_json(const std::vector<BindingLimit>& limits) {
  auto binding = Json::array();
  for (const auto& limit : limits) {
    const std::string per = limit.per_unit ? "_per_unit" : "_per_point";
    binding.push_back({{"limit", limit.limit}, {"rule", limit.text}, {"price" + per, price_json(limit.loosening)}});
    if (limit.raising) {
      binding.back()["raising" + per] = price_json(limit.raising);
      binding.back()["lowering" + per] = price_json(limit.lowering);
    } else {  // the same on both sides unless said
      binding.back()["tightening" + per] = price_json(limit.tightening ? limit.tightening : limit.loosening);
    }
  }
  return binding;
}

Json allocation_json(const Allocation& a) {
  auto violations = Json::array();
  for (const auto& v : a.violations)
    violations.push_back({{"limit", v.limit}, {"asset", v.asset}, {"by", v.by}, {"figure", v.figure}});
  auto left_out = Json::array();
  for (const auto& out : a.left_out) {
    left_out.push_back(
        {{"asset", out.asset}, {"expected_return", out.expected_return}, {"would_need", or_null(out.would_need)}});
  }
  return {{"name", a.name},
          {"aim", a.aim_text()},
          {"weights", weights_json(a.assets, a.weights)},
          {"expected_return", a.expected_return},
          {"volatility", a.volatility},
          {"sharpe", a.volatility > 0 ? Json(a.sharpe) : Json()},
          {"net_return", or_null(a.net_return)},
          {"net_sharpe", or_null(a.net_sharpe)},
          {"average_volatility", a.average_volatility},
          {"diversification_benefit", a.diversification_benefit()},
          {"effective_holdings", a.effective_holdings()},
          {"tracking_error", or_null(a.tracking_error)},
          {"turnover", or_null(a.turnover)},
          {"trading_cost", or_null(a.trading_cost)},
          {"risk_shares", a.risk_shares.size() > 0 ? weights_json(a.assets, a.risk_shares) : Json()},
          {"binding", binding_json(a.binding)},
          {"left_out", left_out},
          {"violations", violations},
          {"certificate", a.certificate ? certificate_json(*a.certificate) : Json()},
          {"proven", or_null(a.proven)},
          {"notes", a.notes}};
}

Json weigh_json(const std::vector<Allocation>& portfolios, const std::vector<Unanswered>& unanswered,
                const SpeltMeans& spelt) {
  auto list = Json::array(), failed = Json::array();
  for (const auto& portfolio : portfolios) list.push_back(allocation_json(portfolio));
  for (const auto& one : unanswered) {
    failed.push_back({{"name", one.name}, {"aim", one.aim}, {"reason", one.notice.text(spelt)}});
    if (one.problem) failed.back()["problem"] = unsolved_json(*one.problem);
  }
  return {{"portfolios", list}, {"unanswered", failed}};
}

}  // namespace

std::string in_a_line(const Allocation& a) {
  const auto sharpe = a.volatility > 0 ? fmt::format(", Sharpe {:.2f}", a.sharpe) : std::string();
  const auto held = held_count(a.weights);
  return fmt::format("{}: {} a year at {} volatility{}, {} held: {}{}", a.name, percent_text(a.expected_return),
                     percent_text(a.volatility), sharpe, held, largest_holdings(a), held > 4 ? ", ..." : "");
}

std::string in_full(const Allocation& allocation) {
  std::string text;
  for (const auto& table : {comparison_table({allocation}), weights_table({allocation}), risk_table({allocation}),
                            binding_table({allocation}), left_out_table({allocation})}) {
    text += to_text(table) + "\n";
  }
  return text;
}

namespace {

/// Of the assets, by column: what sorts them into kinds, so neither names of their own nor figures.
Json tags_json(const Tags& tags, const std::vector<std::string>& assets) {
  auto json = Json::object();
  for (const auto& column : tags.columns) {
    auto of_assets = Json::object();
    std::set<std::string> kinds;
    bool figures = true;
    for (const auto& asset : assets) {
      const auto value = tags.value(asset, column);
      if (!value) continue;
      of_assets[asset] = *value;
      kinds.insert(*value);
      figures = figures && parse_number(*value).has_value();
    }
    if (!figures && kinds.size() < of_assets.size()) json[column] = std::move(of_assets);
  }
  return json;
}

/// How far weights can move; of those that cannot, and aren't held, nothing.
Table room_table(const std::vector<Allocation>& all, const Besides& besides) {
  Table table{"room",
              fmt::format("Room: how far each weight can move for {} less expected return at no more risk",
                          percent_text(besides.given_up)),
              {{"Asset"}},
              {},
              {}};
  std::vector<std::size_t> known;
  constexpr double next_to_none = 5e-6;
  for (std::size_t k = 0; k < besides.rooms.size(); ++k) {
    if (besides.rooms[k].empty()) continue;
    const bool some = std::ranges::any_of(besides.rooms[k], [](const std::optional<WeightRange>& range) {
      return !range || range->most - range->least > next_to_none;
    });
    if (!some) {
      table.notes.emplace_back(fmt::format("{} has none: no other weights have as little risk for it", all[k].name));
      continue;
    }
    known.push_back(k);
    for (const char* end : {"weight", "least", "most"}) {
      table.columns.push_back({fmt::format("{}, {}", all[k].name, end), Format::percent});
    }
  }
  if (known.empty()) return table;
  for (std::size_t i = 0; i < all.front().assets.size(); ++i) {
    std::vector<Cell> row{all.front().assets[i]};
    bool some = false;
    for (const auto k : known) {
      const auto& range = besides.rooms[k][i];
      const double weight = all[k].weights[Eigen::Index(i)];
      some = some || is_held(weight) || !range || range->most > next_to_none || range->least < -next_to_none;
      row.insert(row.end(), {weight, range ? Cell(range->least) : Cell(), range ? Cell(range->most) : Cell()});
    }
    if (some) table.add(std::move(row));
  }
  table.notes.emplace_back(
      "One weight at a time, the others free within the limits; limits on positions and ceilings on tracking error are "
      "not looked at");
  return table;
}

Table stretches_table(const std::vector<Allocation>& all, const std::vector<HardTime>& times) {
  Table table{"worst-stretches",
              "Through the worst stretches of the history, weights restored each period",
              {{"From", Format::day}, {"To", Format::day}, {"Equal weights", Format::percent}},
              {},
              {}};
  for (const auto& one : all) table.columns.push_back({one.name, Format::percent});
  for (const auto& time : times) {
    std::vector<Cell> row{time.stretch.from, time.stretch.to, time.equal_weights};
    row.insert(row.end(), time.returns.begin(), time.returns.end());
    table.add(std::move(row));
  }
  if (!times.empty()) {
    table.notes.emplace_back("The deepest falls of equal weights from a peak; the weights were chosen knowing them");
  }
  return table;
}

void add_rooms(Json& result, const std::vector<Allocation>& all, const Besides& besides) {
  for (std::size_t k = 0; k < besides.rooms.size(); ++k) {
    if (besides.rooms[k].empty()) continue;
    auto room = Json::object();
    for (std::size_t i = 0; i < besides.rooms[k].size(); ++i) {
      const auto& range = besides.rooms[k][i];
      room[all[k].assets[i]] = range ? Json({range->least, range->most}) : Json();
    }
    result["portfolios"][k]["room"] = std::move(room);
  }
  if (!besides.rooms.empty()) result["room_for"] = besides.given_up;
}

Json stretches_json(const std::vector<Allocation>& all, const std::vector<HardTime>& times) {
  auto list = Json::array();
  for (const auto& time : times) {
    auto returns = Json::object();
    for (std::size_t k = 0; k < all.size(); ++k) returns[all[k].name] = time.returns[k];
    list.push_back({{"from", to_string(time.stretch.from)},
                    {"to", to_string(time.stretch.to)},
                    {"equal_weights", time.equal_weights},
                    {"returns", returns}});
  }
  return list;
}

}  // namespace

Chapter weigh_chapter(const Portfolios& portfolios, const Basis& basis, const Universe* universe,
                      const Settings& settings, const Background& from, const Besides& besides) {
  const auto& [all, unanswered] = portfolios;
  const auto& [sweep, orders, trading, given_up, rooms, hard_times] = besides;
  auto chapter = begin_chapter("weigh", basis, universe, settings, from, {});
  if (!all.empty()) chapter.sentence = in_a_line(all.front());
  chapter.in_part = chapter.in_part || !unanswered.empty();
  chapter.result = weigh_json(all, unanswered, from.spelt);
  chapter.result["tags"] = tags_json(basis.facts.tags, basis.estimate.assets);
  chapter.tables = {comparison_table(all, unanswered),
                    weights_table(all),
                    risk_table(all),
                    binding_table(all),
                    left_out_table(all),
                    room_table(all, besides),
                    stretches_table(all, hard_times)};
  add_rooms(chapter.result, all, besides);
  chapter.result["stretches"] = stretches_json(all, hard_times);
  chapter.tables[0].notes.emplace_back(in_a_line(basis.estimate));
  if (sweep) chapter.tables.push_back(sweep_table(*sweep));
  if (orders) {
    chapter.tables.push_back(orders_table(*orders, universe == nullptr ? "" : universe->currency));
    chapter.result["orders"] = orders_json(*orders);
  }
  if (trading) chapter.result["trading"] = trading_json(*trading);
  chapter.charts = {compared_chart(all), risk_chart(all)};
  const auto priced = std::ranges::find_if(all, [](const Allocation& a) {
    return std::ranges::any_of(a.binding, [](const BindingLimit& limit) { return limit.loosening.has_value(); });
  });
  if (priced == all.end()) {
    chapter.no_charts.push_back({"prices", "no limit with a price binds"});
  } else {
    chapter.charts.push_back(limits_chart(*priced));
  }
  return chapter;
}

}  // namespace inchtide::report

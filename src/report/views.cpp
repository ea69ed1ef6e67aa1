#include "inchtide/report/views.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "inchtide/base/percent.hpp"

namespace inchtide::report {
namespace {

/// A weight below this is shown as none.
constexpr double shown_weight = 5e-7;
constexpr std::size_t largest_shown = 4;

std::vector<std::string> held_names(const std::vector<std::string>& assets, const Eigen::VectorXd& weights) {
  std::vector<std::string> names;
  for (std::size_t i = 0; i < assets.size(); ++i) {
    if (is_held(weights[Eigen::Index(i)])) names.push_back(assets[i]);
  }
  return names;
}

enum class Place { none, between, lower, upper };

Place place_of(const Bounds& bounds, const Eigen::VectorXd& weights, Eigen::Index i) {
  if (std::abs(weights[i]) <= shown_weight) return Place::none;
  if (bounds.upper[i] - weights[i] <= shown_weight) return Place::upper;
  return weights[i] - bounds.lower[i] <= shown_weight ? Place::lower : Place::between;
}

/// Where a row's total stands.
Place place_of(const LimitRow& row, const Eigen::VectorXd& weights) {
  const double value = row.value(weights);
  const double near = shown_weight * std::max(1.0, row.coefficients.cwiseAbs().maxCoeff());
  if (row.upper - value <= near) return Place::upper;
  return value - row.lower <= near ? Place::lower : Place::between;
}

/// "HOLLBANK out, KELPFARM in": the assets that have come to a bound on the way down to a corner, and those that move
/// off one from there on.
std::string changes_at(const Frontier& frontier, std::size_t corner) {
  const auto& bounds = frontier.bounds();
  const auto& assets = frontier.estimate().assets;
  const auto last = frontier.corners().size() - 1;
  const Eigen::VectorXd now = frontier.weights(corner);
  const Eigen::VectorXd above = corner > 0 ? frontier.weights(corner - 1) : now;
  const Eigen::VectorXd below = corner < last ? frontier.weights(corner + 1) : now;
  std::vector<std::string> changes;
  if (corner == 0) changes.push_back("highest return");
  if (corner == last) changes.push_back("minimum variance");
  for (Eigen::Index i = 0; i < now.size(); ++i) {
    const auto is = place_of(bounds, now, i);
    if (is == Place::between || place_of(bounds, above, i) == is) continue;
    changes.push_back(assets[std::size_t(i)] + (is == Place::none    ? " out"
                                                : is == Place::upper ? " at its most"
                                                                     : " at its least"));
  }
  for (Eigen::Index i = 0; i < now.size(); ++i) {
    const auto is = place_of(bounds, now, i);
    if (is == Place::between || place_of(bounds, below, i) == is) continue;
    changes.push_back(assets[std::size_t(i)] + (is == Place::none    ? " in"
                                                : is == Place::upper ? " off its most"
                                                                     : " off its least"));
  }
  for (const auto& row : bounds.rows) {
    for (Eigen::Index i = 0; i < row.bend.size(); ++i) {  // a size such as turnover keeps weights where it is least
      const double at = row.bend_at[i];
      const auto stands = [&](const Eigen::VectorXd& weights) { return std::abs(weights[i] - at) <= shown_weight; };
      if (row.bend[i] == 0 || std::abs(at) <= shown_weight || !stands(now)) continue;
      const auto& asset = assets[std::size_t(i)];
      if (!stands(above) && stands(below)) changes.push_back(fmt::format("{} stays at {}", asset, percent_text(at)));
      if (stands(above) && !stands(below)) changes.push_back(fmt::format("{} off {}", asset, percent_text(at)));
    }
    const auto is = place_of(row, now);
    const char* end = is == Place::upper ? "its most" : "its least";
    if (is == Place::between) continue;
    if (place_of(row, above) != is) changes.push_back(fmt::format("{} at {}", row.label, end));
    if (place_of(row, below) != is) changes.push_back(fmt::format("{} off {}", row.label, end));
  }
  // Where two limits touch at once, the weights may go straight on while one takes over from the other.
  return changes.empty() ? "another limit takes over" : fmt::format("{}", fmt::join(changes, ", "));
}

std::string largest_holdings(const Allocation& portfolio) {
  std::vector<std::string> parts;
  for (auto i : portfolio.largest(largest_shown)) {
    parts.push_back(fmt::format("{} {}", portfolio.assets[i], percent_text(portfolio.weights[Eigen::Index(i)], 1)));
  }
  return fmt::format("{}", fmt::join(parts, ", "));
}

Cell sharpe_cell(double sharpe, double volatility) {
  return volatility > 0 ? Cell(sharpe) : Cell();
}

}  // namespace

std::string provenance(const Estimate& estimate) {
  std::string text = estimate.from && estimate.to
                         ? fmt::format("Estimated from {} to {}", to_string(*estimate.from), to_string(*estimate.to))
                         : "Estimate from a file";
  text += fmt::format(", {} assets", estimate.assets.size());
  if (estimate.observations > 0) text += fmt::format(", {} returns each", estimate.observations);
  if (estimate.returns == ReturnKind::log) text += ", of log returns";
  if (estimate.denominator.empty()) return text + "; which denominator its variances have isn't said";
  return text + fmt::format("; variances have the denominator {}", estimate.denominator);
}

Table corners_table(const Frontier& frontier, double risk_free) {
  Table table{"corners",
              "Efficient frontier: its corners, exact in between",
              {{"Corner", Format::count},
               {"Expected return", Format::percent},
               {"Volatility", Format::percent},
               {"Sharpe", Format::number3},
               {"Held", Format::count},
               {"What changes there"}},
              {},
              {}};
  const auto& assets = frontier.estimate().assets;
  for (std::size_t k = 0; k < frontier.corners().size(); ++k) {
    const auto& corner = frontier.corners()[k];
    const double sharpe = (corner.expected_return - frontier.bounds().budget * risk_free) / corner.volatility;
    const auto held = held_names(assets, frontier.weights(k)).size();
    table.add({double(k + 1), whole_return(corner.expected_return, frontier.bounds().budget, risk_free),
               corner.volatility, sharpe_cell(sharpe, corner.volatility), double(held), changes_at(frontier, k)});
  }
  table.notes.push_back(provenance(frontier.estimate()));
  table.notes.push_back(fmt::format("Sharpe against a risk-free rate of {}", short_percent(risk_free)));
  return table;
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
                          double(held_names(p.assets, p.weights).size()),
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

namespace {

/// What loosening a limit improves, and whether that is a ratio.
std::pair<const char*, bool> what_gains(const Allocation& p) {
  if (p.aim.starts_with("maximum-sharpe")) return {"Sharpe ratio", true};
  if (p.aim.starts_with("maximum-diversification")) return {"diversification ratio", true};
  if (p.aim.starts_with("target-volatility")) return {"expected return", false};
  if (p.aim.starts_with("utility")) return {"utility, as return", false};
  if (p.aim == "minimum-tracking-error") return {"tracking error", false};
  return {"volatility", false};
}

}  // namespace

namespace {

/// A price of an equality up to this is none, either way.
constexpr double shown_price = 1e-9;

/// A price as people read it, with what it is per and, of an equality, which way.
std::string price_text(const BindingLimit& limit, std::optional<double> price, bool ratio, const char* way) {
  if (!price) return "-";
  if (std::isinf(*price)) return "no room";
  auto text = ratio ? fmt::format("{:.4f}", *price) : fmt::format("{:.2f} bp", 10000 * *price);
  if (limit.per_unit) text += " a unit";
  return text + way;
}

/// What loosening brings; of an equality, which way it is to move.
std::string gain_text(const BindingLimit& limit, bool ratio) {
  if (!limit.raising || !(limit.price > shown_price)) return price_text(limit, limit.price, ratio, "");
  return price_text(limit, limit.price, ratio, *limit.raising > *limit.lowering ? ", raised" : ", lowered");
}

/// What the other way takes: tighter, or of an equality against its gain.
std::string loss_text(const BindingLimit& limit, bool ratio) {
  if (!limit.raising) return price_text(limit, limit.tightening ? limit.tightening : limit.price, ratio, "");
  const bool raise = *limit.raising > *limit.lowering;
  const double worse = std::min(*limit.raising, *limit.lowering);
  if (std::abs(worse) <= shown_price) return price_text(limit, 0.0, ratio, "");
  return price_text(limit, -worse, ratio, raise ? ", lowered" : ", raised");
}

}  // namespace

Table binding_table(const std::vector<Allocation>& portfolios) {
  Table table{"binding-limits",
              "Limits that bind, and what moving each by one percentage point would bring",
              {{"Portfolio"}, {"Limit"}, {"Rule"}, {"Gain per point"}, {"In"}},
              {},
              {}};
  bool sided = false, units = false, equalities = false, differ = false;
  for (const auto& p : portfolios) {
    for (const auto& limit : p.binding) {
      sided = sided || limit.tightening || limit.raising;
      differ = differ || limit.tightening;
      units = units || limit.per_unit;
      equalities = equalities || limit.raising;
    }
  }
  if (sided) table.columns.insert(table.columns.end() - 1, {"Loss per point the other way"});
  for (const auto& p : portfolios) {
    const auto [gains, ratio] = what_gains(p);
    for (const auto& limit : p.binding) {
      std::vector<Cell> row{p.name, limit.limit, limit.limit == limit.text ? "" : limit.text, gain_text(limit, ratio)};
      if (sided) row.emplace_back(loss_text(limit, ratio));
      row.emplace_back(gains);
      table.add(std::move(row));
    }
  }
  if (differ) {
    table.notes.push_back(
        "Where more limits touch than it takes to fix the weights, a point tighter takes more than a point looser "
        "brings");
  }
  if (equalities) table.notes.push_back("Of an equality: what raising or lowering its figure brings, whichever gains");
  if (units) table.notes.push_back("Of an average: per unit of its column, not per percentage point");
  if (table.rows.empty()) table.notes.push_back("No named limit binds");
  return table;
}

Table sweep_table(const std::vector<SweepPoint>& points, const std::string& first, const std::string& second) {
  Table table{"sweep",
              fmt::format("{} and {} side by side, per year", first, second),
              {{first, Format::percent},
               {second, Format::percent},
               {"Expected return", Format::percent},
               {"Volatility", Format::percent},
               {"Sharpe", Format::number3}},
              {},
              {}};
  for (const auto& p : points) {
    table.add({p.first, 1 - p.first, p.expected_return, p.volatility, sharpe_cell(p.sharpe, p.volatility)});
  }
  return table;
}

namespace {

constexpr std::array hues = {colour::deep, colour::amber, colour::kelp, colour::dusk,
                             colour::rust, colour::sand,  colour::ink};

/// Boxes side by side within each category: this series is number `k` of `count`.
Series grouped(const std::string& name, std::size_t k, std::size_t count, const std::vector<double>& values) {
  Series series{Series::Kind::boxes, name};
  series.box = 0.8 / double(count);
  series.colour = hues[k % hues.size()];
  series.hatched = k % 2 == 1;
  series.y = values;
  for (std::size_t i = 0; i < values.size(); ++i) {
    series.x.push_back(double(i) + (double(k) - (double(count) - 1) / 2) * series.box);
  }
  return series;
}

}  // namespace

Chart compared_chart(const std::vector<Allocation>& portfolios) {
  Chart chart;
  chart.title = "Return and risk of the portfolios";
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
  return chart;
}

Chart risk_chart(const std::vector<Allocation>& portfolios) {
  Chart chart;
  chart.title = "Where the variance comes from";
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

Chart prices_chart(const Allocation& portfolio) {
  const auto [gains, ratio] = what_gains(portfolio);
  Chart chart;
  chart.title = fmt::format("What a percentage point more of each limit would bring: {}", portfolio.name);
  chart.x = {""};
  chart.y = {ratio ? fmt::format("Gain in {}", gains) : fmt::format("Gain in {}, basis points", gains)};
  chart.y_from_zero = true;
  Series bars{Series::Kind::boxes, ""};
  bars.box = 0.6;
  bars.colour = colour::amber;
  for (const auto& limit : portfolio.binding) {
    if (!limit.price) continue;
    bars.x.push_back(double(bars.x.size()));
    bars.y.push_back(ratio ? *limit.price : 10000 * *limit.price);
    std::string of = limit.limit;
    if (limit.per_unit) of += " (a unit)";
    if (limit.raising && *limit.price > shown_price)
      of += *limit.raising > *limit.lowering ? " (raised)" : " (lowered)";
    chart.x.categories.push_back(of);
  }
  chart.series = {bars};
  return chart;
}

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

void add_between(Series& line, const Estimate& estimate, const Eigen::VectorXd& from, const Eigen::VectorXd& to) {
  constexpr int pieces = 12;
  for (int part = 1; part < pieces; ++part) {
    const Eigen::VectorXd weights = from + (double(part) / pieces) * (to - from);
    line.x.push_back(std::sqrt(estimate.covariance.portfolio_variance(weights)));
    line.y.push_back(whole_return(estimate.expected_return.dot(weights), weights.sum(), estimate.risk_free));
  }
}

Chart frontier_chart(const Frontier& frontier, double risk_free) {
  const auto& estimate = frontier.estimate();
  Chart chart;
  chart.title = "Efficient frontier";
  if (estimate.from && estimate.to) {
    chart.subtitle = fmt::format("estimated from {} to {}, {} returns", to_string(*estimate.from),
                                 to_string(*estimate.to), estimate.observations);
  }
  chart.x = {"Volatility per year", Scale::percent};
  chart.y = {"Expected return per year", Scale::percent};
  chart.x_from_zero = true;
  chart.key = Chart::Key::top_left;

  Series assets{Series::Kind::points, "assets"};
  const Eigen::VectorXd volatilities = estimate.volatilities();
  assets.x.assign(volatilities.begin(), volatilities.end());
  assets.y.assign(estimate.expected_return.begin(), estimate.expected_return.end());
  assets.labels = estimate.assets;
  assets.colour = colour::dusk;
  assets.marker = Marker::dot;
  assets.width = 0.9;

  Series line{Series::Kind::line, "efficient frontier"};
  line.colour = colour::deep;
  line.width = 3.5;
  Series corners{Series::Kind::points, "corners"};
  corners.colour = colour::deep;
  corners.marker = Marker::circle;
  corners.width = 0.8;
  const auto& all = frontier.corners();
  const auto whole = [&](double of_weights) { return whole_return(of_weights, frontier.bounds().budget, risk_free); };
  for (std::size_t k = 0; k < all.size(); ++k) {
    corners.x.push_back(all[k].volatility);
    corners.y.push_back(whole(all[k].expected_return));
    line.x.push_back(all[k].volatility);
    line.y.push_back(whole(all[k].expected_return));
    if (k + 1 == all.size()) break;
    add_between(line, estimate, frontier.weights(k), frontier.weights(k + 1));
  }

  const auto least = frontier.minimum_variance();
  Series minimum{Series::Kind::points, "minimum variance", {least.volatility}, {whole(least.expected_return)}, {}};
  minimum.colour = colour::kelp;
  minimum.marker = Marker::square;
  minimum.width = 2;

  if (!frontier.why_no_maximum_sharpe(risk_free)) {
    const auto best = frontier.maximum_sharpe(risk_free);
    const double far = std::max(all.front().volatility, 1.4 * best.portfolio.volatility);
    Series market_line{Series::Kind::line,
                       fmt::format("capital market line from {}", short_percent(risk_free)),
                       {0, far},
                       {risk_free, risk_free + best.sharpe * far},
                       {}};
    market_line.colour = colour::amber;
    market_line.dash = Dash::dashed;
    market_line.width = 2;
    Series sharpe{Series::Kind::points,
                  fmt::format("maximum Sharpe ({:.2f})", best.sharpe),
                  {best.portfolio.volatility},
                  {whole(best.portfolio.expected_return)},
                  {}};
    sharpe.colour = colour::rust;
    sharpe.marker = Marker::diamond;
    sharpe.width = 2.4;
    chart.series = {market_line, line, corners, assets, minimum, sharpe};
  } else {
    chart.series = {line, corners, assets, minimum};
  }
  return chart;
}

Chart transition_chart(const Frontier& frontier) {
  const auto& corners = frontier.corners();
  const auto& assets = frontier.estimate().assets;
  Chart chart;
  chart.title = "Weights along the efficient frontier";
  chart.subtitle = "straight lines between the corners, minimum variance at the left";
  chart.x = {"Expected return per year", Scale::percent};
  chart.y = {"Weight, stacked", Scale::percent};
  chart.key = Chart::Key::right;
  chart.y_from_zero = chart.tight = true;
  Eigen::MatrixXd weights(Eigen::Index(assets.size()), Eigen::Index(corners.size()));
  std::vector<double> x;
  for (std::size_t k = 0; k < corners.size(); ++k) {
    const auto at = corners.size() - 1 - k;
    weights.col(Eigen::Index(k)) = frontier.weights(at);
    x.push_back(whole_return(corners[at].expected_return, frontier.bounds().budget, frontier.estimate().risk_free));
  }
  if (x.size() == 1) {  // one portfolio only: a bar of some width
    x = {x[0] - 1e-4, x[0] + 1e-4};
    weights = weights.replicate(1, 2).eval();
  }
  // What is held long is stacked upward, what is short downward.
  std::vector<double> above(x.size(), 0), below(x.size(), 0);
  std::size_t used = 0;
  for (std::size_t i = 0; i < assets.size(); ++i) {
    if (weights.row(Eigen::Index(i)).cwiseAbs().maxCoeff() <= shown_weight) continue;
    const auto hue = hues[used % hues.size()];
    const auto round = used++ / hues.size();  // solid, then hatched, then pale
    const bool hatched = round % 3 == 1;
    bool named = false;
    for (const double sign : {1.0, -1.0}) {
      auto& base = sign > 0 ? above : below;
      Series band{Series::Kind::band, named ? "" : assets[i], x, {}, {}};
      band.colour = hue;
      band.hatched = hatched;
      band.opacity = round % 3 == 2 ? 0.4 : 0.85;
      bool some = false;
      for (std::size_t k = 0; k < x.size(); ++k) {
        const double part = std::max(0.0, sign * weights(Eigen::Index(i), Eigen::Index(k)));
        some = some || part > shown_weight;
        band.low.push_back(base[k]);
        base[k] += sign * part;
        band.y.push_back(base[k]);
      }
      if (!some) continue;
      chart.series.push_back(std::move(band));
      named = true;
    }
  }
  return chart;
}

namespace {

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

}  // namespace

Chart wealth_chart(const std::vector<Rehearsal>& runs) {
  constexpr std::array colours = {colour::deep, colour::rust, colour::kelp, colour::dusk, colour::amber, colour::sand};
  const auto drawn = runs_to_draw(runs);
  Chart chart;
  chart.title = "Rehearsed wealth after costs";
  if (drawn.size() < runs.size()) chart.subtitle = "the first and the last schedule of each portfolio";
  chart.x = {"Day", Scale::day};
  chart.y = {"Wealth, 100 at the start", Scale::number};
  chart.key = Chart::Key::below;
  std::vector<std::string> aims;
  for (const auto* run : drawn) {
    const bool known = !aims.empty() && aims.back() == run->aim;
    if (!known) aims.push_back(run->aim);
    Series series{Series::Kind::line, fmt::format("{}, {}", run->aim, run->schedule)};
    series.colour = colours[(aims.size() - 1) % colours.size()];
    series.dash = known ? Dash::dashed : Dash::solid;
    series.width = 2;
    for (std::size_t t = 0; t < run->days.size(); ++t) {
      series.x.push_back(double(run->days[t].time_since_epoch().count()) * 86400);
      series.y.push_back(100 * run->net[Eigen::Index(t)] / run->net[0]);
    }
    chart.series.push_back(std::move(series));
  }
  return chart;
}

}  // namespace inchtide::report

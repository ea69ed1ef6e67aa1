#include "limit_prices.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <utility>

namespace inchtide::report {
namespace {

/// What loosening a limit improves, in words, and whether that is a ratio.
std::pair<const char*, bool> what_gains(const Allocation& p) {
  switch (p.aim ? p.aim->gain() : Aim::Gain::volatility) {
    case Aim::Gain::sharpe: return {"Sharpe ratio", true};
    case Aim::Gain::diversification: return {"diversification ratio", true};
    case Aim::Gain::expected_return: return {"expected return", false};
    case Aim::Gain::utility: return {"utility, as return", false};
    case Aim::Gain::tracking_error: return {"tracking error", false};
    case Aim::Gain::volatility: break;
  }
  return {"volatility", false};
}

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
  if (!limit.raising || !(limit.loosening > shown_price)) return price_text(limit, limit.loosening, ratio, "");
  return price_text(limit, limit.loosening, ratio, *limit.raising > *limit.lowering ? ", raised" : ", lowered");
}

/// What the other way takes: tighter, or of an equality against its gain.
std::string loss_text(const BindingLimit& limit, bool ratio) {
  if (!limit.raising) return price_text(limit, limit.tightening ? limit.tightening : limit.loosening, ratio, "");
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

Chart limits_chart(const Allocation& portfolio) {
  const auto [gains, ratio] = what_gains(portfolio);
  Chart chart{.name = "prices"};
  chart.title = fmt::format("What a percentage point more of each limit would bring: {}", portfolio.name);
  chart.x = {""};
  chart.y = {ratio ? fmt::format("Gain in {}", gains) : fmt::format("Gain in {}, basis points", gains)};
  chart.y_from_zero = true;
  Boxes bars{.name = "", .width = 0.6, .colour = colour::amber};
  for (const auto& limit : portfolio.binding) {
    if (!limit.loosening) continue;
    bars.x.push_back(double(bars.x.size()));
    bars.y.push_back(ratio ? *limit.loosening : 10000 * *limit.loosening);
    std::string of = limit.limit;
    if (limit.per_unit) of += " (a unit)";
    if (limit.raising && *limit.loosening > shown_price)
      of += *limit.raising > *limit.lowering ? " (raised)" : " (lowered)";
    chart.x.categories.push_back(of);
  }
  chart.series = {bars};
  return flat_if_long(std::move(chart));
}

}  // namespace inchtide::report

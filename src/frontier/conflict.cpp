#include "frontier/conflict.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <functional>
#include <numeric>

#include "base/numbers.hpp"
#include "frontier/pieces.hpp"
#include "frontier/tolerances.hpp"
#include "frontier/vertex.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/percent.hpp"

namespace inchtide {
namespace {

std::string shown_end(const LimitRow& row, double value) {
  return row.label.starts_with("average:") ? fmt::format("{:.4g}", value) : short_percent(value);
}

/// "sector:power is at least 40%, and its bounds allow 30%": where one row alone contradicts the ranges and the budget.
/// Several rows together: by how much they miss.
std::string figures_of_rows(const Bounds& bounds) {
  for (const auto& a : bounds.rows) {  // the same total twice
    for (const auto& b : bounds.rows) {
      if (a.coefficients != b.coefficients || a.bend.size() + b.bend.size() > 0 || !(a.lower > b.upper)) continue;
      return fmt::format("{} would have to be at least {} and at most {}", a.label, shown_end(a, a.lower),
                         shown_end(b, b.upper));
    }
  }
  for (const auto& row : bounds.rows) {
    auto alone = bounds;
    alone.rows = {row};
    alone.rows[0].lower = -infinity;
    alone.rows[0].upper = infinity;
    const auto reach = [&](double sign) {
      auto objective = bent_rows(alone);
      const Eigen::VectorXd lowest = sign * objective.rows.row(1);
      std::vector<double> bends;
      for (const auto& bend : objective.bends) bends.push_back(sign * bend.rows[1]);
      const Vertex end = best_vertex(vertex_problem(alone), lowest, bends);
      return row.value(end.values.head(bounds.lower.size()));
    };
    // The most of a bent row is no linear problem, and it has no lower end.
    if (row.bend.size() == 0) {
      if (const double most = reach(1); most < row.lower - sum_slack) {
        return fmt::format("{} would have to be at least {}, the ranges of its assets allow {}", row.label,
                           shown_end(row, row.lower), shown_end(row, most));
      }
    }
    if (const double least = reach(-1); least > row.upper + sum_slack) {
      return fmt::format("{} would have to be at most {}, the ranges of its assets and the budget need {}", row.label,
                         shown_end(row, row.upper), shown_end(row, least));
    }
  }
  return fmt::format("together with the budget of {} they miss by {}", short_percent(bounds.budget),
                     short_percent(best_vertex(vertex_problem(bounds), {}, {}).missing));
}

/// The most that so many positions can come to, where none is short.
std::optional<double> most_of_holdings(const Bounds& bounds) {
  if (!bounds.holdings || bounds.lower.minCoeff() < 0) return std::nullopt;
  std::vector<double> upper(bounds.upper.begin(), bounds.upper.end());
  std::ranges::sort(upper, std::greater<>());
  upper.resize(std::min(upper.size(), std::size_t(bounds.holdings->value)));
  return std::accumulate(upper.begin(), upper.end(), 0.0);
}

/// Assets that have to be held.
std::ptrdiff_t must_hold(const Bounds& bounds) {
  return (bounds.lower.array() > 0 || bounds.upper.array() < 0).count();
}

std::string figures_of_conflict(const Bounds& bounds, const std::vector<std::string>& assets) {
  for (std::size_t i = 0; i < assets.size(); ++i) {
    const auto at = Eigen::Index(i);
    if (bounds.lower[at] > bounds.upper[at]) {
      return fmt::format("{} would have to be at least {} and at most {}", assets[i], short_percent(bounds.lower[at]),
                         short_percent(bounds.upper[at]));
    }
  }
  if (bounds.lower.sum() > bounds.budget + sum_slack) {
    return fmt::format("over {} assets they need {}, the budget is {}", assets.size(),
                       short_percent(bounds.lower.sum()), short_percent(bounds.budget));
  }
  if (bounds.upper.sum() < bounds.budget - sum_slack) {
    return fmt::format("over {} assets they allow {}, the budget is {}", assets.size(),
                       short_percent(bounds.upper.sum()), short_percent(bounds.budget));
  }
  if (const auto most = most_of_holdings(bounds); most && *most < bounds.budget - sum_slack) {
    return fmt::format("{} positions can come to {} at most, the budget is {}", bounds.holdings->value,
                       short_percent(*most), short_percent(bounds.budget));
  }
  if (bounds.holdings && double(must_hold(bounds)) > bounds.holdings->value) {
    return fmt::format("{} assets have to be held", must_hold(bounds));
  }
  return figures_of_rows(bounds);
}

}  // namespace

void throw_named(const Limits& conflict, const std::string& figures) {
  std::vector<ConflictingLimit> limits;
  std::vector<std::string> texts;
  for (const auto& limit : conflict) {
    limits.push_back({limit.name, limit.text, limit.lower, limit.upper});
    texts.push_back(quoted_limit(limit));
  }
  throw InfeasibleLimits(texts.empty()
                             ? fmt::format("No weights are within the bounds: {}", figures)
                             : fmt::format("These limits cannot all hold: {}: {}", fmt::join(texts, ", "), figures),
                         std::move(limits));
}

Bounds only_of(Bounds bounds, const std::vector<int>& kept) {
  const auto dropped = [&](int limit) { return limit >= 0 && std::ranges::find(kept, limit) == kept.end(); };
  for (Eigen::Index i = 0; i < bounds.lower.size(); ++i) {
    if (dropped(bounds.lower_limit[std::size_t(i)])) bounds.lower[i] = std::min(bounds.lower[i], 0.0);
    if (dropped(bounds.upper_limit[std::size_t(i)])) bounds.upper[i] = infinity;
  }
  std::erase_if(bounds.rows, [&](const LimitRow& row) { return dropped(row.limit); });
  if (dropped(bounds.budget_limit)) bounds.budget = 1;
  for (auto* figure : {&bounds.volatility, &bounds.tracking_error, &bounds.holdings, &bounds.held}) {
    if (*figure && dropped((*figure)->limit)) figure->reset();
  }
  return bounds;
}

std::string quoted_limit(const Limit& limit) {
  return limit.name == limit.text ? fmt::format("'{}'", limit.text) : fmt::format("{} '{}'", limit.name, limit.text);
}

bool ranges_can_hold(const Bounds& bounds) {
  return (bounds.lower.array() <= bounds.upper.array()).all() && bounds.lower.sum() <= bounds.budget + sum_slack &&
         bounds.upper.sum() >= bounds.budget - sum_slack;
}

bool can_hold(const Bounds& bounds) {
  if (!ranges_can_hold(bounds)) return false;
  if (most_of_holdings(bounds).value_or(infinity) < bounds.budget - sum_slack) return false;
  if (bounds.holdings && double(must_hold(bounds)) > bounds.holdings->value) return false;
  return bounds.rows.empty() || best_vertex(vertex_problem(bounds), {}, {}).feasible;
}

Bounds bounds_of_some(const Limits& some, const std::vector<std::string>& assets, const LimitFacts& facts,
                      bool shorts_open) {
  auto bounds = merged_bounds(some, assets, facts, shorts_open);
  if (!can_hold(bounds)) throw InfeasibleLimits("The limits cannot all hold", {});
  return bounds;
}

void throw_conflict(const Limits& limits, const std::vector<std::string>& assets, const LimitFacts& facts) {
  const bool open = opens_shorts(limits);
  const auto merged = [&](const Limits& some) { return merged_bounds(some, assets, facts, open); };
  const auto conflict = minimal_conflict(limits, [&](const Limits& some) { return !can_hold(merged(some)); });
  throw_named(conflict, figures_of_conflict(merged(conflict), assets));
}

void throw_conflict(const Bounds& bounds, const std::vector<std::string>& assets) {
  std::vector<int> all(bounds.limits.size());
  std::iota(all.begin(), all.end(), 0);
  const auto kept =
      minimal_conflict(all, [&](const std::vector<int>& some) { return !can_hold(only_of(bounds, some)); });
  Limits conflict;
  for (int k : kept) conflict.push_back(bounds.limits[std::size_t(k)]);
  throw_named(conflict, figures_of_conflict(only_of(bounds, kept), assets));
}

Bounds with_named_rows(Bounds bounds) {
  for (std::size_t r = 0; r < bounds.rows.size(); ++r) {
    auto& row = bounds.rows[r];
    if (row.limit >= 0) continue;
    if (row.label.empty()) row.label = fmt::format("row {}", r + 1);
    Limit own;
    own.name = own.text = row.label;
    own.kind = Limit::Kind::total;
    if (row.lower > -infinity) own.lower = row.lower;
    if (row.upper < infinity) own.upper = row.upper;
    row.limit = int(bounds.limits.size());
    bounds.limits.push_back(std::move(own));
  }
  return bounds;
}

}  // namespace inchtide

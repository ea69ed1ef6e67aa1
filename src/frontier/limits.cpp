// What limits come to for the assets there are: bounds.

#include "inchtide/frontier/limits.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <functional>
#include <numeric>
#include <optional>

#include "base/numbers.hpp"
#include "frontier/ceilings.hpp"
#include "frontier/conflict.hpp"
#include "frontier/limit_text.hpp"
#include "frontier/pieces.hpp"
#include "frontier/vertex.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/base/range.hpp"
#include "inchtide/frontier/portfolio.hpp"

namespace inchtide {
namespace {

/// Looks names up for one limit, with errors that name it.
class Lookup {
 public:
  Lookup(const Limit& limit, const std::vector<std::string>& assets, const Tags& tags)
      : limit_(limit), assets_(assets), tags_(tags) {}

  Where place() const { return limit_place(limit_.text, limit_.name); }

  std::size_t asset(const std::string& code) const {
    const auto found = find_name(code, assets_);
    if (!found) {
      throw InputError(place(), fmt::format("no asset has the code '{}'", code), did_you_mean(code, assets_));
    }
    return *found;
  }

  void check_tag(const std::string& tag) const {
    if (find_name(tag, tags_.columns)) return;
    throw InputError(
        place(),
        tags_.columns.empty() ? std::string("there are no tags") : fmt::format("the tags have no column '{}'", tag),
        tags_.columns.empty() ? Remedy(Means::tags, "Give a table of them") : did_you_mean(tag, tags_.columns));
  }

  /// The assets that have a value. A value that no asset of the whole table has is an error; one that none of these
  /// assets has is an empty total.
  std::vector<std::size_t> having(const std::string& tag, const std::string& value) const {
    check_tag(tag);
    if (!tags_.has(tag, value)) {
      throw InputError(place(), fmt::format("no asset has {} '{}'", tag, value), did_you_mean(value, values_of(tag)));
    }
    const auto column = find_name(tag, tags_.columns).value();
    if (rows_.empty()) rows_ = tags_.rows_of(assets_);
    std::vector<std::size_t> members;
    for (std::size_t i = 0; i < assets_.size(); ++i) {
      if (!rows_[i]) continue;
      const auto& own = tags_.rows[*rows_[i]][column];
      if (!own.empty() && same_name(own, value)) members.push_back(i);
    }
    return members;
  }

  std::vector<std::string> values_of(const std::string& tag) const { return tags_.values(tag); }

  double figure(std::size_t asset, const std::string& tag) const {
    const auto text = tags_.value(assets_[asset], tag);
    const auto figure = text ? parse_number(*text) : std::nullopt;
    if (figure) return *figure;
    throw InputError(place(),
                     text ? fmt::format("the {} of {} is '{}', no figure", tag, assets_[asset], *text)
                          : fmt::format("{} has no {}", assets_[asset], tag),
                     "Fill it in the table of tags, or leave the asset out");
  }

 private:
  const Limit& limit_;
  const std::vector<std::string>& assets_;
  const Tags& tags_;
  mutable std::vector<std::optional<std::size_t>> rows_;  // of the assets in the tags, once they are looked up
};

/// Adds what one limit says to the bounds.
class Merge {
 public:
  Merge(Bounds& bounds, const Limit& limit, int position, const std::vector<std::string>& assets,
        const LimitFacts& facts)
      : bounds_(bounds),
        limit_(limit),
        position_(position),
        count_(assets.size()),
        facts_(facts),
        look_up_(limit, assets, facts.tags) {}

  void run() {
    switch (limit_.kind) {
      case Limit::Kind::each: return each();
      case Limit::Kind::every:
        look_up_.check_tag(limit_.tag);
        for (const auto& value : look_up_.values_of(limit_.tag)) {
          const auto members = look_up_.having(limit_.tag, value);
          if (members.empty()) continue;  // the benchmark's, or one that this universe leaves out
          Eigen::VectorXd row = Eigen::VectorXd::Zero(Eigen::Index(count_));
          for (auto i : members) row[Eigen::Index(i)] = 1;
          add_row(limit_.tag + ":" + value, std::move(row), end(limit_.lower, -infinity), end(limit_.upper, infinity));
        }
        return;
      case Limit::Kind::total: return total();
      case Limit::Kind::average: return average();
      case Limit::Kind::gross: return sizes(0, 1, Eigen::VectorXd::Zero(Eigen::Index(count_)), 0);
      case Limit::Kind::short_total: return sizes(-0.5, 0.5, Eigen::VectorXd::Zero(Eigen::Index(count_)), 0);
      case Limit::Kind::turnover:
        if (facts_.current.size() != Eigen::Index(count_)) {
          throw InputError(look_up_.place(), "the weights held now are not known", {Means::current, "Give them"});
        }
        return turnover();
      case Limit::Kind::volatility: return tighten(bounds_.volatility, *limit_.upper);
      case Limit::Kind::tracking_error:
        if (!facts_.benchmark) {
          throw InputError(look_up_.place(), "the benchmark's returns are not known",
                           {Means::benchmark, "Name a benchmark that has prices (an estimate file holds none)"});
        }
        return tighten(bounds_.tracking_error, *limit_.upper);
      case Limit::Kind::holdings: return tighten(bounds_.holdings, *limit_.upper);
      case Limit::Kind::held:
        if (!bounds_.held || *limit_.lower > bounds_.held->value) bounds_.held = {*limit_.lower, position_};
        return;
      case Limit::Kind::budget: return;  // read before the others
    }
  }

 private:
  static double end(const std::optional<double>& value, double otherwise) { return value.value_or(otherwise); }

  void tighten(std::optional<LimitFigure>& figure, double most) {
    if (!figure || most < figure->value) figure = {most, position_};
  }

  /// straight sum w_i + bent sum |w_i - from_i| + constant <= the limit.
  void sizes(double straight, double bent, const Eigen::VectorXd& from, double constant) {
    const auto n = Eigen::Index(count_);
    LimitRow row{position_, word_of(limit_.kind), Eigen::VectorXd::Constant(n, straight), -infinity, *limit_.upper};
    row.bend = Eigen::VectorXd::Constant(n, bent);
    row.bend_at = from;
    row.constant = constant;
    bounds_.rows.push_back(std::move(row));
  }

  /// The larger of purchases, sum (w - w0)+, and sales, sum (w0 - w)+. Their difference is what the weights sum to
  /// more: known where nothing is lost in costs.
  void turnover() {
    const double held = facts_.current.sum();
    if (!facts_.costs || !facts_.costs_count) {
      sizes(0, 0.5, facts_.current, std::abs(held - bounds_.budget) / 2);
      bounds_.rows.back().constant_rising = held > bounds_.budget ? -0.5 : 0.5;
      bounds_.rows.back().constant_falling = held < bounds_.budget ? -0.5 : 0.5;
      return;
    }
    sizes(-0.5, 0.5, facts_.current, held / 2);
    if (bounds_.budget > held) sizes(0.5, 0.5, facts_.current, -held / 2);
  }

  void each() {
    std::vector<bool> counts(count_, !limit_.scope || limit_.outside);
    if (limit_.scope) {
      for (auto i : look_up_.having(limit_.scope->tag, limit_.scope->value)) counts[i] = !limit_.outside;
    }
    for (std::size_t i = 0; i < count_; ++i) {
      if (counts[i]) bound(i, end(limit_.lower, -infinity), end(limit_.upper, infinity));
    }
  }

  void total() {
    Eigen::VectorXd row = Eigen::VectorXd::Zero(Eigen::Index(count_));
    std::string label;
    for (const auto& term : limit_.terms) {
      if (term.tag.empty()) {
        row[Eigen::Index(look_up_.asset(term.value))] += term.factor;
      } else {
        for (auto i : look_up_.having(term.tag, term.value)) row[Eigen::Index(i)] += term.factor;
      }
      // 'sector:power - 2 * sector:food'
      if (!label.empty()) label += term.factor < 0 ? " - " : " + ";
      const double factor = label.empty() ? term.factor : std::abs(term.factor);
      if (factor != 1) label += fmt::format("{:g} * ", factor);
      label += term.tag.empty() ? term.value : term.tag + ":" + term.value;
    }
    const bool single = limit_.terms.size() == 1 && limit_.terms[0].tag.empty();
    const double lower = end(limit_.lower, -infinity), upper = end(limit_.upper, infinity);
    if (!single) return add_row(label, std::move(row), lower, upper);
    const double factor = limit_.terms[0].factor;
    bound(look_up_.asset(limit_.terms[0].value), factor > 0 ? lower / factor : upper / factor,
          factor > 0 ? upper / factor : lower / factor);
  }

  /// sum w_i x_i >= a sum w_i, and the sum of weights is the budget.
  void average() {
    look_up_.check_tag(limit_.tag);
    Eigen::VectorXd row(static_cast<Eigen::Index>(count_));
    for (std::size_t i = 0; i < count_; ++i) row[Eigen::Index(i)] = look_up_.figure(i, limit_.tag);
    add_row("average:" + limit_.tag, std::move(row), end(limit_.lower, -infinity) * bounds_.budget,
            end(limit_.upper, infinity) * bounds_.budget);
    bounds_.rows.back().in_proportion = true;
  }

  void bound(std::size_t i, double lower, double upper) {
    const auto at = Eigen::Index(i);
    const auto forget = [i](auto& ties) { std::erase_if(ties, [i](const auto& tie) { return tie.first == int(i); }); };
    if (lower > bounds_.lower[at]) {
      bounds_.lower[at] = lower;
      bounds_.lower_limit[i] = position_;
      forget(bounds_.lower_ties);
    } else if (lower == bounds_.lower[at] && std::isfinite(lower)) {
      bounds_.lower_ties.emplace_back(int(i), position_);
    }
    if (upper < bounds_.upper[at]) {
      bounds_.upper[at] = upper;
      bounds_.upper_limit[i] = position_;
      forget(bounds_.upper_ties);
    } else if (upper == bounds_.upper[at] && std::isfinite(upper)) {
      bounds_.upper_ties.emplace_back(int(i), position_);
    }
  }

  void add_row(std::string label, Eigen::VectorXd coefficients, double lower, double upper) {
    bounds_.rows.push_back({position_, std::move(label), std::move(coefficients), lower, upper});
  }

  Bounds& bounds_;
  const Limit& limit_;
  int position_;
  std::size_t count_;
  const LimitFacts& facts_;
  Lookup look_up_;
};

/// How far short positions are open where nothing says how far.
constexpr double wide_open = 1e4;

/// How far a limit on short or gross positions opens them, and 0 where none does: an end that no weight can reach.
double opened_shorts(const Limits& limits, bool open_anyway) {
  double most = open_anyway ? wide_open : -1;
  for (const auto& limit : limits) {
    if (limit.kind != Limit::Kind::short_total && limit.kind != Limit::Kind::gross) continue;
    const double opened = limit.kind == Limit::Kind::gross ? *limit.upper : 2 * *limit.upper;
    most = most < 0 ? opened : std::min(most, opened);
  }
  return std::max(0.0, most);
}

/// A limit may be built as a struct: it says what those that are read say.
void check_limit(const Limit& limit) {
  const auto where = limit_place(limit.text, limit.name);
  if (!limit.lower && !limit.upper)
    throw InputError(where, "it has no figure", "Set its lower end, its upper, or both");
  for (const auto& end : {limit.lower, limit.upper}) {
    if (end && !std::isfinite(*end)) throw InputError(where, "its figure is not finite", "Give a number");
  }
  for (const auto& term : limit.terms) {
    if (!std::isfinite(term.factor)) throw InputError(where, "a factor is not finite", "Give a number");
  }
  if (limit.kind == Limit::Kind::total && limit.terms.empty()) {
    throw InputError(where, "it bounds nothing", "Give it a term, an asset or a tag's value");
  }
  check_keyword(limit, where);
}

}  // namespace

void check_facts(const LimitFacts& facts, Eigen::Index assets) {
  if (facts.current.size() != 0) check_per_asset(facts.current, assets, "weights held now");
  if (facts.benchmark) facts.benchmark->check(assets);
  if (facts.costs) facts.costs->check(assets);
}

bool opens_shorts(const Limits& limits) {
  return opened_shorts(limits, false) > 0;
}

Bounds merged_bounds(const Limits& limits, const std::vector<std::string>& assets, const LimitFacts& facts,
                     bool shorts_open) {
  const auto n = Eigen::Index(assets.size());
  for (const auto& limit : limits) check_limit(limit);
  check_facts(facts, n);
  auto bounds = Bounds::long_only(n);
  bounds.lower.setConstant(-infinity);
  for (std::size_t k = 0; k < limits.size(); ++k) {
    if (limits[k].kind != Limit::Kind::budget) continue;
    if (bounds.budget_limit >= 0 && bounds.budget != *limits[k].upper) {
      const auto& other = limits[std::size_t(bounds.budget_limit)];
      throw_named({other, limits[k]}, "the weights have one sum");
    }
    bounds.budget = *limits[k].upper;
    bounds.budget_limit = int(k);
  }
  for (std::size_t k = 0; k < limits.size(); ++k) Merge(bounds, limits[k], int(k), assets, facts).run();
  if (facts.costs_count) bounds.costs = facts.costs;
  bounds.limits = limits;
  const double shorts = opened_shorts(limits, shorts_open);
  for (Eigen::Index i = 0; i < n; ++i) {
    if (bounds.lower[i] == -infinity) bounds.lower[i] = shorts > 0 ? std::min(-shorts, bounds.upper[i]) : 0;
  }
  return bounds;
}

Bounds bounds_of(const Limits& limits, const std::vector<std::string>& assets, const LimitFacts& facts) {
  if (assets.empty()) throw InputError("limits", "there is no asset to hold", "Give at least one asset");
  auto bounds = merged_bounds(limits, assets, facts);
  if (!can_hold(bounds)) throw_conflict(limits, assets, facts);
  return bounds;
}

}  // namespace inchtide

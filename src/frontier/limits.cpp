#include "inchtide/frontier/limits.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "frontier/vertex.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/base/percent.hpp"

namespace inchtide {
namespace {

constexpr double infinity = std::numeric_limits<double>::infinity();
constexpr double budget = 1.0;
/// Sums of bounds that miss the budget by less than this are rounding, not a conflict.
constexpr double sum_tolerance = 1e-12;

// ---- reading -------------------------------------------------------------------------------------------------------

std::string limit_place(std::string_view text, std::string_view name) {
  return name.empty() || name == text ? fmt::format("limit '{}'", text) : fmt::format("limit {} '{}'", name, text);
}

bool is_space(char c) {
  return c == ' ' || c == '\t';
}

std::string_view trimmed(std::string_view text) {
  while (!text.empty() && is_space(text.front())) text.remove_prefix(1);
  while (!text.empty() && is_space(text.back())) text.remove_suffix(1);
  return text;
}

/// `5% <= KELPFARM <= 12%` cut at its comparisons, quotes respected.
struct Pieces {
  std::vector<std::string_view> terms;
  std::vector<std::string> comparisons;
};

Pieces cut_at_comparisons(std::string_view text, const std::string& where) {
  Pieces pieces;
  std::size_t begin = 0;
  bool quoted = false;
  for (std::size_t i = 0; i < text.size(); ++i) {
    if (text[i] == '\'') quoted = !quoted;
    if (quoted || (text[i] != '<' && text[i] != '>' && text[i] != '=')) continue;
    std::string comparison(1, text[i]);
    pieces.terms.push_back(trimmed(text.substr(begin, i - begin)));
    if (i + 1 < text.size() && text[i + 1] == '=') {
      comparison += '=';
      ++i;
    }
    if (comparison == "==") comparison = "=";
    if (comparison == "<" || comparison == ">") {
      throw InputError(where, fmt::format("'{}' is not a comparison here", comparison),
                       fmt::format("Write {}=; a limit always includes its end", comparison));
    }
    pieces.comparisons.push_back(comparison);
    begin = i + 1;
  }
  if (quoted) throw InputError(where, "a quote is not closed", "Close it with '");
  pieces.terms.push_back(trimmed(text.substr(begin)));
  return pieces;
}

/// A figure, with or without %: a factor before a star isn't one.
bool reads_like_figure(std::string_view term) {
  if (term.find('*') != std::string_view::npos) return false;
  return !term.empty() && (std::isdigit(static_cast<unsigned char>(term.front())) != 0 || term.front() == '-' ||
                           term.front() == '+' || term.front() == '.');
}

[[noreturn]] void refuse_kind(const std::string& where, std::string_view subject) {
  throw InputError(where, fmt::format("a limit on '{}' is not offered", subject),
                   "Limits bound an asset (KELPFARM <= 12%), each asset (each >= 1%), a tag's total (sector:power <= "
                   "30%), every total of a tag (every sector <= 30%) or an average (average:yield >= 2.5)");
}

/// The text between two quotes, or nothing when it isn't quoted.
std::optional<std::string> unquoted(std::string_view term, const std::string& where) {
  if (term.empty() || term.front() != '\'') return std::nullopt;
  const auto code = term.size() > 2 && term.back() == '\'' ? term.substr(1, term.size() - 2) : std::string_view{};
  if (code.empty() || code.find('\'') != std::string_view::npos) {
    throw InputError(where, fmt::format("{} is not a quoted code", term), "Write the code between two quotes");
  }
  return std::string(code);
}

/// `KELPFARM`, `asset:each`, `sector:power`, with quotes where need be.
Limit::Term asset_or_tag(std::string_view term, const std::string& where) {
  if (const auto code = unquoted(term, where)) return {1, "", *code};
  const auto colon = term.find(':');
  if (colon == std::string_view::npos) {
    for (const char* keyword :
         {"budget", "gross", "short", "turnover", "holdings", "held", "volatility", "tracking-error", "average"}) {
      if (same_name(term, keyword)) refuse_kind(where, term);
    }
    if (std::ranges::any_of(term, is_space)) refuse_kind(where, term);
    return {1, "", std::string(term)};
  }
  const auto tag = trimmed(term.substr(0, colon)), rest = trimmed(term.substr(colon + 1));
  const auto quoted = unquoted(rest, where);
  if (tag.empty() || rest.empty() || (!quoted && std::ranges::any_of(tag, is_space))) {
    throw InputError(where, fmt::format("'{}' is half a name", term), "Write asset:CODE, or TAG:VALUE as sector:power");
  }
  const auto value = quoted.value_or(std::string(rest));
  if (same_name(tag, "asset")) return {1, "", value};
  return {1, std::string(tag), value};
}

/// A term with an optional factor: `2 * sector:food`.
Limit::Term term_of(std::string_view text, const std::string& where) {
  if (text.empty()) throw InputError(where, "it bounds nothing", "Write an asset or 'each' beside the comparison");
  const auto star = text.front() == '\'' ? std::string_view::npos : text.find('*');
  if (star == std::string_view::npos) return asset_or_tag(text, where);
  const auto factor = parse_number(trimmed(text.substr(0, star)));
  if (!factor || *factor == 0) {
    throw InputError(where, fmt::format("'{}' is not a factor", trimmed(text.substr(0, star))),
                     "Write a figure before the star: 2 * sector:food");
  }
  auto term = asset_or_tag(trimmed(text.substr(star + 1)), where);
  term.factor = *factor;
  return term;
}

/// The first word, and the rest without spaces around it.
std::pair<std::string_view, std::string_view> first_word(std::string_view text) {
  const auto end = std::ranges::find_if(text, is_space) - text.begin();
  return {text.substr(0, std::size_t(end)), trimmed(text.substr(std::size_t(end)))};
}

/// Sets what the limit is about.
void read_subject(Limit& limit, std::string_view text, const std::string& where) {
  if (text.empty()) throw InputError(where, "it bounds nothing", "Write an asset or 'each' beside the comparison");
  const auto [word, rest] = first_word(text);
  if (same_name(word, "each")) {
    limit.kind = Limit::Kind::each;
    if (rest.empty()) return;
    const auto [how, scope] = first_word(rest);
    limit.outside = same_name(how, "outside");
    if ((!limit.outside && !same_name(how, "in")) || scope.empty()) {
      throw InputError(where, fmt::format("'{}' is not a scope", rest),
                       "Write each in sector:power, or each outside it");
    }
    limit.scope = asset_or_tag(scope, where);
    if (limit.scope->tag.empty()) {
      throw InputError(where, fmt::format("'{}' is not a tag's value", scope), "Write it like sector:power");
    }
    return;
  }
  if (same_name(word, "every")) {
    limit.kind = Limit::Kind::every;
    limit.tag = unquoted(rest, where).value_or(std::string(rest));
    if (limit.tag.empty() || limit.tag.find(':') != std::string::npos) {
      throw InputError(where, fmt::format("'{}' names no tag", text), "Write it like every sector <= 30%");
    }
    return;
  }
  limit.terms = {term_of(text, where)};
  if (same_name(limit.terms[0].tag, "average") && limit.terms[0].factor == 1) {
    limit.kind = Limit::Kind::average;
    limit.tag = limit.terms[0].value;
    limit.terms.clear();
    return;
  }
  limit.kind = Limit::Kind::total;
}

/// `sector:power <= 2 * sector:food` as a sum of terms that is at most 0.
void read_relative(Limit& limit, std::string_view left, const std::string& comparison, std::string_view right,
                   const std::string& where) {
  limit.kind = Limit::Kind::total;
  limit.terms = {term_of(left, where), term_of(right, where)};
  limit.terms[1].factor *= -1;
  if (comparison != ">=") limit.upper = 0;
  if (comparison != "<=") limit.lower = 0;
}

double figure_of(const Limit& limit, std::string_view text, const std::string& where) {
  if (limit.kind != Limit::Kind::average) return fraction_from_percent(text, where);
  const auto figure = parse_number(text);
  if (figure) return *figure;
  throw InputError(where, fmt::format("'{}' is not a figure", text),
                   "Give the average in the unit of its column, without a sign");
}

// ---- what limits leave ---------------------------------------------------------------------------------------------

/// Looks names up for one limit, with errors that name it.
class Lookup {
 public:
  Lookup(const Limit& limit, const std::vector<std::string>& assets, const Tags& tags)
      : limit_(limit), assets_(assets), tags_(tags) {}

  std::string place() const { return limit_place(limit_.text, limit_.name); }

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
        tags_.columns.empty() ? std::string("Give a table of them (--tags)") : did_you_mean(tag, tags_.columns));
  }

  /// The assets that have a value. A value that no asset of the whole table has is an error; one that none of these
  /// assets has is an empty total.
  std::vector<std::size_t> having(const std::string& tag, const std::string& value) const {
    check_tag(tag);
    if (!tags_.has(tag, value)) {
      throw InputError(place(), fmt::format("no asset has {} '{}'", tag, value), did_you_mean(value, values_of(tag)));
    }
    std::vector<std::size_t> members;
    for (std::size_t i = 0; i < assets_.size(); ++i) {
      const auto own = tags_.value(assets_[i], tag);
      if (own && same_name(*own, value)) members.push_back(i);
    }
    return members;
  }

  /// The values that some asset has, each once, in the order of the table.
  std::vector<std::string> values_of(const std::string& tag) const {
    std::vector<std::string> values;
    for (const auto& asset : tags_.assets) {
      const auto value = tags_.value(asset, tag);
      if (value && !find_name(*value, values)) values.push_back(*value);
    }
    return values;
  }

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
};

/// Adds what one limit says to the bounds.
class Merge {
 public:
  Merge(Bounds& bounds, const Limit& limit, int position, const std::vector<std::string>& assets, const Tags& tags)
      : bounds_(bounds), limit_(limit), position_(position), count_(assets.size()), look_up_(limit, assets, tags) {}

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
    }
  }

 private:
  static double end(const std::optional<double>& value, double otherwise) { return value.value_or(otherwise); }

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
      if (label.empty()) label = term.tag.empty() ? term.value : term.tag + ":" + term.value;
    }
    if (limit_.terms.size() > 1) label = limit_.text;
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
    add_row("average:" + limit_.tag, std::move(row), end(limit_.lower, -infinity) * budget,
            end(limit_.upper, infinity) * budget);
  }

  void bound(std::size_t i, double lower, double upper) {
    const auto at = Eigen::Index(i);
    if (lower > bounds_.lower[at]) {
      bounds_.lower[at] = lower;
      bounds_.lower_limit[i] = position_;
    }
    if (upper < bounds_.upper[at]) {
      bounds_.upper[at] = upper;
      bounds_.upper_limit[i] = position_;
    }
  }

  void add_row(std::string label, Eigen::VectorXd coefficients, double lower, double upper) {
    bounds_.rows.push_back({position_, std::move(label), std::move(coefficients), lower, upper});
  }

  Bounds& bounds_;
  const Limit& limit_;
  int position_;
  std::size_t count_;
  Lookup look_up_;
};

Bounds merge(const Limits& limits, const std::vector<std::string>& assets, const Tags& tags) {
  const auto n = Eigen::Index(assets.size());
  Bounds bounds{Eigen::VectorXd::Constant(n, -infinity),
                Eigen::VectorXd::Constant(n, infinity),
                std::vector<int>(assets.size(), -1),
                std::vector<int>(assets.size(), -1),
                {}};
  for (std::size_t k = 0; k < limits.size(); ++k) Merge(bounds, limits[k], int(k), assets, tags).run();
  for (Eigen::Index i = 0; i < n; ++i) {
    if (bounds.lower[i] == -infinity) bounds.lower[i] = 0;
  }
  return bounds;
}

// ---- conflicts -----------------------------------------------------------------------------------------------------

std::string shown_end(const LimitRow& row, double value) {
  return row.label.starts_with("average:") ? fmt::format("{:.4g}", value) : short_percent(value);
}

/// "sector:power is at least 40%, and its bounds allow 30%": where one row alone contradicts the ranges and the budget.
/// Several rows together: by how much they miss.
std::string figures_of_rows(const Bounds& bounds) {
  for (const auto& a : bounds.rows) {  // the same total twice
    for (const auto& b : bounds.rows) {
      if (a.coefficients != b.coefficients || !(a.lower > b.upper)) continue;
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
      const Vertex end = best_vertex(vertex_problem(alone), sign * row.coefficients);
      return row.coefficients.dot(end.values.head(bounds.lower.size()));
    };
    if (const double most = reach(1); most < row.lower - sum_tolerance) {
      return fmt::format("{} would have to be at least {}, the ranges of its assets allow {}", row.label,
                         shown_end(row, row.lower), shown_end(row, most));
    }
    if (const double least = reach(-1); least > row.upper + sum_tolerance) {
      return fmt::format("{} would have to be at most {}, the ranges of its assets and the budget need {}", row.label,
                         shown_end(row, row.upper), shown_end(row, least));
    }
  }
  return fmt::format("together with the budget of 100% they miss by {}",
                     short_percent(best_vertex(vertex_problem(bounds), {}).missing));
}

bool can_hold(const Bounds& bounds) {
  const bool ranges = (bounds.lower.array() <= bounds.upper.array()).all() &&
                      bounds.lower.sum() <= budget + sum_tolerance && bounds.upper.sum() >= budget - sum_tolerance;
  return ranges && (bounds.rows.empty() || best_vertex(vertex_problem(bounds), {}).feasible);
}

/// Drops limits one by one while the rest still conflict: what is left is a set of which none can be dropped.
Limits minimal_conflict(Limits conflict, const std::vector<std::string>& assets, const Tags& tags) {
  for (std::size_t k = 0; k < conflict.size();) {
    Limits without = conflict;
    without.erase(without.begin() + std::ptrdiff_t(k));
    if (can_hold(merge(without, assets, tags))) {
      ++k;
    } else {
      conflict = std::move(without);
    }
  }
  return conflict;
}

std::string figures_of_conflict(const Bounds& bounds, const std::vector<std::string>& assets) {
  for (std::size_t i = 0; i < assets.size(); ++i) {
    const auto at = Eigen::Index(i);
    if (bounds.lower[at] > bounds.upper[at]) {
      return fmt::format("{} would have to be at least {} and at most {}", assets[i], short_percent(bounds.lower[at]),
                         short_percent(bounds.upper[at]));
    }
  }
  if (bounds.lower.sum() > budget + sum_tolerance) {
    return fmt::format("over {} assets they need {}, the budget is 100%", assets.size(),
                       short_percent(bounds.lower.sum()));
  }
  if (bounds.upper.sum() < budget - sum_tolerance) {
    return fmt::format("over {} assets they allow {}, the budget is 100%", assets.size(),
                       short_percent(bounds.upper.sum()));
  }
  return figures_of_rows(bounds);
}

std::string quoted_limit(const Limit& limit) {
  return limit.name == limit.text ? fmt::format("'{}'", limit.text) : fmt::format("{} '{}'", limit.name, limit.text);
}

[[noreturn]] void throw_conflict(const Limits& limits, const std::vector<std::string>& assets, const Tags& tags) {
  const auto conflict = minimal_conflict(limits, assets, tags);
  std::vector<std::string> names, texts;
  for (const auto& limit : conflict) {
    names.push_back(limit.name);
    texts.push_back(quoted_limit(limit));
  }
  throw InfeasibleLimits(
      fmt::format("These limits cannot all hold: {}: {}. Loosen or drop one of them", fmt::join(texts, ", "),
                  figures_of_conflict(merge(conflict, assets, tags), assets)),
      names);
}

}  // namespace

Limit Limit::parse(std::string_view text, std::string_view name) {
  const std::string where = limit_place(trimmed(text), name);
  Limit limit;
  limit.text = std::string(trimmed(text));
  limit.name = name.empty() ? limit.text : std::string(name);
  if (limit.text.empty()) throw InputError(where, "it is empty", "Write for example 'KELPFARM <= 12%'");
  const auto pieces = cut_at_comparisons(limit.text, where);
  const auto terms = pieces.terms.size();
  if (terms < 2 || terms > 3) {
    throw InputError(where, "it is not an inequality",
                     "Write for example 'KELPFARM <= 12%' or '5% <= KELPFARM <= 12%'");
  }
  if (terms == 2 && !reads_like_figure(pieces.terms[0]) && !reads_like_figure(pieces.terms[1])) {
    read_relative(limit, pieces.terms[0], pieces.comparisons[0], pieces.terms[1], where);
    return limit;
  }
  const std::size_t subject = terms == 3 ? 1 : (reads_like_figure(pieces.terms[0]) ? 1 : 0);
  read_subject(limit, pieces.terms[subject], where);
  for (std::size_t i = 0; i + 1 < terms; ++i) {
    const auto& comparison = pieces.comparisons[i];
    const bool figure_first = i < subject;
    const double figure = figure_of(limit, pieces.terms[figure_first ? i : i + 1], where);
    if (comparison == "=" && terms == 3) {
      throw InputError(where, "a range takes <= or >= twice", "Write for example '5% <= KELPFARM <= 12%'");
    }
    auto set = [&](std::optional<double>& end) {
      if (end)
        throw InputError(where, "both comparisons set the same end", "Write for example '5% <= KELPFARM <= 12%'");
      end = figure;
    };
    if (comparison == "=" || (comparison == "<=") == figure_first) set(limit.lower);
    if (comparison == "=" || (comparison == "<=") != figure_first) set(limit.upper);
  }
  if (limit.lower && limit.upper && *limit.lower > *limit.upper) {
    throw InputError(where, "its lower end lies above its upper end", "Exchange the two figures");
  }
  return limit;
}

std::string Limit::asset() const {
  return kind == Kind::total && terms.size() == 1 && terms[0].tag.empty() ? terms[0].value : std::string();
}

Bounds Bounds::long_only(Eigen::Index assets) {
  return {Eigen::VectorXd::Zero(assets),
          Eigen::VectorXd::Constant(assets, infinity),
          std::vector<int>(std::size_t(assets), -1),
          std::vector<int>(std::size_t(assets), -1),
          {}};
}

Bounds bounds_of(const Limits& limits, const std::vector<std::string>& assets, const Tags& tags) {
  if (assets.empty()) throw InputError("limits", "there is no asset to hold", "Give at least one asset");
  auto bounds = merge(limits, assets, tags);
  if (!can_hold(bounds)) throw_conflict(limits, assets, tags);
  return bounds;
}

std::vector<Violation> violations_of(const Limits& limits, const std::vector<std::string>& assets,
                                     const Eigen::VectorXd& weights, const Tags& tags, double tolerance) {
  std::vector<Violation> found;
  const double off = std::abs(weights.sum() - budget);
  if (off > tolerance) found.push_back({"budget = 100%", "", off});
  const auto bounds = merge(limits, assets, tags);
  const auto name_of = [&](int limit, const char* otherwise) {
    return limit < 0 ? std::string(otherwise) : limits[std::size_t(limit)].name;
  };
  for (std::size_t i = 0; i < assets.size(); ++i) {
    const auto at = Eigen::Index(i);
    const double below = bounds.lower[at] - weights[at], above = weights[at] - bounds.upper[at];
    if (below > tolerance) found.push_back({name_of(bounds.lower_limit[i], "long only"), assets[i], below});
    if (above > tolerance) found.push_back({name_of(bounds.upper_limit[i], ""), assets[i], above});
  }
  for (const auto& row : bounds.rows) {
    const double value = row.coefficients.dot(weights);
    const double by = std::max(row.lower - value, value - row.upper);
    if (by > tolerance) found.push_back({name_of(row.limit, ""), row.label, by});
  }
  return found;
}

}  // namespace inchtide

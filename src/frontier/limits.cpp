#include "inchtide/frontier/limits.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <functional>
#include <limits>
#include <numeric>

#include "frontier/ceilings.hpp"
#include "frontier/conflict.hpp"
#include "frontier/pieces.hpp"
#include "frontier/vertex.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/base/range.hpp"
#include "inchtide/frontier/portfolio.hpp"

namespace inchtide {
namespace {

constexpr double infinity = std::numeric_limits<double>::infinity();

// ---- reading -------------------------------------------------------------------------------------------------------

Where limit_place(std::string_view text, std::string_view name) {
  if (text.empty() && name.empty()) return "limit";
  return Where::of_limit(std::string(name.empty() ? text : name), std::string(text));
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

Pieces cut_at_comparisons(std::string_view text, const Where& where) {
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

[[noreturn]] void refuse_kind(const Where& where, std::string_view subject) {
  throw InputError(where, fmt::format("a limit on '{}' is not offered", subject),
                   "Limits bound an asset (KELPFARM <= 12%), each asset (each >= 1%), a tag's total (sector:power <= "
                   "30%), every total of a tag (every sector <= 30%), an average (average:yield >= 2.5), or one of "
                   "budget, gross, short, turnover, holdings, held, volatility, tracking-error");
}

/// Limits that a single word names, and what they may say.
struct Keyword {
  const char* word;
  Limit::Kind kind;
  bool lower, upper;
  const char* example;
  const char* why;  // the other way isn't offered
};

constexpr std::array keywords = {
    Keyword{"budget", Limit::Kind::budget, true, true, "budget = 100%", "the weights sum to one figure"},
    Keyword{"gross", Limit::Kind::gross, false, true, "gross <= 130%", "only a ceiling leaves a single best answer"},
    Keyword{"short", Limit::Kind::short_total, false, true, "short <= 20%",
            "only a ceiling leaves a single best answer"},
    Keyword{"turnover", Limit::Kind::turnover, false, true, "turnover <= 25%",
            "only a ceiling leaves a single best answer"},
    Keyword{"holdings", Limit::Kind::holdings, false, true, "holdings <= 12", "it is a ceiling on their number"},
    Keyword{"held", Limit::Kind::held, true, false, "held >= 1%", "a ceiling is written each <= 10%"},
    Keyword{"volatility", Limit::Kind::volatility, false, true, "volatility <= 12%", "it is a ceiling"},
    Keyword{"tracking-error", Limit::Kind::tracking_error, false, true, "tracking-error <= 4%", "it is a ceiling"}};

const Keyword* keyword_of(std::string_view text) {
  const auto found = std::ranges::find_if(keywords, [&](const Keyword& k) { return same_name(text, k.word); });
  return found == keywords.end() ? nullptr : &*found;
}

/// The ends that a limit of a single word sets are those that it may set.
void check_keyword(const Limit& limit, const Where& where) {
  const auto known = std::ranges::find(keywords, limit.kind, &Keyword::kind);
  if (known == keywords.end()) return;
  const bool equal = limit.lower && limit.upper && *limit.lower == *limit.upper;
  const bool fits = known->lower && known->upper ? equal : (limit.lower ? known->lower : known->upper) && !equal;
  if (!fits || (limit.lower && limit.upper && !equal)) {
    throw InputError(where, fmt::format("{} cannot be bounded this way: {}", known->word, known->why),
                     fmt::format("Write it like {}", known->example));
  }
  const double figure = limit.lower.value_or(limit.upper.value_or(0));
  if (figure < 0 && limit.kind != Limit::Kind::budget) {
    throw InputError(where, fmt::format("{} is never negative", known->word),
                     fmt::format("Write it like {}", known->example));
  }
}

/// The text between two quotes, or nothing when it isn't quoted.
std::optional<std::string> unquoted(std::string_view term, const Where& where) {
  if (term.empty() || term.front() != '\'') return std::nullopt;
  const auto code = term.size() > 2 && term.back() == '\'' ? term.substr(1, term.size() - 2) : std::string_view{};
  if (code.empty() || code.find('\'') != std::string_view::npos) {
    throw InputError(where, fmt::format("{} is not a quoted code", term), "Write the code between two quotes");
  }
  return std::string(code);
}

/// `KELPFARM`, `asset:each`, `sector:power`, with quotes where need be.
Limit::Term asset_or_tag(std::string_view term, const Where& where) {
  if (const auto code = unquoted(term, where)) return {1, "", *code};
  const auto colon = term.find(':');
  if (colon == std::string_view::npos) {
    const bool reserved = keyword_of(term) || same_name(term, "average");
    if (reserved || std::ranges::any_of(term, is_space)) refuse_kind(where, term);
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
Limit::Term term_of(std::string_view text, const Where& where) {
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
void read_subject(Limit& limit, std::string_view text, const Where& where) {
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
  if (const auto* keyword = keyword_of(text)) {
    limit.kind = keyword->kind;
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

/// A term that can only be meant as a figure, such as `nan%`.
bool is_no_figure(std::string_view term) {
  return term.ends_with('%') || same_name(term, "nan") || same_name(term, "inf");
}

/// `sector:power <= 2 * sector:food` as a sum of terms that is at most 0.
void read_relative(Limit& limit, std::string_view left, const std::string& comparison, std::string_view right,
                   const Where& where) {
  for (const auto term : {left, right}) {
    if (is_no_figure(term)) {
      throw InputError(where, fmt::format("'{}' is not a figure", term),
                       "Write for example 12%, of an average its unit");
    }
  }
  limit.kind = Limit::Kind::total;
  limit.terms = {term_of(left, where), term_of(right, where)};
  limit.terms[1].factor *= -1;
  if (comparison != ">=") limit.upper = 0;
  if (comparison != "<=") limit.lower = 0;
}

double figure_of(const Limit& limit, std::string_view text, const Where& where) {
  if (limit.kind == Limit::Kind::holdings) {
    const auto count = parse_number(text);
    if (count && *count >= 1 && *count == std::floor(*count)) return *count;
    throw InputError(where, fmt::format("'{}' is no number of positions", text), "Write it like holdings <= 12");
  }
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
    const auto* word = std::ranges::find(keywords, limit_.kind, &Keyword::kind)->word;
    LimitRow row{position_, word, Eigen::VectorXd::Constant(n, straight), -infinity, *limit_.upper};
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

Limit Limit::parse(std::string_view text, std::string_view name) {
  const auto where = limit_place(trimmed(text), name);
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
  check_keyword(limit, where);
  if (limit.lower && limit.upper && *limit.lower > *limit.upper) {
    throw InputError(where, "its lower end lies above its upper end", "Exchange the two figures");
  }
  return limit;
}

std::string Limit::asset() const {
  return kind == Kind::total && terms.size() == 1 && terms[0].tag.empty() ? terms[0].value : std::string();
}

double LimitRow::end_moves(bool lower_end, double budget, bool rising) const {
  const double end = in_proportion && budget != 0 ? (lower_end ? lower : upper) / budget : 0;
  return rising ? end - constant_rising : -end - constant_falling;
}

double LimitRow::value(const Eigen::VectorXd& weights) const {
  const double straight = coefficients.dot(weights) + constant;
  return bend.size() == 0 ? straight : straight + bend.dot((weights - bend_at).cwiseAbs());
}

double turnover_between(const Eigen::VectorXd& from, const Eigen::VectorXd& to) {
  check_per_asset(from, to.size(), "weights before");
  const Eigen::ArrayXd change = (to - from).array();
  return std::max(change.max(0.0).sum(), -change.min(0.0).sum());
}

double TradingCosts::of(const Eigen::VectorXd& weights) const {
  const Eigen::ArrayXd change = (weights - current).array();
  return (buy.array() * change.max(0.0) - sell.array() * change.min(0.0)).sum();
}

bool Bounds::sets_lower(int limit, Eigen::Index asset) const {
  const std::pair tie(int(asset), limit);
  return lower_limit[std::size_t(asset)] == limit || std::ranges::find(lower_ties, tie) != lower_ties.end();
}

bool Bounds::sets_upper(int limit, Eigen::Index asset) const {
  const std::pair tie(int(asset), limit);
  return upper_limit[std::size_t(asset)] == limit || std::ranges::find(upper_ties, tie) != upper_ties.end();
}

void TradingCosts::check(Eigen::Index assets) const {
  check_per_asset(current, assets, "weights held now");
  check_per_asset(buy, assets, "costs of buying");
  check_per_asset(sell, assets, "costs of selling");
  if (assets > 0 && (buy.minCoeff() < 0 || sell.minCoeff() < 0)) {
    throw InputError("costs", "a rate is negative", "Give fractions of the value traded, from 0");
  }
  if (!(years > 0) || !std::isfinite(years)) {
    throw InputError("costs", fmt::format("{} years to spread them over", years), "Give a number above 0");
  }
}

namespace {

/// A row fits so many assets, and its figures are numbers.
void check_row(const LimitRow& row, Eigen::Index assets) {
  const auto where = row.label.empty() ? std::string("a row of the bounds") : row.label;
  check_per_asset(row.coefficients, assets, where);
  if (row.bend.size() + row.bend_at.size() > 0) {
    check_per_asset(row.bend, assets, where + ", bends");
    check_per_asset(row.bend_at, assets, where + ", where it bends");
    if (row.bend.minCoeff() < 0) throw InputError(where, "a bend is negative", "Only sizes can be limited, from above");
    if (row.lower > -infinity) throw InputError(where, "sizes have a lower end", "Only their ceiling can be limited");
  }
  if (std::isnan(row.lower) || std::isnan(row.upper) || row.lower == infinity || row.upper == -infinity) {
    throw InputError(where, "an end is no number", "Give a number, or infinity where there is no end");
  }
  for (double figure : {row.constant, row.constant_rising, row.constant_falling}) {
    if (!std::isfinite(figure)) throw InputError(where, "a constant is not finite", "Give a number");
  }
}

}  // namespace

void Bounds::check(Eigen::Index assets) const {
  const auto of_limits = [&](int limit) { return limit >= -1 && limit < int(std::ssize(limits)); };
  const bool fits = lower.size() == assets && upper.size() == assets && std::ssize(lower_limit) == assets &&
                    std::ssize(upper_limit) == assets;
  if (!fits) {
    throw InputError("bounds",
                     fmt::format("they are of {} lower and {} upper ends, and {} and {} limits, for {} assets",
                                 lower.size(), upper.size(), lower_limit.size(), upper_limit.size(), assets),
                     "Start from Bounds::long_only, or from limits");
  }
  if (!lower.allFinite() || upper.hasNaN() || !std::isfinite(budget)) {
    throw InputError("bounds", "a lower end or the budget is not finite, or an upper end is no number", "Give numbers");
  }
  for (const auto& row : rows) check_row(row, assets);
  if (costs) costs->check(assets);
  bool known = of_limits(budget_limit);
  for (const auto* ends : {&lower_limit, &upper_limit}) known = known && std::ranges::all_of(*ends, of_limits);
  for (const auto& row : rows) known = known && of_limits(row.limit);
  for (const auto* figure : {&volatility, &tracking_error, &holdings, &held}) {
    if (!*figure) continue;
    known = known && of_limits((*figure)->limit);
    if (!std::isfinite((*figure)->value) || (*figure)->value < 0) {
      throw InputError("bounds", fmt::format("a ceiling or number of positions of {}", (*figure)->value),
                       "Give a number from 0");
    }
  }
  if (!known) throw InputError("bounds", "they name a limit that is not among theirs", "Give -1 where there is none");
}

Bounds Bounds::long_only(Eigen::Index assets) {
  Bounds bounds;
  bounds.lower = Eigen::VectorXd::Zero(assets);
  bounds.upper = Eigen::VectorXd::Constant(assets, infinity);
  bounds.lower_limit = bounds.upper_limit = std::vector<int>(std::size_t(assets), -1);
  return bounds;
}

Bounds bounds_of(const Limits& limits, const std::vector<std::string>& assets, const LimitFacts& facts) {
  if (assets.empty()) throw InputError("limits", "there is no asset to hold", "Give at least one asset");
  auto bounds = merged_bounds(limits, assets, facts);
  if (!can_hold(bounds)) throw_conflict(limits, assets, facts);
  return bounds;
}

std::vector<Violation> violations_of(const Limits& limits, const std::vector<std::string>& assets,
                                     const Eigen::VectorXd& weights, const LimitFacts& facts,
                                     const Covariance* covariance, double tolerance) {
  return violations_of(merged_bounds(limits, assets, facts), assets, weights, facts, covariance, tolerance);
}

std::vector<Violation> violations_of(const Bounds& bounds, const std::vector<std::string>& assets,
                                     const Eigen::VectorXd& weights, const LimitFacts& facts,
                                     const Covariance* covariance, double tolerance) {
  const auto n = Eigen::Index(assets.size());
  bounds.check(n);
  check_facts(facts, n);
  check_per_asset(weights, n, "weights");
  std::vector<Violation> found;
  const auto name_of = [&](int limit, const char* otherwise) {
    return limit < 0 ? std::string(otherwise) : bounds.limits[std::size_t(limit)].name;
  };
  const auto report = [&](int limit, const char* otherwise, const std::string& what, double by) {
    if (by > tolerance) found.push_back({name_of(limit, otherwise), what, by});
  };
  double off = std::abs(weights.sum() - bounds.budget);
  if (bounds.costs) off = std::min(off, std::abs(weights.sum() + bounds.costs->of(weights) - bounds.budget));
  report(bounds.budget_limit, "budget = 100%", "", off);
  for (std::size_t i = 0; i < assets.size(); ++i) {
    const auto at = Eigen::Index(i);
    report(bounds.lower_limit[i], "long only", assets[i], bounds.lower[at] - weights[at]);
    report(bounds.upper_limit[i], "", assets[i], weights[at] - bounds.upper[at]);
  }
  for (const auto& row : bounds.rows) {
    const double value = row.value(weights);
    report(row.limit, row.label.c_str(), row.bend.size() > 0 ? "" : row.label,
           std::max(row.lower - value, value - row.upper));
    if (row.label.starts_with("average:") && !found.empty() && found.back().asset == row.label) {
      found.back().figure = true;
    }
  }
  const Eigen::ArrayXd sizes = weights.array().abs();
  if (bounds.holdings) {
    report(bounds.holdings->limit, "", "", double(held_count(weights)) - bounds.holdings->value);
    if (!found.empty() && found.back().limit == name_of(bounds.holdings->limit, "")) found.back().figure = true;
  }
  for (std::size_t i = 0; bounds.held && i < assets.size(); ++i) {
    if (sizes[Eigen::Index(i)] > held_above) {
      report(bounds.held->limit, "", assets[i], bounds.held->value - sizes[Eigen::Index(i)]);
    }
  }
  if (covariance && bounds.volatility) {
    report(bounds.volatility->limit, "", "",
           std::sqrt(covariance->portfolio_variance(weights)) - bounds.volatility->value);
  }
  if (covariance && bounds.tracking_error) {
    report(bounds.tracking_error->limit, "", "",
           benchmark_of(facts.benchmark).tracking_error(*covariance, weights) - bounds.tracking_error->value);
  }
  return found;
}

}  // namespace inchtide

// Limits as people write them.

#include "inchtide/frontier/limits.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <functional>
#include <numeric>

#include "base/trimmed.hpp"
#include "frontier/ceilings.hpp"
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

bool is_space(char c) {
  return c == ' ' || c == '\t';
}

/// `5% <= KELPFARM <= 12%` cut at its comparisons, quotes respected.
struct Comparison {
  std::vector<std::string_view> terms;
  std::vector<std::string> comparisons;
};

Comparison cut_at_comparisons(std::string_view text, const Where& where) {
  Comparison pieces;
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

}  // namespace

Where limit_place(std::string_view text, std::string_view name) {
  if (text.empty() && name.empty()) return "limit";
  return Where::of_limit(std::string(name.empty() ? text : name), std::string(text));
}

const char* word_of(Limit::Kind kind) {
  return std::ranges::find(keywords, kind, &Keyword::kind)->word;
}

void check_keyword(const Limit& limit, const Where& where) {
  const auto known = std::ranges::find(keywords, limit.kind, &Keyword::kind);
  if (known == keywords.end()) return;
  const bool equal = limit.is_equality();
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

}  // namespace inchtide

#include "inchtide/frontier/limits.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <limits>

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

bool reads_like_number(std::string_view term) {
  return !term.empty() && (std::isdigit(static_cast<unsigned char>(term.front())) != 0 || term.front() == '-' ||
                           term.front() == '+' || term.front() == '.');
}

[[noreturn]] void refuse_kind(const std::string& where, std::string_view subject) {
  throw InputError(where, fmt::format("a limit on '{}' is not offered", subject),
                   "Limits bound one asset (KELPFARM <= 12%) or every asset (each >= 1%)");
}

/// The asset that the subject names, or empty for `each`.
std::string subject_of(std::string_view term, const std::string& where) {
  if (term.empty()) throw InputError(where, "it bounds nothing", "Write an asset or 'each' beside the comparison");
  if (term.front() == '\'') {
    const auto code = term.size() > 2 && term.back() == '\'' ? term.substr(1, term.size() - 2) : std::string_view{};
    if (code.empty() || code.find('\'') != std::string_view::npos) {
      throw InputError(where, fmt::format("{} is not a quoted code", term), "Write the code between two quotes");
    }
    return std::string(code);
  }
  if (same_name(term, "each")) return {};
  const auto colon = term.find(':');
  if (colon != std::string_view::npos && same_name(term.substr(0, colon), "asset")) {
    const auto code = trimmed(term.substr(colon + 1));
    if (code.empty()) throw InputError(where, "no code after 'asset:'", "Write asset:CODE");
    return code.front() == '\'' ? subject_of(code, where) : std::string(code);
  }
  for (const char* keyword :
       {"budget", "gross", "short", "turnover", "holdings", "held", "volatility", "tracking-error"}) {
    if (same_name(term, keyword)) refuse_kind(where, term);
  }
  if (colon != std::string_view::npos || std::ranges::any_of(term, is_space)) refuse_kind(where, term);
  return std::string(term);
}

// ---- conflicts -----------------------------------------------------------------------------------------------------

Bounds merge(const Limits& limits, const std::vector<std::string>& assets) {
  const auto n = Eigen::Index(assets.size());
  Bounds bounds{Eigen::VectorXd::Constant(n, -infinity), Eigen::VectorXd::Constant(n, infinity),
                std::vector<int>(assets.size(), -1), std::vector<int>(assets.size(), -1)};
  for (std::size_t k = 0; k < limits.size(); ++k) {
    const auto& limit = limits[k];
    std::size_t first = 0, last = assets.size();
    if (!limit.asset.empty()) {
      const auto found = find_name(limit.asset, assets);
      if (!found) {
        throw InputError(limit_place(limit.text, limit.name), fmt::format("no asset has the code '{}'", limit.asset),
                         did_you_mean(limit.asset, assets));
      }
      first = *found;
      last = first + 1;
    }
    for (std::size_t i = first; i < last; ++i) {
      const auto at = Eigen::Index(i);
      if (limit.lower && *limit.lower > bounds.lower[at]) {
        bounds.lower[at] = *limit.lower;
        bounds.lower_limit[i] = int(k);
      }
      if (limit.upper && *limit.upper < bounds.upper[at]) {
        bounds.upper[at] = *limit.upper;
        bounds.upper_limit[i] = int(k);
      }
    }
  }
  for (Eigen::Index i = 0; i < n; ++i) {
    if (bounds.lower[i] == -infinity) bounds.lower[i] = 0;
  }
  return bounds;
}

bool can_hold(const Bounds& bounds) {
  return (bounds.lower.array() <= bounds.upper.array()).all() && bounds.lower.sum() <= budget + sum_tolerance &&
         bounds.upper.sum() >= budget - sum_tolerance;
}

/// Drops limits one by one while the rest still conflict: what is left is a set of which none can be dropped.
Limits minimal_conflict(Limits conflict, const std::vector<std::string>& assets) {
  for (std::size_t k = 0; k < conflict.size();) {
    Limits without = conflict;
    without.erase(without.begin() + std::ptrdiff_t(k));
    if (can_hold(merge(without, assets))) {
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
  if (bounds.lower.sum() > budget) {
    return fmt::format("over {} assets they need {}, the budget is 100%", assets.size(),
                       short_percent(bounds.lower.sum()));
  }
  return fmt::format("over {} assets they allow {}, the budget is 100%", assets.size(),
                     short_percent(bounds.upper.sum()));
}

std::string quoted_limit(const Limit& limit) {
  return limit.name == limit.text ? fmt::format("'{}'", limit.text) : fmt::format("{} '{}'", limit.name, limit.text);
}

[[noreturn]] void throw_conflict(const Limits& limits, const std::vector<std::string>& assets) {
  const auto conflict = minimal_conflict(limits, assets);
  std::vector<std::string> names, texts;
  for (const auto& limit : conflict) {
    names.push_back(limit.name);
    texts.push_back(quoted_limit(limit));
  }
  throw InfeasibleLimits(fmt::format("These limits cannot all hold: {}: {}. Loosen or drop one of them",
                                     fmt::join(texts, ", "), figures_of_conflict(merge(conflict, assets), assets)),
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
  const std::size_t subject = terms == 3 ? 1 : (reads_like_number(pieces.terms[0]) ? 1 : 0);
  limit.asset = subject_of(pieces.terms[subject], where);
  for (std::size_t i = 0; i + 1 < terms; ++i) {
    const auto& comparison = pieces.comparisons[i];
    const bool figure_first = i < subject;
    const double figure = fraction_from_percent(pieces.terms[figure_first ? i : i + 1], where);
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

Bounds Bounds::long_only(Eigen::Index assets) {
  return {Eigen::VectorXd::Zero(assets), Eigen::VectorXd::Constant(assets, infinity),
          std::vector<int>(std::size_t(assets), -1), std::vector<int>(std::size_t(assets), -1)};
}

Bounds bounds_of(const Limits& limits, const std::vector<std::string>& assets) {
  if (assets.empty()) throw InputError("limits", "there is no asset to hold", "Give at least one asset");
  auto bounds = merge(limits, assets);
  if (!can_hold(bounds)) throw_conflict(limits, assets);
  return bounds;
}

std::vector<Violation> violations_of(const Limits& limits, const std::vector<std::string>& assets,
                                     const Eigen::VectorXd& weights, double tolerance) {
  std::vector<Violation> found;
  const double off = std::abs(weights.sum() - budget);
  if (off > tolerance) found.push_back({"budget = 100%", "", off});
  const auto bounds = merge(limits, assets);
  const auto name_of = [&](int limit, const char* otherwise) {
    return limit < 0 ? std::string(otherwise) : limits[std::size_t(limit)].name;
  };
  for (std::size_t i = 0; i < assets.size(); ++i) {
    const auto at = Eigen::Index(i);
    const double below = bounds.lower[at] - weights[at], above = weights[at] - bounds.upper[at];
    if (below > tolerance) found.push_back({name_of(bounds.lower_limit[i], "long only"), assets[i], below});
    if (above > tolerance) found.push_back({name_of(bounds.upper_limit[i], ""), assets[i], above});
  }
  return found;
}

}  // namespace inchtide

// Views: read, and worked into the implied returns.

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cctype>
#include <cmath>

#include "base/dense.hpp"
#include "estimate/expected_returns.hpp"
#include "estimate/tolerances.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/base/percent.hpp"

namespace inchtide {
namespace {

/// `50% TIDEMILL + 50% GALEWORK - KELPFARM`, term by term.
class ViewTerms {
 public:
  ViewTerms(std::string_view text, std::string where) : text_(text), where_(std::move(where)) {}

  std::vector<std::pair<std::string, double>> read() {
    std::vector<std::pair<std::string, double>> terms;
    for (skip_spaces(); at_ < text_.size(); skip_spaces()) {
      const double sign = take_sign(terms.empty());
      const double factor = take_factor();
      terms.emplace_back(take_code(), sign * factor);
    }
    if (terms.empty()) fail("it names no asset");
    return terms;
  }

 private:
  [[noreturn]] void fail(const std::string& problem) const {
    throw InputError(where_, fmt::format("'{}': {}", text_, problem),
                     "Write it like 'KELPFARM = 8%', 'GALEWORK - TIDEMILL = 2%' or '50% TIDEMILL + 2 * GALEWORK = 5%'");
  }
  void skip_spaces() {
    while (at_ < text_.size() && text_[at_] == ' ') ++at_;
  }

  double take_sign(bool first) {
    const char c = text_[at_];
    if (c != '+' && c != '-') {
      if (!first) fail(fmt::format("there is no + or - before '{}'", text_.substr(at_)));
      return 1;
    }
    ++at_;
    skip_spaces();
    return c == '-' ? -1 : 1;
  }

  /// `50%`, `2 *`, or 1 where there is neither.
  double take_factor() {
    auto end = at_;
    while (end < text_.size() && (std::isdigit(static_cast<unsigned char>(text_[end])) != 0 || text_[end] == '.'))
      ++end;
    const auto figure = parse_number(text_.substr(at_, end - at_));
    auto after = end;
    while (after < text_.size() && text_[after] == ' ') ++after;
    const bool marked = after < text_.size() && (text_[after] == '%' || text_[after] == '*');
    if (!figure || !marked) return 1;  // a code may begin with a figure
    at_ = after + 1;
    double factor = text_[after] == '%' ? *figure / 100 : *figure;
    skip_spaces();
    if (text_[after] == '%' && at_ < text_.size() && text_[at_] == '*') ++at_;
    skip_spaces();
    return factor;
  }

  std::string take_code() {
    if (at_ < text_.size() && text_[at_] == '\'') {
      const auto close = text_.find('\'', at_ + 1);
      if (close == std::string_view::npos) fail("a quote is not closed");
      std::string code(text_.substr(at_ + 1, close - at_ - 1));
      at_ = close + 1;
      if (code.empty()) fail("a code is missing");
      return code;
    }
    const auto end = std::min(text_.find_first_of(" +-*%", at_), text_.size());
    std::string code(text_.substr(at_, end - at_));
    if (code.empty()) fail("a code is missing");
    at_ = end;
    return code;
  }

  std::string_view text_;
  std::string where_;
  std::size_t at_ = 0;
};

Eigen::VectorXd positions_of(const View& view, const Observed& seen) {
  Eigen::VectorXd positions = Eigen::VectorXd::Zero(seen.returns().cols());
  for (const auto& [asset, amount] : view.positions) {
    const auto found = find_name(asset, seen.table.assets);
    if (!found) {
      throw InputError(fmt::format("view {}", view.name), fmt::format("no asset has the code '{}'", asset),
                       did_you_mean(asset, seen.table.assets));
    }
    positions[Eigen::Index(*found)] += amount;
  }
  if (!(view.confidence > 0) || view.confidence > 1) {
    throw InputError(fmt::format("view {}", view.name), fmt::format("a confidence of {}", view.confidence),
                     "Give more than 0% and at most 100%");
  }
  if (positions.isZero(0)) {
    throw InputError(fmt::format("view {}", view.name), "its positions cancel out", "Name each asset once");
  }
  return positions;
}

/// True where certain views that came before say the same already. @throws InputError where they say otherwise
bool follows_from_others(const View& view, const std::vector<const View*>& before, const Eigen::MatrixXd& positions,
                         const Covariance& covariance) {
  std::vector<Eigen::Index> certain;
  for (std::size_t k = 0; k < before.size(); ++k) {
    if (before[k]->confidence == 1) certain.push_back(Eigen::Index(k));
  }
  const Eigen::VectorXd own = positions.col(Eigen::Index(before.size()));
  if (certain.empty()) return false;
  const Eigen::MatrixXd others = positions(Eigen::all, certain);
  const Eigen::VectorXd parts = dense::least_squares(others, own), rest = own - others * parts;
  const double risk = covariance.portfolio_variance(rest);
  if (rest.norm() > no_rest * own.norm() && risk > no_risk * covariance.portfolio_variance(own)) return false;
  double implied = 0;
  std::vector<std::string> names;
  for (std::size_t k = 0; k < certain.size(); ++k) {
    const auto& other = *before[std::size_t(certain[k])];
    implied += parts[Eigen::Index(k)] * other.expected_return;
    if (std::abs(parts[Eigen::Index(k)]) > no_part) names.push_back(other.name);
  }
  if (std::abs(implied - view.expected_return) <= same_view) return true;
  throw InputError(fmt::format("view {}", view.name),
                   fmt::format("it says {}, and {} with 100% confidence {} {}", short_percent(view.expected_return),
                               fmt::join(names, " and "), names.size() == 1 ? "says" : "say", short_percent(implied)),
                   "They contradict each other: change one, or give them less confidence");
}

}  // namespace

View View::parse(std::string_view text, const std::string& name, double confidence) {
  const auto where = fmt::format("view {}", name);
  const auto equals = text.find('=');
  if (equals == std::string_view::npos) {
    throw InputError(where, fmt::format("'{}': it has no '='", text),
                     "Write it like 'KELPFARM = 8%' or 'GALEWORK - TIDEMILL = 2%'");
  }
  View view{name, ViewTerms(text.substr(0, equals), where).read(), 0, confidence};
  view.expected_return = fraction_from_percent(text.substr(equals + 1), where);
  return view;
}

/// E = pi + S P' (P S P' + W)^-1 (q - P pi), W diagonal with (1 - c)/c times the variance of each view. (With doubts
/// that are multiples of it the usual factor tau of S cancels.)
Eigen::VectorXd with_views(const Observed& seen, const EstimateOptions& options, const Covariance& covariance) {
  const Eigen::VectorXd prior = implied_returns(seen, options, covariance);
  if (options.views.empty()) {
    throw InputError("views", "there are none",
                     {{Means::views, "Give some"}, {Means::expected_return, "choose implied"}});
  }
  std::vector<const View*> views;
  Eigen::MatrixXd positions(prior.size(), Eigen::Index(options.views.size()));  // P'
  for (const auto& view : options.views) {
    positions.col(Eigen::Index(views.size())) = positions_of(view, seen);
    if (view.confidence == 1 && follows_from_others(view, views, positions, covariance)) continue;
    views.push_back(&view);
  }
  const auto k = Eigen::Index(views.size());
  positions.conservativeResize(Eigen::NoChange, k);
  Eigen::VectorXd said(k), doubt(k);
  for (Eigen::Index v = 0; v < k; ++v) {
    const auto& view = *views[std::size_t(v)];
    said[v] = view.expected_return;
    doubt[v] = (1 - view.confidence) / view.confidence;
  }
  Eigen::MatrixXd moved(prior.size(), k);  // S P'
  for (Eigen::Index v = 0; v < k; ++v) moved.col(v) = covariance.product(positions.col(v));
  Eigen::MatrixXd spread = positions.transpose() * moved;
  for (Eigen::Index v = 0; v < k; ++v) {
    if (spread(v, v) > no_variance * covariance.variances().maxCoeff() * positions.col(v).squaredNorm()) continue;
    throw InputError(fmt::format("view {}", views[std::size_t(v)]->name), "what it speaks of has no risk to move it",
                     "Give the asset's return as your own figure instead");
  }
  spread.diagonal() += spread.diagonal().cwiseProduct(doubt);
  return prior + moved * solved(spread, said - positions.transpose() * prior, "views");
}

}  // namespace inchtide

#include "inchtide/study/grid_axes.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <functional>
#include <utility>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/base/range.hpp"

namespace inchtide {
namespace {

constexpr double most_costs = 1000;
constexpr int longest_delay = 1'000'000;

template <typename Method>
std::optional<Method> method_of(std::string_view text, const Where& where, std::optional<Notice>& why) {
  try {
    return Method::parse(text, where);
  } catch (const InputError& error) {
    why = error.notice();
    return std::nullopt;
  }
}

double level_in(std::string_view text, const Where& where) {
  const auto level = parse_number(text);
  if (!level) {
    throw InputError(where, fmt::format("'{}' is no level of costs", text), "Write a number: 2 is twice all costs");
  }
  return within(*level, 0, most_costs, where);
}

int delay_in(std::string_view text, const Where& where) {
  const auto delay = parse_number(text);
  if (!delay || *delay < 0 || *delay > longest_delay || *delay != double(int(*delay))) {
    throw InputError(where, fmt::format("'{}' is no number of trading days", text), "Write 0, 1, 2, ...");
  }
  return int(*delay);
}

template <typename Value, typename Parse>
void fill(std::vector<Value>& axis, const std::vector<std::string>& texts, Parse parse) {
  axis.clear();
  for (const auto& text : texts) axis.push_back(parse(text));
}

}  // namespace

Estimator Estimator::parse(std::string_view text, const Where& where) {
  if (const auto slash = text.find('/'); slash != std::string_view::npos) {
    return {std::string(text), ExpectedMethod::parse(text.substr(0, slash), where),
            CovarianceMethod::parse(text.substr(slash + 1), where)};
  }
  std::optional<Notice> why_expected, why_covariance;
  Estimator either{std::string(text), method_of<ExpectedMethod>(text, where, why_expected),
                   method_of<CovarianceMethod>(text, where, why_covariance)};
  if (!either.expected && !either.covariance) throw InputError(*why_covariance);
  return either;
}

std::string Estimator::text() const {
  if (expected && covariance && expected->text() != covariance->text()) {
    return fmt::format("{}/{}", expected->text(), covariance->text());
  }
  return expected ? expected->text() : covariance ? covariance->text() : "";
}

EstimateWindow EstimateWindow::parse(std::string_view text, const Where& where) {
  if (same_name(text, "all")) return {};
  return {Interval::parse(text, where)};
}

void fill_axis(GridAxes& axes, std::string_view axis, const std::vector<std::string>& texts, const Where& where) {
  const std::vector<std::pair<std::string, std::function<void()>>> known = {
      {"schedule", [&] { fill(axes.schedules, texts, [&](const auto& t) { return Schedule::parse(t, where); }); }},
      {"cost-level", [&] { fill(axes.cost_levels, texts, [&](const auto& t) { return level_in(t, where); }); }},
      {"aim", [&] { fill(axes.aims, texts, [&](const auto& t) { return Aim::parse(t, where); }); }},
      {"estimator", [&] { fill(axes.estimators, texts, [&](const auto& t) { return Estimator::parse(t, where); }); }},
      {"window", [&] { fill(axes.windows, texts, [&](const auto& t) { return EstimateWindow::parse(t, where); }); }},
      {"delay", [&] { fill(axes.delays, texts, [&](const auto& t) { return delay_in(t, where); }); }},
      {"start", [&] { fill(axes.starts, texts, [&](const auto& t) { return day_from(t, where); }); }}};
  std::vector<std::string> names;
  for (const auto& one : known) names.push_back(one.first);
  const auto found = find_name(axis, names);
  if (!found) throw InputError(where, fmt::format("a grid has no axis '{}'", axis), did_you_mean(axis, names));
  if (texts.empty()) {
    throw InputError(where, fmt::format("the axis {} has no values", names[*found]), "Give some, or leave it out");
  }
  known[*found].second();
}

}  // namespace inchtide

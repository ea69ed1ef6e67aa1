#include "inchtide/prices/overlays.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>
#include <span>

#include "base/numbers.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/base/range.hpp"

namespace inchtide {
namespace {

void check_rows(std::int64_t k) {
  whole_within(k, 1, std::numeric_limits<int>::max(), "overlay over so many rows");
}

/// One figure a row from the k rows that end there.
template <typename Figure>
std::vector<double> over_windows(const std::vector<double>& values, std::int64_t k, Figure figure) {
  check_rows(k);
  std::vector<double> result(values.size(), no_figure);
  for (std::size_t end = std::size_t(k); end <= values.size(); ++end) {
    result[end - 1] = figure(std::span(values).subspan(end - std::size_t(k), std::size_t(k)));
  }
  return result;
}

double mean_of(std::span<const double> rows) {
  return std::accumulate(rows.begin(), rows.end(), 0.0) / double(rows.size());
}

double deviation_of(std::span<const double> rows) {
  const double mean = mean_of(rows);
  double squares = 0;
  for (double value : rows) squares += (value - mean) * (value - mean);
  return std::sqrt(squares / double(rows.size()));
}

struct Kind {
  const char* name;
  std::vector<double> defaults;
};

const std::vector<Kind>& kinds() {
  static const std::vector<Kind> all = {{"sma", {20}},         {"ema", {20}},      {"bands", {20, 2}},
                                        {"macd", {12, 26, 9}}, {"momentum", {10}}, {"stochastic", {14, 3}}};
  return all;
}

}  // namespace

std::vector<double> moving_average(const std::vector<double>& values, int k) {
  return over_windows(values, k, mean_of);
}

std::vector<double> exponential_average(const std::vector<double>& values, int k) {
  check_rows(k);
  std::vector<double> result(values.size(), no_figure);
  const auto first = std::ranges::find_if(values, [](double v) { return !std::isnan(v); }) - values.begin();
  const auto start = std::size_t(first) + std::size_t(k);  // rows before the first figure, then k of them
  if (start > values.size()) return result;
  double average = mean_of(std::span(values).subspan(std::size_t(first), std::size_t(k)));
  result[start - 1] = average;
  for (std::size_t t = start; t < values.size(); ++t) {
    average += 2.0 / (double(k) + 1) * (values[t] - average);
    result[t] = average;
  }
  return result;
}

Bands deviation_bands(const std::vector<double>& values, int k, double width) {
  finite(width, "bands, so many deviations wide");
  Bands bands{moving_average(values, k), {}, {}};
  const auto deviation = over_windows(values, k, deviation_of);
  for (std::size_t t = 0; t < values.size(); ++t) {
    bands.upper.push_back(bands.middle[t] + width * deviation[t]);
    bands.lower.push_back(bands.middle[t] - width * deviation[t]);
  }
  return bands;
}

Convergence convergence_divergence(const std::vector<double>& values, int fast, int slow, int signal) {
  Convergence result{exponential_average(values, fast), {}, {}};
  const auto slower = exponential_average(values, slow);
  for (std::size_t t = 0; t < values.size(); ++t) result.line[t] -= slower[t];
  result.signal = exponential_average(result.line, signal);
  for (std::size_t t = 0; t < values.size(); ++t) result.difference.push_back(result.line[t] - result.signal[t]);
  return result;
}

std::vector<double> momentum(const std::vector<double>& values, int k) {
  check_rows(k);
  return over_windows(values, std::int64_t(k) + 1,
                      [](std::span<const double> rows) { return rows.back() / rows.front() - 1; });
}

Stochastic stochastic(const std::vector<double>& high, const std::vector<double>& low, const std::vector<double>& close,
                      int k, int smooth) {
  if (high.size() != close.size() || low.size() != close.size()) {
    throw InputError("stochastic",
                     fmt::format("{} highs and {} lows for {} closes", high.size(), low.size(), close.size()),
                     "Give one of each a row");
  }
  const auto highest = over_windows(high, k, [](auto rows) { return *std::ranges::max_element(rows); });
  const auto lowest = over_windows(low, k, [](auto rows) { return *std::ranges::min_element(rows); });
  Stochastic result;
  for (std::size_t t = 0; t < close.size(); ++t) {
    const double range = highest[t] - lowest[t];
    result.position.push_back(range > 0 ? (close[t] - lowest[t]) / range : no_figure);
  }
  result.smoothed = moving_average(result.position, smooth);
  return result;
}

Overlay Overlay::parse(std::string_view text, const Where& where) {
  std::vector<std::string> parts;
  for (std::size_t begin = 0; begin <= text.size();) {
    const auto end = std::min(text.find(':', begin), text.size());
    parts.emplace_back(text.substr(begin, end - begin));
    begin = end + 1;
  }
  std::vector<std::string> names;
  for (const auto& kind : kinds()) names.push_back(kind.name);
  const auto found = find_name(parts[0], names);
  if (!found) {
    throw InputError(where, fmt::format("there is no overlay '{}'", parts[0]), did_you_mean(parts[0], names));
  }
  Overlay overlay{Kind(*found), kinds()[*found].defaults};
  const auto fail = [&](const std::string& problem) {
    throw InputError(where, fmt::format("'{}': {}", text, problem),
                     fmt::format("Write it like {}", Overlay{Kind(*found), kinds()[*found].defaults}.text()));
  };
  if (parts.size() - 1 > overlay.figures.size()) fail("too many figures");
  for (std::size_t i = 1; i < parts.size(); ++i) {
    const auto value = parse_number(parts[i]);
    const bool is_width = overlay.kind == Kind::bands && i == 2;
    if (!value || !(*value > 0) || *value > 10000 || (!is_width && *value != std::floor(*value))) {
      fail(fmt::format("'{}' is not a {}", parts[i], is_width ? "number of deviations" : "whole number of rows"));
    }
    overlay.figures[i - 1] = *value;
  }
  if (overlay.kind == Kind::macd && overlay.figures[0] >= overlay.figures[1]) fail("the first average is the faster");
  return overlay;
}

std::string Overlay::text() const {
  std::string result = kinds()[std::size_t(kind)].name;
  for (double figure : figures) result += fmt::format(":{:g}", figure);
  return result;
}

std::vector<OverlayLine> lines_of(const Overlay& overlay, const BarHistory& bars, PriceField field) {
  bars.check();
  if (!bars.has(field))
    throw InputError(Where::of_asset(bars.asset), "it has no " + to_string(field), "Take a field that it has");
  const auto& values = bars.of(field);
  std::string name = overlay.text();
  std::ranges::replace(name, ':', ' ');
  const auto rows = [&](std::size_t i) { return int(overlay.figures[i]); };
  int needed = rows(0);
  if (overlay.kind == Overlay::Kind::macd) needed = rows(1) + rows(2) - 1;
  if (overlay.kind == Overlay::Kind::momentum) needed = rows(0) + 1;
  if (overlay.kind == Overlay::Kind::stochastic) needed = rows(0) + rows(1) - 1;
  if (bars.days.size() < std::size_t(needed)) {
    throw InputError(Where::of_asset(bars.asset),
                     fmt::format("{} needs {} rows, there are {}", overlay.text(), needed, bars.days.size()),
                     "Take a longer window or fewer rows");
  }
  switch (overlay.kind) {
    case Overlay::Kind::sma: return {{name, moving_average(values, rows(0))}};
    case Overlay::Kind::ema: return {{name, exponential_average(values, rows(0))}};
    case Overlay::Kind::bands: {
      auto bands = deviation_bands(values, rows(0), overlay.figures[1]);
      return {{name + " middle", std::move(bands.middle)},
              {name + " upper", std::move(bands.upper)},
              {name + " lower", std::move(bands.lower)}};
    }
    case Overlay::Kind::macd: {
      auto macd = convergence_divergence(values, rows(0), rows(1), rows(2));
      return {{name, std::move(macd.line)},
              {name + " signal", std::move(macd.signal)},
              {name + " difference", std::move(macd.difference)}};
    }
    case Overlay::Kind::momentum: return {{name, momentum(values, rows(0))}};
    case Overlay::Kind::stochastic: break;
  }
  if (!bars.has(PriceField::high) || !bars.has(PriceField::low) || !bars.has(PriceField::close)) {
    throw InputError(Where::of_asset(bars.asset),
                     "a stochastic needs high, low and close, and it hasn't got all of them", "Leave the overlay out");
  }
  auto result =
      stochastic(bars.of(PriceField::high), bars.of(PriceField::low), bars.of(PriceField::close), rows(0), rows(1));
  return {{name, std::move(result.position)}, {name + " smoothed", std::move(result.smoothed)}};
}

}  // namespace inchtide

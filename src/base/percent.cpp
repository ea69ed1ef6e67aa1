#include "inchtide/base/percent.hpp"

#include <fmt/format.h>

#include <charconv>
#include <cmath>

#include "base/trimmed.hpp"
#include "inchtide/base/errors.hpp"

namespace inchtide {
namespace {

/// A figure that rounds to nothing is printed without its minus sign.
double without_negative_zero(double value, int decimals) {
  return std::abs(value) < 0.5 * std::pow(10.0, -decimals) ? 0.0 : value;
}

}  // namespace

std::optional<double> parse_number(std::string_view text) {
  double value = 0;
  const char* begin = text.data();
  if (!text.empty() && *begin == '+') ++begin;
  const auto [end, error] = std::from_chars(begin, text.data() + text.size(), value);
  if (text.empty() || error != std::errc{} || end != text.data() + text.size() || !std::isfinite(value)) {
    return std::nullopt;
  }
  return value;
}

double fraction_from_percent(std::string_view text, const Where& where) {
  const auto body = trimmed(text);
  if (body.empty() || body.back() != '%') {
    if (const auto bare = parse_number(body)) {
      throw InputError(
          where, fmt::format("'{}' has no % sign", body),
          *bare == 0 ? "Write 0%" : fmt::format("Write {}% or {}%, whichever is meant", *bare, 100 * *bare));
    }
    throw InputError(where, fmt::format("'{}' is not a percentage", body), "Write a number and %, as 12%");
  }
  const auto number = parse_number(trimmed(body.substr(0, body.size() - 1)));
  if (!number) {
    throw InputError(where, fmt::format("'{}' is not a percentage", body), "Write a number and %, as 12%");
  }
  return *number / 100;
}

std::string percent_text(double fraction, int decimals) {
  return fmt::format("{:.{}f}%", without_negative_zero(100 * fraction, decimals), decimals);
}

std::string short_percent(double fraction) {
  std::string text = fmt::format("{:.10f}", without_negative_zero(100 * fraction, 10));
  while (text.back() == '0') text.pop_back();
  if (text.back() == '.') text.pop_back();
  return text + "%";
}

}  // namespace inchtide

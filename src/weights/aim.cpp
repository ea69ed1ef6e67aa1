#include "inchtide/weights/aim.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <array>
#include <vector>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/base/range.hpp"

namespace inchtide {
namespace {

constexpr std::array names = {"minimum-variance",
                              "maximum-sharpe",
                              "target-return",
                              "target-volatility",
                              "equal",
                              "utility",
                              "maximum-diversification",
                              "inverse-volatility",
                              "equal-risk-contribution",
                              "minimum-tracking-error",
                              "blend-volatility",
                              "blend-return"};

bool takes_target(Aim::Kind kind) {
  return kind == Aim::Kind::target_return || kind == Aim::Kind::target_volatility || kind == Aim::Kind::utility ||
         kind == Aim::Kind::blend_volatility || kind == Aim::Kind::blend_return;
}

double aversion_in(std::string_view text, const Where& where) {
  const auto figure = parse_number(text);
  if (figure && *figure > 0) return *figure;
  throw InputError(where, fmt::format("'{}' is no risk aversion", text),
                   "Give a positive number: the return per year asked for a unit of variance, such as utility=4");
}

/// A target as an example.
const char* example_of(Aim::Kind kind) {
  return kind == Aim::Kind::utility ? "4" : "8%";
}

}  // namespace

std::string Aim::all() {
  std::vector<std::string> all;
  for (std::size_t k = 0; k < names.size(); ++k) {
    const auto kind = Kind(k);
    all.push_back(takes_target(kind) ? fmt::format("{}={}", names[k], example_of(kind)) : names[k]);
  }
  return fmt::format("{}", fmt::join(all, ", "));
}

Aim Aim::parse(std::string_view text, const Where& where) {
  const auto equals = text.find('=');
  const auto name = text.substr(0, equals);
  for (std::size_t k = 0; k < names.size(); ++k) {
    if (!same_name(name, names[k])) continue;
    Aim aim{Kind(k), 0};
    const bool has_target = equals != std::string_view::npos;
    if (takes_target(aim.kind) != has_target) {
      throw InputError(where, fmt::format("'{}' {} a target", text, has_target ? "takes no" : "needs"),
                       has_target ? fmt::format("Write {}", names[k])
                                  : fmt::format("Write for example {}={}", names[k], example_of(aim.kind)));
    }
    const auto place = where.with(std::string(text));
    if (aim.kind == Kind::utility) {
      aim.target = aversion_in(text.substr(equals + 1), place);
    } else if (has_target) {
      aim.target = fraction_from_percent(text.substr(equals + 1), place);
    }
    return aim;
  }
  throw InputError(where, fmt::format("'{}' is not an aim", text),
                   did_you_mean(name, std::vector<std::string>(names.begin(), names.end())));
}

Aim::Gain Aim::gain() const {
  switch (kind) {
    case Kind::maximum_sharpe: return Gain::sharpe;
    case Kind::maximum_diversification: return Gain::diversification;
    case Kind::target_volatility: return Gain::expected_return;
    case Kind::utility: return Gain::utility;
    case Kind::minimum_tracking_error: return Gain::tracking_error;
    default: return Gain::volatility;
  }
}

void Aim::check() const {
  if (!takes_target(kind)) return;
  finite(target, names[std::size_t(kind)]);
  if (kind == Kind::utility && !(target > 0)) {
    throw InputError("utility", fmt::format("{} is no risk aversion", target), "Give a positive number");
  }
}

std::string Aim::text() const {
  const auto name = names[std::size_t(kind)];
  if (kind == Kind::utility) return fmt::format("{}={}", name, target);
  return takes_target(kind) ? fmt::format("{}={}", name, short_percent(target)) : name;
}

}  // namespace inchtide

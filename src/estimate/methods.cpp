// Methods by name.

#include <fmt/format.h>

#include <algorithm>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/estimate/estimators.hpp"

namespace inchtide {
namespace {

const std::vector<std::string> expected_names = {"arithmetic",   "geometric", "exponential", "bayes-stein",
                                                 "market-model", "implied",   "views"};
const std::vector<std::string> covariance_names = {
    "sample", "exponential", "constant-correlation", "scaled-identity", "one-factor", "nonlinear", "factors"};

/// `name:figure` taken apart.
struct Named {
  std::size_t kind;
  std::optional<double> figure;
};

Named parse_named(std::string_view text, const std::vector<std::string>& names, const Where& where) {
  const auto colon = text.find(':');
  const auto name = text.substr(0, colon);
  const auto found = find_name(name, names);
  if (!found) {
    throw InputError(where, fmt::format("there is no method '{}'", name), did_you_mean(name, names));
  }
  const bool takes = names[*found] == "exponential" || names[*found] == "factors";
  if (takes != (colon != std::string_view::npos)) {
    throw InputError(where, fmt::format("'{}' {}", text, takes ? "needs a figure" : "takes no figure"),
                     takes ? fmt::format("Write it like {}:{}", names[*found], names[*found] == "factors" ? 3 : 36)
                           : "Leave it out");
  }
  if (!takes) return {*found, std::nullopt};
  const auto figure = parse_number(text.substr(colon + 1));
  if (!figure || !(*figure > 0)) {
    throw InputError(where, fmt::format("'{}' is not a positive number", text.substr(colon + 1)),
                     names[*found] == "factors" ? "Give a number of factors" : "Give a half-life in periods");
  }
  return {*found, figure};
}

}  // namespace

ExpectedMethod ExpectedMethod::parse(std::string_view text, const Where& where) {
  const auto named = parse_named(text, expected_names, where);
  return {Kind(named.kind), named.figure.value_or(0)};
}

std::string ExpectedMethod::text() const {
  const auto& name = expected_names[std::size_t(kind)];
  return kind == Kind::exponential ? fmt::format("{}:{:g}", name, half_life) : name;
}

CovarianceMethod CovarianceMethod::parse(std::string_view text, const Where& where) {
  const auto named = parse_named(text, covariance_names, where);
  CovarianceMethod method{Kind(named.kind)};
  if (method.kind == Kind::exponential) method.half_life = *named.figure;
  if (method.kind == Kind::factors) {
    method.factors = int(std::min(*named.figure, 1e6));
    if (double(method.factors) != *named.figure) {
      throw InputError(where, fmt::format("'{}' is not a whole number of factors", text), "Write it like factors:3");
    }
  }
  return method;
}

std::string CovarianceMethod::text() const {
  const auto& name = covariance_names[std::size_t(kind)];
  if (kind == Kind::exponential) return fmt::format("{}:{:g}", name, half_life);
  return kind == Kind::factors ? fmt::format("{}:{}", name, factors) : name;
}

}  // namespace inchtide

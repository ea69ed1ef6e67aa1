#include "inchtide/returns/conventions.hpp"

namespace inchtide {

std::string to_string(ReturnKind kind) {
  return kind == ReturnKind::simple ? "simple" : "log";
}

std::string to_string(Denominator denominator) {
  return denominator == Denominator::sample ? "T-1" : "T";
}

std::optional<Denominator> denominator_named(std::string_view text) {
  for (const auto denominator : {Denominator::sample, Denominator::population}) {
    if (text == to_string(denominator)) return denominator;
  }
  return std::nullopt;
}

double divisor(Denominator denominator, double observations) {
  return denominator == Denominator::sample ? observations - 1 : observations;
}

}  // namespace inchtide

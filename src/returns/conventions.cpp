#include "inchtide/returns/conventions.hpp"

namespace inchtide {

std::string to_string(ReturnKind kind) {
  return kind == ReturnKind::simple ? "simple" : "log";
}

std::string to_string(Denominator denominator) {
  return denominator == Denominator::sample ? "T-1" : "T";
}

double divisor(Denominator denominator, double observations) {
  return denominator == Denominator::sample ? observations - 1 : observations;
}

}  // namespace inchtide

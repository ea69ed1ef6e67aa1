#pragma once
/// The two choices that change every figure of return and risk; both are carried along and printed.
///
/// @code
/// #include <cassert>
/// using inchtide::Denominator;
/// assert(inchtide::divisor(Denominator::sample, 10) == 9);
/// assert(inchtide::denominator_named("T") == Denominator::population);
/// @endcode

#include <optional>
#include <string>
#include <string_view>

#include "inchtide/base/api.hpp"

namespace inchtide {

/// Simple returns P_t / P_{t-1} - 1 add across the assets of a portfolio; log returns ln(P_t / P_{t-1}) add over time.
enum class ReturnKind { simple, log };
/// "simple" or "log"
[[nodiscard]] INCHTIDE_API std::string to_string(ReturnKind kind);

/// What variances and covariances are divided by: T - 1 (sample) or T (population).
enum class Denominator { sample, population };
/// "T-1" or "T"
[[nodiscard]] INCHTIDE_API std::string to_string(Denominator denominator);
/// The one with this text.
[[nodiscard]] INCHTIDE_API std::optional<Denominator> denominator_named(std::string_view text);
/// The divisor for that many observations.
[[nodiscard]] INCHTIDE_API double divisor(Denominator denominator, double observations);

}  // namespace inchtide

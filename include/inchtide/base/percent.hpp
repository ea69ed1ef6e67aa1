#pragma once
/// Percentages as people write them. Inside the library every weight, return and rate is a fraction of 1.
///
/// @code
/// #include <cassert>
/// assert(inchtide::fraction_from_percent("12.5%", "here") == 0.125);
/// assert(inchtide::percent_text(0.12345) == "12.35%" || inchtide::percent_text(0.12345) == "12.34%");
/// assert(inchtide::short_percent(0.125) == "12.5%");
/// @endcode

#include <optional>
#include <string>
#include <string_view>

#include "inchtide/base/api.hpp"
#include "inchtide/base/notice.hpp"

namespace inchtide {

/// Reads a plain decimal number such as `12`, `-0.5` or `1e-3`, whole text, finite. Nothing when it is anything else.
[[nodiscard]] INCHTIDE_API std::optional<double> parse_number(std::string_view text);

/// Reads `12%` or `-2.5 %` as 0.12 and -0.025. A number without the sign is refused, because 30 and 0.3 could both be
/// meant by it.
/// @param where the place it was given, for the message
/// @throws InputError naming `where`, with the two readings of a bare number
[[nodiscard]] INCHTIDE_API double fraction_from_percent(std::string_view text, const Where& where);

/// `0.1234` as `12.34%`; never in scientific notation.
[[nodiscard]] INCHTIDE_API std::string percent_text(double fraction, int decimals = 2);

/// `0.125` as `12.5%`, with as many decimals as it takes to read back the same fraction: for limits and labels.
[[nodiscard]] INCHTIDE_API std::string short_percent(double fraction);

}  // namespace inchtide

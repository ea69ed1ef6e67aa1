#pragma once
/// Names that people type: compared without regard to case, and corrected when nearly right.
///
/// @code
/// #include <cassert>
/// const std::vector<std::string> known{"KELPFARM", "TIDEMILL"};
/// assert(inchtide::find_name("kelpfarm", known) == 0u);
/// assert(inchtide::nearest_name("KELPFRAM", known) == "KELPFARM");
/// @endcode

#include <optional>
#include <span>
#include <string>
#include <string_view>

#include "inchtide/base/api.hpp"

namespace inchtide {

/// True when the two names are the same but for the case of ASCII letters.
[[nodiscard]] INCHTIDE_API bool same_name(std::string_view a, std::string_view b);

/// The name in lower case (ASCII letters only): equal for names that are the same.
[[nodiscard]] INCHTIDE_API std::string lower_name(std::string_view name);

/// The name in lower case without spaces, dashes and underscores: equal for "Adjusted Close" and "adjusted_close".
[[nodiscard]] INCHTIDE_API std::string plain_name(std::string_view name);

/// The known name with the fewest single-letter edits from `name` (case apart), or nothing when all are further
/// away than two letters and a third of its letters.
[[nodiscard]] INCHTIDE_API std::optional<std::string> nearest_name(std::string_view name,
                                                                   std::span<const std::string> known);

/// "Did you mean 'X'?" for the nearest known name, or the list of them, each once, when none is near and the list is
/// short.
[[nodiscard]] INCHTIDE_API std::string did_you_mean(std::string_view name, std::span<const std::string> known);

/// The position of `name` in `known` (case apart), or nothing.
[[nodiscard]] INCHTIDE_API std::optional<std::size_t> find_name(std::string_view name,
                                                                std::span<const std::string> known);

}  // namespace inchtide

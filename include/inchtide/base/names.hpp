#pragma once
/// Names that people type: compared without regard to case, and corrected when nearly right.

#include <optional>
#include <span>
#include <string>
#include <string_view>

namespace inchtide {

/// True when the two names are the same but for the case of ASCII letters.
[[nodiscard]] bool same_name(std::string_view a, std::string_view b);

/// The name in lower case (ASCII letters only): equal for names that are the same.
[[nodiscard]] std::string lower_name(std::string_view name);

/// The name in lower case without spaces, dashes and underscores: equal for "Adjusted Close" and "adjusted_close".
[[nodiscard]] std::string plain_name(std::string_view name);

/// The known name with the fewest single-letter edits from `name` (case apart), or nothing when all are further than
/// a third of its letters away.
[[nodiscard]] std::optional<std::string> nearest_name(std::string_view name, std::span<const std::string> known);

/// " Did you mean 'X'?" for the nearest known name, or the list of them when none is near and the list is short.
[[nodiscard]] std::string did_you_mean(std::string_view name, std::span<const std::string> known);

/// The position of `name` in `known` (case apart), or nothing.
[[nodiscard]] std::optional<std::size_t> find_name(std::string_view name, std::span<const std::string> known);

}  // namespace inchtide

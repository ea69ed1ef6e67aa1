#pragma once
/// Text from outside: what may be a name, and what may be shown.
///
/// @code
/// #include <cassert>
/// assert(inchtide::fault_of_name("KELP\tFARM", inchtide::longest_code));
/// assert(!inchtide::fault_of_name("KELPFARM", inchtide::longest_code));
/// assert(inchtide::excerpt("a long name", 6) == "a long...");
/// assert(inchtide::with_thousands(1234567.2) == "1,234,567" && inchtide::fine_text(0.00123) == "0.00123");
/// assert(inchtide::counted(1, "day") == "1 day" && inchtide::counted(1530, "day") == "1,530 days");
/// @endcode

#include <optional>
#include <string>
#include <string_view>

#include "inchtide/base/api.hpp"
#include "inchtide/base/notice.hpp"

namespace inchtide {

/// The most characters (not bytes) of a code or a tag, and of a name.
inline constexpr std::size_t longest_code = 64, longest_name = 200;

/// Why `text` cannot be a code, a tag or a name: "it is empty", "it is not valid UTF-8", "it holds the control
/// character U+0007", "it has 80 characters, the most is 64". Nothing when it can.
/// Control characters are those of ASCII and Latin 1, line and paragraph separators, and what turns the direction of
/// writing: none of them can be seen, and each can make one name look like another.
[[nodiscard]] INCHTIDE_API std::optional<std::string> fault_of_name(std::string_view text, std::size_t most);

/// Checks a code, a tag (`longest_code`) or a name (`longest_name`).
/// @param where the file and line, or what else holds it
/// @throws InputError that names the place and the text as it can be shown
INCHTIDE_API void check_name(std::string_view text, std::size_t most, const Where& where);

/// The text as it can be shown anywhere: what cannot be seen, and bytes that are no UTF-8, as U+FFFD. Line ends stay.
[[nodiscard]] INCHTIDE_API std::string printable(std::string_view text);

/// A piece of text from outside for a message: printable, on one line, and cut with "..." after `most` characters.
[[nodiscard]] INCHTIDE_API std::string excerpt(std::string_view text, std::size_t most = 80);

/// A whole number with its thousands apart.
[[nodiscard]] INCHTIDE_API std::string with_thousands(double value);

/// How many of something: "1 day", "1,530 days".
[[nodiscard]] INCHTIDE_API std::string counted(std::size_t count, std::string_view one);

/// A figure that may be small, as a price or a number of units: so many decimals, or three figures of what they would
/// show with fewer. Never in scientific notation.
[[nodiscard]] INCHTIDE_API std::string fine_text(double value, int decimals = 3);

}  // namespace inchtide

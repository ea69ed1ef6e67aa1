#pragma once
/// The text of a file of settings with one of them changed: everything else in it, comments and order too, stays as it
/// was.
///
/// @code
/// #include <cassert>
/// using namespace inchtide::exchange;
/// const SettingChange change{{"limits", "spread"}, ValueKind::text, {{"each <= 12%"}}};
/// const auto text = with_change("[limits]\nspread = \"each <= 10%\"  # of old\n", change, "a.toml");
/// assert(text == "[limits]\nspread = \"each <= 12%\"  # of old\n");
/// @endcode

#include <optional>
#include <string>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/exchange/settings_file.hpp"

namespace inchtide::exchange {

struct INCHTIDE_API SettingChange {
  std::vector<std::string> path;  ///< table by table, the key last; two parts or more
  ValueKind kind = ValueKind::text;
  std::optional<std::vector<std::string>> texts;  ///< the value, or the items of a list; none: the key goes
};

/// A value takes the place of the old one; a new key comes last in its table, a new table last in the file. A key that
/// goes takes its line with it. One that isn't there goes without a word.
/// @param file names the text in what is thrown
/// @throws InputError for a text that is no TOML, a value that is not of its kind, and where the key cannot be changed
///         alone (it goes from within braces, or its table is written in a form of its own)
[[nodiscard]] INCHTIDE_API std::string with_change(const std::string& text, const SettingChange& change,
                                                   const std::string& file);

}  // namespace inchtide::exchange

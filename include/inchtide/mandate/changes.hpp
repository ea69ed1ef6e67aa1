#pragma once
/// A mandate with some of its keys changed: what a study that is explored is made of, and what is kept of it as a file.
/// The text is changed, and nothing but the text: comments, order and all other keys stay as they are.
///
/// @code
/// #include <cassert>
/// using namespace inchtide;
/// const auto text = changed_mandate("[estimate]\nevery = \"1m\"\n", {{{"estimate", "every"}, {{"1w"}}}}, "m.toml");
/// assert(mandate_in(text, "m.toml").settings.every->text() == "1w");
/// @endcode

#include <optional>
#include <string>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/mandate/mandate.hpp"

namespace inchtide {

struct INCHTIDE_API MandateChange {
  std::vector<std::string> path;                  ///< of the key: {"limits", "each holding"}
  std::optional<std::vector<std::string>> texts;  ///< its value, or the items of a list; none: the key goes
};

/// One after the other.
/// @param file names the text in what is thrown
/// @throws InputError for a key that isn't known, and as `exchange::with_change` does; what the values mean is looked
///         at by `mandate_in`
[[nodiscard]] INCHTIDE_API std::string changed_mandate(std::string text, const std::vector<MandateChange>& changes,
                                                       const std::string& file);

}  // namespace inchtide

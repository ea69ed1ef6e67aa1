#pragma once
// The page's own script and style, made from page/ when Inch Tide is built.

#include <optional>
#include <string_view>

namespace inchtide::report {

struct PageBundle {
  std::string_view script, style;
  std::string_view script_digest, style_digest;  // as the page's policy names them
  std::string_view notices;
};

// None where npm wasn't there.
std::optional<PageBundle> page_bundle();

}  // namespace inchtide::report

#pragma once
// How deep text from outside may be nested.

#include <string_view>

namespace inchtide::exchange {

// More levels of lists and objects than any data have; what works through them would run out of its stack.
inline constexpr int deepest_level = 100;

// Whether lists and objects lie deeper within each other than that, whatever else is wrong with the text.
inline bool is_too_deep(std::string_view text) {
  int depth = 0;
  bool quoted = false;
  for (std::size_t i = 0; i < text.size(); ++i) {
    const char c = text[i];
    if (quoted && c == '\\') {
      ++i;
    } else if (c == '"') {
      quoted = !quoted;
    } else if (!quoted && (c == '[' || c == '{') && ++depth > deepest_level) {
      return true;
    } else if (!quoted && (c == ']' || c == '}')) {
      --depth;
    }
  }
  return false;
}

}  // namespace inchtide::exchange

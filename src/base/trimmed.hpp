#pragma once
// Text without what surrounds it.

#include <string_view>

namespace inchtide {

/// Without spaces and tabs at either end.
constexpr std::string_view trimmed(std::string_view text) {
  const auto first = text.find_first_not_of(" \t");
  if (first == text.npos) return {};
  return text.substr(first, text.find_last_not_of(" \t") - first + 1);
}

}  // namespace inchtide

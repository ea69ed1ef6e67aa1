#include "inchtide/base/tags.hpp"

#include <algorithm>

#include "inchtide/base/names.hpp"

namespace inchtide {

std::optional<std::string> Tags::value(std::string_view asset, std::string_view column) const {
  const auto row = find_name(asset, assets), col = find_name(column, columns);
  if (!row || !col || rows[*row][*col].empty()) return std::nullopt;
  return rows[*row][*col];
}

bool Tags::has(std::string_view column, std::string_view value) const {
  const auto col = find_name(column, columns);
  return col && std::ranges::any_of(rows, [&](const auto& row) { return same_name(row[*col], value); });
}

std::vector<std::string> Tags::values(std::string_view column) const {
  std::vector<std::string> values;
  for (const auto& asset : assets) {
    const auto own = value(asset, column);
    if (own && !find_name(*own, values)) values.push_back(*own);
  }
  return values;
}

}  // namespace inchtide

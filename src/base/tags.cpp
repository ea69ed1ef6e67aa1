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

}  // namespace inchtide

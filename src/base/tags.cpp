#include "inchtide/base/tags.hpp"

#include <algorithm>
#include <unordered_map>

#include "inchtide/base/names.hpp"

namespace inchtide {

std::optional<std::string> Tags::value(std::string_view asset, std::string_view column) const {
  const auto row = find_name(asset, assets), col = find_name(column, columns);
  if (!row || !col || rows[*row][*col].empty()) return std::nullopt;
  return rows[*row][*col];
}

std::vector<std::optional<std::size_t>> Tags::rows_of(const std::vector<std::string>& codes) const {
  std::unordered_map<std::string, std::size_t> known;
  for (std::size_t row = 0; row < assets.size(); ++row) known.emplace(lower_name(assets[row]), row);
  std::vector<std::optional<std::size_t>> found;
  for (const auto& code : codes) {
    const auto own = known.find(lower_name(code));
    found.push_back(own == known.end() ? std::nullopt : std::optional(own->second));
  }
  return found;
}

bool Tags::has(std::string_view column, std::string_view value) const {
  const auto col = find_name(column, columns);
  return col && std::ranges::any_of(rows, [&](const auto& row) { return same_name(row[*col], value); });
}

std::vector<std::string> Tags::values(std::string_view column) const {
  std::vector<std::string> values;
  const auto col = find_name(column, columns);
  for (std::size_t row = 0; col && row < rows.size(); ++row) {
    const auto& own = rows[row][*col];
    if (!own.empty() && !find_name(own, values)) values.push_back(own);
  }
  return values;
}

}  // namespace inchtide

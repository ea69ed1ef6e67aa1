#include "inchtide/base/names.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <numeric>
#include <vector>

namespace inchtide {
namespace {

/// Letters of what is known, told one by one.
constexpr std::size_t longest_list = 400;

char lower(char c) {
  return c >= 'A' && c <= 'Z' ? char(c - 'A' + 'a') : c;
}

/// Levenshtein's edit distance, one row at a time.
std::size_t edits_between(std::string_view a, std::string_view b) {
  std::vector<std::size_t> row(b.size() + 1);
  std::iota(row.begin(), row.end(), std::size_t{0});
  for (std::size_t i = 0; i < a.size(); ++i) {
    std::size_t diagonal = row[0];
    row[0] = i + 1;
    for (std::size_t j = 0; j < b.size(); ++j) {
      const std::size_t replaced = diagonal + (lower(a[i]) == lower(b[j]) ? 0 : 1);
      diagonal = row[j + 1];
      row[j + 1] = std::min({replaced, diagonal + 1, row[j] + 1});
    }
  }
  return row.back();
}

}  // namespace

bool same_name(std::string_view a, std::string_view b) {
  return std::ranges::equal(a, b, [](char x, char y) { return lower(x) == lower(y); });
}

std::string lower_name(std::string_view name) {
  std::string result{name};
  std::ranges::transform(result, result.begin(), lower);
  return result;
}

std::optional<std::size_t> find_name(std::string_view name, std::span<const std::string> known) {
  const auto found = std::ranges::find_if(known, [&](const std::string& k) { return same_name(k, name); });
  if (found == known.end()) return std::nullopt;
  return std::size_t(found - known.begin());
}

std::string plain_name(std::string_view name) {
  auto result = lower_name(name);
  std::erase_if(result, [](char c) { return c == ' ' || c == '_' || c == '-'; });
  return result;
}

std::optional<std::string> nearest_name(std::string_view name, std::span<const std::string> known) {
  std::optional<std::string> best;
  std::size_t fewest = std::max<std::size_t>(2, name.size() / 3) + 1;
  for (const auto& candidate : known) {
    const auto edits = edits_between(name, candidate);
    if (edits < fewest) {
      fewest = edits;
      best = candidate;
    }
  }
  return best;
}

std::string did_you_mean(std::string_view name, std::span<const std::string> known) {
  if (const auto near = nearest_name(name, known)) return fmt::format("Did you mean '{}'?", *near);
  if (known.empty()) return "Nothing is known there";
  std::vector<std::string_view> each;
  for (const auto& candidate : known) {
    if (std::ranges::find(each, candidate) == each.end()) each.push_back(candidate);
  }
  const bool has_commas = std::ranges::any_of(each, [](auto one) { return one.find(',') != one.npos; });
  const auto list = fmt::format("{}", fmt::join(each, has_commas ? "; " : ", "));
  if (list.size() <= longest_list) return "Known are: " + list;
  return fmt::format("Known are {} names, such as {}", each.size(), each.front());
}

}  // namespace inchtide

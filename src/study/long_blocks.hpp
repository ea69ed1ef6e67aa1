#pragma once
// Draws that hardly differ from each other.

#include <fmt/format.h>

#include <optional>

#include "inchtide/base/notice.hpp"

namespace inchtide {

// So many blocks of their mean length should go into the rows that are drawn from.
constexpr double fewest_blocks_drawn = 3;

// Of blocks so long that a draw is hardly more than the history turned around: what draws say of doubt is too little.
inline std::optional<Notice> notice_of_long_blocks(double block, std::size_t rows, const char* what) {
  if (block * fewest_blocks_drawn <= double(rows)) return std::nullopt;
  return Notice(
      fmt::format("Blocks of {:g} {}", block, what),
      fmt::format("with {} to draw from, draws hardly differ, and what they say of doubt is far too little", rows),
      {fmt::format("Take at most {:.0f}", double(rows) / fewest_blocks_drawn)});
}

}  // namespace inchtide

#pragma once
// Blocks of rows drawn at random: the stationary bootstrap of Politis & Romano 1994.

#include <cstddef>
#include <vector>

#include "inchtide/base/draws.hpp"

namespace inchtide {

struct RowBlock {
  std::size_t first, length;  // goes on from the first row again behind the last
};

// Blocks of geometric lengths until there are `wanted` rows.
// @param block their mean length
// @param rows that there are
inline std::vector<RowBlock> row_blocks(RandomDraw random, double block, std::size_t rows, std::size_t wanted) {
  std::vector<RowBlock> blocks;
  const double new_block = 1 / block;
  for (std::size_t t = 0; t < wanted; ++t) {
    if (t > 0 && random.uniform() >= new_block) {
      ++blocks.back().length;
    } else {
      blocks.push_back({random.below(rows), 1});
    }
  }
  return blocks;
}

// The rows of blocks, one after the other.
inline std::vector<std::size_t> rows_of_blocks(const std::vector<RowBlock>& blocks, std::size_t rows) {
  std::vector<std::size_t> all;
  for (const auto& block : blocks) {
    for (std::size_t k = 0, row = block.first; k < block.length; ++k, row = row + 1 == rows ? 0 : row + 1) {
      all.push_back(row);
    }
  }
  return all;
}

}  // namespace inchtide

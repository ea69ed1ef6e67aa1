#pragma once
// Blocks of rows drawn at random: the stationary bootstrap of Politis & Romano 1994.

#include <algorithm>
#include <array>
#include <bit>
#include <cmath>
#include <cstddef>
#include <cstdint>
#include <vector>

#include "inchtide/base/draws.hpp"

namespace inchtide {

struct RowBlock {
  std::size_t first, length;  // goes on from the first row again behind the last
};

// Numbers of a draw in order, 64 looked at together: whether one is below a bound is then a bit, which a processor
// needn't guess.
class NumbersAhead {
 public:
  // @param bound of numbers in [0, 1)
  NumbersAhead(RandomDraw random, double bound) : random_(random), least_(std::uint64_t(std::ceil(bound * 0x1p53))) {}

  std::uint64_t next() {
    if (at_ == many) fill();
    return numbers_[at_++];
  }
  // Takes numbers up to the first below the bound, that one too, or `most` of them: how many aren't below.
  std::size_t not_below(std::size_t most) {
    std::size_t count = 0;
    while (count < most) {
      if (at_ == many) fill();
      const auto here = std::min<std::size_t>(std::countr_one(not_below_ >> at_), many - at_);
      if (count + here >= most) {
        at_ += most - count;
        return most;
      }
      count += here;
      at_ += here;
      if (at_ < many) {
        ++at_;
        return count;
      }
    }
    return count;
  }

 private:
  static constexpr std::size_t many = 64;
  void fill() {
    std::uint64_t not_below = 0;
    for (std::size_t k = 0; k < many; ++k) {
      numbers_[k] = random_.next();
      not_below |= std::uint64_t(numbers_[k] >> 11 >= least_) << k;
    }
    not_below_ = not_below;
    at_ = 0;
  }

  RandomDraw random_;
  std::uint64_t least_;  // of the upper 53 bits, which are what `uniform` looks at
  std::size_t at_ = many;
  std::uint64_t not_below_ = 0;
  std::array<std::uint64_t, many> numbers_{};
};

// Blocks of geometric lengths until there are `wanted` rows, one by one.
// @param block their mean length
// @param rows that there are
template <typename Take>
void each_row_block(RandomDraw random, double block, std::size_t rows, std::size_t wanted, Take take) {
  NumbersAhead numbers(random, 1 / block);
  for (std::size_t t = 0; t < wanted;) {
    const auto first = RandomDraw::below_of(numbers.next(), rows);
    const auto length = 1 + numbers.not_below(wanted - t - 1);
    take(RowBlock{first, length});
    t += length;
  }
}

inline std::vector<RowBlock> row_blocks(RandomDraw random, double block, std::size_t rows, std::size_t wanted) {
  std::vector<RowBlock> blocks;
  each_row_block(random, block, rows, wanted, [&](const RowBlock& one) { blocks.push_back(one); });
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

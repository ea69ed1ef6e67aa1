#include "rehearsal/luck_draws.hpp"

#include <algorithm>
#include <cmath>
#include <limits>
#include <utility>

#include "base/row_blocks.hpp"

namespace inchtide {

/// Rows [first, end), which go on behind the last row with the first again.
struct LuckDraws::Block {
  std::uint32_t first, end;
  double baseline;  ///< how far it moves the baseline's ratio
};

struct LuckDraws::OneDraw {
  std::vector<Block> blocks;
  double baseline = 0;  ///< its ratio
};

LuckDraws::LuckDraws(Eigen::MatrixXd values, Eigen::ArrayXd sharpe)
    : values_(std::move(values)), sharpe_(std::move(sharpe)) {}

std::vector<LuckDraws::OneDraw> LuckDraws::all_blocks(std::uint64_t seed, std::size_t from, std::size_t to,
                                                      double block) const {
  const auto rows = std::size_t(values_.rows());
  std::vector<OneDraw> draws(to - from);
  for (auto at = from; at < to; ++at) {
    for (const auto& one : row_blocks(RandomDraw(seed, at), block, rows, rows)) {
      const auto end = one.first + one.length;
      draws[at - from].blocks.push_back({std::uint32_t(one.first), std::uint32_t(end), 0});
    }
  }
  return draws;
}

/// What the rows before each add up to, so that a block's is a difference. One run's stay in the nearest cache while
/// the blocks of many draws are looked up in them.
void LuckDraws::add_up(Eigen::Index column, std::size_t rows, std::vector<Sums>& before) const {
  before.resize(rows + 1);
  before[0].setZero();
  const double* values = values_.data() + column * values_.rows();
  for (std::size_t t = 0, row = 0; t < rows; ++t, ++row) {
    if (row == std::size_t(values_.rows())) row = 0;
    before[t + 1] = before[t] + Sums(values[row], values[row] * values[row]);
  }
}

/// The ratio of a run in a draw. What a block adds to the linearised ratio is straight in its sum, its sum of squares
/// and its length.
template <typename EachMoved>
double LuckDraws::ratio(const OneDraw& draw, const std::vector<Sums>& before, double sharpe, std::vector<Sums>& within,
                        EachMoved each_moved) const {
  const auto count = draw.blocks.size();
  within.resize(count);
  Sums sums = Sums::Zero(), others = Sums::Zero();
  std::size_t at = 0;
  for (; at + 1 < count; at += 2) {
    const auto *block = &draw.blocks[at], *next = block + 1;
    const Sums here = before[block->end] - before[block->first], there = before[next->end] - before[next->first];
    within[at] = here;
    within[at + 1] = there;
    sums += here;
    others += there;
  }
  if (at < count) sums += within[at] = before[draw.blocks[at].end] - before[draw.blocks[at].first];
  sums += others;
  const double rows = double(values_.rows()), mean = sums[0] / rows, variance = sums[1] / rows - mean * mean;
  const double deviation = std::sqrt(std::max(variance, std::numeric_limits<double>::min()));
  const double ratio = (sharpe + mean) / deviation;
  const double by_sum = 1 / deviation + ratio * mean / variance, by_square = -ratio / (2 * variance);
  const double by_length = -mean / deviation - ratio / 2 * (mean * mean / variance - 1);
  for (std::size_t b = 0; b < count; ++b) {
    each_moved(b, by_sum * within[b][0] + by_square * within[b][1] +
                      by_length * double(int(draw.blocks[b].end - draw.blocks[b].first)));
  }
  return ratio;
}

LuckDraws::Drawn LuckDraws::draw(std::uint64_t seed, std::size_t from, std::size_t to, double block) const {
  auto draws = all_blocks(seed, from, to, block);
  std::size_t rows = 0;  // that any block comes to
  for (const auto& one : draws) rows = std::max<std::size_t>(rows, std::ranges::max(one.blocks, {}, &Block::end).end);
  std::vector<Sums> before, within;
  const auto runs = values_.cols() - 1;
  add_up(runs, rows, before);
  for (auto& one : draws) {
    one.baseline =
        ratio(one, before, sharpe_[runs], within, [&](std::size_t b, double moved) { one.blocks[b].baseline = moved; });
  }
  const auto count = Eigen::Index(draws.size());
  Drawn drawn{Eigen::ArrayXXd(count, runs), Eigen::ArrayXXd(count, runs)};
  for (Eigen::Index k = 0; k < runs; ++k) {
    add_up(k, rows, before);
    for (Eigen::Index at = 0; at < count; ++at) {
      const auto& one = draws[std::size_t(at)];
      double spread = 0;
      const double own = ratio(one, before, sharpe_[k], within, [&](std::size_t b, double moved) {
        const double more = moved - one.blocks[b].baseline;
        spread += more * more;
      });
      const double error = std::sqrt(spread) / double(values_.rows());
      const double difference = (own - one.baseline) - (sharpe_[k] - sharpe_[runs]);
      drawn.error(at, k) = error;
      drawn.off(at, k) = difference / std::max(error, std::numeric_limits<double>::min());
    }
  }
  return drawn;
}

}  // namespace inchtide

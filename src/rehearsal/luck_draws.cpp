#include "rehearsal/luck_draws.hpp"

#include <algorithm>
#include <cmath>
#include <limits>
#include <utility>

#include "base/row_blocks.hpp"

namespace inchtide {

/// Rows [first, end), which go on behind the last row with the first again.
struct LuckBlock {
  std::uint32_t first, end;
};
using LuckBlocks = std::vector<LuckBlock>;

namespace {

std::vector<LuckBlocks> all_blocks(std::uint64_t seed, std::size_t from, std::size_t to, double block,
                                   std::size_t rows) {
  std::vector<LuckBlocks> draws(to - from);
  for (auto at = from; at < to; ++at) {
    auto& blocks = draws[at - from];
    blocks.reserve(std::size_t(double(rows) / block) + 1);
    each_row_block(RandomDraw(seed, at), block, rows, rows, [&](const RowBlock& one) {
      blocks.push_back({std::uint32_t(one.first), std::uint32_t(one.first + one.length)});
    });
  }
  return draws;
}

/// How many rows any block comes to.
std::size_t rows_reached(const std::vector<LuckBlocks>& draws) {
  std::size_t rows = 0;
  for (const auto& blocks : draws)
    rows = std::max<std::size_t>(rows, std::ranges::max(blocks, {}, &LuckBlock::end).end);
  return rows;
}

}  // namespace

struct LuckDraws::OneDraw {
  LuckBlocks blocks;
  std::vector<double> moved;  ///< how far each block moves the baseline's ratio
  double baseline = 0;        ///< its ratio
};

/// Of the rows before one, or of those of a block.
struct LuckDraws::Sums {
  Both values = Both::Zero(), squares = Both::Zero();
};

LuckDraws::LuckDraws(Eigen::MatrixXd values, Eigen::ArrayXd sharpe)
    : values_(std::move(values)), sharpe_(std::move(sharpe)) {}

/// What the rows before each add up to, so that a block's is a difference. Those of two runs stay in a near cache while
/// the blocks of many draws are looked up in them.
void LuckDraws::add_up(Eigen::Index first, Eigen::Index second, std::size_t rows, std::vector<Sums>& before) const {
  before.resize(rows + 1);
  before[0] = {};
  for (std::size_t t = 0, row = 0; t < rows; ++t, ++row) {
    if (row == std::size_t(values_.rows())) row = 0;
    const Both both(values_(Eigen::Index(row), first), values_(Eigen::Index(row), second));
    before[t + 1].values = before[t].values + both;
    before[t + 1].squares = before[t].squares + both * both;
  }
}

/// The ratios of two runs in a draw. What a block adds to a linearised ratio is straight in its sum, its sum of squares
/// and its length.
template <typename EachMoved>
LuckDraws::Both LuckDraws::ratio(const OneDraw& draw, const std::vector<Sums>& before, const Both& sharpe,
                                 std::vector<Sums>& within, EachMoved each_moved) const {
  const auto count = draw.blocks.size();
  within.resize(count);
  Sums sums;
  for (std::size_t b = 0; b < count; ++b) {
    const auto &end = before[draw.blocks[b].end], &first = before[draw.blocks[b].first];
    within[b].values = end.values - first.values;
    within[b].squares = end.squares - first.squares;
    sums.values += within[b].values;
    sums.squares += within[b].squares;
  }
  const double rows = double(values_.rows());
  const Both mean = sums.values / rows, variance = sums.squares / rows - mean * mean;
  const Both deviation = variance.max(std::numeric_limits<double>::min()).sqrt();
  Both ratio = (sharpe + mean) / deviation;
  const Both by_sum = 1 / deviation + ratio * mean / variance, by_square = -ratio / (2 * variance);
  const Both by_length = -mean / deviation - ratio / 2 * (mean * mean / variance - 1);
  for (std::size_t b = 0; b < count; ++b) {
    const double length = double(int(draw.blocks[b].end - draw.blocks[b].first));
    each_moved(b, by_sum * within[b].values + by_square * within[b].squares + by_length * length);
  }
  return ratio;
}

LuckDraws::Drawn LuckDraws::draw(std::uint64_t seed, std::size_t from, std::size_t to, double block) const {
  const auto blocks = all_blocks(seed, from, to, block, std::size_t(values_.rows()));
  const auto rows = rows_reached(blocks);
  std::vector<Sums> before, within;
  const auto runs = values_.cols() - 1;
  add_up(runs, runs, rows, before);
  std::vector<OneDraw> draws;
  for (const auto& some : blocks) {
    auto& one = draws.emplace_back(OneDraw{some, std::vector<double>(some.size())});
    one.baseline = ratio(one, before, Both::Constant(sharpe_[runs]), within,
                         [&](std::size_t b, const Both& moved) { one.moved[b] = moved[0]; })[0];
  }
  const auto count = Eigen::Index(draws.size());
  Drawn drawn{Eigen::ArrayXXd(count, runs), Eigen::ArrayXXd(count, runs)};
  for (Eigen::Index k = 0; k < runs; k += 2) {
    const auto next = std::min(k + 1, runs - 1);  // the last twice where they are odd
    add_up(k, next, rows, before);
    const Both sharpe(sharpe_[k], sharpe_[next]);
    for (Eigen::Index at = 0; at < count; ++at) {
      const auto& one = draws[std::size_t(at)];
      Both spread = Both::Zero();
      const Both own = ratio(one, before, sharpe, within,
                             [&](std::size_t b, const Both& moved) { spread += (moved - one.moved[b]).square(); });
      const Both error = spread.sqrt() / double(values_.rows());
      const Both difference = (own - one.baseline) - (sharpe - sharpe_[runs]);
      const Both off = difference / error.max(std::numeric_limits<double>::min());
      for (const auto lane : {0, 1}) {
        drawn.error(at, lane == 0 ? k : next) = error[lane];
        drawn.off(at, lane == 0 ? k : next) = off[lane];
      }
    }
  }
  return drawn;
}

Eigen::ArrayXXd drawn_means(const Eigen::MatrixXd& values, std::uint64_t seed, std::size_t from, std::size_t to,
                            double block) {
  using Four = Eigen::Array4d;  // columns side by side: a block is looked up once for all
  const auto draws = all_blocks(seed, from, to, block, std::size_t(values.rows()));
  std::vector<Four> before(rows_reached(draws) + 1);
  const auto columns = values.cols();
  Eigen::ArrayXXd means(Eigen::Index(draws.size()), columns);
  for (Eigen::Index k = 0; k < columns; k += 4) {
    const auto here = std::min<Eigen::Index>(4, columns - k);
    before[0].setZero();
    Four next = Four::Zero();
    for (std::size_t t = 0, row = 0; t + 1 < before.size(); ++t, ++row) {
      if (row == std::size_t(values.rows())) row = 0;
      for (Eigen::Index j = 0; j < here; ++j) next[j] = values(Eigen::Index(row), k + j);
      before[t + 1] = before[t] + next;
    }
    for (std::size_t at = 0; at < draws.size(); ++at) {
      Four sum = Four::Zero();
      for (const auto& one : draws[at]) sum += before[one.end] - before[one.first];
      means.row(Eigen::Index(at)).segment(k, here) = sum.head(here) / double(values.rows());
    }
  }
  return means;
}

}  // namespace inchtide

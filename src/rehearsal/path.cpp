#include "rehearsal/path.hpp"

#include <algorithm>
#include <cmath>
#include <utility>

#include "rehearsal/columns.hpp"
#include "rehearsal/tolerances.hpp"

namespace inchtide {
namespace {

using Column = Eigen::Map<const Eigen::ArrayXd>;

/// Rows at a time between looks at bands: their sums stay in the nearest cache.
constexpr std::size_t rows_of_a_look = 64;
/// Weights nearer to the edge of a band than this, of 1, are looked at row by row.
constexpr double doubt = 1e-13;

/// The factors of a group, of one array.
ColumnGroup::Factors factors_of(const Eigen::Ref<const Eigen::ArrayXd>& all, Eigen::Index first) {
  ColumnGroup::Factors factors{};
  const auto count = std::min(columns_together, all.size() - first);
  for (Eigen::Index c = 0; c < count; ++c) factors[std::size_t(c)] = all[first + c];
  return factors;
}

}  // namespace

TradePath::TradePath(const PriceTable& table, const Eigen::VectorXd& targets, double cash_share, bool tracks_targets,
                     const Decisions& decisions)
    : table_(table), decisions_(decisions), cash_share_(cash_share), tracks_targets_(tracks_targets) {
  for (Eigen::Index i = 0; i < targets.size(); ++i) {
    if (targets[i] != 0) columns_.push_back(i);
  }
  targets_ = targets(columns_).array();
  if (!decisions.hang_on_weights()) return;
  widths_.resize(targets_.size());
  for (Eigen::Index i = 0; i < targets_.size(); ++i) {
    widths_[i] = decisions.schedule().band->half_width(targets_[i]) + band_rounding;
  }
}

ColumnGroup TradePath::group(Eigen::Index first) const {
  return {table_.prices, first, targets_.size(), [&](Eigen::Index held) { return columns_[std::size_t(held)]; }};
}

Eigen::ArrayXd TradePath::prices_on(std::size_t row) const {
  Eigen::ArrayXd prices(targets_.size());
  for (Eigen::Index i = 0; i < prices.size(); ++i) prices[i] = column(i)[row];
  return prices;
}

void TradePath::walk(PathPiece& piece, std::size_t from, std::size_t to, UnitPositions begin,
                     std::optional<std::size_t> waits) const {
  const auto rows = Eigen::Index(to - from);
  piece.from = from;
  piece.to = piece.bad = to;
  piece.begin = std::move(begin);
  piece.value.setZero(rows);
  piece.least = 1;
  if (decisions_.hang_on_weights()) {
    piece.trades = walk_watching(piece, waits);
    make_room(piece);
    for (Eigen::Index i = 0; i < targets_.size(); i += columns_together) gather(piece, group(i), i);
  } else {
    piece.trades = decisions_.by_calendar(waits, from, to);
    make_room(piece);
    walk_known(piece);
  }
  piece.waits = waits;
  weigh_held(piece);
  if (tracks_targets_) {
    piece.relatives.setZero(rows);
    for (Eigen::Index i = 0; i < targets_.size(); ++i) track(piece, i);
  }
  find_bad(piece);
}

/// In one go over the columns: the trades are known, and the prices of a group at each of them are read before it is
/// streamed, so that no row waits for a quotient of another.
void TradePath::walk_known(PathPiece& piece) const {
  const auto& trades = piece.trades;
  for (Eigen::Index i = 0; i < targets_.size(); i += columns_together) {
    const auto prices = group(i);
    gather(piece, prices, i);
    auto held = factors_of(piece.begin.units, i);
    auto row = piece.from;
    const auto add = [&](std::size_t end) {
      const auto at = row - piece.from;
      prices.add(row, Eigen::Index(end - row), held, piece.value.data() + at, piece.least);
      row = end;
    };
    for (std::size_t k = 0; k < trades.size(); ++k) {
      add(trades[k].traded + 1);
      held = factors_of(piece.units.col(Eigen::Index(k)), i);
    }
    add(piece.to);
  }
}

/// From one look to the next. Rows that were added up beyond a trade are taken back.
std::vector<TradeRows> TradePath::walk_watching(PathPiece& piece, std::optional<std::size_t>& waits) const {
  std::vector<TradeRows> trades;
  auto held = piece.begin;
  double* values = piece.value.data();
  for (auto row = piece.from; row < piece.to;) {
    const auto end = std::min(piece.to, waits ? decisions_.traded(*waits) + 1 : row + rows_of_a_look);
    for (Eigen::Index i = 0; i < targets_.size(); i += columns_together) {
      group(i).add(row, Eigen::Index(end - row), factors_of(held.units, i), values + (row - piece.from), piece.least);
    }
    if (!waits) waits = first_decision(row, end, held, values + (row - piece.from));
    const auto traded = waits ? decisions_.traded(*waits) : end;
    if (traded >= end) {
      row = end;
      continue;
    }
    std::fill(values + (traded + 1 - piece.from), values + (end - piece.from), 0.0);
    trades.push_back({*waits, traded});
    waits.reset();
    held = {targets_ / prices_on(traded), cash_share_};
    if (decisions_.delay() > 0 && decisions_.always(traded)) waits = traded;  // at their targets none is outside
    row = traded + 1;
  }
  return trades;
}

void TradePath::make_room(PathPiece& piece) const {
  const auto trades = Eigen::Index(piece.trades.size());
  for (auto* figures : {&piece.prices, &piece.units, &piece.held}) figures->resize(targets_.size(), trades);
  piece.waited.resize(targets_.size(), decisions_.delay() > 0 ? trades : 0);
}

/// What trades look at, of a group of columns.
void TradePath::gather(PathPiece& piece, const ColumnGroup& group, Eigen::Index first) const {
  const auto count = std::min(columns_together, targets_.size() - first);
  const auto of_group = [&](Eigen::ArrayXXd& figures, Eigen::Index k) { return figures.col(k).segment(first, count); };
  for (Eigen::Index k = 0; k < piece.prices.cols(); ++k) {
    const auto& rows = piece.trades[std::size_t(k)];
    const auto prices = group.on(rows.traded);
    const Column traded(prices.data(), count);
    of_group(piece.prices, k) = traded;
    of_group(piece.units, k) = targets_.segment(first, count) / traded;
    if (piece.waited.cols() == 0) continue;
    const auto before = group.on(rows.decided);
    of_group(piece.waited, k) = 1 - Column(before.data(), count) / traded;
  }
}

/// What is held before each trade, of the wealth then.
void TradePath::weigh_held(PathPiece& piece) const {
  for (Eigen::Index k = 0; k < piece.prices.cols(); ++k) {
    const double value = piece.value[Eigen::Index(piece.trades[std::size_t(k)].traded - piece.from)];
    if (k == 0) {
      piece.held.col(0) = piece.begin.units * piece.prices.col(0) * (1 / (value + piece.begin.cash));
    } else {
      piece.held.col(k) = piece.units.col(k - 1) * piece.prices.col(k) * (1 / (value + cash_share_));
    }
  }
}

/// Adds the price relatives of a column.
void TradePath::track(PathPiece& piece, Eigen::Index held) const {
  const Eigen::Index first = piece.from == 0 ? 1 : 0, rows = piece.value.size() - first;
  const double* prices = column(held) + piece.from + first;
  piece.relatives.tail(rows) += targets_[held] * (Column(prices, rows) / Column(prices - 1, rows));
}

/// A price that isn't there makes the sum none, whatever its units are.
void TradePath::find_bad(PathPiece& piece) const {
  if (piece.least > 0 && (piece.value - piece.value == 0).all()) return;
  for (auto row = piece.from; row < piece.to; ++row) {
    if ((prices_on(row) > 0).all() && std::isfinite(piece.value[Eigen::Index(row - piece.from)])) continue;
    piece.bad = row;
    return;
  }
}

void TradePath::sum(std::size_t from, std::size_t to, const Eigen::ArrayXd& units, double* values) const {
  const auto rows = Eigen::Index(to - from);
  for (Eigen::Index i = 0; i < units.size(); i += columns_together) {
    group(i).add(from, rows, factors_of(units, i), values);
  }
}

/// `to` where none is. A group of columns whose weights clearly stay within their bands isn't looked at row by row.
std::size_t TradePath::first_outside(std::size_t from, std::size_t to, const UnitPositions& held,
                                     const double* values) const {
  auto rows = Eigen::Index(to - from);
  if (rows == 0) return to;
  const Eigen::ArrayXd wealth = Column(values, rows) + held.cash, shares = 1 / wealth;
  ColumnGroup::Factors least, most;
  for (Eigen::Index first = 0; first < targets_.size() && rows > 0; first += columns_together) {
    group(first).ranges(from, rows, shares.data(), least, most);
    for (auto i = first; i < std::min(first + columns_together, targets_.size()); ++i) {
      const double units = held.units[i], target = targets_[i], width = widths_[i];
      const auto c = std::size_t(i - first);
      const double off = std::max(units * most[c] - target, target - units * least[c]);
      if (off <= width - doubt * (1 + target)) continue;
      const double* prices = column(i) + from;
      for (Eigen::Index t = 0; t < rows; ++t) {
        if (std::abs(units * prices[t] - target * wealth[t]) > width * wealth[t]) rows = t;
      }
    }
  }
  return from + std::size_t(rows);
}

std::optional<std::size_t> TradePath::first_decision(std::size_t from, std::size_t to, const UnitPositions& held,
                                                     const double* values) const {
  const bool watches = decisions_.schedule().watches();
  auto first = from;  // row that decides by itself
  while (first < to && !decisions_.always(first)) ++first;
  if (watches) {
    const auto outside = first_outside(from, first, held, values);
    first = std::min(first, outside);
  } else {
    for (auto row = from; row < first; ++row) {
      if (!decisions_.if_outside(row) || first_outside(row, row + 1, held, values + (row - from)) > row) continue;
      first = row;
    }
  }
  return first < to ? std::optional(first) : std::nullopt;
}

bool TradePath::decides_after(std::size_t row, const UnitPositions& held) const {
  if (decisions_.always(row)) return true;
  const double value = (held.units * prices_on(row)).sum();
  return decisions_.if_outside(row) && first_outside(row, row + 1, held, &value) == row;
}

}  // namespace inchtide

#include "rehearsal/path.hpp"

#include <algorithm>
#include <cmath>

#include "rehearsal/columns.hpp"

namespace inchtide {
namespace {

using Column = Eigen::Map<const Eigen::ArrayXd>;

}  // namespace

Path::Path(const PriceTable& table, const Eigen::VectorXd& targets, bool tracks_targets)
    : table_(table), tracks_targets_(tracks_targets) {
  for (Eigen::Index i = 0; i < targets.size(); ++i) {
    if (targets[i] != 0) columns_.push_back(i);
  }
  targets_ = targets(columns_).array();
}

namespace {

/// The factors of a group, of one array.
ColumnGroup::Factors factors_of(const Eigen::ArrayXd& all, Eigen::Index first) {
  ColumnGroup::Factors factors{};
  const auto count = std::min(columns_together, all.size() - first);
  for (Eigen::Index c = 0; c < count; ++c) factors[std::size_t(c)] = all[first + c];
  return factors;
}

/// Reads the prices of a group at each trade before it is streamed, so that no row waits for a quotient of another.
void gather(const ColumnGroup& prices, PathPiece& piece, Eigen::Index first, const ColumnGroup::Factors& targets,
            std::vector<ColumnGroup::Factors>& units) {
  using Figures = Eigen::Array<double, columns_together, 1>;
  const auto count = std::min(columns_together, piece.traded.rows() - first);
  const Eigen::Map<const Figures> weights(targets.data());
  for (std::size_t k = 0; k < units.size(); ++k) {
    const auto& rows = piece.trades[k];
    const auto traded = prices.row<Figures>(rows.traded), decided = prices.row<Figures>(rows.decided);
    const auto at = Eigen::Index(k);
    if (count == columns_together) {
      piece.traded.col(at).segment<columns_together>(first) = traded;
      piece.decided.col(at).segment<columns_together>(first) = decided;
    } else {
      piece.traded.col(at).segment(first, count) = traded.head(count);
      piece.decided.col(at).segment(first, count) = decided.head(count);
    }
    Eigen::Map<Figures>(units[k].data()) = weights / traded;
  }
}

}  // namespace

ColumnGroup Path::group(Eigen::Index first) const {
  return {table_.prices, first, targets_.size(), [&](Eigen::Index held) { return columns_[std::size_t(held)]; }};
}

void Path::walk(PathPiece& piece, std::size_t from, std::size_t to, const Eigen::ArrayXd& units,
                std::vector<TradeRows> trades) const {
  const auto rows = Eigen::Index(to - from), n = targets_.size();
  piece.from = from;
  piece.to = piece.bad = to;
  piece.trades = std::move(trades);
  piece.value.setZero(rows);
  piece.least.setOnes(rows);
  piece.traded.resize(n, Eigen::Index(piece.trades.size()));
  piece.decided.resize(n, Eigen::Index(piece.trades.size()));
  std::vector<ColumnGroup::Factors> after(piece.trades.size());
  for (Eigen::Index i = 0; i < n; i += columns_together) {
    const auto prices = group(i);
    gather(prices, piece, i, factors_of(targets_, i), after);
    auto held = factors_of(units, i);
    auto row = from;
    const auto add = [&](std::size_t end) {
      const auto at = row - from;
      prices.add(row, Eigen::Index(end - row), held, piece.value.data() + at, piece.least.data() + at);
      row = end;
    };
    for (std::size_t k = 0; k < after.size(); ++k) {
      add(piece.trades[k].traded + 1);
      held = after[k];
    }
    add(to);
  }
  if (tracks_targets_) {
    piece.relatives.setZero(rows);
    for (Eigen::Index i = 0; i < n; ++i) track(piece, i);
  }
  find_bad(piece);
}

/// Adds the price relatives of a column.
void Path::track(PathPiece& piece, Eigen::Index held) const {
  const Eigen::Index first = piece.from == 0 ? 1 : 0, rows = piece.value.size() - first;
  const double* prices = table_.prices.data() + columns_[std::size_t(held)] * table_.prices.rows() + piece.from + first;
  piece.relatives.tail(rows) += targets_[held] * (Column(prices, rows) / Column(prices - 1, rows));
}

/// A price that isn't there makes the sum none, whatever its units are.
void Path::find_bad(PathPiece& piece) {
  if ((piece.least > 0).all() && (piece.value - piece.value == 0).all()) return;
  for (Eigen::Index t = 0; t < piece.value.size(); ++t) {
    if (piece.least[t] > 0 && std::isfinite(piece.value[t])) continue;
    piece.bad = piece.from + std::size_t(t);
    return;
  }
}

void Path::again(PathPiece& piece, std::size_t trade, const Eigen::ArrayXd& units) const {
  const bool last = trade + 1 == piece.trades.size();
  const auto from = piece.trades[trade].traded + 1, to = last ? piece.to : piece.trades[trade + 1].traded + 1;
  const auto rows = Eigen::Index(to - from);
  auto value = piece.value.segment(Eigen::Index(from - piece.from), rows);
  value.setZero();
  for (Eigen::Index i = 0; i < units.size(); i += columns_together) {
    const auto prices = group(i);
    prices.fetch_ahead(from, rows);
    prices.add(from, rows, factors_of(units, i), value.data());
  }
}

}  // namespace inchtide

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

Eigen::ArrayXd Path::prices(std::size_t row) const {
  return table_.prices.row(Eigen::Index(row))(columns_).transpose().array();
}

/// A group of columns, streamed from trade to trade.
class Path::Columns {
 public:
  Columns(const Path& path, const Eigen::ArrayXd& units, Eigen::Index first)
      : path_(path),
        first_(first),
        count_(std::min(columns_together, units.size() - first)),
        prices_(path.table_.prices, first, units.size(),
                [&](Eigen::Index held) { return path.columns_[std::size_t(held)]; }) {
    for (Eigen::Index c = 0; c < count_; ++c) units_[std::size_t(c)] = units[first + c];
  }

  /// Adds rows [from, to) of the table to sums and least prices that begin at `origin`.
  void add(std::size_t from, std::size_t to, std::size_t origin, Eigen::ArrayXd& sums, Eigen::ArrayXd& least) const {
    const auto at = from - origin;
    prices_.add(from, Eigen::Index(to - from), units_, sums.data() + at, least.data() + at);
  }

  /// What is held at a trade, what waiting did, and the units from it on.
  void trade(const TradeRows& rows, Eigen::Index k, Eigen::ArrayXXd& held, Eigen::ArrayXXd& waited) {
    for (Eigen::Index c = 0; c < count_; ++c) {
      const double price = prices_.price(std::size_t(c), rows.traded);
      auto& units = units_[std::size_t(c)];
      held(first_ + c, k) = units * price;
      waited(first_ + c, k) = prices_.price(std::size_t(c), rows.decided) / price;
      units = path_.targets_[first_ + c] / price;
    }
  }

 private:
  const Path& path_;
  Eigen::Index first_, count_;
  ColumnGroup prices_;
  ColumnGroup::Factors units_{};
};

void Path::walk(PathPiece& piece, std::size_t from, std::size_t to, const Eigen::ArrayXd& units,
                std::vector<TradeRows> trades) const {
  const auto rows = Eigen::Index(to - from), count = Eigen::Index(trades.size()), n = targets_.size();
  piece.from = from;
  piece.to = piece.bad = to;
  piece.trades = std::move(trades);
  piece.value.setZero(rows);
  piece.least.setOnes(rows);
  piece.held.resize(n, count);
  piece.waited.resize(n, count);
  for (Eigen::Index i = 0; i < n; i += columns_together) {
    Columns columns(*this, units, i);
    auto row = from;
    for (Eigen::Index k = 0; k < count; ++k) {
      const auto& trade = piece.trades[std::size_t(k)];
      columns.add(row, trade.traded + 1, from, piece.value, piece.least);
      columns.trade(trade, k, piece.held, piece.waited);
      row = trade.traded + 1;
    }
    columns.add(row, to, from, piece.value, piece.least);
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
  Eigen::ArrayXd value = Eigen::ArrayXd::Zero(Eigen::Index(to - from)), least = value;
  for (Eigen::Index i = 0; i < units.size(); i += columns_together) {
    Columns(*this, units, i).add(from, to, from, value, least);
  }
  piece.value.segment(Eigen::Index(from - piece.from), value.size()) = value;
  if (!last) piece.held.col(Eigen::Index(trade) + 1) = units * prices(to - 1);
}

}  // namespace inchtide

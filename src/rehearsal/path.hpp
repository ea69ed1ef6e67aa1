#pragma once
// Fixed weights on a calendar, as a path that no cost bends: where a trade brings all positions back to their weights,
// what they are worth until the next one for each unit of wealth hangs on prices alone.

#include <cstddef>
#include <vector>

#include "inchtide/base/eigen.hpp"
#include "inchtide/prices/price_table.hpp"
#include "rehearsal/columns.hpp"

namespace inchtide {

// Rows of the table on which a trade was decided and made.
struct TradeRows {
  std::size_t decided, traded;
};

// A piece of a path, [from, to) of the table's rows.
struct PathPiece {
  std::size_t from = 0, to = 0;
  std::vector<TradeRows> trades;
  Eigen::ArrayXd value;      // of positions on each row before its trade, for a unit of wealth after the trade before
  Eigen::ArrayXd least;      // price of each row, or 1
  Eigen::ArrayXd relatives;  // price relatives since the row before weighted by the targets, where they are tracked
  Eigen::ArrayXXd traded;    // columns x trades: the prices of each trade
  Eigen::ArrayXXd decided;   // columns x trades: and of its decision
  std::size_t bad = 0;       // the first row with a price that is none, or `to`
};

class Path {
 public:
  Path(const PriceTable& table, const Eigen::VectorXd& targets, bool tracks_targets);

  // The table's columns that have a target, of which alone all else is.
  [[nodiscard]] const std::vector<Eigen::Index>& columns() const { return columns_; }
  [[nodiscard]] const Eigen::ArrayXd& targets() const { return targets_; }

  // Walks through [from, to) in one go over the columns.
  // @param units for a unit of wealth, up to the first trade; from each trade on they are targets over prices
  // @param piece is written anew, in the room it has
  void walk(PathPiece& piece, std::size_t from, std::size_t to, const Eigen::ArrayXd& units,
            std::vector<TradeRows> trades) const;

  // The same once more from one trade to the next, both within the piece, with other units.
  void again(PathPiece& piece, std::size_t trade, const Eigen::ArrayXd& units) const;

 private:
  void track(PathPiece& piece, Eigen::Index held) const;
  static void find_bad(PathPiece& piece);
  [[nodiscard]] ColumnGroup group(Eigen::Index first) const;

  const PriceTable& table_;
  std::vector<Eigen::Index> columns_;
  Eigen::ArrayXd targets_;
  bool tracks_targets_;
};

}  // namespace inchtide

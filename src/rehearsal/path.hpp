#pragma once
// Fixed weights as a path that no cost bends: where a trade brings all positions back to their weights, what they are
// worth until the next one for each unit of wealth hangs on prices alone, and so does the day of the next trade.

#include <cstddef>
#include <optional>
#include <vector>

#include "inchtide/base/eigen.hpp"
#include "inchtide/prices/price_table.hpp"
#include "rehearsal/columns.hpp"
#include "rehearsal/decisions.hpp"

namespace inchtide {

// Positions for each unit of the wealth after the last trade; arrays are of the columns with a target.
struct UnitPositions {
  Eigen::ArrayXd units;
  double cash = 0;
};

// A piece of a path, [from, to) of the table's rows.
struct PathPiece {
  std::size_t from = 0, to = 0;
  std::vector<TradeRows> trades;
  std::optional<std::size_t> waits;  // decided before `to`, to be traded later
  UnitPositions begin;               // up to the first trade
  Eigen::ArrayXd value;              // of positions on each row before its trade, for a unit of wealth after the last
  double least = 1;                  // price of all rows, or 1
  Eigen::ArrayXd relatives;          // since the row before, weighted by the targets, where they are tracked
  // Of each trade: columns x trades.
  Eigen::ArrayXXd prices;
  Eigen::ArrayXXd units;   // that the targets come to, for a unit of wealth
  Eigen::ArrayXXd held;    // of the wealth before it
  Eigen::ArrayXXd waited;  // what waiting for it cost, of each unit of value that is bought; none without a delay
  std::size_t bad = 0;     // the first row with a price that is none, or `to`
};

class TradePath {
 public:
  // @param cash_share what the targets leave
  TradePath(const PriceTable& table, const Eigen::VectorXd& targets, double cash_share, bool tracks_targets,
            const Decisions& decisions);

  // The table's columns that have a target, of which alone all else is.
  [[nodiscard]] const std::vector<Eigen::Index>& columns() const { return columns_; }
  [[nodiscard]] const Eigen::ArrayXd& targets() const { return targets_; }

  // Walks through [from, to), every trade back to all targets. The piece is written anew, in the room it has.
  // @param waits a decision from before
  void walk(PathPiece& piece, std::size_t from, std::size_t to, UnitPositions begin,
            std::optional<std::size_t> waits) const;

  // What positions are worth on [from, to), added to what is in `values`.
  void sum(std::size_t from, std::size_t to, const Eigen::ArrayXd& units, double* values) const;

  // The first row of [from, to) on which a trade is decided, by what positions are worth on them.
  [[nodiscard]] std::optional<std::size_t> first_decision(std::size_t from, std::size_t to, const UnitPositions& held,
                                                          const double* values) const;
  // Whether one is decided on the close of a trade, after it.
  [[nodiscard]] bool decides_after(std::size_t row, const UnitPositions& held) const;

 private:
  void walk_known(PathPiece& piece) const;
  [[nodiscard]] std::vector<TradeRows> walk_watching(PathPiece& piece, std::optional<std::size_t>& waits) const;
  void make_room(PathPiece& piece) const;
  void gather(PathPiece& piece, const ColumnGroup& group, Eigen::Index first) const;
  void weigh_held(PathPiece& piece) const;
  [[nodiscard]] std::size_t first_outside(std::size_t from, std::size_t to, const UnitPositions& held,
                                          const double* values) const;
  void track(PathPiece& piece, Eigen::Index held) const;
  void find_bad(PathPiece& piece) const;
  [[nodiscard]] ColumnGroup group(Eigen::Index first) const;
  [[nodiscard]] const double* column(Eigen::Index held) const {
    return table_.prices.data() + columns_[std::size_t(held)] * table_.prices.rows();
  }
  [[nodiscard]] Eigen::ArrayXd prices_on(std::size_t row) const;

  const PriceTable& table_;
  const Decisions& decisions_;
  std::vector<Eigen::Index> columns_;
  Eigen::ArrayXd targets_, widths_;  // of the bands
  double cash_share_;
  bool tracks_targets_;
};

}  // namespace inchtide

#pragma once
// What costs make of a path: one root a trade, with all positions brought back to their weights.

#include <optional>
#include <vector>

#include "inchtide/rehearsal/walk.hpp"
#include "rehearsal/calendar.hpp"
#include "rehearsal/path.hpp"

namespace inchtide {

class Chain {
 public:
  // @param shared the path of the whole walk, of a chain with the same prices, plan and options, whatever its costs;
  //        without one the path is walked piece by piece
  Chain(const PriceTable& table, const RehearsalPlan& plan, const RehearsalOptions& options, const Calendar& calendar,
        const TradeTerms& terms, const PathPiece* shared = nullptr);

  // Whether a run may begin as one: fixed weights looked at by a calendar or by bands of each asset, traded back to all
  // of them, at costs in proportion to what is traded, and nothing else that moves cash.
  [[nodiscard]] bool is_possible() const { return possible_; }

  // What a walk of so many rows carries from its first one on.
  [[nodiscard]] static ScaledPositions begin(const Ledger& ledger, double wealth, Eigen::Index rows);

  // The path of the whole walk from here.
  [[nodiscard]] PathPiece whole_path(const WalkState& begin) const;

  // Walks up to a row, or to the first one with an asset that is closed, from which on the ledger walks: the state has
  // no scaled positions then. Figures of a row hang on what is known at its close alone, wherever a piece ends.
  void pass(WalkState& state, std::size_t to_row) const;

  // The trades of the shared path alone: of the rows, only the first that is measured, those with a trade or behind one
  // that leads elsewhere than to all weights, and the last are written. False where costs move the days of trades; the
  // state is of no use then.
  bool trade_all(WalkState& state) const;

 private:
  class Piece;
  // Rates of one part of costs: on a trade of x, mean |x| + more_for_buys x.
  struct Part {
    double OrderCost::*part;
    Eigen::ArrayXd mean, more_for_buys;
  };

  [[nodiscard]] bool starts_within_targets() const;
  [[nodiscard]] bool others_have_prices() const;
  void add_rates();
  [[nodiscard]] UnitPositions held_by(const ScaledPositions& scaled) const;
  void walk_own(WalkState& state, std::size_t to, PathPiece& piece) const;
  void walk(WalkState& state, const PathPiece& piece) const;
  [[nodiscard]] Ledger ledger_of(const Eigen::ArrayXd& units, double cash) const;
  void hand_over(WalkState& state, const UnitPositions& held, const std::optional<std::size_t>& waits) const;

  const PriceTable& table_;
  const RehearsalPlan& plan_;
  const RehearsalOptions& options_;
  const TradeTerms& terms_;
  const PathPiece* shared_;
  double cash_share_;  // what the weights leave
  Decisions decisions_;
  TradePath path_;
  bool possible_ = false;
  Part all_{};               // parts together
  std::vector<Part> parts_;  // those that any asset pays
};

}  // namespace inchtide

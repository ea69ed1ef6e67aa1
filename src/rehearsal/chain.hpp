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
  Chain(const PriceTable& table, const RehearsalPlan& plan, const RehearsalOptions& options, const Calendar& calendar,
        const TradeTerms& terms);

  // Whether a run may begin as one: fixed weights looked at by a calendar, traded back to all of them, at costs in
  // proportion to what is traded, and nothing else that moves cash.
  [[nodiscard]] bool is_possible() const { return possible_; }

  // What a walk carries from its first row on.
  [[nodiscard]] static ScaledPositions begin(const Ledger& ledger, double wealth);

  // Walks up to a row, or to the first one with an asset that is closed, from which on the ledger walks: the state has
  // no scaled positions then. Figures of a row hang on what is known at its close alone, wherever a piece ends.
  void pass(WalkState& state, std::size_t to_row) const;

 private:
  class Piece;
  // Rates of one part of costs: on a trade of x, mean |x| + more_for_buys x.
  struct Part {
    double OrderCost::*part;
    Eigen::ArrayXd mean, more_for_buys;
  };

  [[nodiscard]] bool starts_within_targets() const;
  [[nodiscard]] bool others_have_prices() const;
  std::vector<TradeRows> decide(std::optional<std::size_t>& waits, std::size_t from, std::size_t to,
                                std::vector<Event>& log) const;
  void walk_piece(WalkState& state, std::size_t to, PathPiece& piece) const;
  [[nodiscard]] Ledger ledger_of(const Eigen::ArrayXd& units, double cash) const;
  void hand_over(WalkState& state, const Eigen::ArrayXd& units, const std::optional<std::size_t>& waits) const;

  const PriceTable& table_;
  const RehearsalPlan& plan_;
  const RehearsalOptions& options_;
  const Calendar& calendar_;
  const TradeTerms& terms_;
  Path path_;
  bool possible_ = false;
  double cash_share_ = 0;    // what the weights leave
  Part all_{};               // parts together
  std::vector<Part> parts_;  // those that any asset pays
};

}  // namespace inchtide

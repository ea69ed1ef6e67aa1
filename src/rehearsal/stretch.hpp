#pragma once
// Rows on which nothing happens but that prices move: walked a column at a time instead of a row at a time.

#include <optional>
#include <vector>

#include "inchtide/rehearsal/walk.hpp"
#include "rehearsal/calendar.hpp"
#include "rehearsal/market.hpp"

namespace inchtide {

class Stretches {
 public:
  Stretches(const PriceTable& table, const RehearsalPlan& plan, const RehearsalOptions& options,
            const Calendar& calendar, const Market& market);

  // Walks on from the state's row while rows are quiet: no decision waits, nothing is looked at but a band that holds,
  // nothing is paid, and all assets have prices. Ends at `to_row` at the latest. Whether a row is quiet hangs on the
  // row and the state alone, and so do its figures, wherever a stretch begins.
  void pass(WalkState& state, std::size_t to_row) const;

 private:
  struct Sums;

  [[nodiscard]] bool is_quiet(const WalkState& state) const;
  void sum(const WalkState& state, std::size_t from, Sums& sums) const;
  std::size_t charge(const WalkState& state, std::size_t from, Sums& sums) const;
  [[nodiscard]] std::size_t first_outside(const WalkState& state, std::size_t from, const Sums& sums,
                                          std::size_t rows) const;
  void take(WalkState& state, const Sums& sums, std::size_t rows) const;
  [[nodiscard]] double paper_cash(const WalkState& state, Eigen::Index at) const;

  const PriceTable& table_;
  const RehearsalPlan& plan_;
  const RehearsalOptions& options_;
  std::vector<char> busy_;  // rows of the table on which something happens or may
  bool possible_ = true, charges_ = false;
};

}  // namespace inchtide

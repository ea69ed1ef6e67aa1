#pragma once
// On which rows a walk that keeps to fixed weights decides to trade: by its calendar, its bands, or both.

#include <cstddef>
#include <optional>
#include <vector>

#include "inchtide/rehearsal/rehearsal.hpp"
#include "rehearsal/calendar.hpp"

namespace inchtide {

// Rows of the table on which a trade was decided and made.
struct TradeRows {
  std::size_t decided, traded;
};

class Decisions {
 public:
  Decisions(const Calendar& calendar, const Schedule& schedule, const RehearsalOptions& options)
      : calendar_(calendar), schedule_(schedule), options_(options) {}

  [[nodiscard]] bool hang_on_weights() const { return schedule_.band.has_value(); }
  [[nodiscard]] const Schedule& schedule() const { return schedule_; }
  [[nodiscard]] std::size_t delay() const { return std::size_t(options_.delay); }
  [[nodiscard]] std::size_t traded(std::size_t decided) const { return decided + delay(); }

  // Whether a row decides whatever the weights are, and whether it does where one is outside its band.
  [[nodiscard]] bool always(std::size_t row) const {
    if (row == options_.first_row) return true;
    return calendar_.looks(row) && (!schedule_.band || schedule_.join == Schedule::Join::either);
  }
  [[nodiscard]] bool if_outside(std::size_t row) const {
    return schedule_.band && (schedule_.watches() || calendar_.looks(row));
  }

  // The trades of [from, to) where decisions hang on the calendar alone.
  // @param waits a decision from before; becomes the one that is left
  [[nodiscard]] std::vector<TradeRows> by_calendar(std::optional<std::size_t>& waits, std::size_t from,
                                                   std::size_t to) const {
    std::vector<TradeRows> trades;
    for (auto row = from; row < to; ++row) {
      const bool looks_first = !waits && delay() == 0;
      if (looks_first && always(row)) waits = row;
      if (waits && row >= traded(*waits)) {
        trades.push_back({*waits, row});
        waits.reset();
      }
      if (!looks_first && !waits && always(row)) waits = row;
    }
    return trades;
  }

 private:
  const Calendar& calendar_;
  const Schedule& schedule_;
  const RehearsalOptions& options_;
};

}  // namespace inchtide

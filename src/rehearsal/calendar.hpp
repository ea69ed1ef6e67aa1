#pragma once
// What a rehearsal's days are, before any price is looked at: looks, estimates, flows, targets by date.

#include <fmt/format.h>

#include <algorithm>
#include <span>
#include <utility>
#include <vector>

#include "inchtide/base/errors.hpp"
#include "inchtide/rehearsal/rehearsal.hpp"

namespace inchtide {

// The entries of a row in a list that is sorted by row.
template <typename Entry>
std::span<const Entry> of_row(const std::vector<Entry>& list, std::size_t row) {
  return {std::ranges::lower_bound(list, row, {}, &Entry::row), std::ranges::upper_bound(list, row, {}, &Entry::row)};
}

// A run on a day of it, as errors name it.
inline std::string run_on(const RehearsalPlan& plan, Day day) {
  return fmt::format("rehearsal '{}', {}", plan.name, to_string(day));
}

// What keeps the ledger from a trade, told with the run and the day.
template <typename Make>
Trade by_ledger(const RehearsalPlan& plan, Day day, Make make) {
  try {
    return make();
  } catch (const InputError& error) {
    throw InputError(error.notice().led_by(run_on(plan, day)));
  }
}

class Calendar {
 public:
  // Checks all that can be known before the walk, but for prices.
  Calendar(const PriceTable& table, const RehearsalPlan& plan, const RehearsalOptions& options);

  // Whether the schedule's calendar looks, and the estimate's.
  [[nodiscard]] bool looks(std::size_t row) const { return looks_[row - first_]; }
  [[nodiscard]] bool estimates(std::size_t row) const { return !estimates_.empty() && estimates_[row - first_]; }
  // What is paid in or out on a row, at this wealth.
  [[nodiscard]] double flow(std::size_t row, double wealth) const;
  // Sets the targets given for this row, where some are.
  void targets(std::size_t row, Eigen::VectorXd& targets) const;
  [[nodiscard]] bool sets_targets(std::size_t row) const;
  [[nodiscard]] bool has_flow(std::size_t row) const;
  [[nodiscard]] double rows_per_year() const { return rows_per_year_; }

 private:
  struct RowFlow {
    std::size_t row;
    double amount, share;
  };

  void read_flows(const RehearsalPlan& plan, const RehearsalOptions& options);
  void check_looks(const RehearsalPlan& plan) const;

  std::size_t first_;
  std::vector<Day> days_;  // of the walk
  std::vector<bool> looks_, estimates_;
  std::vector<RowFlow> flows_;                                         // by row
  std::vector<std::pair<std::size_t, const Eigen::VectorXd*>> given_;  // targets by row
  double rows_per_year_ = 252;
};

}  // namespace inchtide

#pragma once
/// The days of a history. Many assets trade on the same days, so equal lists can share one copy: five hundred assets of
/// one exchange then keep their calendar once.
///
/// @code
/// #include <cassert>
/// using namespace inchtide;
/// DayList first{*parse_day("2024-03-04"), *parse_day("2024-03-05")};
/// DayList second{*parse_day("2024-03-04"), *parse_day("2024-03-05")};
/// assert(second.share(first) && second.shares_with(first));
/// second.push_back(*parse_day("2024-03-06"));
/// assert(first.size() == 2 && !second.shares_with(first));
/// @endcode

#include <initializer_list>
#include <memory>
#include <utility>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/day.hpp"

namespace inchtide {

/// Reads like a `std::vector<Day>`; copies share their days until one of them is edited.
class INCHTIDE_API DayList {
 public:
  using value_type = Day;
  using const_iterator = std::vector<Day>::const_iterator;

  DayList() : DayList(std::vector<Day>{}) {}
  DayList(std::vector<Day> days) : days_(std::make_shared<std::vector<Day>>(std::move(days))) {}
  DayList(std::initializer_list<Day> days) : DayList(std::vector<Day>(days)) {}

  operator const std::vector<Day>&() const { return *days_; }
  [[nodiscard]] auto begin() const { return days_->cbegin(); }
  [[nodiscard]] auto end() const { return days_->cend(); }
  [[nodiscard]] std::size_t size() const { return days_->size(); }
  [[nodiscard]] bool empty() const { return days_->empty(); }
  Day operator[](std::size_t i) const { return (*days_)[i]; }
  [[nodiscard]] Day front() const { return days_->front(); }
  [[nodiscard]] Day back() const { return days_->back(); }

  void push_back(Day day) { edit().push_back(day); }

  /// The days to change; others that shared them keep theirs.
  std::vector<Day>& edit() {
    if (days_.use_count() > 1) days_ = std::make_shared<std::vector<Day>>(*days_);
    return *days_;
  }

  /// Lets go of its own copy when `other` holds the same days. Returns whether it did.
  [[nodiscard]] bool share(const DayList& other) {
    if (*days_ != *other.days_) return false;
    days_ = other.days_;
    return true;
  }
  [[nodiscard]] bool shares_with(const DayList& other) const { return days_ == other.days_; }

  friend bool operator==(const DayList& a, const DayList& b) { return *a.days_ == *b.days_; }

 private:
  std::shared_ptr<std::vector<Day>> days_;
};

}  // namespace inchtide

#pragma once
// The calendars that readers in several threads share.

#include <mutex>
#include <vector>

#include "inchtide/prices/day_list.hpp"

namespace inchtide::exchange {

/// Calendars that were seen, so that equal ones are kept once.
class SharedCalendars {
 public:
  void share(DayList& days) {
    const std::lock_guard guard(mutex_);
    for (const auto& seen : seen_) {
      if (days.share(seen)) return;
    }
    seen_.push_back(days);
  }

 private:
  std::mutex mutex_;
  std::vector<DayList> seen_;
};

}  // namespace inchtide::exchange

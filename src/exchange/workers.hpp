#pragma once
// What readers that work in several threads share.

#include <tbb/info.h>

#include <algorithm>
#include <mutex>
#include <vector>

#include "inchtide/prices/day_list.hpp"

namespace inchtide::exchange {

/// As many as were asked for, but no more than there are processors; 0 asks for all of them.
inline int workers(int threads) {
  const int processors = tbb::info::default_concurrency();
  return threads > 0 ? std::min(threads, processors) : processors;
}

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

#include "inchtide/base/executor.hpp"

#include <tbb/global_control.h>
#include <tbb/info.h>
#include <tbb/parallel_for.h>
#include <tbb/task_arena.h>

#include <algorithm>
#include <atomic>
#include <exception>
#include <mutex>
#include <optional>

#include "inchtide/base/errors.hpp"

#ifdef __SANITIZE_THREAD__
#include <sanitizer/tsan_interface.h>
#endif

namespace inchtide {
namespace {

/// Tells the thread sanitizer how oneTBB, which isn't compiled with it, starts pieces and waits for them: what happens
/// before `leave` on one thread is over after `arrive` on another.
struct Edge {
#ifdef __SANITIZE_THREAD__
  void leave() {
    __tsan_release(this);
  }
  void arrive() {
    __tsan_acquire(this);
  }
#else
  void leave() {}
  void arrive() {}
#endif
  char own_address = 0;
};

/// One call of `each`: what has failed, how much is done, and whether to go on.
class Round {
 public:
  Round(std::size_t count, const std::function<void(std::size_t)>& work, const Watch& watch)
      : count_(count), work_(work), watch_(watch), failed_(count) {
    start_.leave();
  }

  void piece(std::size_t index) {
    start_.arrive();
    work_on(index);
    end_.leave();
  }

  void finish() {
    end_.arrive();
    if (failure_) std::rethrow_exception(failure_);
    if (stopped_) throw Interrupted("Stopped");
  }

 private:
  void work_on(std::size_t index) {
    // Below a failure all are done all the same, as a lower one may fail too, and counts.
    if (stopped_ || index > failed_) return;
    try {
      if (watch_.stop && watch_.stop()) {
        stopped_ = true;
        return;
      }
      work_(index);
      if (!watch_.progress) return;
      const std::lock_guard guard(mutex_);
      watch_.done(++done_, count_);
    } catch (...) {
      const std::lock_guard guard(mutex_);
      if (index > failed_) return;
      failed_ = index;
      failure_ = std::current_exception();
    }
  }

  std::size_t count_;
  const std::function<void(std::size_t)>& work_;
  const Watch& watch_;
  std::atomic<bool> stopped_ = false;
  std::atomic<std::size_t> failed_;  // the lowest index that has
  std::exception_ptr failure_;
  std::mutex mutex_;
  std::size_t done_ = 0;
  Edge start_, end_;
};

int processors() {
  return tbb::info::default_concurrency();
}

}  // namespace

void Watch::check() const {
  if (stop && stop()) throw Interrupted("Stopped");
}

Executor::Executor(int threads) : threads_(threads > 0 ? std::min(threads, processors()) : processors()) {}

Executor Executor::of_waiters(int threads) {
  Executor executor;
  executor.threads_ = std::max(threads, 1);
  executor.waits_ = true;
  return executor;
}

void Executor::each(std::size_t count, const std::function<void(std::size_t)>& work, const Watch& watch) const {
  Round round(count, work, watch);
  if (threads_ == 1 || count < 2) {
    for (std::size_t i = 0; i < count; ++i) round.piece(i);
    return round.finish();
  }
  std::optional<tbb::global_control> more;
  if (waits_) more.emplace(tbb::global_control::max_allowed_parallelism, std::size_t(std::max(threads_, processors())));
  tbb::task_arena arena(threads_);
  arena.execute([&] {
    // Isolated: who waits here for the last pieces takes no work of an outer call meanwhile.
    tbb::this_task_arena::isolate([&] {
      tbb::parallel_for(
          tbb::blocked_range<std::size_t>(0, count, 1),
          [&](const auto& range) {
            for (auto i = range.begin(); i != range.end(); ++i) round.piece(i);
          },
          tbb::simple_partitioner());
    });
  });
  round.finish();
}

}  // namespace inchtide

#pragma once
/// Many independent pieces of work at once, on threads that share memory.
///
/// Results go by index, so that they are the same bits for any number of threads. One call may stand inside another:
/// the inner pieces are shared out among the same threads.
///
/// @code
/// #include <cassert>
/// const inchtide::Executor executor;  // a thread a processor
/// const auto squares = executor.collect(1000, [](std::size_t i) { return i * i; });
/// assert(squares[31] == 961);
/// @endcode

#include <cstddef>
#include <functional>
#include <type_traits>
#include <utility>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/progress.hpp"

namespace inchtide {

class INCHTIDE_API Executor {
 public:
  /// @param threads how many at most work at once, but no more than there are processors; 0 asks for all of them
  explicit Executor(int threads = 0);

  /// For work that waits rather than computes (answers from a network): so many at once, whatever the processors.
  [[nodiscard]] static Executor of_waiters(int threads);

  [[nodiscard]] int threads() const { return threads_; }

  /// Calls work(i) for every i below `count`, once each, in any order.
  /// @param watch its stop is asked before each piece, and its progress told after each
  /// @throws what the piece with the lowest index that failed threw; pieces above it may not have been begun
  /// @throws Interrupted when it was asked to stop and no piece failed; pieces that were begun are complete
  void each(std::size_t count, const std::function<void(std::size_t)>& work, const Watch& watch = {}) const;

  /// The results of work(i), in their order. The type must have a default value.
  /// @throws as `each` does
  template <typename Work>
  [[nodiscard]] auto collect(std::size_t count, Work work, const Watch& watch = {}) const {
    using Result = std::decay_t<decltype(work(std::size_t(0)))>;
    static_assert(!std::is_same_v<Result, bool>, "neighbours of a vector<bool> share bytes");
    std::vector<Result> results(count);
    each(
        count, [&](std::size_t i) { results[i] = work(i); }, watch);
    return results;
  }

 private:
  int threads_ = 1;
  bool waits_ = false;
};

}  // namespace inchtide

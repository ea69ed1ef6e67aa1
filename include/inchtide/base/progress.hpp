#pragma once
/// How long work is watched and stopped: the caller supplies signals, deadlines and the screen.
///
/// @code
/// #include <cassert>
/// int told = 0;
/// const inchtide::Watch watch{[] { return false; },
///                             [&](std::size_t done, std::size_t, const std::string&) { told += int(done); }};
/// watch.check();
/// watch.done(3, 10);
/// assert(told == 3);
/// @endcode

#include <cstddef>
#include <functional>
#include <string>

#include "inchtide/base/api.hpp"

namespace inchtide {

/// Returns true when the work should stop; what is complete is kept. May be called from several threads.
using StopCheck = std::function<bool()>;

/// Told after each part that is done: how many of how many (0: not known yet), and which. Calls don't overlap.
using Progress = std::function<void(std::size_t done, std::size_t all, const std::string& what)>;

/// Both, for a call that can take long. Either may be empty.
struct INCHTIDE_API Watch {
  StopCheck stop;
  Progress progress;

  /// @throws Interrupted when it is to stop
  void check() const;
  /// Tells the progress, if there is one.
  void done(std::size_t count, std::size_t all, const std::string& what = "") const {
    if (progress) progress(count, all, what);
  }
};

}  // namespace inchtide

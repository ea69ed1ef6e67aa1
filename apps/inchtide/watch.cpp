#include "watch.hpp"

#include <fmt/format.h>
#include <unistd.h>

#include <atomic>
#include <csignal>
#include <cstdio>
#include <memory>

#include "inchtide/base/text.hpp"

namespace inchtide::app {
namespace {

std::atomic<bool> stop_asked = false;

void ask_to_stop(int) {
  stop_asked = true;
}

// Takes the two signals, and gives them back.
class Signals {
 public:
  Signals() {
    struct sigaction action {};
    action.sa_handler = ask_to_stop;
    action.sa_flags = int(SA_RESETHAND);
    sigaction(SIGINT, &action, nullptr);
    sigaction(SIGTERM, &action, nullptr);
  }
  ~Signals() {
    std::signal(SIGINT, SIG_DFL);
    std::signal(SIGTERM, SIG_DFL);
  }
  Signals(const Signals&) = delete;
  Signals& operator=(const Signals&) = delete;
};

// One line that is written over, on a terminal only.
Progress progress_line(const Options& options) {
  if (options.quiet || isatty(STDERR_FILENO) == 0) return {};
  return [](std::size_t done, std::size_t all, const std::string& what) {
    if (done == all) {
      fmt::print(stderr, "\r\033[K");
    } else if (all == 0) {
      fmt::print(stderr, "\r\033[K{}  {}", done, excerpt(what));
    } else {
      fmt::print(stderr, "\r\033[K{} of {}  {}", done, all, excerpt(what));
    }
    std::fflush(stderr);
  };
}

}  // namespace

Watch watched(const Options& options) {
  if (options.live) return {options.live->stop, {}};
  static std::weak_ptr<Signals> taken;  // several watches share them
  auto signals = taken.lock();
  if (!signals) taken = signals = std::make_shared<Signals>();
  return {[signals] { return stop_asked.load(); }, progress_line(options)};
}

}  // namespace inchtide::app

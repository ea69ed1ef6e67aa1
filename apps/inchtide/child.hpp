#pragma once
// Another program that runs as this one's child, in a group of its own, so that Ctrl-C is this one's alone.

#include <sys/types.h>

#include <chrono>
#include <optional>
#include <string>
#include <vector>

namespace inchtide::app {

class Child {
 public:
  // @param words the program, looked for in the usual places, and its arguments
  // @throws OutsideFailure where it cannot be started
  explicit Child(const std::vector<std::string>& words);
  // Ends it, and all that it started, where it hasn't ended.
  ~Child();
  Child(const Child&) = delete;
  Child& operator=(const Child&) = delete;

  // Waits a little for words of it; its lines since the last call.
  std::vector<std::string> lines(std::chrono::milliseconds patience);
  // What it ended with, once it has: its exit code, or 128 and the signal.
  std::optional<int> ended();
  void tell(int signal) const;
  // To all that it started too.
  void tell_all(int signal) const;
  // The end of what it said on standard error.
  [[nodiscard]] const std::string& complaints() const { return complaints_; }

 private:
  void read_from(int& pipe, std::string& into);

  pid_t pid_ = -1;
  int out_ = -1, err_ = -1;
  std::string said_, complaints_;
  std::optional<int> code_;
};

}  // namespace inchtide::app

#pragma once
// gnuplot as a process that reads and writes only streams.

#include <chrono>
#include <optional>
#include <string>

namespace inchtide::report {

struct GnuplotAnswer {
  std::optional<int> status;  // as waitpid gives it; none where it was stopped
  std::string picture, said;
};

// @throws OutsideFailure when it isn't installed or cannot be started
GnuplotAnswer run_gnuplot(const std::string& script, std::chrono::milliseconds patience);

}  // namespace inchtide::report

#pragma once
// gnuplot as a process that reads and writes only streams.

#include <chrono>
#include <optional>
#include <string>
#include <vector>

namespace inchtide::report {

struct GnuplotAnswer {
  std::optional<int> status;  // as waitpid gives it; none where it was stopped
  std::string picture, said;
};

// @param open descriptors of this process that gnuplot has under the same numbers
// @throws OutsideFailure when it isn't installed or cannot be started
GnuplotAnswer run_gnuplot(const std::string& script, std::chrono::milliseconds patience,
                          const std::vector<int>& open = {});

}  // namespace inchtide::report

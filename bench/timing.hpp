#pragma once
// What the benchmarks share: seconds of an action, and the median of several.

#include <algorithm>
#include <chrono>
#include <vector>

inline double seconds_of(const auto& action) {
  const auto begin = std::chrono::steady_clock::now();
  action();
  return std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
}

inline double median(std::vector<double> values) {
  std::ranges::nth_element(values, values.begin() + std::ptrdiff_t(values.size() / 2));
  return values[values.size() / 2];
}

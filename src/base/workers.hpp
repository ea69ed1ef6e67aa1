#pragma once
// How many threads work at once.

#include <tbb/info.h>

#include <algorithm>

namespace inchtide {

/// As many as were asked for, but no more than there are processors; 0 asks for all of them.
inline int workers(int threads) {
  const int processors = tbb::info::default_concurrency();
  return threads > 0 ? std::min(threads, processors) : processors;
}

}  // namespace inchtide

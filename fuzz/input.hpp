#pragma once
// What the fuzz targets share: the input as a file in memory, and the one way in which a reader may refuse it.

#include <sys/mman.h>
#include <unistd.h>

#include <cstddef>
#include <cstdint>
#include <cstdlib>
#include <filesystem>
#include <string>

#include "inchtide/base/errors.hpp"

namespace inchtide::fuzz {

// The path of a file in memory that holds the input.
inline std::filesystem::path file_of(const std::uint8_t* data, std::size_t size) {
  static const int file = memfd_create("input.csv", 0);
  if (ftruncate(file, 0) != 0 || pwrite(file, data, size, 0) != ssize_t(size)) std::abort();
  return "/proc/self/fd/" + std::to_string(file);
}

// Reads; refusing in words is fine, anything else is a find.
template <typename Read>
int attempt(Read read) {
  try {
    read();
  } catch (const Error&) {
  }
  return 0;
}

}  // namespace inchtide::fuzz

#pragma once
// A file without a name, in memory: for libraries and programs that write files or streams. Nobody else can open it,
// and nothing of it is left when the process ends, however it ends.

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/mman.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>
#include <string>
#include <string_view>

#include "inchtide/base/errors.hpp"

namespace inchtide::report {

class MemoryFile {
 public:
  MemoryFile() : descriptor_(::memfd_create("inchtide", MFD_CLOEXEC)) {
    if (descriptor_ < 0) fail();
  }
  explicit MemoryFile(std::string_view content) : MemoryFile() {
    while (!content.empty()) {
      const auto written = ::write(descriptor_, content.data(), content.size());
      if (written < 0) fail();
      content.remove_prefix(std::size_t(written));
    }
  }
  MemoryFile(const MemoryFile&) = delete;
  MemoryFile& operator=(const MemoryFile&) = delete;
  ~MemoryFile() { ::close(descriptor_); }

  int descriptor() const { return descriptor_; }

  // Under which this process can open it by name.
  std::string path() const { return fmt::format("/proc/self/fd/{}", descriptor_); }

  std::string content() const {
    std::string all(std::size_t(::lseek(descriptor_, 0, SEEK_END)), '\0');
    std::size_t got = 0;
    while (got < all.size()) {
      const auto count = ::pread(descriptor_, all.data() + got, all.size() - got, off_t(got));
      if (count <= 0) fail();
      got += std::size_t(count);
    }
    return all;
  }

 private:
  [[noreturn]] static void fail() {
    throw OutsideFailure(fmt::format("a file in memory cannot be made: {}", std::strerror(errno)));
  }

  int descriptor_;
};

}  // namespace inchtide::report

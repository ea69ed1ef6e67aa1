#include "inchtide/exchange/files.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/random.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>
#include <cstdint>
#include <cstring>
#include <fstream>
#include <new>
#include <vector>

#include "inchtide/base/errors.hpp"

namespace inchtide::exchange {

namespace fs = std::filesystem;

namespace {

constexpr std::size_t most_bytes = std::size_t(4) << 30;

[[noreturn]] void too_large(const fs::path& path) {
  throw InputError(Where::in_file(path.string()), "it holds more than 4 GiB, or does not end", "Give a smaller file");
}

}  // namespace

std::string read_text_file(const fs::path& path) {
  std::error_code error;
  const auto status = fs::status(path, error);
  if (!fs::exists(status)) throw InputError(Where::in_file(path.string()), "there is no such file", "Check the path");
  if (fs::is_directory(status)) throw InputError(Where::in_file(path.string()), "this is a folder", "Give a file");
  std::ifstream file(path, std::ios::binary);
  std::string text;
  try {
    if (fs::is_regular_file(status)) {
      const auto size = fs::file_size(path, error);
      if (!error && size > most_bytes) too_large(path);
      text.resize(error ? 0 : size);
      file.read(text.data(), std::streamsize(text.size()));
    } else {
      std::vector<char> piece(1 << 16);
      while (file.read(piece.data(), std::streamsize(piece.size())) || file.gcount() > 0) {
        text.append(piece.data(), std::size_t(file.gcount()));
        if (text.size() > most_bytes) too_large(path);
      }
      if (file.eof()) file.clear();
    }
  } catch (const std::bad_alloc&) {
    throw OutsideFailure(Where::in_file(path.string()), "there is not enough memory to read it");
  }
  if (!file)
    throw OutsideFailure(Where::in_file(path.string()), fmt::format("it cannot be read: {}", std::strerror(errno)));
  return text;
}

void make_folder(const fs::path& folder) {
  if (folder.empty()) return;
  std::error_code error;
  fs::create_directories(folder, error);
  if (error)
    throw OutsideFailure(Where::in_file(folder.string()),
                         fmt::format("the folder cannot be made: {}", error.message()));
}

namespace {

[[noreturn]] void cannot_write(const fs::path& path, int error) {
  throw OutsideFailure(Where::in_file(path.string()), fmt::format("it cannot be written: {}", std::strerror(error)));
}

/// An open file, closed whatever happens.
struct Descriptor {
  int value;
  explicit Descriptor(int opened) : value(opened) {}
  Descriptor(const Descriptor&) = delete;
  Descriptor& operator=(const Descriptor&) = delete;
  ~Descriptor() { close(); }
  int close() {
    const int result = value < 0 ? 0 : ::close(value);
    value = -1;
    return result;
  }
};

/// Returns 0, or what went wrong.
int write_all(int descriptor, std::string_view text) {
  while (!text.empty()) {
    const auto written = ::write(descriptor, text.data(), text.size());
    if (written < 0 && errno == EINTR) continue;
    if (written < 0) return errno;
    text.remove_prefix(std::size_t(written));
  }
  return 0;
}

/// Devices and pipes are written to, never replaced.
void write_to_device(const fs::path& path, std::string_view text) {
  Descriptor file(::open(path.c_str(), O_WRONLY | O_CLOEXEC | O_NOCTTY));
  if (file.value < 0) cannot_write(path, errno);
  if (const int error = write_all(file.value, text)) cannot_write(path, error);
  if (file.close() != 0) cannot_write(path, errno);
}

fs::path unpredictable_neighbour(const fs::path& path) {
  std::uint64_t drawn = 0;
  if (::getrandom(&drawn, sizeof drawn, 0) != sizeof drawn) cannot_write(path, errno);
  return path.parent_path() / fmt::format(".inchtide-{:016x}", drawn);
}

/// The file that a link leads to, even when it isn't there yet; a file itself when it is none.
fs::path target_of(const fs::path& path) {
  auto target = path;
  for (int links = 0; fs::is_symlink(fs::symlink_status(target)); ++links) {
    if (links == 40) cannot_write(path, ELOOP);
    target = target.parent_path() / fs::read_symlink(target);
  }
  return target;
}

/// One that is replaced leaves its rights. Returns 0, or what went wrong.
int take_rights_of(const fs::path& path, int descriptor) {
  struct stat known {};
  if (::stat(path.c_str(), &known) != 0) return 0;
  return ::fchmod(descriptor, known.st_mode & 0777) == 0 ? 0 : errno;
}

/// Writes a file that has no name until it is whole, so that nothing of it is left when the process is stopped. Where
/// the file system knows none such, it has a name from the start.
void replace_file(const fs::path& path, std::string_view text) {
  const auto folder = path.parent_path().empty() ? fs::path(".") : path.parent_path();
  const auto temporary = unpredictable_neighbour(path);
  Descriptor file(::open(folder.c_str(), O_TMPFILE | O_WRONLY | O_CLOEXEC, 0666));
  const bool named = file.value < 0;
  if (named) {
    file.value = ::open(temporary.c_str(), O_WRONLY | O_CREAT | O_EXCL | O_NOFOLLOW | O_CLOEXEC, 0666);
    if (file.value < 0) cannot_write(path, errno);
  }
  int error = write_all(file.value, text);
  if (error == 0) error = take_rights_of(path, file.value);
  if (error == 0 && !named) {
    const auto own = fmt::format("/proc/self/fd/{}", file.value);
    if (::linkat(AT_FDCWD, own.c_str(), AT_FDCWD, temporary.c_str(), AT_SYMLINK_FOLLOW) != 0) error = errno;
  }
  if (file.close() != 0 && error == 0) error = errno;
  if (error == 0 && ::rename(temporary.c_str(), path.c_str()) != 0) error = errno;
  if (error == 0) return;
  ::unlink(temporary.c_str());
  cannot_write(path, error);
}

}  // namespace

void write_text_file(const fs::path& path, std::string_view text) {
  std::error_code ignored;
  make_folder(path.parent_path());
  const auto kind = fs::status(path, ignored).type();
  if (kind == fs::file_type::directory) cannot_write(path, EISDIR);
  if (kind == fs::file_type::regular || kind == fs::file_type::not_found) {
    replace_file(target_of(path), text);
  } else {
    write_to_device(path, text);
  }
}

}  // namespace inchtide::exchange

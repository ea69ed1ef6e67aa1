#include "inchtide/exchange/files.hpp"

#include <fmt/format.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>
#include <fstream>
#include <sstream>

#include "inchtide/base/errors.hpp"

namespace inchtide::exchange {

namespace fs = std::filesystem;

std::string read_text_file(const fs::path& path) {
  std::error_code error;
  const auto status = fs::status(path, error);
  if (!fs::exists(status)) throw InputError(path.string(), "there is no such file", "Check the path");
  if (fs::is_directory(status)) throw InputError(path.string(), "this is a folder", "Give a file");
  std::ifstream file(path, std::ios::binary);
  std::string text;
  if (fs::is_regular_file(status)) {
    text.resize(fs::file_size(path, error));
    file.read(text.data(), std::streamsize(text.size()));
  } else {
    std::ostringstream all;
    all << file.rdbuf();
    text = all.str();
  }
  if (!file) throw OutsideFailure(fmt::format("{}: it cannot be read: {}", path.string(), std::strerror(errno)));
  return text;
}

fs::path temporary_neighbour(const fs::path& path) {
  static int counter = 0;
  auto name = path;
  name.replace_filename(
      fmt::format(".{}.{}-{}{}", path.stem().string(), ::getpid(), ++counter, path.extension().string()));
  return name;
}

void rename_into_place(const fs::path& finished, const fs::path& path) {
  std::error_code error;
  fs::rename(finished, path, error);
  if (error) {
    const auto why = error.message();
    fs::remove(finished, error);
    throw OutsideFailure(fmt::format("{}: it cannot be written: {}", path.string(), why));
  }
}

void make_folder(const fs::path& folder) {
  if (folder.empty()) return;
  std::error_code error;
  fs::create_directories(folder, error);
  if (error) throw OutsideFailure(fmt::format("{}: the folder cannot be made: {}", folder.string(), error.message()));
}

void write_text_file(const fs::path& path, std::string_view text) {
  make_folder(path.parent_path());
  const auto temporary = temporary_neighbour(path);
  std::ofstream file(temporary, std::ios::binary);
  file.write(text.data(), std::streamsize(text.size()));
  file.close();
  if (!file) {
    const std::string why = std::strerror(errno);
    std::error_code ignored;
    fs::remove(temporary, ignored);
    throw OutsideFailure(fmt::format("{}: it cannot be written: {}", path.string(), why));
  }
  rename_into_place(temporary, path);
}

}  // namespace inchtide::exchange

#pragma once
// Runs a program as a user would and keeps what it said.

#include <sys/wait.h>

#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <sstream>
#include <string>

namespace inchtide::test {

namespace fs = std::filesystem;

inline std::string text_of(const fs::path& path) {
  std::ifstream file(path, std::ios::binary);
  std::ostringstream text;
  text << file.rdbuf();
  return text.str();
}

// A folder of this test's own, gone afterwards.
class Folder {
 public:
  Folder() : Folder(fs::temp_directory_path()) {}
  explicit Folder(const fs::path& parent) {
    std::string name = (parent / "inchtide-test-XXXXXX").string();
    path_ = ::mkdtemp(name.data());
  }
  Folder(const Folder&) = delete;
  Folder& operator=(const Folder&) = delete;
  ~Folder() {
    std::error_code ignored;
    fs::remove_all(path_, ignored);
  }
  fs::path operator/(const std::string& name) const { return path_ / name; }
  const fs::path& path() const { return path_; }

  // Writes a file into it and returns its path.
  fs::path write(const std::string& name, const std::string& text) const {
    const auto file = path_ / name;
    fs::create_directories(file.parent_path());
    std::ofstream(file, std::ios::binary) << text;
    return file;
  }

  // In memory where there is such a place: for thousands of small files.
  static fs::path quick_parent() { return fs::is_directory("/dev/shm") ? "/dev/shm" : fs::temp_directory_path(); }

  bool is_empty() const { return fs::is_empty(path_); }

 private:
  fs::path path_;
};

struct Said {
  int code = -1;
  std::string out, err;
};

// Runs a shell command line; `before` goes in front of it, e.g. "PATH=/nowhere".
inline Said run(const std::string& command) {
  const Folder folder;
  const auto out = folder / "out", err = folder / "err";
  const std::string line = command + " >'" + out.string() + "' 2>'" + err.string() + "' </dev/null";
  const int status = std::system(line.c_str());
  return {WIFEXITED(status) ? WEXITSTATUS(status) : -1, text_of(out), text_of(err)};
}

}  // namespace inchtide::test

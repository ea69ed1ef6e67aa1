#include "inchtide/exchange/whole_folder.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cerrno>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <sstream>
#include <system_error>

#include "inchtide/base/errors.hpp"
#include "inchtide/exchange/files.hpp"

namespace inchtide::exchange {
namespace {

namespace fs = std::filesystem;

[[noreturn]] void fail(const fs::path& place) {
  throw OutsideFailure(fmt::format("{} cannot be written: {}", place.string(), std::strerror(errno)));
}

/// All but folders, by their names below it.
std::vector<std::string> files_in(const fs::path& folder) {
  std::vector<std::string> files;
  for (const auto& entry : fs::recursive_directory_iterator(folder)) {
    if (!entry.is_directory() || entry.is_symlink()) files.push_back(entry.path().lexically_relative(folder).string());
  }
  std::ranges::sort(files);
  return files;
}

/// Only what was made here is replaced.
void check_place(const fs::path& place) {
  if (!fs::exists(fs::symlink_status(place))) return;
  if (!fs::is_directory(place)) {
    throw InputError(place.string(), "it is no folder", "Name a folder, which is made where there is none");
  }
  std::vector<std::string> listed;
  if (fs::exists(place / WholeFolder::manifest)) {
    std::istringstream lines(read_text_file(place / WholeFolder::manifest));
    for (std::string line; std::getline(lines, line);) listed.push_back(line);
  }
  std::ranges::sort(listed);
  for (const auto& file : files_in(place)) {
    if (std::ranges::binary_search(listed, file)) continue;
    throw InputError(place.string(), fmt::format("it holds '{}', which was not made here and would be lost", file),
                     "Move that away, or name another folder");
  }
}

}  // namespace

WholeFolder::WholeFolder(fs::path place) : place_(std::move(place)) {
  if (place_.filename().empty()) place_ = place_.parent_path();  // a/b/
  try {
    if (fs::is_symlink(place_)) place_ = fs::canonical(place_);
    check_place(place_);
    if (place_.has_parent_path()) make_folder(place_.parent_path());
  } catch (const fs::filesystem_error& error) {
    throw OutsideFailure(fmt::format("{} cannot be written: {}", place_.string(), error.code().message()));
  }
  auto name = (place_.parent_path() / ("." + place_.filename().string() + ".XXXXXX")).string();
  if (mkdtemp(name.data()) == nullptr) fail(place_);
  making_ = name;
  fs::permissions(making_, fs::perms::owner_all | fs::perms::group_read | fs::perms::group_exec |
                               fs::perms::others_read | fs::perms::others_exec);
}

WholeFolder::~WholeFolder() {
  std::error_code ignored;
  if (!making_.empty()) fs::remove_all(making_, ignored);
}

std::vector<std::string> WholeFolder::finish() {
  auto files = files_in(making_);
  files.insert(std::ranges::upper_bound(files, manifest), manifest);
  write_text_file(making_ / manifest, fmt::format("{}\n", fmt::join(files, "\n")));
  check_place(place_);
  if (!fs::exists(place_)) {
    if (std::rename(making_.c_str(), place_.c_str()) != 0) fail(place_);
    making_.clear();
  } else if (renameat2(AT_FDCWD, making_.c_str(), AT_FDCWD, place_.c_str(), RENAME_EXCHANGE) != 0) {
    fail(place_);
  }  // what was there is at the other name now, and goes with this object
  return files;
}

}  // namespace inchtide::exchange

#include "sheet_reader.hpp"

namespace inchtide::exchange {

namespace fs = std::filesystem;

std::vector<std::string> texts(CsvRow row) {
  std::vector<std::string> result;
  for (auto cell : row) result.emplace_back(cell);
  return result;
}

std::vector<fs::path> csv_files(const fs::path& path, bool all) {
  std::error_code error;
  if (!fs::exists(path, error))
    throw InputError(Where::in_file(path.string()), "there is no such file or folder", "Check the path");
  if (!fs::is_directory(path, error)) return {path};
  std::vector<fs::path> files;
  fs::directory_iterator entries(path, error);
  for (; !error && entries != fs::directory_iterator(); entries.increment(error)) {
    std::error_code unknown;  // of a link that leads nowhere: reading it says so
    const bool folder = !all && entries->is_directory(unknown);
    if (!folder && same_name(entries->path().extension().string(), ".csv")) files.push_back(entries->path());
  }
  if (error)
    throw OutsideFailure(Where::in_file(path.string()), fmt::format("the folder cannot be read: {}", error.message()));
  std::ranges::sort(files);
  if (files.empty())
    throw InputError(Where::in_file(path.string()), "the folder holds no .csv file", "Put one file each into it");
  return files;
}

void check_headings_differ(const fs::path& path, const std::vector<std::string>& header,
                           std::string (*alike)(std::string_view)) {
  std::set<std::string> seen;
  for (std::size_t j = 0; j < header.size(); ++j) {
    if (header[j].empty() || seen.insert(alike(header[j])).second) continue;
    throw InputError(Where::in_file(path.string(), 1, std::to_string(j + 1)),
                     fmt::format("'{}' comes twice", excerpt(header[j])), "Keep one of the two columns, or rename one");
  }
}

}  // namespace inchtide::exchange

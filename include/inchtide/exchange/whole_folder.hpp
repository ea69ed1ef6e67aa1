#pragma once
/// A folder of files that appears whole or not at all: it is written beside its place and put there at the end, in one
/// step. What was there stays until then, and is only replaced where it is an earlier one of the same kind.
///
/// @code
/// #include <cassert>
/// #include <filesystem>
/// #include "inchtide/exchange/files.hpp"
/// using namespace inchtide::exchange;
/// const auto place = std::filesystem::temp_directory_path() / "inchtide-snippet-whole";
/// for (const char* text : {"first", "second"}) {
///   WholeFolder folder(place);
///   write_text_file(folder.path() / "a.txt", text);
///   folder.finish();
/// }
/// assert(read_text_file(place / "a.txt") == "second");
/// std::filesystem::remove_all(place);
/// @endcode

#include <filesystem>
#include <string>
#include <vector>

#include "inchtide/base/api.hpp"

namespace inchtide::exchange {

class INCHTIDE_API WholeFolder {
 public:
  /// Lists the files of a folder that was made here, itself among them.
  static constexpr const char* manifest = "files.txt";

  /// Makes an empty folder beside the place.
  /// @throws InputError where something else is at the place: a file, or a folder with a file that its manifest doesn't
  ///         list, which is named; OutsideFailure when the disk or the permissions don't allow it
  explicit WholeFolder(std::filesystem::path place);
  /// Takes away what was not finished.
  ~WholeFolder();
  WholeFolder(const WholeFolder&) = delete;
  WholeFolder& operator=(const WholeFolder&) = delete;

  /// Where the files are to be written.
  [[nodiscard]] const std::filesystem::path& path() const { return making_; }

  /// Lists the files and takes the place; what was there is gone then. Returns what it lists, in order.
  /// @throws as the constructor, when something came to the place meanwhile
  std::vector<std::string> finish();

 private:
  std::filesystem::path place_, making_;
};

}  // namespace inchtide::exchange

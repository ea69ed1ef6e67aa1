#pragma once
/// A file of settings as a neutral tree: what stands where, whatever it may mean. The files are TOML.
///
/// @code
/// #include <cassert>
/// #include <filesystem>
/// #include "inchtide/exchange/files.hpp"
/// const auto folder = std::filesystem::temp_directory_path() / "inchtide-snippet-settings";
/// std::filesystem::create_directories(folder);
/// using namespace inchtide::exchange;
/// write_text_file(folder / "a.toml", "[estimate]\nevery = \"1w\"\n");
/// const auto settings = read_settings_file(folder / "a.toml");
/// assert(settings.back().key() == "estimate.every" && settings.back().where.line == 2);
/// std::filesystem::remove_all(folder);
/// @endcode

#include <filesystem>
#include <string>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/notice.hpp"

namespace inchtide::exchange {

/// What a key holds.
enum class ValueKind { text, number, whole, yes_or_no, day, list, table };

/// One key with its value, as text: "2024-03-04", "0.5", "true"; the items of a list one by one.
struct INCHTIDE_API FileSetting {
  std::vector<std::string> path;  ///< table by table, the key last
  ValueKind kind = ValueKind::text;
  std::vector<std::string> texts;  ///< none of a table
  Where where;                     ///< file, line and the path
  bool only_texts = true;          ///< of a list: all its entries are texts

  /// The path with dots: "estimate.every".
  [[nodiscard]] std::string key() const;
};

/// All keys in the order of the file; tables stand before what they hold.
/// @throws InputError naming file and line: bad TOML, nested too deep, a name that is none, a list of lists or
///         tables
[[nodiscard]] INCHTIDE_API std::vector<FileSetting> read_settings_file(const std::filesystem::path& path);

/// The same of a text.
/// @param file names it
[[nodiscard]] INCHTIDE_API std::vector<FileSetting> settings_in(const std::string& text, const std::string& file);

}  // namespace inchtide::exchange

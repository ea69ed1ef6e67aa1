#pragma once
/// A file of settings as a neutral tree: what stands where, whatever it may mean. The files are TOML.

#include <filesystem>
#include <string>
#include <vector>

#include "inchtide/base/notice.hpp"

namespace inchtide::exchange {

/// What a key holds.
enum class ValueKind { text, number, whole, yes_or_no, day, list, table };

/// One key with its value, as text: "2024-03-04", "0.5", "true"; the items of a list one by one.
struct FileSetting {
  std::vector<std::string> path;  ///< table by table, the key last
  ValueKind kind = ValueKind::text;
  std::vector<std::string> texts;  ///< none of a table
  Where where;                     ///< file, line and the path

  /// The path with dots: "estimate.every".
  [[nodiscard]] std::string key() const;
};

/// All keys in the order of the file; tables stand before what they hold.
/// @throws InputError naming file and line: bad TOML, nested too deep, a name that is none, a list of other things than
///         texts
[[nodiscard]] std::vector<FileSetting> read_settings_file(const std::filesystem::path& path);

}  // namespace inchtide::exchange

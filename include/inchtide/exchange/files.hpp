#pragma once
/// Reading and writing whole files, so that a failure never leaves half of one behind.
///
/// @code
/// #include <cassert>
/// #include <filesystem>
/// const auto folder = std::filesystem::temp_directory_path() / "inchtide-snippet-files";
/// std::filesystem::create_directories(folder);
/// inchtide::exchange::write_text_file(folder / "a.txt", "whole");
/// assert(inchtide::exchange::read_text_file(folder / "a.txt") == "whole");
/// std::filesystem::remove_all(folder);
/// @endcode

#include <filesystem>
#include <string>
#include <string_view>

#include "inchtide/base/api.hpp"

namespace inchtide::exchange {

/// The bytes of a file.
/// @throws InputError when it doesn't exist or is a folder; OutsideFailure when it cannot be read
[[nodiscard]] INCHTIDE_API std::string read_text_file(const std::filesystem::path& path);

/// Writes a file whole or not at all: what was there stays until the new one is complete. Makes its folder if needed.
/// Only a plain file is ever replaced: of a link it is the target, and a device or a pipe is written to.
/// @throws OutsideFailure when the disk or the permissions don't allow it, naming the file
INCHTIDE_API void write_text_file(const std::filesystem::path& path, std::string_view text);

/// Makes a folder and those above it where they are missing.
INCHTIDE_API void make_folder(const std::filesystem::path& folder);

}  // namespace inchtide::exchange

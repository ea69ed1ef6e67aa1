#pragma once
/// Reading and writing whole files, so that a failure never leaves half of one behind.

#include <filesystem>
#include <string>
#include <string_view>

namespace inchtide::exchange {

/// The bytes of a file.
/// @throws InputError when it doesn't exist or is a folder; OutsideFailure when it cannot be read
std::string read_text_file(const std::filesystem::path& path);

/// Writes a file whole or not at all: to a temporary neighbour first, renamed when complete. Makes its folder if
/// needed.
/// @throws OutsideFailure when the disk or the permissions don't allow it, naming the file
void write_text_file(const std::filesystem::path& path, std::string_view text);

/// A name beside `path` that nobody else uses, with the same ending.
std::filesystem::path temporary_neighbour(const std::filesystem::path& path);

/// Gives `finished` its final name, replacing what is there.
void rename_into_place(const std::filesystem::path& finished, const std::filesystem::path& path);

/// Makes a folder and those above it where they are missing.
void make_folder(const std::filesystem::path& folder);

}  // namespace inchtide::exchange

#pragma once
/// Reads back what the commands write as JSON, as the library's own values: portfolios and rehearsals. (Estimates:
/// estimate_file.hpp.)

#include <filesystem>
#include <vector>

#include "inchtide/rehearsal/rehearsal.hpp"
#include "inchtide/weights/allocation.hpp"

namespace inchtide::exchange {

/// The portfolios of a file that `weigh` wrote, one weight for each of its assets (0 where the file leaves one out).
/// @throws InputError naming the file and the field, the line where it is not JSON, and an asset that it doesn't list
[[nodiscard]] std::vector<Allocation> read_allocations(const std::filesystem::path& path);

/// The runs of a file that `rehearse` wrote. Their trades come with their orders; `Trade::value` stays empty.
/// @throws InputError likewise
[[nodiscard]] std::vector<Rehearsal> read_rehearsals(const std::filesystem::path& path);

}  // namespace inchtide::exchange

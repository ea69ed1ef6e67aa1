#pragma once
/// Reads back what the commands write as JSON, as the library's own values: portfolios and rehearsals. (Estimates:
/// estimate_file.hpp.)
///
/// @code
/// #include <cassert>
/// #include <filesystem>
/// #include "inchtide/exchange/files.hpp"
/// const auto folder = std::filesystem::temp_directory_path() / "inchtide-snippet-results";
/// std::filesystem::create_directories(folder);
/// using namespace inchtide;
/// exchange::write_text_file(folder / "w.json", R"({"inputs": {"assets": ["KELPFARM", "TIDEMILL"]}, "result":
///   {"portfolios": [{"name": "mine", "aim": "given", "weights": {"TIDEMILL": 1}}]}})");
/// assert(exchange::read_allocations(folder / "w.json")[0].weights == Eigen::Vector2d(0, 1));
/// std::filesystem::remove_all(folder);
/// @endcode

#include <filesystem>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/rehearsal/rehearsal.hpp"
#include "inchtide/weights/allocation.hpp"

namespace inchtide::exchange {

/// The portfolios of a file that `weigh` wrote, one weight for each of its assets (0 where the file leaves one out).
/// @throws InputError naming the file and the field, the line where it is not JSON, and an asset that it doesn't list
[[nodiscard]] INCHTIDE_API std::vector<Allocation> read_allocations(const std::filesystem::path& path);

/// The runs of a file that `rehearse` wrote. An order's asset is its position in the run's `assets`, which are
/// those that were traded.
/// @throws InputError likewise
[[nodiscard]] INCHTIDE_API std::vector<Rehearsal> read_rehearsals(const std::filesystem::path& path);

}  // namespace inchtide::exchange

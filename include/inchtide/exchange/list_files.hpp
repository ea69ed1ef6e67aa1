#pragma once
/// Lists about assets in CSV and text files: tags, identifiers, members, weights.
///
/// @code
/// #include <cassert>
/// #include <filesystem>
/// #include "inchtide/exchange/files.hpp"
/// const auto folder = std::filesystem::temp_directory_path() / "inchtide-snippet-lists";
/// std::filesystem::create_directories(folder);
/// using namespace inchtide;
/// exchange::write_text_file(folder / "w.csv", "asset,held\nKELPFARM,60%\nTIDEMILL,40%\n");
/// const auto lists = exchange::read_weights(folder / "w.csv");
/// assert(lists[0].name == "held" && lists[0].weights[0] == 0.6);
/// std::filesystem::remove_all(folder);
/// @endcode

#include <filesystem>
#include <string>
#include <variant>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/tags.hpp"
#include "inchtide/exchange/csv.hpp"
#include "inchtide/study/holdings.hpp"
#include "inchtide/weights/weight_list.hpp"

namespace inchtide::exchange {

/// Reads a table of tags, or of identifiers: a column `code` and any others.
/// @param style whose decimal comma, where there is one, turns tags that are figures (2,5) into 2.5, as limits take
/// them
/// @throws InputError when there is no such column or a code comes twice
[[nodiscard]] INCHTIDE_API Tags read_tags(const std::filesystem::path& path, const CsvStyle& style = {});

/// The members of a universe, in the words of some scheme.
struct INCHTIDE_API MemberList {
  std::string scheme;  ///< the column's name, or empty where the file doesn't say
  std::vector<std::string> members;
};

/// Reads a list of members: a text file with one a line (# begins a comment), or a CSV file, of which the column
/// `code`, else one of `schemes`, else the first is taken.
/// @throws InputError when it is empty
[[nodiscard]] INCHTIDE_API MemberList read_members(const std::filesystem::path& path,
                                                   const std::vector<std::string>& schemes);

/// Reads weights: a column `asset` (or `code`) and one column a portfolio, cells such as `12.5%`; empty is 0.
/// @throws InputError for a missing column, an asset that comes twice, or a weight that cannot be read or has no %
[[nodiscard]] INCHTIDE_API std::vector<WeightList> read_weights(const std::filesystem::path& path,
                                                                const CsvStyle& style = {});

/// Reads what is held: weights as above, of which the first column counts; or units, where there is a column `units` in
/// place of one of weights. A row `cash` is money then.
/// @throws InputError likewise, and for units that are no number
[[nodiscard]] INCHTIDE_API std::variant<WeightList, HoldingList> read_current(const std::filesystem::path& path,
                                                                              const CsvStyle& style = {});

}  // namespace inchtide::exchange

#pragma once
/// The mandate: the manager's rules in one TOML file, and what it names, read into a study's settings and sources.
///
///     [universe]  prices, tags, assets, benchmark, currency, ...     [estimate]   intervals and methods
///     [views.NAME]  [limits]  [costs.CLASS]  [schedules.NAME]        [rehearsal]  split, wealth, delay, aims
///     [grid]  [cells.NAME]                                           (many rehearsals)
///     [gather]  [providers.NAME]                                     (bringing prices in)
///
/// `declarations.hpp` has every key, with what it takes and an example. Paths are relative to the file. An unknown key
/// is an error that names it and the nearest known one.
///
/// @code
/// #include <cassert>
/// #include <filesystem>
/// #include "inchtide/exchange/files.hpp"
/// const auto folder = std::filesystem::temp_directory_path() / "inchtide-snippet-mandate";
/// std::filesystem::create_directories(folder);
/// inchtide::exchange::write_text_file(folder / "m.toml", "[limits]\nspread = \"each <= 10%\"\n");
/// const auto mandate = inchtide::read_mandate(folder / "m.toml");
/// assert(mandate.settings.limits[0].name == "spread");
/// std::filesystem::remove_all(folder);
/// @endcode

#include <filesystem>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/exchange/provider.hpp"
#include "inchtide/study/settings.hpp"
#include "inchtide/study/sources.hpp"

namespace inchtide {

/// What the file says: settings, and where to read what they are about. What it leaves out is empty, or as usual.
struct INCHTIDE_API Mandate {
  Settings settings;

  std::optional<std::filesystem::path> prices, tags, rates, actions, current, implied_weights;
  std::vector<std::filesystem::path> given;  ///< files of weights to look at beside those that are chosen
  exchange::CsvStyle style;

  // For gathering
  std::optional<std::filesystem::path> store, identifiers;
  std::optional<std::string> provider, list;
  std::vector<exchange::Provider> providers;
};

/// One axis of the grid of all combinations, from texts: schedules by the names they have in the mandate too.
/// @throws InputError as `fill_axis`
INCHTIDE_API void take_axis(Settings& settings, GridAxes& axes, std::string_view axis,
                            const std::vector<std::string>& texts, const Where& where);

/// @throws InputError naming file, line and key: bad TOML, an unknown key or table, a value of the wrong kind
[[nodiscard]] INCHTIDE_API Mandate read_mandate(const std::filesystem::path& path);

/// The same of the text of a file, which need not be what stands in it.
[[nodiscard]] INCHTIDE_API Mandate mandate_in(const std::string& text, const std::filesystem::path& path);

/// Reads all that a study is made of: once, before its first step. In a folder one bad file, link or folder costs no
/// other; it is passed over.
/// @param threads files read at once; 0: one a processor
/// @throws InputError when no prices are named, and as the readers do
[[nodiscard]] INCHTIDE_API Sources read_sources(const Mandate& mandate, int threads = 0);

/// The same without prices: tags and weights, which go with an estimate that is given.
[[nodiscard]] INCHTIDE_API Sources read_sources_beside_an_estimate(const Mandate& mandate);

}  // namespace inchtide

#pragma once
/// Bringing histories into the store, from files or from a provider, asset by asset: what is new, what changed, and why
/// something could not be had.
///
/// @code
/// #include <cassert>
/// #include <filesystem>
/// #include "inchtide/exchange/files.hpp"
/// const auto folder = std::filesystem::temp_directory_path() / "inchtide-snippet-gather";
/// std::filesystem::create_directories(folder);
/// using namespace inchtide::exchange;
/// write_text_file(folder / "prices/KELPFARM.csv", "date,close\n2024-03-04,10\n2024-03-05,11\n");
/// {
///   PriceStore store(folder / "a.store", PriceStore::Access::write);
///   const auto report = gather_files(folder / "prices", {}, store, {});
///   assert(report.assets[0].rows_new == 2 && !report.assets[0].error);
/// }
/// std::filesystem::remove_all(folder);
/// @endcode

#include <optional>
#include <string>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/progress.hpp"
#include "inchtide/exchange/provider.hpp"
#include "inchtide/exchange/store.hpp"

namespace inchtide::exchange {

/// What became of one asset.
struct INCHTIDE_API GatheredAsset {
  std::string asset;
  std::optional<Day> from, to;  ///< what the store now holds; nothing when it holds nothing
  std::size_t rows_new = 0, changed = 0, unchanged = 0;
  std::string note;             ///< worth knowing, e.g. that it was fetched again in full
  std::optional<Notice> error;  ///< nothing when it went well
  bool outside = false;         ///< the error came from the network, the disk or memory, not from what was asked for
  bool fault = false;           ///< the error is a fault of this library
};

struct INCHTIDE_API GatherReport {
  std::vector<GatheredAsset> assets;  ///< in the order asked for
  bool interrupted = false;           ///< stopped on request; assets without a row weren't reached
};

struct INCHTIDE_API GatherOptions {
  std::optional<Day> from, to;  ///< `to` is needed for a provider: the day of asking
  bool in_full = false;         ///< fetch whole histories even where the store has some
  StopCheck stop = {};
  Progress progress = {};
};

/// Gathers from CSV files.
/// @throws InputError when the path or a file of many assets as a whole cannot be read
[[nodiscard]] INCHTIDE_API GatherReport gather_files(const std::filesystem::path& path, const PriceReading& reading,
                                                     PriceStore& store, const GatherOptions& options);

/// An asset and the provider's code for it.
struct INCHTIDE_API Request {
  std::string asset, code;
};

/// Gathers from a provider, several requests at a time. An asset that the store has is topped up from its last day,
/// with an overlap; where adjusted closes of the overlap differ (a split or dividend since), it is fetched in full
/// again.
[[nodiscard]] INCHTIDE_API GatherReport gather_from(const Provider& provider, const std::vector<Request>& requests,
                                                    HttpClient& client, PriceStore& store,
                                                    const GatherOptions& options);

}  // namespace inchtide::exchange

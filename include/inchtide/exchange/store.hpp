#pragma once
/// The local store of price histories: one SQLite file.
///
/// Two tables, which any SQLite tool can read: `asset` (one row an asset) and `bar` (one row an asset and day, all
/// fields; the view `history` shows it with codes and ISO days). Writing is one transaction an asset, in write-ahead
/// mode: whatever happens in between, an asset is there whole as it was, or whole as it is now.
///
/// @code
/// #include <cassert>
/// #include <filesystem>
/// const auto folder = std::filesystem::temp_directory_path() / "inchtide-snippet-store";
/// std::filesystem::create_directories(folder);
/// using namespace inchtide;
/// {
///   exchange::PriceStore store(folder / "a.store", exchange::PriceStore::Access::write);
///   BarHistory bars{"KELPFARM"};
///   bars.days = DayList{*parse_day("2024-03-04"), *parse_day("2024-03-05")};
///   bars.of(PriceField::close) = {10, 11};
///   assert(store.put(bars, "here").rows_new == 2 && store.find("kelpfarm")->rows == 2);
/// }
/// std::filesystem::remove_all(folder);
/// @endcode

#include <filesystem>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/exchange/price_files.hpp"
#include "inchtide/exchange/prices.hpp"
#include "inchtide/prices/bars.hpp"

struct sqlite3;

namespace inchtide::exchange {

/// What the store holds of an asset.
struct INCHTIDE_API StoredAsset {
  std::string code;
  std::string source;  ///< where it came from last: a file, or a provider's name
  Day from{}, to{};
  std::size_t rows = 0;
};

class INCHTIDE_API PriceStore {
 public:
  enum class Access { read, write };

  /// Opens a store; makes it when it isn't there and is to be written.
  /// @throws InputError when there is none to read, the file is something else, or it was made by a newer version
  /// @throws OutsideFailure when the disk or the permissions don't allow it
  PriceStore(const std::filesystem::path& path, Access access);

  /// Whether the file is a store of this tool, or might be one made by it (an SQLite file).
  [[nodiscard]] static bool is_store(const std::filesystem::path& path);

  [[nodiscard]] std::vector<StoredAsset> assets() const;
  [[nodiscard]] std::optional<StoredAsset> find(const std::string& code) const;

  /// All fields of an asset, whole or from a day on; nothing when it isn't there.
  [[nodiscard]] std::optional<BarHistory> bars(const std::string& code, std::optional<Day> from = std::nullopt) const;

  /// What writing an asset did.
  struct Written {
    std::size_t rows_new = 0, changed = 0, unchanged = 0, removed = 0;
  };
  /// How rows that are stored already meet the ones that come.
  enum class Merge {
    update,  ///< rows of the same day are replaced; fields that the new ones haven't got stay as they were
    replace  ///< what is stored of the asset goes
  };

  /// Writes an asset's bars in one transaction.
  /// @throws OutsideFailure when the disk is full, the store is read-only, or another program keeps writing to it;
  ///         nothing of the asset is written then
  Written put(const BarHistory& bars, const std::string& source, Merge merge = Merge::update);

  /// Every asset's chosen field, or bars with all fields, read by several connections.
  /// @throws InputError as `read_prices` does
  [[nodiscard]] static std::vector<PriceHistory> read_histories(const std::filesystem::path& path,
                                                                const PriceReading& reading);
  [[nodiscard]] static std::vector<BarHistory> read_all(const std::filesystem::path& path, const PriceReading& reading);

 private:
  std::filesystem::path path_;
  std::shared_ptr<sqlite3> connection_;
};

}  // namespace inchtide::exchange

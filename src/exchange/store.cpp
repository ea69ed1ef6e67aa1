#include "inchtide/exchange/store.hpp"

#include <fmt/format.h>

#include <array>
#include <chrono>
#include <cmath>
#include <exception>
#include <fstream>
#include <limits>
#include <thread>

#include "exchange/calendars.hpp"
#include "exchange/sqlite.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/executor.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/base/text.hpp"
#include "inchtide/exchange/files.hpp"

namespace inchtide::exchange {
namespace {

namespace fs = std::filesystem;

/// "tide" in ASCII: marks the file as ours.
constexpr int application = 0x74696465;
constexpr int format = 1;

/// A bar's key holds the asset in the upper and the day in the lower bits, so that an asset's rows lie together in
/// order of their days. Days count from 1970, moved by 2^20 to be positive.
constexpr std::int64_t day_span = std::int64_t(1) << 22;
std::int64_t key_of(std::int64_t asset, Day day) {
  return asset * day_span + day_span / 2 + day.time_since_epoch().count();
}
/// Days that a store takes: a key has room for them, and no history of prices has others.
constexpr Day first_day{std::chrono::year{1583} / 1 / 1}, last_day{std::chrono::year{7000} / 12 / 31};
bool is_storable(Day day) {
  return day >= first_day && day <= last_day;
}

/// @throws InputError before anything reaches the store
void check_storable(const BarHistory& bars, const std::string& source) {
  check_name(bars.asset, longest_code, source);
  for (Day day : bars.days) {
    if (is_storable(day)) continue;
    throw InputError(fmt::format("{}, {}", source, bars.asset),
                     fmt::format("the day {} lies outside the years 1583 to 7000", to_string(day)),
                     "Correct it where it comes from");
  }
}

Day day_in(std::int64_t key) {
  return Day{std::chrono::days{key % day_span - day_span / 2}};
}

constexpr const char* schema = R"(
  CREATE TABLE asset (
    id INTEGER PRIMARY KEY,
    code TEXT NOT NULL UNIQUE COLLATE NOCASE,
    source TEXT NOT NULL
  );
  CREATE TABLE bar (
    key INTEGER PRIMARY KEY,  -- asset id * 4194304 + 2097152 + days since 1970-01-01
    open REAL, high REAL, low REAL, close REAL, adjusted_close REAL, volume REAL, price REAL
  );
  CREATE VIEW history AS
    SELECT asset.code AS asset, date((bar.key % 4194304 - 2097152) * 86400, 'unixepoch') AS day,
           open, high, low, close, adjusted_close, volume, price
    FROM bar JOIN asset ON asset.id = bar.key / 4194304;
)";
constexpr std::array<const char*, price_fields> column_names = {"open",           "high",   "low",  "close",
                                                                "adjusted_close", "volume", "price"};

/// Checks that a file is ours and that this version can read it.
void check_format(const fs::path& path, sqlite3* connection) {
  const int mark = number_from(path, connection, "PRAGMA application_id");
  const int made_as = number_from(path, connection, "PRAGMA user_version");
  if (mark != application) {
    throw InputError(Where::in_file(path.string()), "it is an SQLite file, but no store of prices",
                     "Choose another file");
  }
  if (made_as > format) {
    throw InputError(
        Where::in_file(path.string()),
        fmt::format("it was made by a newer version (format {}; this one reads up to {})", made_as, format),
        "Update inchtide, or gather into a new store");
  }
}

/// A connection to read by. Where the folder is read-only the write-ahead files can't be made; then nobody is writing
/// either, and the file is read as it stands.
std::shared_ptr<sqlite3> connect_to_read(const fs::path& path) {
  try {
    auto connection = connect(path, SQLITE_OPEN_READWRITE);
    check_format(path, connection.get());
    return connection;
  } catch (const OutsideFailure&) {
    std::error_code error;
    if (fs::exists(path.string() + "-wal", error)) throw;
    auto connection = connect(path, SQLITE_OPEN_READONLY, "?immutable=1");
    check_format(path, connection.get());
    return connection;
  }
}

std::string all_columns() {
  std::string columns;
  for (const char* name : column_names) columns += std::string(", ") + name;
  return columns;
}

/// Equal, holes included.
bool same(double a, double b) {
  return a == b || (std::isnan(a) && std::isnan(b));
}

double figure_at(const BarHistory& bars, std::size_t field, std::size_t row) {
  return bars.fields[field].empty() ? std::numeric_limits<double>::quiet_NaN() : bars.fields[field][row];
}

/// Reads the rows of a range of keys; fields that are empty throughout are left out.
BarHistory rows_between(const fs::path& path, sqlite3* connection, const std::string& code, std::int64_t first,
                        std::int64_t beyond, const std::vector<PriceField>& fields) {
  std::string columns;
  for (auto field : fields) columns += std::string(", ") + column_names[std::size_t(field)];
  Statement rows(path, connection, "SELECT key" + columns + " FROM bar WHERE key >= ? AND key < ? ORDER BY key");
  rows.bind(1, first);
  rows.bind(2, beyond);
  BarHistory bars{code};
  std::vector<Day> days;
  std::array<bool, price_fields> held{};
  while (rows.step()) {
    days.push_back(day_in(rows.integer(0)));
    for (std::size_t k = 0; k < fields.size(); ++k) {
      const double value = rows.number(int(k) + 1);
      bars.of(fields[k]).push_back(value);
      held[std::size_t(fields[k])] = held[std::size_t(fields[k])] || !std::isnan(value);
    }
  }
  days.shrink_to_fit();
  bars.days = std::move(days);
  for (auto field : fields) {
    if (!held[std::size_t(field)]) bars.of(field) = {};
    bars.of(field).shrink_to_fit();
  }
  return bars;
}

/// The same for who reads: what came into a store before days were checked may hold rows of another asset.
BarHistory checked_rows(const fs::path& path, sqlite3* connection, const std::string& code, std::int64_t first,
                        std::int64_t beyond, const std::vector<PriceField>& fields) {
  auto bars = rows_between(path, connection, code, first, beyond, fields);
  for (Day day : bars.days) {
    if (is_storable(day)) continue;
    throw InputError(Where::in_file(path.string()),
                     fmt::format("{} has a row of the day {}, which belongs to no history", code, to_string(day)),
                     {Means::gather_in_full, fmt::format("Gather {} again, in full", code)});
  }
  return bars;
}

const std::vector<PriceField>& all_fields() {
  static const std::vector<PriceField> all = {PriceField::open,  PriceField::high,           PriceField::low,
                                              PriceField::close, PriceField::adjusted_close, PriceField::volume,
                                              PriceField::price};
  return all;
}

struct Entry {
  std::int64_t id;
  std::string code;
};

std::vector<Entry> entries(const fs::path& path, sqlite3* connection) {
  std::vector<Entry> all;
  Statement rows(path, connection, "SELECT id, code FROM asset ORDER BY code COLLATE BINARY");
  while (rows.step()) all.push_back({rows.integer(0), rows.text(1)});
  return all;
}

/// Connections for reading, each used by one thread at a time.
class Connections {
 public:
  explicit Connections(const fs::path& path) : path_(path) {}

  std::shared_ptr<sqlite3> take() {
    {
      const std::lock_guard guard(mutex_);
      if (!idle_.empty()) {
        auto connection = std::move(idle_.back());
        idle_.pop_back();
        return connection;
      }
    }
    return connect_to_read(path_);
  }

  void give_back(std::shared_ptr<sqlite3> connection) {
    const std::lock_guard guard(mutex_);
    idle_.push_back(std::move(connection));
  }

 private:
  const fs::path& path_;
  std::mutex mutex_;
  std::vector<std::shared_ptr<sqlite3>> idle_;
};

/// Reads each wanted asset, several at once.
template <typename Read>
auto read_each(const fs::path& path, const PriceReading& reading, Read read) {
  PriceStore checked(path, PriceStore::Access::read);
  std::vector<Entry> wanted;
  {
    const auto connection = connect_to_read(path);
    for (auto& entry : entries(path, connection.get())) {
      if (reading.assets.empty() || find_name(entry.code, reading.assets)) wanted.push_back(std::move(entry));
    }
  }
  if (wanted.empty()) {
    throw InputError(Where::in_file(path.string()),
                     reading.assets.empty() ? "the store is empty" : "the store has none of the assets",
                     {Means::gather, "Fill it"});
  }
  SharedCalendars calendars;
  Connections connections(path);
  return Executor(reading.threads).collect(wanted.size(), [&](std::size_t i) {
    const auto connection = connections.take();
    auto result = read(connection.get(), wanted[i]);
    connections.give_back(connection);
    calendars.share(result.days);
    return result;
  });
}

/// What an asset holds in the field that is wanted, else in those that stand in for it.
PriceHistory chosen_history(const fs::path& path, sqlite3* connection, const Entry& entry, const FieldChoice& choice) {
  const auto range = [&](const std::vector<PriceField>& fields) {
    return checked_rows(path, connection, entry.code, entry.id * day_span, (entry.id + 1) * day_span, fields);
  };
  auto bars = range({choice.wanted(entry.code)});
  if (bars.fields_held().empty()) bars = range({PriceField::adjusted_close, PriceField::close, PriceField::price});
  const auto field = choice.pick(entry.code, bars.fields_held());
  auto& values = bars.of(field);
  for (double value : values) {
    if (std::isnan(value)) return bars.history(field);
  }
  return {entry.code, {}, field, std::move(bars.days), std::move(values)};
}

/// Switches a store to write-ahead mode. Two that make it at once get in each other's way there without SQLite waiting.
void use_write_ahead(const fs::path& path, sqlite3* connection) {
  const auto until = std::chrono::steady_clock::now() + std::chrono::milliseconds(busy_patience_ms);
  int code = SQLITE_BUSY;
  while ((code & 0xFF) == SQLITE_BUSY && std::chrono::steady_clock::now() < until) {
    code =
        sqlite3_exec(connection, "PRAGMA journal_mode = WAL; PRAGMA synchronous = NORMAL", nullptr, nullptr, nullptr);
    if ((code & 0xFF) == SQLITE_BUSY) std::this_thread::sleep_for(std::chrono::milliseconds(20));
  }
  if (code != SQLITE_OK) fail(path, connection, sqlite3_extended_errcode(connection));
}

}  // namespace

PriceStore::PriceStore(const fs::path& path, Access access) : path_(path) {
  std::error_code error;
  const bool exists = fs::exists(path, error);
  if (!exists && access == Access::read) {
    throw InputError(Where::in_file(path.string()), "there is no such store",
                     {"Check the path", {Means::gather, "fill it"}});
  }
  if (exists && fs::is_directory(path, error)) {
    throw InputError(Where::in_file(path.string()), "this is a folder", "Give the file name of a store");
  }
  if (exists && fs::file_size(path, error) > 0 && !is_store(path)) {
    throw InputError(Where::in_file(path.string()), "it is not a store", "Choose another file name");
  }
  if (access == Access::read) {
    connection_ = connect_to_read(path);
    return;
  }
  make_folder(path.parent_path());
  connection_ = connect(path, SQLITE_OPEN_READWRITE | SQLITE_OPEN_CREATE);
  if (sqlite3_db_readonly(connection_.get(), "main") == 1) fail(path_, nullptr, SQLITE_READONLY);
  use_write_ahead(path_, connection_.get());
  Transaction transaction(path_, connection_.get());  // two may make it at once
  if (number_from(path_, connection_.get(), "SELECT count(*) FROM sqlite_master") == 0) {
    execute(path_, connection_.get(), schema);
    execute(path_, connection_.get(),
            fmt::format("PRAGMA application_id = {}; PRAGMA user_version = {}", application, format).c_str());
  }
  check_format(path_, connection_.get());
  transaction.keep();
}

bool PriceStore::is_store(const fs::path& path) {
  std::error_code error;
  if (!fs::is_regular_file(path, error)) return false;
  std::ifstream file(path, std::ios::binary);
  std::array<char, 16> start{};
  file.read(start.data(), start.size());
  return file && std::string_view(start.data(), 15) == "SQLite format 3";
}

std::vector<StoredAsset> PriceStore::assets() const {
  std::vector<StoredAsset> all;
  for (const auto& entry : entries(path_, connection_.get())) {
    if (auto stored = find(entry.code)) all.push_back(std::move(*stored));
  }
  return all;
}

std::optional<StoredAsset> PriceStore::find(const std::string& code) const {
  Statement asset(path_, connection_.get(), "SELECT id, code, source FROM asset WHERE code = ?");
  asset.bind(1, code);
  if (!asset.step()) return std::nullopt;
  const auto id = asset.integer(0);
  Statement rows(path_, connection_.get(), "SELECT count(*), min(key), max(key) FROM bar WHERE key >= ? AND key < ?");
  rows.bind(1, id * day_span);
  rows.bind(2, (id + 1) * day_span);
  rows.step();
  return StoredAsset{asset.text(1), asset.text(2), day_in(rows.integer(1)), day_in(rows.integer(2)),
                     std::size_t(rows.integer(0))};
}

std::optional<BarHistory> PriceStore::bars(const std::string& code, std::optional<Day> from) const {
  Statement asset(path_, connection_.get(), "SELECT id, code FROM asset WHERE code = ?");
  asset.bind(1, code);
  if (!asset.step()) return std::nullopt;
  const auto id = asset.integer(0);
  return checked_rows(path_, connection_.get(), asset.text(1), from ? key_of(id, *from) : id * day_span,
                      (id + 1) * day_span, all_fields());
}

PriceStore::Written PriceStore::put(const BarHistory& bars, const std::string& source, Merge merge) {
  check_storable(bars, source);
  auto* connection = connection_.get();
  Written written;
  Transaction transaction(path_, connection);
  Statement add(
      path_, connection,
      "INSERT INTO asset (code, source) VALUES (?, ?) ON CONFLICT (code) DO UPDATE SET source = excluded.source "
      "RETURNING id");
  add.bind(1, bars.asset);
  add.bind(2, source);
  add.step();
  const auto id = add.integer(0);
  while (add.step()) {
  }
  // The rows of the asset that are there, from the first day that comes on (all of them when they are to go).
  const bool replaces = merge == Merge::replace;
  const auto first = bars.days.empty() || replaces ? id * day_span : key_of(id, bars.days.front());
  const auto stored = rows_between(path_, connection, bars.asset, first, (id + 1) * day_span, all_fields());
  Statement put_row(path_, connection,
                    "INSERT OR REPLACE INTO bar (key" + all_columns() + ") VALUES (?, ?, ?, ?, ?, ?, ?, ?)");
  std::size_t at = 0;  // in the stored rows
  std::size_t met = 0;
  for (std::size_t row = 0; row < bars.days.size(); ++row) {
    while (at < stored.days.size() && stored.days[at] < bars.days[row]) ++at;
    const bool known = at < stored.days.size() && stored.days[at] == bars.days[row];
    bool differs = !known;
    std::array<double, price_fields> values{};
    for (std::size_t k = 0; k < price_fields; ++k) {
      values[k] = figure_at(bars, k, row);
      const double before = known ? figure_at(stored, k, at) : values[k];
      if (bars.fields[k].empty() && !replaces) values[k] = known ? before : values[k];
      differs = differs || !same(values[k], before);
    }
    met += known ? 1 : 0;
    (known ? (differs ? written.changed : written.unchanged) : written.rows_new) += 1;
    if (!differs) continue;
    put_row.bind(1, key_of(id, bars.days[row]));
    for (std::size_t k = 0; k < price_fields; ++k) put_row.bind(int(k) + 2, values[k]);
    put_row.run();
  }
  if (replaces && stored.days.size() > met) {
    Statement remove(path_, connection, "DELETE FROM bar WHERE key = ?");
    std::size_t next = 0;
    for (Day day : stored.days) {
      while (next < bars.days.size() && bars.days[next] < day) ++next;
      if (next < bars.days.size() && bars.days[next] == day) continue;
      remove.bind(1, key_of(id, day));
      remove.run();
    }
    written.removed = stored.days.size() - met;
  }
  transaction.keep();
  return written;
}

std::vector<PriceHistory> PriceStore::read_histories(const fs::path& path, const PriceReading& reading) {
  auto histories = read_each(path, reading, [&](sqlite3* connection, const Entry& entry) {
    return chosen_history(path, connection, entry, reading.fields);
  });
  for (const auto& history : histories) {
    if (history.days.size() > 1) continue;
    throw InputError(Where::in_file(path.string()), fmt::format("it holds a single price of {}", history.asset),
                     {{Means::gather, "Gather more of it"}, {Means::assets, "leave it out"}});
  }
  return histories;
}

std::vector<BarHistory> PriceStore::read_all(const fs::path& path, const PriceReading& reading) {
  return read_each(path, reading, [&](sqlite3* connection, const Entry& entry) {
    return checked_rows(path, connection, entry.code, entry.id * day_span, (entry.id + 1) * day_span, all_fields());
  });
}

}  // namespace inchtide::exchange

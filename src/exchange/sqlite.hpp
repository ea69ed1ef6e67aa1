#pragma once
// SQLite as stores use it: statements, transactions, connections, and its failures as ours.

#include <sqlite3.h>

#include <cmath>
#include <cstddef>
#include <cstdint>
#include <filesystem>
#include <limits>
#include <memory>
#include <span>
#include <string>
#include <string_view>

namespace inchtide::exchange {

// How long another program that writes is waited for.
constexpr int busy_patience_ms = 10'000;

// @throws OutsideFailure, or InputError for a file that is damaged or no store
[[noreturn]] void fail(const std::filesystem::path& path, sqlite3* connection, int code);

// A prepared statement; one step at a time.
class Statement {
 public:
  Statement(const std::filesystem::path& path, sqlite3* connection, const std::string& sql)
      : path_(path), connection_(connection) {
    sqlite3_stmt* made = nullptr;
    const int code = sqlite3_prepare_v2(connection, sql.c_str(), -1, &made, nullptr);
    statement_.reset(made);
    if (code != SQLITE_OK) fail(path_, connection_, code);
  }

  void bind(int at, std::int64_t value) { sqlite3_bind_int64(statement_.get(), at, value); }
  void bind(int at, const std::string& value) {
    sqlite3_bind_text(statement_.get(), at, value.data(), int(value.size()), SQLITE_TRANSIENT);
  }
  void bind_bytes(int at, std::string_view value) {
    sqlite3_bind_blob64(statement_.get(), at, value.data(), value.size(), SQLITE_TRANSIENT);
  }
  // NaN is stored as nothing.
  void bind(int at, double value) {
    if (std::isnan(value)) {
      sqlite3_bind_null(statement_.get(), at);
    } else {
      sqlite3_bind_double(statement_.get(), at, value);
    }
  }

  // True when there is a row.
  bool step() {
    const int code = sqlite3_step(statement_.get());
    if (code == SQLITE_ROW) return true;
    if (code == SQLITE_DONE) return false;
    sqlite3_reset(statement_.get());
    fail(path_, connection_, code);
  }
  void run() {
    step();
    sqlite3_reset(statement_.get());
  }

  // After a row of which nothing more is wanted.
  void reset() { sqlite3_reset(statement_.get()); }

  std::span<const std::byte> bytes(int column) const {
    const auto* data = static_cast<const std::byte*>(sqlite3_column_blob(statement_.get(), column));
    return {data, std::size_t(sqlite3_column_bytes(statement_.get(), column))};
  }
  std::int64_t integer(int column) const { return sqlite3_column_int64(statement_.get(), column); }
  std::string text(int column) const {
    const auto* value = sqlite3_column_text(statement_.get(), column);
    return value == nullptr ? "" : reinterpret_cast<const char*>(value);
  }
  double number(int column) const {
    if (sqlite3_column_type(statement_.get(), column) == SQLITE_NULL) return std::numeric_limits<double>::quiet_NaN();
    return sqlite3_column_double(statement_.get(), column);
  }

 private:
  struct Finalize {
    void operator()(sqlite3_stmt* statement) const { sqlite3_finalize(statement); }
  };
  const std::filesystem::path& path_;
  sqlite3* connection_;
  std::unique_ptr<sqlite3_stmt, Finalize> statement_;
};

void execute(const std::filesystem::path& path, sqlite3* connection, const char* sql);

// Taken back unless it was kept.
class Transaction {
 public:
  Transaction(const std::filesystem::path& path, sqlite3* connection) : path_(path), connection_(connection) {
    execute(path_, connection_, "BEGIN IMMEDIATE");
  }
  Transaction(const Transaction&) = delete;
  Transaction& operator=(const Transaction&) = delete;
  void keep() {
    execute(path_, connection_, "COMMIT");
    kept_ = true;
  }
  ~Transaction() {
    if (!kept_) sqlite3_exec(connection_, "ROLLBACK", nullptr, nullptr, nullptr);
  }

 private:
  const std::filesystem::path& path_;
  sqlite3* connection_;
  bool kept_ = false;
};

// The first figure that a query gives, or 0.
int number_from(const std::filesystem::path& path, sqlite3* connection, const char* sql);

// @param parameters of the URI
std::shared_ptr<sqlite3> connect(const std::filesystem::path& path, int flags, const std::string& parameters = "");

}  // namespace inchtide::exchange

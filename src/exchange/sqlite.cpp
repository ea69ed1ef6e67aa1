#include "sqlite.hpp"

#include <fmt/format.h>

#include <exception>

#include "inchtide/base/errors.hpp"

namespace inchtide::exchange {

namespace fs = std::filesystem;

[[noreturn]] void fail(const fs::path& path, sqlite3* connection, int code) {
  const std::string said = connection != nullptr ? sqlite3_errmsg(connection) : sqlite3_errstr(code);
  const int kind = code & 0xFF;
  const auto outside = [&](const std::string& problem, std::vector<Remedy> remedies) {
    throw OutsideFailure(Where::in_file(path.string()), problem, std::move(remedies));
  };
  if (kind == SQLITE_FULL) outside("the disk is full", {"What was complete is stored; make room and run it again"});
  if (kind == SQLITE_READONLY) {
    outside("the store is read-only",
            {"Allow writing to the file and its folder", {Means::store, "choose another store"}});
  }
  if (kind == SQLITE_BUSY || kind == SQLITE_LOCKED) {
    outside("another program is writing to the store", {"Wait until it has finished and run this again"});
  }
  if (kind == SQLITE_NOTADB || kind == SQLITE_CORRUPT) {
    throw InputError(Where::in_file(path.string()), fmt::format("it is not a store, or damaged ({})", said),
                     "Choose another file, or gather into a new one");
  }
  if (kind == SQLITE_CANTOPEN) outside("it cannot be opened or made", {"Check its folder and the permissions"});
  if (kind == SQLITE_IOERR) {
    outside(fmt::format("the disk failed or is full ({})", said), {"What was complete is stored; run it again"});
  }
  outside(fmt::format("the store failed: {}", said), {});
  std::terminate();
}

void execute(const fs::path& path, sqlite3* connection, const char* sql) {
  const int code = sqlite3_exec(connection, sql, nullptr, nullptr, nullptr);
  if (code != SQLITE_OK) fail(path, connection, sqlite3_extended_errcode(connection));
}

int number_from(const fs::path& path, sqlite3* connection, const char* sql) {
  Statement statement(path, connection, sql);
  return statement.step() ? int(statement.integer(0)) : 0;
}

std::shared_ptr<sqlite3> connect(const fs::path& path, int flags, const std::string& parameters) {
  std::string uri = "file:";
  for (char c : fs::absolute(path).string()) {
    uri += c == '%' || c == '?' || c == '#' ? fmt::format("%{:02X}", int(c)) : std::string(1, c);
  }
  sqlite3* made = nullptr;
  const int code =
      sqlite3_open_v2((uri + parameters).c_str(), &made, flags | SQLITE_OPEN_URI | SQLITE_OPEN_NOMUTEX, nullptr);
  std::shared_ptr<sqlite3> connection(made, sqlite3_close);
  if (code != SQLITE_OK) fail(path, nullptr, code);
  sqlite3_extended_result_codes(made, 1);
  sqlite3_busy_timeout(made, busy_patience_ms);
  return connection;
}

}  // namespace inchtide::exchange

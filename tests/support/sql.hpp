#pragma once
// SQLite files as other programs change them.

#include <gtest/gtest.h>
#include <sqlite3.h>

#include <filesystem>

namespace inchtide::test {

inline void run_sql(const std::filesystem::path& path, const char* sql) {
  sqlite3* connection = nullptr;
  ASSERT_EQ(sqlite3_open(path.c_str(), &connection), SQLITE_OK);
  char* message = nullptr;
  EXPECT_EQ(sqlite3_exec(connection, sql, nullptr, nullptr, &message), SQLITE_OK) << message;
  sqlite3_close(connection);
}

}  // namespace inchtide::test

#pragma once
// The command-line tool, run as a process on the demo data.

#include <gtest/gtest.h>

#include <nlohmann/json.hpp>
#include <string>

#include "support/process.hpp"

namespace inchtide::test {

inline const std::string tool = std::string(INCHTIDE_BIN) + "/inchtide";
inline const std::string demo = std::string(INCHTIDE_SOURCE) + "/demo";
inline const std::string mandate = " --mandate " + demo + "/mandate.toml ";

inline Said run_tool(const std::string& arguments) {
  return run(tool + " " + arguments);
}

// The `result` of a run that must go well.
inline nlohmann::json result_of(const std::string& arguments) {
  const auto said = run_tool(arguments + " --json - --quiet");
  EXPECT_EQ(said.code, 0) << said.err;
  const auto document = nlohmann::json::parse(said.out);
  EXPECT_EQ(document["format"], 1);
  EXPECT_EQ(document["inchtide"], INCHTIDE_VERSION);
  return document["result"];
}

}  // namespace inchtide::test

// The whole study in a folder.

#include <gmock/gmock.h>

#include <filesystem>
#include <fstream>

#include "support/tool.hpp"

namespace inchtide::test {
namespace {

using testing::AllOf;
using testing::Contains;
using testing::EndsWith;
using testing::HasSubstr;

struct Reports : testing::Test {
  Folder base;
  std::string out = (base / "study").string();

  [[nodiscard]] std::vector<std::string> names() const {
    std::vector<std::string> all;
    for (const auto& entry : fs::directory_iterator(base.path())) all.push_back(entry.path().filename().string());
    return all;
  }
};

TEST_F(Reports, HaveThePageAndAllThatTheCommandsSay) {
  const auto files = result_of("report" + mandate + "--out " + out)["files"].get<std::vector<std::string>>();
  for (const auto& file : files) EXPECT_TRUE(fs::exists(file)) << file;
  for (const char* name :
       {"/study.html", "/study.xlsx", "/summary.txt", "/frontier/corners.csv", "/frontier/frontier.png",
        "/rehearse/wealth.png", "/describe/histogram-KELPFARM.png", "/files.txt"}) {
    EXPECT_THAT(files, Contains(EndsWith(name)));
  }
  EXPECT_LT(fs::file_size(out + "/study.html"), 1'500'000u);
  // The frontier is the one of the command itself.
  const auto alone = result_of("frontier" + mandate + "--split 2023-01-02");
  EXPECT_EQ(nlohmann::json::parse(text_of(out + "/frontier.json"))["result"]["corners"], alone["corners"]);
  EXPECT_THAT(text_of(out + "/summary.txt"), AllOf(HasSubstr("frontier: "), HasSubstr("rehearse: ")));
}

TEST_F(Reports, AFileOfTheUsersIsNotLostAndAFailedRunLeavesTheOldOne) {
  fs::create_directories(out);
  std::ofstream(out + "/notes.txt") << "mine";
  const auto refused = run_tool("report" + mandate + "--out " + out);
  EXPECT_EQ(refused.code, 1);
  EXPECT_THAT(refused.err, HasSubstr("'notes.txt'"));
  EXPECT_EQ(text_of(out + "/notes.txt"), "mine");
  EXPECT_EQ(names().size(), 1u);
  std::ofstream(base / "bad.toml") << "[universe]\nprices = \"nowhere.csv\"\n";
  EXPECT_EQ(run_tool("report --mandate " + (base / "bad.toml").string() + " --out " + (base / "other").string()).code,
            1);
  EXPECT_FALSE(fs::exists(base / "other"));
}

TEST_F(Reports, AStoppedRunLeavesNothingBehind) {
  const auto stopped = run("timeout --foreground -s INT 1 " + tool + " report" + mandate + "--quiet --out " + out);
  EXPECT_EQ(stopped.code, 124) << "timeout stopped it: " << stopped.err;
  EXPECT_TRUE(names().empty()) << names().front();
}

TEST_F(Reports, WithoutASplitThereIsNoRehearsalAndItIsSaid) {
  std::ofstream(base / "short.toml") << "[universe]\nprices = \"" << demo
                                     << "/prices\"\nassets = [\"TIDEMILL\", \"KELPFARM\"]\n";
  const auto said = run_tool("report --mandate " + (base / "short.toml").string() + " --out " + out);
  EXPECT_EQ(said.code, 4) << said.err;
  EXPECT_THAT(said.out, HasSubstr("There is no rehearsal: "));
  EXPECT_TRUE(fs::exists(out + "/study.html"));
}

TEST_F(Reports, AsksForItsMandateAndItsFolder) {
  EXPECT_EQ(run_tool("report --out " + out).code, 2);
  EXPECT_EQ(run_tool("report" + mandate).code, 2);
  EXPECT_THAT(run_tool("report" + mandate).err, HasSubstr("--out"));
}

}  // namespace
}  // namespace inchtide::test

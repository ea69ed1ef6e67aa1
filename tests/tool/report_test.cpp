// The whole study in a folder.

#include <fmt/format.h>
#include <gmock/gmock.h>

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <fstream>
#include <map>
#include <sstream>

#include "support/tool.hpp"

namespace inchtide::test {
namespace {

using testing::AllOf;
using testing::Contains;
using testing::EndsWith;
using testing::HasSubstr;
using testing::Not;

/// The spreadsheet has charts of its own, over its own cells.
void expect_charts(const std::string& out) {
  const auto part = [&](const std::string& name) { return run("unzip -p " + out + "/study.xlsx " + name).out; };
  std::string titles;
  for (const char* name : {"xl/charts/chart1.xml", "xl/charts/chart2.xml", "xl/charts/chart3.xml"}) {
    const auto chart = part(name);
    EXPECT_THAT(chart, HasSubstr("<c:f>'")) << "its figures are cells";
    titles += chart;
  }
  EXPECT_THAT(titles, AllOf(HasSubstr("Efficient frontier"), HasSubstr("What 100 became"), HasSubstr("Weights")));
  EXPECT_THAT(part("xl/workbook.xml"),
              AllOf(HasSubstr("\"what-if\""), HasSubstr("\"frontier corners\""), HasSubstr("\"rehearse runs\"")));
  // Weights of every day have no sheet, which is said, and a file.
  EXPECT_THAT(part("xl/workbook.xml"), AllOf(Not(HasSubstr("daily_weights")), HasSubstr("\"left out\"")));
  EXPECT_THAT(part("xl/sharedStrings.xml"), HasSubstr("rehearse/daily_weights.csv"));
  EXPECT_TRUE(fs::exists(out + "/rehearse/daily_weights.csv"));
  // What a program that does not calculate shows.
  EXPECT_THAT(part("xl/worksheets/sheet1.xml"), testing::ContainsRegex(">SQRT[^<]*</f><v>0\\.028"));
}

struct Reports : testing::Test {
  Folder base;
  std::string out = (base / "study").string();

  [[nodiscard]] std::vector<std::string> names() const {
    std::vector<std::string> all;
    for (const auto& entry : fs::directory_iterator(base.path())) all.push_back(entry.path().filename().string());
    return all;
  }
  [[nodiscard]] std::string out_of_a_report() const {
    EXPECT_EQ(run_tool("report" + mandate + "--quiet --out " + out).code, 0);
    return out;
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
  expect_charts(out);
  EXPECT_THAT(text_of(out + "/summary.txt"), AllOf(HasSubstr("frontier: "), HasSubstr("rehearse: ")));
}

// A report draws histories for its baseline alone: they are those that all runs would have.
TEST_F(Reports, ShowWhatElseMightHaveComeOfTheBaseline) {
  const auto rehearsed = nlohmann::json::parse(text_of(out_of_a_report() + "/rehearse.json"))["result"];
  const auto all = result_of("rehearse" + mandate + "--futures 200 --draws 0")["futures"]["runs"];
  const auto& alone = rehearsed["futures"]["runs"];
  ASSERT_EQ(alone.size(), 1u);
  EXPECT_EQ(alone[0]["schedule"], "yearly") << "the mandate's baseline";
  const auto same =
      std::find_if(all.begin(), all.end(), [&](const auto& run) { return run["name"] == alone[0]["name"]; });
  ASSERT_NE(same, all.end());
  for (const char* field : {"growth_per_year", "max_drawdown", "end_wealth"}) {
    ASSERT_TRUE(alone[0].contains(field)) << field;
    EXPECT_EQ(alone[0][field], (*same)[field]) << field;
  }
}

TEST_F(Reports, OfManyAssetsDrawTheFiguresOfAllAndLeaveThoseOfEachToThePage) {
  std::string prices = "date", row;
  for (int k = 0; k < 60; ++k) prices += fmt::format(",REED{:02}", k);
  for (int month = 0; month < 40; ++month) {
    prices += fmt::format("\n{}-{:02}-28", 2020 + month / 12, 1 + month % 12);
    for (int k = 0; k < 60; ++k) prices += fmt::format(",{:.3f}", 50 + 9 * std::sin(month / (1.5 + k % 7) + k));
  }
  base.write("prices.csv", prices + "\n");
  const auto many = base.write("many.toml", "[universe]\nprices = \"prices.csv\"\n").string();
  const auto said = run_tool("report --mandate " + many + " --out " + out);
  EXPECT_EQ(said.code, 4) << "nothing is rehearsed without a split: " << said.err;
  EXPECT_THAT(said.out, HasSubstr("describe: 60 charts of single assets are in the page"));
  EXPECT_TRUE(fs::exists(out + "/describe/histogram.png"));
  EXPECT_FALSE(fs::exists(out + "/describe/histogram-REED00.png"));
  EXPECT_TRUE(fs::exists(out + "/describe/growth.png"));
}

/// A sheet as a spreadsheet program has it once it has calculated everything anew, cells that were typed into among it.
std::vector<std::vector<std::string>> recalculated(const fs::path& book, const std::string& sheet,
                                                   const std::string& typed = "") {
  const Folder folder;
  const auto said =
      run("ssconvert --recalc " + typed +
          " --export-type=Gnumeric_stf:stf_assistant -O 'format=raw separator=; quoting-mode=never sheet=" + sheet +
          "' " + book.string() + " " + (folder / "sheet.csv").string());
  EXPECT_EQ(said.code, 0) << said.err;
  std::vector<std::vector<std::string>> rows;
  std::istringstream lines(text_of(folder / "sheet.csv"));
  for (std::string line; std::getline(lines, line);) {
    rows.emplace_back();
    std::istringstream cells(line);
    for (std::string cell; std::getline(cells, cell, ';');) rows.back().push_back(cell);
  }
  return rows;
}

TEST_F(Reports, TheSpreadsheetAnswersAsTheToolDoes) {
  if (run("ssconvert --version").code != 0) GTEST_SKIP() << "gnumeric is not installed here";
  ASSERT_EQ(run_tool("report" + mandate + "--quiet --out " + out).code, 0);
  const fs::path book = out + "/study.xlsx";
  const auto figure = [](const std::vector<std::vector<std::string>>& rows, const std::string& name,
                         std::size_t column) {
    for (const auto& row : rows) {
      if (!row.empty() && row[0] == name) return std::stod(row.at(column));
    }
    ADD_FAILURE() << "no row " << name;
    return 0.0;
  };
  const auto same = [&](const std::vector<std::vector<std::string>>& rows, const nlohmann::json& portfolio) {
    EXPECT_NEAR(figure(rows, "Expected return", 1), portfolio["expected_return"].get<double>(), 1e-12);
    EXPECT_NEAR(figure(rows, "Volatility", 1), portfolio["volatility"].get<double>(), 1e-12);
    EXPECT_NEAR(figure(rows, "Sharpe ratio", 1), portfolio["sharpe"].get<double>(), 1e-12);
    for (const auto& [asset, share] : portfolio["risk_shares"].items())
      EXPECT_NEAR(figure(rows, asset, 3), share.get<double>(), 1e-12) << asset;
  };
  // As it was written.
  const auto first = recalculated(book, "what-if");
  same(first, result_of("weigh --split 2023-01-02 --aim minimum-variance" + mandate)["portfolios"][0]);
  EXPECT_EQ(first[2].at(3), "as the tool has it");
  // With weights typed over it.
  const std::map<std::string, std::string> mine{{"KELPFARM", "0.3"}, {"HOLLBOND", "0.45"}, {"MARROWGL", "0.15"}};
  std::string typed;
  bool assets = false;
  for (std::size_t row = 0; row < first.size(); ++row) {
    const auto& name = first[row].empty() ? std::string() : first[row][0];
    if (name.empty()) assets = false;
    if (assets) typed += "--set B" + std::to_string(row + 1) + "=" + (mine.contains(name) ? mine.at(name) : "0") + " ";
    if (name == "Asset") assets = true;
  }
  const auto changed = recalculated(book, "what-if", typed);
  std::ofstream(base / "mine.csv") << "asset,weight\nKELPFARM,30%\nHOLLBOND,45%\nMARROWGL,15%\n";
  same(changed,
       result_of("weigh --split 2023-01-02 --weights " + (base / "mine.csv").string() + mandate)["portfolios"][0]);
  EXPECT_EQ(changed[2].at(3), "changed");
  EXPECT_NEAR(figure(changed, "In cash", 1), 0.1, 1e-15);
  EXPECT_NEAR(figure(changed, "bonds", 1), 0.45, 1e-15);
  EXPECT_NEAR(figure(changed, "food", 1), 0.3, 1e-15);
  EXPECT_NEAR(figure(changed, "MRD", 1), 0.15, 1e-15);
  EXPECT_NEAR(figure(changed, "power", 1), 0, 1e-15);
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

// The command-line tool, run as a process: what all commands share, the demo, and bad input.

#include <algorithm>
#include <nlohmann/json.hpp>

#include "support/tool.hpp"

namespace inchtide::test {
namespace {

using nlohmann::json;
using testing::AllOf;
using testing::HasSubstr;
using testing::Not;
using testing::StartsWith;

TEST(Tool, EveryCommandHasHelpWithTwoExamples) {
  for (const std::string command :
       {"gather", "inspect", "describe", "relate", "estimate", "frontier", "weigh", "rehearse", "demo"}) {
    const auto said = run_tool(command + " --help");
    EXPECT_EQ(said.code, 0) << command;
    const auto examples = said.out.substr(std::min(said.out.find("Examples:"), said.out.size()));
    std::size_t count = 0;
    for (auto at = examples.find("inchtide " + command); at != std::string::npos;
         at = examples.find("inchtide " + command, at + 1))
      ++count;
    EXPECT_GE(count, 2u) << command;
  }
  EXPECT_THAT(run_tool("--version").out, HasSubstr(INCHTIDE_VERSION));
}

TEST(Tool, WrongUsageEndsWithTwo) {
  for (const char* arguments : {"", "fontier", "frontier --prizes x", "weigh --wealth 3", "rehearse --wealth lots",
                                "frontier --estimate a --prices b", "describe --from 2020-01-01 --last 2y"}) {
    EXPECT_EQ(run_tool(arguments).code, 2) << arguments;
  }
}

TEST(Tables, FitATerminalUnlessTheyAreWantedWhole) {
  for (const char* command : {"inspect", "describe", "relate", "estimate", "frontier", "weigh", "rehearse --draws 0"}) {
    const auto said = run_tool(command + mandate), wide = run_tool(command + mandate + "--wide");
    ASSERT_EQ(said.code, 0) << said.err;
    std::size_t longest = 0;
    std::istringstream lines(said.out);
    for (std::string line; std::getline(lines, line);) longest = std::max(longest, line.size());
    EXPECT_LE(longest, 100u) << command;
    EXPECT_GT(longest, 60u) << command;
    // The same words, however they are laid out: each of the whole tables is among those that are folded.
    std::istringstream words(wide.out), folded(said.out);
    std::multiset<std::string> all{std::istream_iterator<std::string>(words), {}};
    for (std::string word; folded >> word;) {
      if (const auto found = all.find(word); found != all.end()) all.erase(found);
    }
    std::erase_if(all, [](const std::string& word) { return word.find_first_not_of('-') == std::string::npos; });
    EXPECT_TRUE(all.empty()) << command << " has lost " << *all.begin();
  }
  EXPECT_EQ(run_tool("weigh --wide --quiet" + mandate).code, 2);
}

TEST(Tables, LongOnesAreCutWithTheirCount) {
  const Folder folder;
  std::ofstream(folder / "m.csv") << "asset,sector\n";
  std::string prices = "date";
  for (int k = 0; k < 70; ++k) prices += ",A" + std::to_string(k);
  for (int day = 1; day < 28; ++day) {
    prices += "\n2024-01-" + std::string(day < 10 ? "0" : "") + std::to_string(day);
    for (int k = 0; k < 70; ++k) prices += "," + std::to_string(50 + (day * (k + 3)) % 17);
  }
  std::ofstream(folder / "p.csv") << prices << "\n";
  const auto command = "inspect --prices " + (folder / "p.csv").string();
  EXPECT_THAT(run_tool(command).out,
              AllOf(HasSubstr("10 more rows: --wide shows them"), testing::Not(HasSubstr("A69"))));
  EXPECT_THAT(run_tool(command + " --wide").out, AllOf(HasSubstr("A69"), testing::Not(HasSubstr("more rows"))));
}

TEST(Demo, RunsTheWholeJobAndSaysOnOneScreenWhatCameOut) {
  const Folder folder;
  const auto said = run_tool("demo --out " + (folder / "out").string());
  EXPECT_EQ(said.code, 0) << said.err;
  for (const char* part :
       {"Skerry Lights Trust", "inspect: ", "frontier: ", "rehearse: ", "maximum-sharpe", "Luck alone", "study.html"}) {
    EXPECT_THAT(said.out, HasSubstr(part));
  }
  EXPECT_LE(std::ranges::count(said.out, '\n'), 40);
  for (const char* file : {"gather.json", "prices.store", "study/study.html", "study/study.xlsx", "study/estimate.json",
                           "study/relate/heat.png", "study/frontier/corners.csv", "study/rehearse/wealth.png"}) {
    EXPECT_TRUE(fs::exists(folder / "out" / file)) << file;
  }
  // The same from its mandate, whose prices are the files.
  const auto alone = result_of("frontier --split 2023-01-01" + mandate);
  EXPECT_EQ(json::parse(test::text_of(folder / "out/study/frontier.json"))["result"]["corners"], alone["corners"]);
}

TEST(Demo, SaysAllOfItWhenAsked) {
  const Folder folder;
  const auto said = run_tool("demo --full --out " + (folder / "out").string());
  EXPECT_EQ(said.code, 0) << said.err;
  for (const char* part : {"What the prices hold", "Return and risk per year", "Efficient frontier",
                           "Portfolios side by side", "Rehearsed with trading costs", "study.html"}) {
    EXPECT_THAT(said.out, HasSubstr(part));
  }
}

TEST(Demo, ItsDataComesOutTheSameByteForByte) {
  const Folder folder;
  ASSERT_EQ(run(std::string(INCHTIDE_BIN) + "/demo-data " + folder.path().string()).code, 0);
  std::size_t files = 0;
  for (const auto& entry : fs::recursive_directory_iterator(folder.path())) {
    if (!entry.is_regular_file()) continue;
    ++files;
    const auto committed = fs::path(demo) / fs::relative(entry.path(), folder.path());
    EXPECT_TRUE(text_of(entry.path()) == text_of(committed)) << committed;
  }
  EXPECT_EQ(files, 21u);  // 17 histories, a rate, tags, identifiers, actions
}

// ---- bad input: one message that says what, where and what to do; exit 1; nothing left behind
// -------------------------

struct Bad {
  const char* name;
  const char* arguments;  // @ stands for the test's folder
  const char* message;
};

class BadInput : public testing::TestWithParam<Bad> {};

TEST_P(BadInput, IsOneClearMessage) {
  const Folder folder, out;
  const std::string rows = "2024-01-31,10\n2024-02-29,11\n2024-03-28,12\n2024-04-30,11\n";
  folder.write("good/A.csv", "date,close\n" + rows);
  folder.write("good/B.csv", "date,close\n2024-01-31,20\n2024-02-29,19\n2024-03-28,21\n2024-04-30,22\n");
  folder.write("apart/A.csv", "date,close\n" + rows);
  folder.write("apart/B.csv", "date,close\n2025-01-31,20\n2025-02-28,19\n");
  folder.write("empty/A.csv", "");
  folder.write("undated/A.csv", "day of trade,close\n" + rows);
  folder.write("unpriced/A.csv", "date,shares\n" + rows);
  folder.write("badday/A.csv", "date,close\n31/01/2024,10\n");
  folder.write("badnumber/A.csv", "date,close\n2024-01-31,10\n2024-02-29,1O\n");
  folder.write("disorder/A.csv", "date,close\n2024-01-31,10\n2024-03-29,10\n2024-02-29,10\n");
  folder.write("twice/A.csv", "date,close\n2024-02-29,10\n2024-02-29,10\n");
  folder.write("negative/A.csv", "date,close\n2024-02-29,10\n2024-03-28,-10\n");
  folder.write("single/A.csv", "date,close\n2024-02-29,10\n");
  folder.write("weights.csv", "asset,weight\nA,50%\nC,50%\n");
  folder.write("rules.toml", "[universe]\nprizes = \"good\"\n");
  folder.write("split.csv", "date,close\n" + rows);
  std::string arguments = GetParam().arguments;
  for (auto at = arguments.find('@'); at != std::string::npos; at = arguments.find('@')) {
    arguments.replace(at, 1, folder.path().string());
  }
  const auto said =
      run_tool(arguments + " --json " + (out / "result.json").string() + " --csv " + (out / "tables").string());
  EXPECT_EQ(said.code, 1);
  EXPECT_THAT(said.err, HasSubstr(GetParam().message));
  EXPECT_EQ(std::ranges::count(said.err, '\n'), 1) << said.err;
  EXPECT_EQ(said.out, "");
  EXPECT_TRUE(out.is_empty()) << "a partial output file was left behind";
}

INSTANTIATE_TEST_SUITE_P(
    Tool, BadInput,
    testing::Values(
        Bad{"MissingFile", "describe --prices @/none", "/none: there is no such file or folder. Check the path"},
        Bad{"MissingMandate", "describe --mandate @/none.toml", "/none.toml: there is no such file"},
        Bad{"NoPrices", "describe",
            "prices: none were given. Give a file or folder of them (--prices), or a mandate that names one "
            "(--mandate)"},
        Bad{"EmptyFile", "describe --prices @/empty", "A.csv: the file is empty"},
        Bad{"NoDateColumn", "describe --prices @/undated", "A.csv, line 1: no date column"},
        Bad{"NoPriceColumn", "describe --prices @/unpriced", "A.csv, line 1: no price column"},
        Bad{"BadDay", "describe --prices @/badday", "A.csv, line 2, column date: '31/01/2024' is not an ISO day"},
        Bad{"BadNumber", "describe --prices @/badnumber", "A.csv, line 3, column close: '1O' is not a number"},
        Bad{"Disorder", "describe --prices @/disorder",
            "A.csv, line 4, column date: 2024-02-29 comes after a later day"},
        Bad{"Twice", "describe --prices @/twice", "A.csv, line 3, column date: 2024-02-29 comes twice"},
        Bad{"Negative", "describe --prices @/negative", "A.csv, line 3, column close: the price is -10"},
        Bad{"SingleRow", "describe --prices @/single", "A: it holds a single price, on 2024-02-29"},
        Bad{"NoCommonDay", "describe --prices @/apart",
            "A (2024-01-31 to 2024-04-30) and B (2025-01-31 to 2025-02-28) share no day"},
        Bad{"UnknownAsset", "describe --prices @/good --assets A,BB", "assets: no prices of 'BB'. Did you mean"},
        Bad{"UnknownBenchmark", "describe --prices @/good --benchmark IDX9", "benchmark: no prices of 'IDX9'"},
        Bad{"UnknownInLimit", "frontier --prices @/good --limit 'C2 <= 5%'",
            "limit 'C2 <= 5%': no asset has the code 'C2'"},
        Bad{"UnknownInWeights", "weigh --prices @/good --weights @/weights.csv",
            "no asset of the estimate has the code 'C'"},
        Bad{"WeightWithoutPercent", "frontier --prices @/good --limit 'A <= 30'",
            "'30' has no % sign. Write 30% or 3000%"},
        Bad{"BoundsTooLow", "frontier --prices @/good --limit 'each <= 40%'",
            "'each <= 40%': over 2 assets they allow 80%, the budget is 100%"},
        Bad{"BoundsTooHigh", "weigh --prices @/good --limit 'each >= 60%'",
            "over 2 assets they need 120%, the budget is 100%"},
        Bad{"RiskFreeTooHigh", "weigh --prices @/good --risk-free 500% --aim maximum-sharpe",
            "beats the risk-free rate of 500%"},
        Bad{"RiskFreeWithoutPercent", "weigh --prices @/good --risk-free 2", "--risk-free: '2' has no % sign"},
        Bad{"TargetOutside", "weigh --prices @/good --aim target-return=900%", "The range is"},
        Bad{"UnknownAim", "weigh --prices @/good --aim maximal-sharpe", "Did you mean 'maximum-sharpe'?"},
        Bad{"UnknownKey", "describe --mandate @/rules.toml",
            "rules.toml, line 2, universe.prizes: 'prizes' is not a key that it knows. Did you mean 'prices'?"},
        Bad{"EmptyWindow", "describe --prices @/good --from 2030-01-01",
            "The prices run from 2024-01-31 to 2024-04-30"},
        Bad{"BadFrom", "describe --prices @/good --from yesterday", "--from: 'yesterday' is not a day"},
        Bad{"BadInterval", "describe --prices @/good --every 1h", "--every: '1h' is not an interval"},
        Bad{"TooShort", "describe --prices @/good --every 1y", "returns: there is no yearly price in the window"},
        Bad{"SplitOutside", "rehearse --prices @/good --split 2030-01-01", "leaves no prices on one side"},
        Bad{"BadCost", "rehearse --prices @/good --split 2024-04-01 --cost 10", "--cost: '10' is not a cost"},
        Bad{"BadSchedule", "rehearse --prices @/good --split 2024-04-01 --schedule 1x",
            "--schedule: '1x' is not a schedule"},
        Bad{"NoPriceOfAnInterval", "describe --prices @/good --every 10y", "returns: there is no 10-year price"},
        Bad{"NothingWithoutPercent", "weigh --prices @/good --risk-free 0", "'0' has no % sign. Write 0%\n"},
        Bad{"MissingEstimate", "weigh --estimate @/none.json", "/none.json: there is no such file"}),
    [](const auto& bad) { return bad.param.name; });

TEST(BadInput, OptionsThatComeTwiceOrWithoutAValueAreNamed) {
  for (const auto& [words, said] : std::vector<std::pair<std::string, std::string>>{
           {"describe --last 2y --last 3y", "--last: it is given more than once. Leave all but one out"},
           {"rehearse --draws 5 --draws=6", "--draws: it is given more than once"},
           {"describe --last", "--last: its value is missing. Write it behind the option"},
           {"rehearse --seed -1", "--seed: a seed is 0 or more"},
           {"describe nothing", "nothing"},
           {"", "inchtide --help lists what there is"}}) {
    const auto result = run_tool(words + (words.empty() ? "" : mandate));
    EXPECT_EQ(result.code, 2) << words;
    EXPECT_THAT(result.err, AllOf(StartsWith("inchtide: error: "), HasSubstr(said), Not(HasSubstr("Run with"))))
        << words;
  }
}

TEST(BadOutput, ADiskThatCannotBeWrittenEndsWithThree) {
  const Folder folder;
  folder.write("in-the-way", "");
  const auto said = run_tool("describe" + mandate + " --quiet --json " + (folder / "in-the-way/x.json").string());
  EXPECT_EQ(said.code, 3);
  EXPECT_THAT(said.err, HasSubstr("in-the-way"));
}

TEST(Warnings, TooFewReturnsForTheAssetsAreSaid) {
  const auto said = run_tool("frontier" + mandate + " --last 1y");
  EXPECT_EQ(said.code, 0) << said.err;
  EXPECT_THAT(said.err, HasSubstr("12 returns for 16 assets: the sample covariance is singular"));
}

TEST(Warnings, ALimitOnAnAssetThatWasLeftOutIsPassedOver) {
  const auto said = run_tool("frontier" + mandate + " --assets TIDEMILL,FERRYLNK,HOLLBOND,KELPFARM,COLDQUAY,AMBERFND");
  EXPECT_EQ(said.code, 0) << said.err;
  EXPECT_THAT(said.err, HasSubstr("'BILLFUND >= 1%' is passed over: BILLFUND is not among the assets"));
}

}  // namespace
}  // namespace inchtide::test

// Many rehearsals by the command-line tool: grids, the store they fill, and what of them was luck.

#include <signal.h>

#include <algorithm>
#include <cmath>
#include <iomanip>
#include <set>
#include <sstream>

#include "support/tool.hpp"

namespace inchtide::test {
namespace {

using nlohmann::json;
using testing::AllOf;
using testing::HasSubstr;
using testing::Not;

const std::string small = "rehearse" + mandate +
                          "--grid schedule=never,monthly,yearly --grid cost-level=0,1,3 --grid estimator=sample "
                          "--grid window=all --grid delay=1 --aim equal --aim maximum-sharpe ";

json by_name(const json& runs) {
  auto named = json::object();
  for (const auto& run : runs) named[run["name"].get<std::string>()] = run;
  return named;
}

TEST(GridTool, TheDemosGridHasAThousandCellsAndEachIsRunOnce) {
  const Folder folder;
  const auto file = (folder / "many.runs").string();
  const auto first = result_of("rehearse" + mandate + "--grid --draws 0 --runs " + file);
  EXPECT_GE(first["cells"].get<int>(), 1000);
  EXPECT_EQ(first["there"], 0);
  EXPECT_TRUE(first["failed"].empty());
  EXPECT_EQ(first["runs"].size(), 10u);
  const auto again = result_of("rehearse" + mandate + "--grid --draws 0 --runs " + file);
  EXPECT_EQ(again["there"], first["cells"]);
  EXPECT_EQ(again["runs"], first["runs"]);
  EXPECT_EQ(again["axes"], first["axes"]);
  const auto changed = result_of("rehearse" + mandate + "--grid --draws 0 --wealth 41m --grid delay=1 --runs " + file +
                                 " --grid estimator=sample");
  EXPECT_EQ(changed["there"], 0) << "another wealth is another run";
  const auto said = run_tool("runs --runs " + file);
  EXPECT_THAT(said.err, HasSubstr("holds runs of 2 different prices or rules"));
}

TEST(GridTool, CellsAreTheRunsThatRehearseMakes) {
  const auto cells = by_name(result_of(small + "--draws 0")["runs"]);
  const auto runs = result_of("rehearse" + mandate + "--draws 0 --aim equal --aim maximum-sharpe");
  int compared = 0;
  for (const auto& run : runs["runs"]) {
    const auto name = run["name"].get<std::string>() + ", 1 x costs";
    if (!cells.contains(name)) continue;
    for (const char* figure : {"growth_per_year", "volatility", "sharpe", "max_drawdown", "cost_per_year", "costs_paid",
                               "turnover_per_year", "tracking_to_targets", "order_count"}) {
      EXPECT_EQ(cells[name][figure].get<double>(), run[figure].get<double>()) << name << " " << figure;
    }
    EXPECT_EQ(cells[name]["end_wealth"].get<double>(), run["net"].back().get<double>());
    ++compared;
  }
  EXPECT_EQ(compared, 6);
}

TEST(GridTool, ARunIsMadeAgainFromItsKeyWithItsDaysAndTrades) {
  const Folder folder;
  const auto file = (folder / "many.runs").string();
  const auto kept = by_name(result_of(small + "--draws 0 --runs " + file)["runs"])["equal, monthly, 1 x costs"];
  const auto whole = result_of("runs --runs " + file + " --key " + kept["key"].get<std::string>().substr(0, 10));
  const auto& run = whole["runs"][0];
  const auto alone = result_of("rehearse" + mandate + "--draws 0 --aim equal --schedule 1m")["runs"][0];
  for (const char* part : {"net", "gross", "trades", "log", "years"}) EXPECT_EQ(run[part], alone[part]) << part;
  EXPECT_EQ(run["sharpe"], kept["sharpe"]);
  const auto files = run_tool("runs --runs " + file + " --quiet --csv " + (folder / "one").string() + " --key " +
                              kept["key"].get<std::string>());
  EXPECT_EQ(files.code, 0) << files.err;
  EXPECT_THAT(text_of(folder / "one" / "wealth.csv"), HasSubstr("2023-01-03"));
}

TEST(GridTool, PartsJoinedAreTheWhole) {
  const Folder folder;
  const auto path = [&](const char* name) { return (folder / name).string(); };
  for (const char* part : {"1/3", "2/3", "3/3"}) {
    const auto result = result_of(small + "--draws 0 --part " + part + " --runs " +
                                  path(part[0] == '1'   ? "1"
                                       : part[0] == '2' ? "2"
                                                        : "3"));
    EXPECT_EQ(result["cells"], 6);
  }
  result_of(small + "--draws 0 --runs " + path("whole"));
  const auto joined = result_of("runs --runs " + path("all") + " --merge " + path("1") + " --merge " + path("2") +
                                " --merge " + path("3") + " --sort name --lowest --top 0");
  const auto whole = result_of("runs --runs " + path("whole") + " --sort name --lowest --top 0");
  EXPECT_EQ(joined["runs"].size(), 18u);
  EXPECT_EQ(joined["runs"], whole["runs"]);
  const auto again = run_tool("runs --runs " + path("all") + " --merge " + path("1"));
  EXPECT_THAT(again.err, HasSubstr("0 runs taken, 6 were there"));
}

TEST(GridTool, RunsAreSortedFilteredAndCut) {
  const Folder folder;
  const auto file = (folder / "many.runs").string();
  result_of(small + "--draws 0 --runs " + file);
  const auto runs = result_of("runs --runs " + file + " --sort cost_per_year --where 'aim = equal' --top 4")["runs"];
  ASSERT_EQ(runs.size(), 4u);
  for (std::size_t k = 0; k < runs.size(); ++k) {
    EXPECT_EQ(runs[k]["aim"], "equal");
    EXPECT_GE(runs[k == 0 ? 0 : k - 1]["cost_per_year"], runs[k]["cost_per_year"]);
  }
  EXPECT_EQ(runs[0]["cost_level"], 3);
  const auto text = run_tool("runs --runs " + file + " --where 'cost_level = 1' --top 2").out;
  EXPECT_THAT(text, AllOf(HasSubstr("The first 2 of 6"), HasSubstr("What each choice does"), Not(HasSubstr("e-"))));
}

TEST(GridTool, LuckIsToldByItselfAndOfAStore) {
  const Folder folder;
  const auto file = (folder / "many.runs").string();
  const auto grid = result_of(small + "--draws 200 --baseline yearly --runs " + file)["luck"];
  const auto store = result_of("luck --runs " + file + " --draws 200 --baseline 'equal, yearly, 1 x costs'");
  EXPECT_EQ(grid["distinct"], 6) << "levels of costs are no tries";
  EXPECT_EQ(store["distinct"], 6);
  EXPECT_EQ(grid["baseline"], "equal, yearly, 1 x costs");
  EXPECT_EQ(store["p_values"].size(), 5u);
  ASSERT_EQ(store["timing"].size(), 2u) << "monthly and yearly on other days, beside the one that stands out";
  EXPECT_EQ(store["timing"], grid["timing"]);
  for (const auto& one : store["timing"]) {
    EXPECT_EQ(one["starts"], 21);
    EXPECT_LT(one["lowest"], one["highest"]);
  }
  for (const auto& [name, difference] : grid["differences"].items()) {
    const auto& other = store["differences"][name];
    EXPECT_NEAR(difference["sharpe"].get<double>(), other["sharpe"].get<double>(), 1e-12) << name;
    EXPECT_NEAR(difference["error"].get<double>(), other["error"].get<double>(), 1e-12) << name;
  }
  const auto more = result_of("luck --runs " + file + " --draws 200 --baseline yearly --tried 40 --where 'aim=equal'");
  EXPECT_EQ(more["tries"], 43);
  EXPECT_EQ(more["p_values"].size(), 2u);
  EXPECT_THAT(run_tool("luck --runs " + file + " --baseline yearly").out,
              AllOf(HasSubstr("What was luck, beside equal, yearly"), HasSubstr("Luck alone"),
                    HasSubstr("What the choice of the day alone does")));
}

TEST(GridTool, AnAxisOfTheCommandLineBeatsTheMandates) {
  const auto result = result_of("rehearse" + mandate +
                                "--draws 0 --grid --schedule 1y --aim equal --delay 0 --window 2y --expected geometric "
                                "--split 2024-01-01 --grid cost-level=1,2");
  ASSERT_EQ(result["cells"], 2);
  EXPECT_EQ(result["runs"][0]["check"], "1y");
  EXPECT_EQ(result["runs"][0]["delay"], 0);
  EXPECT_EQ(result["runs"][0]["window"], "2y");
  EXPECT_EQ(result["runs"][0]["estimator"], "geometric/sample");
  EXPECT_EQ(result["runs"][0]["start"], "2024-01-01");
}

TEST(GridTool, SingleCellsHaveTheNamesOfTheMandate) {
  const Folder folder;
  auto text = text_of(demo + "/mandate.toml");
  text.erase(text.find("[grid]"));
  for (const char* name : {"prices\"", "tags.csv", "identifiers.csv", "rates\""}) {
    for (auto at = text.find(std::string("= \"") + name); at != std::string::npos;
         at = text.find(std::string("= \"") + name)) {
      text.insert(at + 3, demo + "/");
    }
  }
  const auto file = folder.write("m.toml", text +
                                               "[grid]\naim = \"equal\"\nschedule = [\"1y\", \"yearly by hand\"]\n"
                                               "[schedules.\"yearly by hand\"]\ncheck = \"1y@first\"\n"
                                               "[cells.cautious]\naim = \"minimum-variance\"\nschedule = \"monthly\"\n"
                                               "delay = 0\nstart = 2024-01-02\n");
  const auto runs = by_name(result_of("rehearse --grid --draws 0 --mandate " + file.string())["runs"]);
  ASSERT_EQ(runs.size(), 3u);
  EXPECT_EQ(runs["equal, yearly by hand"]["check"], "1y@first");
  EXPECT_EQ(runs["cautious"]["start"], "2024-01-02");
  EXPECT_EQ(runs["cautious"]["delay"], 0);
  const auto refused = [&](const std::string& more) {
    return run_tool("rehearse --grid --mandate " + folder.write("bad.toml", text + more).string());
  };
  EXPECT_THAT(refused("[grid]\nscedule = [\"1y\"]\n").err, AllOf(HasSubstr("bad.toml"), HasSubstr("schedule")));
  EXPECT_THAT(refused("[grid]\ndelay = []\n").err,
              AllOf(HasSubstr("bad.toml"), HasSubstr("grid.delay"), HasSubstr("no values")));
  EXPECT_THAT(refused("[grid]\ndelay = [1, 2, 1]\n").err, HasSubstr("the axis delay has the same value twice"));
  EXPECT_THAT(refused("[cells.x]\ndelay = [1, 2]\n").err, HasSubstr("one cell has one value"));
  EXPECT_EQ(refused("[grid]\ndelay = [[1]]\n").code, 1);
}

TEST(GridTool, FailedCellsAreListedWithTheirReasonAndTheOthersAreRun) {
  const auto said =
      run_tool("rehearse" + mandate + "--grid --draws 0 --json - --grid schedule=1y --grid window=all,9y --aim equal");
  EXPECT_EQ(said.code, 4);
  EXPECT_THAT(said.err, AllOf(HasSubstr("and 29 more could not be rehearsed"), HasSubstr("the 9y up to")));
  const auto result = json::parse(said.out)["result"];
  EXPECT_EQ(result["cells"], 60);
  EXPECT_EQ(result["failed"][0]["runs"], 30);
  EXPECT_EQ(result["runs"].size(), 6u);
}

TEST(GridTool, AskedForTooMuchOrForNothingItSaysSo) {
  const Folder folder;
  const auto file = (folder / "many.runs").string();
  std::string delays = "--grid delay=0";
  for (int k = 1; k < 1000; ++k) delays += "," + std::to_string(k);
  std::string levels = "--grid cost-level=0";
  for (int k = 1; k < 1000; ++k) levels += "," + std::to_string(k) + "e-2";
  const auto huge = run_tool("rehearse" + mandate + "--grid " + delays + " " + levels);
  EXPECT_EQ(huge.code, 1);
  EXPECT_THAT(huge.err, AllOf(HasSubstr("144,000,000 cells"), HasSubstr("MB in the store"), HasSubstr("1/144")));
  for (auto [words, code, said] : std::vector<std::tuple<std::string, int, std::string>>{
           {small + "--part 5/3", 2, "'5/3' is no part of several"},
           {small + "--part 0/3", 2, "'0/3' is no part"},
           {small + "--part 3", 2, "'3' is no part"},
           {small + "--part 1/19", 2, "fewer cells than parts"},
           {small + "--grid delay", 2, "'delay' is no axis with values"},
           {small + "--grid delay=2", 2, "the axis delay is there twice"},
           {small + "--grid start=", 1, "the axis start has no values"},
           {small + "--grid dealy=1", 1, "Did you mean 'delay'"},
           {"rehearse" + mandate + "--runs " + file, 2, "--runs: it does nothing without --grid"},
           {small + "--futures 10", 2, "--futures: it does nothing beside --grid"},
           {small + "--cost-levels", 2, "--cost-levels: it does nothing beside --grid"},
           {small + "--log", 2, "--log: it does nothing beside --grid"},
           {"luck --tried x --runs " + file, 2, "--tried: 'x' is not a whole number"},
           {"runs --key ab --top 3 --runs " + file, 2, "--top: it does nothing beside --key"},
           {"rehearse" + mandate + "--part 1/2", 2, "--part: it does nothing without --grid"},
           {"runs", 2, "no store of rehearsals was named"},
           {"runs --runs " + file, 1, "no such store"},
           {"luck --runs " + file, 1, "no such store"},
           {"runs --runs " + demo + "/tags.csv", 1, "tags.csv"}}) {
    const auto result = run_tool(words);
    EXPECT_EQ(result.code, code) << words << result.err;
    EXPECT_THAT(result.err, HasSubstr(said)) << words;
  }
  EXPECT_TRUE(folder.is_empty());
  result_of(small + "--draws 0 --runs " + file);
  for (auto [words, said] : std::vector<std::pair<std::string, std::string>>{
           {"luck --runs " + file + " --baseline weekly", "'weekly'"},
           {"runs --runs " + file + " --key ffffffffffffffff", "no run has it"},
           {"runs --runs " + file + " --sort beauty", "runs have no 'beauty'"},
           {"runs --runs " + file + " --where 'sharpe >'", "no condition"},
           {"runs --runs " + file + " --json " + file, "it would be written over"},
           {"runs --runs " + file + " --merge " + file, "it is the store itself"},
           {"luck --runs " + file + " --where 'cost_level = 0' --where 'cost_level = 3'",
            "none of the 18 runs has all of these, though some have each: cost_level = 0 (6), cost_level = 3 (6)"},
           {"luck --runs " + file + " --where 'aim = nothing'",
            "none of the 18 runs has aim = nothing: there are equal, maximum-sharpe"}}) {
    const auto result = run_tool(words);
    EXPECT_EQ(result.code, 1) << words;
    EXPECT_THAT(result.err, HasSubstr(said)) << words;
  }
  // A list without a run says why; what there is, is what the list without the condition has at its ends.
  const auto all = result_of("runs --runs " + file + " --sort growth_per_year --lowest --top 0")["runs"];
  const auto percent = [](const json& run) {
    std::ostringstream text;
    text << std::fixed << std::setprecision(2) << 100 * run["growth_per_year"].get<double>() << "%";
    return text.str();
  };
  const auto none = run_tool("runs --runs " + file + " --where 'growth_per_year > 300%'");
  EXPECT_EQ(none.code, 0);
  EXPECT_THAT(none.err, HasSubstr("none of the 18 runs has growth_per_year > 300%: theirs go from " +
                                  percent(all.front()) + " to " + percent(all.back())));
}

// Stopped after its first runs have landed, it says where they are, and goes on from there.
TEST(GridTool, InterruptedItKeepsWhatLandedAndGoesOn) {
  const Folder folder;
  const auto file = (folder / "many.runs").string();
  const std::string start = "rehearse" + mandate + "--draws 0 --reestimate 1m --runs " + file;
  const auto command = start + " --grid delay=0,1,2,3,4,5,6,7";
  const auto script = folder.write("stop.sh", tool + " " + command + " &\nmaking=$!\nfor try in $(seq 400); do\n  " +
                                                  tool + " runs --json - --quiet --runs " + file +
                                                  " 2>/dev/null | grep -q '\"key\"' && break\n  sleep 0.05\ndone\n"
                                                  "kill -INT $making\nwait $making\n");
  const auto said = run("bash " + script.string());
  ASSERT_EQ(said.code, 130) << said.err;
  EXPECT_THAT(said.err, AllOf(HasSubstr("cells landed in"), HasSubstr("goes on with the others")));
  const auto landed = result_of("runs --runs " + file + " --top 1")["fitting"].get<std::size_t>();
  EXPECT_GT(landed, 0u);
  const auto rest =
      result_of(start + " --aim minimum-variance --grid window=all --grid estimator=sample --grid delay=0");
  EXPECT_GT(rest["there"].get<std::size_t>(), 0u);
}

TEST(FuturesTool, TellsQuantilesProbabilitiesAndAFan) {
  const std::string few = "rehearse" + mandate + "--draws 0 --aim equal --schedule never --schedule 1m --futures 60 ";
  const auto result = result_of(few + "--below 38m --drawdown 15% --baseline 1m --seed 4")["futures"];
  EXPECT_EQ(result["histories"], 60);
  EXPECT_EQ(result["baseline"], "equal, 1m");
  EXPECT_GT(result["days"].get<int>(), 1000);
  EXPECT_GT(result["days_cut"].get<int>(), 0) << "the exchanges have other holidays";
  ASSERT_EQ(result["runs"].size(), 2u);
  for (const auto& run : result["runs"]) {
    for (const char* figure : {"growth_per_year", "max_drawdown", "cost_per_year", "end_wealth"}) {
      EXPECT_LE(run[figure]["0.05"], run[figure]["0.5"]);
      EXPECT_LE(run[figure]["0.5"], run[figure]["0.95"]);
    }
    const double below = run["below"]["share"];
    EXPECT_EQ(below > 0.5, run["end_wealth"]["0.5"].get<double>() < 38e6);
    EXPECT_NEAR(run["below"]["error"].get<double>(), std::sqrt(below * (1 - below) / 60), 1e-12);
    EXPECT_EQ(run["fan"]["0.5"].size(), result["fan_days"].size());
    EXPECT_EQ(run["fan"]["0.95"].back(), run["end_wealth"]["0.95"]);
  }
  const auto text = run_tool(few + "--below 38m").out;
  EXPECT_THAT(text, AllOf(HasSubstr("Histories that did not happen"), HasSubstr("38,000,000"), HasSubstr("(seed 1)"),
                          HasSubstr("The means of the past are in them"), HasSubstr("are not drawn")));
}

// What a small purse trades costs cents, and is counted in what fits.
TEST(FuturesTool, SmallWealthIsToldToTheHundredth) {
  const Folder folder;
  const auto figure = (folder / "f.svg").string();
  const std::string start = "rehearse --prices " + demo + "/prices --assets KELPFARM,HOLLBOND --split 2023-01-03 " +
                            "--aim equal --schedule 1q --cost 10bp --draws 0 --futures 50 ";
  const auto said = run_tool(start + "--wealth 500 --below 0.5 --figure futures:" + figure);
  ASSERT_EQ(said.code, 0) << said.err;
  EXPECT_THAT(said.out, testing::ContainsRegex("Schedule +0\\.50 +Ahead")) << "what wealth may end below";
  EXPECT_THAT(said.out, testing::ContainsRegex("\nequal +1q +0\\.[0-9][0-9] +0\\.[0-9][0-9] "))
      << "the first purchase alone costs half a unit";
  EXPECT_THAT(text_of(figure), AllOf(HasSubstr("Wealth"), Not(HasSubstr("millions")), Not(HasSubstr("thousands"))));
  ASSERT_EQ(run_tool(start + "--wealth 250k --figure futures:" + figure).code, 0);
  EXPECT_THAT(text_of(figure), HasSubstr("Wealth, thousands"));
}

TEST(FuturesTool, WhatCannotBeDrawnIsSaid) {
  for (auto [words, code, said] : std::vector<std::tuple<std::string, int, std::string>>{
           {"--futures 0", 2, "--futures"},
           {"--futures 10 --drawdown 120%", 1, "is no fall"},
           {"--below 38m", 2, "--below: it does nothing: no histories are drawn"},
           {"--futures 10 --block 0.5", 1, "block"}}) {
    const auto result = run_tool("rehearse" + mandate + "--draws 0 --aim equal --schedule never " + words);
    EXPECT_EQ(result.code, code) << words << result.err;
    EXPECT_THAT(result.err, HasSubstr(said)) << words;
  }
  const auto raw =
      run_tool("rehearse --mandate " + demo + "/whole-units.toml --draws 0 --aim equal --schedule never --futures 10");
  EXPECT_EQ(raw.code, 1);
  EXPECT_THAT(raw.err, HasSubstr("splits and dividends of raw closes cannot be drawn"));
}

}  // namespace
}  // namespace inchtide::test

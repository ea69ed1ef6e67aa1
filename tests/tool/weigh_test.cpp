// weigh and frontier under every kind of limit, as a process on the demo data.

#include <fmt/format.h>
#include <gmock/gmock.h>

#include <cmath>
#include <filesystem>
#include <fstream>

#include "inchtide/base/day.hpp"
#include "support/messages.hpp"
#include "support/tool.hpp"

namespace inchtide {
namespace {

using test::demo;
using test::Folder;
using test::mandate;
using test::result_of;
using test::run;
using test::run_tool;
using test::tool;
using testing::AllOf;
using testing::HasSubstr;

const std::string open = mandate + " --no-limits --limit 'each <= 40%'";

double sum_of(const nlohmann::json& weights) {
  double sum = 0;
  for (const auto& weight : weights) sum += weight.get<double>();
  return sum;
}

class Held {
 public:
  Held() : path_(std::filesystem::temp_directory_path() / ("held-" + std::to_string(::getpid()) + ".csv")) {
    std::ofstream(path_) << "asset,weight\nHOLLBOND,30%\nBILLFUND,10%\nKELPFARM,20%\nTIDEMILL,20%\nHOLLBANK,20%\n";
  }
  ~Held() { std::filesystem::remove(path_); }
  Held(const Held&) = delete;
  Held& operator=(const Held&) = delete;
  std::string option() const { return " --current " + path_.string(); }

 private:
  std::filesystem::path path_;
};

TEST(WeighLimits, ShortAndGrossPositionsKeepToTheirSums) {
  const auto result =
      result_of("weigh" + open + " --limit 'short <= 15%' --limit 'gross <= 125%' --aim maximum-sharpe");
  const auto& weights = result["portfolios"][0]["weights"];
  double gross = 0, shorts = 0;
  for (const auto& weight : weights) {
    gross += std::abs(weight.get<double>());
    shorts += std::max(0.0, -weight.get<double>());
  }
  EXPECT_NEAR(sum_of(weights), 1, 1e-12);
  EXPECT_LE(gross, 1.25 + 1e-9);
  EXPECT_NEAR(shorts, 0.125, 1e-9) << "gross is the tighter of the two: (125% - 100%) / 2";
}

TEST(WeighLimits, TurnoverIsCountedFromTheWeightsHeldNow) {
  const Held held;
  const auto result = result_of("weigh" + open + held.option() + " --limit 'turnover <= 20%' --aim maximum-sharpe");
  const auto& portfolio = result["portfolios"][0];
  const std::map<std::string, double> now = {
      {"HOLLBOND", 0.3}, {"BILLFUND", 0.1}, {"KELPFARM", 0.2}, {"TIDEMILL", 0.2}, {"HOLLBANK", 0.2}};
  double moved = 0;
  auto rest = now;
  for (const auto& [asset, weight] : portfolio["weights"].items()) {
    moved += std::abs(weight.get<double>() - (now.count(asset) ? now.at(asset) : 0));
    rest.erase(asset);
  }
  for (const auto& [asset, weight] : rest) moved += weight;
  EXPECT_NEAR(moved / 2, 0.2, 1e-9);
  EXPECT_NEAR(portfolio["turnover"], 0.2, 1e-9);
  EXPECT_EQ(result["portfolios"][1]["name"], "current");
}

TEST(WeighLimits, TrackingErrorAndVolatilityAreCeilings) {
  const auto tracked = result_of("weigh" + open + " --limit 'tracking-error <= 8%' --aim minimum-variance");
  EXPECT_NEAR(tracked["portfolios"][0]["tracking_error"], 0.08, 1e-8);
  const auto calm = result_of("weigh" + open + " --limit 'volatility <= 5%' --aim utility=0.5");
  EXPECT_NEAR(calm["portfolios"][0]["volatility"], 0.05, 1e-9);
  const auto near = result_of("weigh" + open + " --aim minimum-tracking-error --aim minimum-variance");
  EXPECT_LT(near["portfolios"][0]["tracking_error"], near["portfolios"][1]["tracking_error"]);
}

TEST(WeighLimits, PositionsAreFewAndNotSmall) {
  const auto said =
      run_tool("weigh" + mandate + " --limit 'holdings <= 7' --limit 'held >= 4%' --aim minimum-variance");
  EXPECT_EQ(said.code, 0) << said.err;
  EXPECT_THAT(said.out, HasSubstr("Proven: no other choice of positions can better it by more than"));
  const auto result =
      result_of("weigh" + mandate + " --limit 'holdings <= 7' --limit 'held >= 4%' --aim minimum-variance");
  const auto& weights = result["portfolios"][0]["weights"];
  EXPECT_LE(weights.size(), 7u);
  for (const auto& weight : weights) EXPECT_GE(weight.get<double>(), 0.04 - 1e-9);
}

TEST(WeighLimits, CeilingsHoldWithFewPositions) {
  const auto result =
      result_of("weigh" + mandate +
                " --limit 'holdings <= 7' --limit 'tracking-error <= 10%' --limit 'volatility <= 10%' --aim "
                "minimum-tracking-error --aim minimum-variance --aim maximum-sharpe --aim target-volatility=8% --aim "
                "utility=2");
  double nearest = 0;
  for (const auto& portfolio : result["portfolios"]) {
    const std::string name = portfolio["name"];
    EXPECT_LE(portfolio["weights"].size(), 7u) << name;
    EXPECT_LE(portfolio["tracking_error"].get<double>(), 0.1 + 1e-8) << name;
    EXPECT_LE(portfolio["volatility"].get<double>(), 0.1 + 1e-8) << name;
    EXPECT_TRUE(portfolio["violations"].empty()) << name;
    if (name == "minimum-tracking-error") nearest = portfolio["tracking_error"];
    EXPECT_GE(portfolio["tracking_error"].get<double>(), nearest - 1e-9) << name;
  }
}

TEST(WeighLimits, AnAnswerThatCannotBeCertifiedKeepsItsProblem) {
  // Returns so far apart that their difference is no number.
  const auto folder = std::filesystem::temp_directory_path() / ("unsolved-" + std::to_string(::getpid()));
  std::filesystem::create_directories(folder);
  const auto estimate = (folder / "estimate.json").string(), kept = (folder / "kept.json").string();
  std::ofstream(estimate) << R"({"assets": ["A", "B"], "expected_return": [1.7e308, -1.7e308],
                                 "covariance": [[0.04, 0.01], [0.01, 0.02]]})";
  for (const char* command : {"frontier", "weigh --aim minimum-variance"}) {
    const auto plain = run_tool(std::string(command) + " --estimate " + estimate + " --limit 'A <= 60%'");
    EXPECT_EQ(plain.code, 5) << plain.err;
    EXPECT_EQ(plain.out, "");
    EXPECT_THAT(plain.err, HasSubstr("With --json FILE the whole problem is written"));
    const auto said = run_tool(std::string(command) + " --estimate " + estimate + " --limit 'A <= 60%' --json " + kept);
    EXPECT_EQ(said.code, 5) << said.err;
    const auto document = nlohmann::json::parse(std::ifstream(kept));
    EXPECT_EQ(document["result"]["expected_return"][0], 1.7e308);
    EXPECT_EQ(document["result"]["bounds"]["upper"][0], 0.6);
    EXPECT_EQ(run_tool(std::string(command) + " --estimate " + kept + " --limit 'A <= 60%'").err, plain.err)
        << "the file reproduces it";
  }
  std::filesystem::remove_all(folder);
}

TEST(WeighLimits, WhatIsLeftOfTheBudgetIsSaid) {
  const auto said = run_tool("weigh" + open + " --limit 'budget = 80%' --aim maximum-sharpe");
  EXPECT_THAT(said.out, HasSubstr("20.00% is left in cash, at the risk-free rate of 2%, and counted"));
}

TEST(WeighLimits, ATighterPointMayTakeMoreThanALooserOneBrings) {
  const std::string filled = "weigh" + mandate +
                             " --no-limits --assets TIDEMILL,GALEWORK --limit 'TIDEMILL <= 50%' --limit "
                             "'GALEWORK <= 50%' --aim maximum-sharpe";
  const auto result = result_of(filled);
  for (const auto& limit : result["portfolios"][0]["binding"]) {
    EXPECT_GE(limit["price_per_point"].get<double>(), 0);
    EXPECT_TRUE(limit["tightening_per_point"].is_null());
  }
  EXPECT_THAT(run_tool(filled).out, AllOf(HasSubstr("tighter"), HasSubstr("no room")));
  const auto room = result_of("weigh" + open + " --aim minimum-variance")["portfolios"][0]["binding"];
  ASSERT_FALSE(room.empty());
  EXPECT_EQ(room[0]["tightening_per_point"], room[0]["price_per_point"]) << "one price where it is unique";
}

TEST(WeighAdjusts, MixesRoundingAndMovingInside) {
  const auto result =
      result_of("weigh" + mandate + " --mix 'sector:bonds=40%, rest=60%' --aim equal --move-inside --round 1%");
  std::vector<std::string> names;
  for (const auto& portfolio : result["portfolios"]) {
    names.push_back(portfolio["name"]);
    EXPECT_TRUE(!names.back().ends_with("moved inside") || portfolio["violations"].empty());
    if (!names.back().ends_with("rounded")) continue;
    for (const auto& weight : portfolio["weights"]) {
      EXPECT_NEAR(100 * weight.get<double>(), std::round(100 * weight.get<double>()), 1e-9);
    }
    EXPECT_NEAR(sum_of(portfolio["weights"]), 1, 1e-12);
  }
  EXPECT_THAT(names,
              testing::IsSupersetOf({"equal", "equal, rounded", "equal, moved inside", "sector:bonds=40%, rest=60%"}));
}

TEST(WeighAdjusts, BlendsAndSweeps) {
  EXPECT_THAT(run_tool("weigh" + mandate + " --aim blend-volatility=9%").err, HasSubstr("Allow borrowing"));
  const auto result = result_of("weigh" + mandate + " --aim blend-volatility=9% --aim maximum-sharpe --borrowing");
  EXPECT_NEAR(result["portfolios"][0]["volatility"], 0.09, 1e-12);
  EXPECT_NEAR(result["portfolios"][0]["sharpe"], result["portfolios"][1]["sharpe"], 1e-12);
  const auto said = run_tool("weigh" + mandate + " --sweep KELPFARM:HOLLBOND --step 25% --aim equal");
  EXPECT_THAT(said.out, AllOf(HasSubstr("KELPFARM and HOLLBOND side by side"), HasSubstr("75.00%")));
}

TEST(WeighAdjusts, CostsCountWhereAskedFor) {
  const Held held;
  EXPECT_THAT(run_tool("weigh" + mandate + " --after-costs --aim utility=4").err,
              HasSubstr("Give the weights (--current)"));
  const auto result = result_of("weigh" + mandate + held.option() + " --after-costs --cost 80bp --aim utility=4");
  const auto &plain = result["portfolios"][0], &after = result["portfolios"][1];
  EXPECT_EQ(after["name"], "utility=4 after costs");
  EXPECT_LT(after["trading_cost"], plain["trading_cost"]);
  EXPECT_NEAR(sum_of(after["weights"]), 1 - after["trading_cost"].get<double>(), 1e-9);
  // It is worth it: utility less the cost is higher. What was paid isn't invested, in the plain one's case either.
  const auto worth = [](const nlohmann::json& p) {
    const double cost = p["trading_cost"], left = (1 - cost) / sum_of(p["weights"]);
    return left * p["expected_return"].get<double>() - cost - 2 * std::pow(left * p["volatility"].get<double>(), 2);
  };
  EXPECT_GT(worth(after), worth(plain));
}

TEST(WeighAdjusts, AnAimWithoutAnAnswerCostsNoOtherItsOwn) {
  const Held held;
  const auto call = "weigh" + mandate + held.option() +
                    " --after-costs --cost 50bp --aim utility=4 --aim target-return=90% --aim utility=900";
  const auto said = run_tool(call);
  EXPECT_EQ(said.code, 4) << said.err;
  EXPECT_THAT(said.out, HasSubstr("no answer"));
  EXPECT_THAT(said.out, HasSubstr("target-return=90%: no efficient portfolio within the limits has this expected"));
  const auto json = run_tool(call + " --json - --quiet");
  EXPECT_EQ(json.code, 4);
  const auto result = nlohmann::json::parse(json.out)["result"];
  EXPECT_EQ(result["portfolios"].size(), 4u) << "two before costs, one after, and what is held";
  ASSERT_EQ(result["unanswered"].size(), 3u);
  EXPECT_EQ(result["unanswered"][1]["name"], "target-return=90% after costs");
  const auto& after = result["portfolios"][2];
  EXPECT_NEAR(after["net_return"], after["expected_return"].get<double>() - after["trading_cost"].get<double>(), 1e-15);
  EXPECT_LT(after["net_sharpe"], after["sharpe"]);
  // Rehearsed is what there is.
  const auto rehearsed =
      run_tool("rehearse" + mandate + " --aim equal --aim target-return=90% --schedule never --json - --quiet");
  EXPECT_EQ(rehearsed.code, 4);
  EXPECT_THAT(rehearsed.out, HasSubstr("target-return=90% has no portfolio and is not rehearsed"));
}

TEST(FrontierAdds, PointsDrawsLowerHalfAndACloud) {
  const auto figure = std::filesystem::temp_directory_path() / ("front-" + std::to_string(::getpid()) + ".svg");
  const auto result = result_of(
      "frontier" + mandate +
      " --limit 'tracking-error <= 10%' --lower-half --draws 30 --cloud 50 --figure frontier:" + figure.string());
  EXPECT_TRUE(std::filesystem::exists(figure));
  std::filesystem::remove(figure);
  for (const auto& corner : result["corners"]) EXPECT_LE(corner["tracking_error"], 0.1);
  ASSERT_EQ(result["points"].size(), 21u);
  for (const auto& point : result["points"]) EXPECT_LE(point["tracking_error"], 0.1 + 1e-9);
  EXPECT_TRUE(result["points"][0]["lambda"].is_number());
  const auto closer = result_of("frontier" + mandate + " --limit 'tracking-error <= 8%'")["points"];
  EXPECT_TRUE(closer[0]["lambda"].is_null()) << "at the highest return that the ceiling leaves it is without end";
  for (std::size_t k = 1; k < 21; ++k) EXPECT_LE(closer[k]["lambda"], 10) << k;
  EXPECT_LE(result["minimum_variance"]["tracking_error"], 0.1 + 1e-9);
  EXPECT_LT(result["lower_half"].back()["expected_return"], result["lower_half"].front()["expected_return"]);
  EXPECT_EQ(result["sensitivity"]["draws"], 30);
  EXPECT_TRUE(result["sensitivity"]["frontier"].empty()) << "within a tracking error it has no corners";
  EXPECT_EQ(result["sensitivity"]["portfolios"].size(), 2u);
  EXPECT_FALSE(result_of("frontier" + mandate + " --draws 30")["sensitivity"]["frontier"].empty());
}

TEST(FrontierAdds, WithinATrackingErrorThereMayBeNoMaximumSharpe) {
  const auto call = "frontier" + mandate + " --no-limits --limit 'tracking-error <= 9%' --risk-free 16%";
  const auto said = run_tool(call + " --json -");
  EXPECT_EQ(said.code, 0) << said.err;
  EXPECT_THAT(said.err, HasSubstr("There is no maximum-Sharpe portfolio"));
  const auto result = nlohmann::json::parse(said.out)["result"];
  EXPECT_TRUE(result["maximum_sharpe"].is_null());
  EXPECT_EQ(result["points"].size(), 21u);
  EXPECT_FALSE(result_of("frontier" + mandate + " --no-limits --risk-free 16%")["maximum_sharpe"].is_null())
      << "without the ceiling there is one";
}

TEST(FrontierAdds, NamesTheLimitsThatAreNotOnIt) {
  const auto said = run_tool("frontier" + mandate + " --limit 'holdings <= 8'");
  EXPECT_EQ(said.code, 0);
  EXPECT_THAT(said.err, HasSubstr("The frontier is traced without 'holdings <= 8'"));
}

struct Slip {
  const char* options;
  const char* complaint;
};

class WeighSlips : public testing::TestWithParam<Slip> {};

TEST_P(WeighSlips, AreOneClearMessage) {
  const auto said = run_tool("weigh" + mandate + " " + GetParam().options);
  EXPECT_EQ(said.code, 1) << GetParam().options;
  EXPECT_THAT(said.err, HasSubstr(GetParam().complaint));
  EXPECT_EQ(said.out, "");
}

INSTANTIATE_TEST_SUITE_P(
    All, WeighSlips,
    testing::Values(Slip{"--limit 'turnover <= 20%'", "the weights held now are not known"},
                    Slip{"--limit 'gross <= 90%'", "gross would have to be at most 90%"},
                    Slip{"--limit 'volatility <= 2%'", "the least volatility that they leave is"},
                    Slip{"--limit 'tracking-error <= 1%'", "the least tracking error that they leave is"},
                    Slip{"--limit 'holdings <= 3'", "These limits cannot all hold"},
                    Slip{"--limit 'gross <= 130'", "Write 130%"},
                    Slip{"--limit 'budget <= 100%'", "Write it like budget = 100%"},
                    Slip{"--limit 'holdings <= 8' --aim target-volatility=3%",
                         "no choice of positions that was found has so little volatility: the least has 3."},
                    Slip{"--mix 'sector:bnds=40%, rest=60%'", "no asset is in 'sector:bnds'"},
                    Slip{"--sweep KELPFARM", "Write it like KELPFARM:TIDEMILL"},
                    Slip{"--round 0%", "Give for example 1%"}));

TEST(Current, WholeUnitsOfOrdersAreToldWhole) {
  const Folder folder;
  const auto said =
      run_tool("weigh --mandate " + demo + "/whole-units.toml --aim equal --orders " + (folder / "o.csv").string());
  ASSERT_EQ(said.code, 0) << said.err;
  EXPECT_THAT(said.out, testing::ContainsRegex("HOLLBOND +(buy|sell) +[0-9,]+  "));
  const auto parts = run_tool("weigh" + mandate + "--current " + demo + "/held.csv --aim equal --orders " +
                              (folder / "p.csv").string());
  EXPECT_THAT(parts.out, testing::ContainsRegex("HOLLBOND +(buy|sell) +[0-9,]+\\.[0-9]{3}  "));
}

TEST(Current, WeightsAndUnitsHaveTheDecimalMarkOfTheOtherFiles) {
  const Folder folder;
  const auto estimate = (folder / "e.json").string();
  ASSERT_EQ(run_tool("estimate --prices " + demo + "/prices --assets KELPFARM,HOLLBOND --json " + estimate).code, 0);
  const auto point = folder.write("point/held.csv", "asset,weight\nKELPFARM,62.5%\nHOLLBOND,37.5%\n").string();
  const auto comma = folder.write("comma/held.csv", "asset;weight\nKELPFARM;62,5%\nHOLLBOND;37,5%\n").string();
  const auto weighed = [&](const std::string& option, const std::string& file) {
    return result_of("weigh --estimate " + estimate + " --weights " + file + option)["portfolios"];
  };
  EXPECT_EQ(weighed("", point), weighed(" --decimal comma", comma));
  EXPECT_THAT(run_tool("weigh --estimate " + estimate + " --weights " + comma).err,
              AllOf(HasSubstr("held.csv, line 2, column weight"), HasSubstr("--decimal comma")));
  EXPECT_THAT(run_tool("weigh --estimate " + estimate + " --decimal comma").err,
              HasSubstr("--decimal: it does not go with --estimate"));
  // Closes with decimal commas, and a thousand units with a dot in them.
  std::string closes = "date;AA;BB\n";
  for (int k = 0; k < 40; ++k) {
    const Day day = *parse_day("2020-01-31") + std::chrono::days{30 * k};
    closes += fmt::format("{};{},5;{},5\n", to_string(day), 20 + k % 3, 40 + k % 5);
  }
  const auto prices = folder.write("closes.csv", closes).string();
  const auto units = folder.write("units.csv", "asset;units\nAA;1.000\nBB;0,5\ncash;1.250,75\n").string();
  const auto held = result_of("weigh --prices " + prices + " --decimal comma --aim equal --current " + units);
  const double wealth = 1000 * (20.5 + 39 % 3) + 0.5 * (40.5 + 39 % 5) + 1250.75;
  const auto& current = held["portfolios"][1];
  ASSERT_EQ(current["name"], "current");
  EXPECT_NEAR(current["weights"]["AA"].get<double>(), 1000 * (20.5 + 39 % 3) / wealth, 1e-12);
  EXPECT_NEAR(current["weights"]["BB"].get<double>(), 0.5 * (40.5 + 39 % 5) / wealth, 1e-12);
}

TEST(Current, UnitsAndCashSayWhatTheWealthIs) {
  const Folder folder;
  const auto file = folder.write("held.csv", "asset,units\nKELPFARM,1000\nHOLLBOND,500\nCash,2500\n").string();
  const std::string words =
      "weigh --prices " + demo + "/prices --assets KELPFARM,HOLLBOND --aim equal --current " + file;
  const auto said = run_tool(words + " --orders " + (folder / "orders.json").string());
  ASSERT_EQ(said.code, 0) << said.err;
  EXPECT_THAT(said.err, HasSubstr("cash of 2,500 among it"));
  EXPECT_THAT(said.out, HasSubstr("2,500"));
  EXPECT_THAT(run_tool(words + " --wealth 1m --orders " + (folder / "o.csv").string()).err,
              HasSubstr("--wealth: it does nothing beside units and cash"));
  const auto estimate = (folder / "e.json").string();
  ASSERT_EQ(run_tool("estimate --prices " + demo + "/prices --assets KELPFARM,HOLLBOND --json " + estimate).code, 0);
  EXPECT_THAT(run_tool("weigh --estimate " + estimate + " --current " + file).err,
              HasSubstr("an estimate has no prices to make weights of them"));
  // It is read once, so that it may come through a pipe.
  const auto piped =
      run("bash -c '" + tool + " weigh" + mandate + "--aim equal --current <(cat " + demo + "/held.csv)'");
  EXPECT_EQ(piped.code, 0) << piped.err;
  const auto wrong = folder.write("wrong.csv", "asset,units\nKELPFARM,many\n").string();
  EXPECT_THAT(run_tool("weigh --prices " + demo + "/prices --assets KELPFARM,HOLLBOND --current " + wrong).err,
              AllOf(HasSubstr("wrong.csv, line 2, column units"), HasSubstr("'many' is not a number")));
}

}  // namespace
}  // namespace inchtide

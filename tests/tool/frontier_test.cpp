// The frontier and portfolios by the command-line tool, on the demo data.

#include <cmath>
#include <map>
#include <nlohmann/json.hpp>

#include "support/tool.hpp"

namespace inchtide::test {
namespace {

using nlohmann::json;
using testing::AllOf;
using testing::HasSubstr;

double sum_of(const json& weights) {
  double sum = 0;
  for (const auto& [asset, weight] : weights.items()) sum += weight.get<double>();
  return sum;
}

TEST(FrontierCommand, CornersFallAndHoldTheLimits) {
  const auto result = result_of("frontier" + mandate + " --split 2023-01-01");
  const auto& corners = result["corners"];
  ASSERT_GT(corners.size(), 5u);
  for (std::size_t k = 0; k < corners.size(); ++k) {
    const auto& weights = corners[k]["weights"];
    EXPECT_NEAR(sum_of(weights), 1, 1e-12);
    EXPECT_GE(weights["BILLFUND"].get<double>(), 0.01 - 1e-12);
    for (const auto& [asset, weight] : weights.items()) {
      EXPECT_LE(weight.get<double>(), (asset == "HOLLBOND" || asset == "BILLFUND" ? 0.35 : 0.15) + 1e-12);
    }
    if (k == 0) continue;
    EXPECT_LT(corners[k]["expected_return"], corners[k - 1]["expected_return"]);
    EXPECT_LT(corners[k]["volatility"], corners[k - 1]["volatility"]);
    EXPECT_LE(corners[k]["lambda"], corners[k - 1]["lambda"]);
  }
  const auto& best = result["maximum_sharpe"];
  for (const auto& corner : corners) {
    const double sharpe = (corner["expected_return"].get<double>() - 0.02) / corner["volatility"].get<double>();
    EXPECT_LE(sharpe, best["sharpe"].get<double>() + 1e-12);
  }
}

TEST(FrontierCommand, LimitsOfTheCommandLineAddToTheMandatesAndCanReplaceThem) {
  const auto added = result_of("frontier" + mandate + " --limit 'HOLLBOND >= 30%'");
  for (const auto& corner : added["corners"]) EXPECT_GE(corner["weights"]["HOLLBOND"].get<double>(), 0.3 - 1e-12);
  const auto alone = result_of("frontier" + mandate + " --no-limits");
  EXPECT_EQ(alone["corners"][0]["weights"].size(), 1u);
}

TEST(FrontierCommand, WithoutAMaximumSharpeWarnsAndGivesNull) {
  const auto said = run_tool("frontier" + mandate + " --risk-free 50% --json -");
  EXPECT_EQ(said.code, 0);
  EXPECT_THAT(said.err, HasSubstr("There is no maximum-Sharpe portfolio: no portfolio within the limits beats"));
  const auto document = json::parse(said.out);
  EXPECT_TRUE(document["result"]["maximum_sharpe"].is_null());
  EXPECT_THAT(document["warnings"].dump(), HasSubstr("no maximum-Sharpe"));
}

TEST(FrontierCommand, DrawsItsFigure) {
  const Folder folder;
  const auto said = run_tool("frontier" + mandate + " --quiet --figure " + (folder / "a.svg").string() +
                             " --figure frontier:" + (folder / "b.png").string());
  EXPECT_EQ(said.code, 0) << said.err;
  EXPECT_EQ(said.out, "");
  EXPECT_THAT(text_of(folder / "a.svg"),
              AllOf(HasSubstr("Volatility per year"), HasSubstr("KELPFARM"), HasSubstr("maximum Sharpe")));
  EXPECT_EQ(text_of(folder / "b.png").substr(1, 3), "PNG");
  EXPECT_THAT(run_tool("frontier" + mandate + " --figure fronteer:x.png").err, HasSubstr("Did you mean 'frontier'?"));
}

TEST(FrontierCommand, WithoutGnuplotEverythingElseStillWorks) {
  const Folder folder;
  const auto said = run("PATH=/nowhere " + tool + " frontier" + mandate + " --figure " + (folder / "a.png").string() +
                        " --json " + (folder / "a.json").string());
  EXPECT_EQ(said.code, 3);
  EXPECT_THAT(said.err, HasSubstr("gnuplot is not installed"));
  EXPECT_THAT(said.out, HasSubstr("Efficient frontier"));
  EXPECT_FALSE(json::parse(text_of(folder / "a.json"))["result"]["corners"].empty());
  EXPECT_FALSE(fs::exists(folder / "a.png"));
}

TEST(FrontierCommand, WritesItsTablesAsCsv) {
  const Folder folder;
  EXPECT_EQ(run_tool("frontier" + mandate + " --quiet --csv " + folder.path().string()).code, 0);
  EXPECT_THAT(text_of(folder / "corners.csv"),
              testing::StartsWith("Corner,Expected return,Volatility,Sharpe,Held,What changes there\n1,0."));
  EXPECT_THAT(text_of(folder / "weights.csv"), HasSubstr("HOLLBOND,"));
}

const char* const estimate_json =
    R"({"assets":["A","B","C"],"expected_return":[0.03,0.06,0.10],
        "covariance":[[0.0025,0,0],[0,0.01,0.004],[0,0.004,0.04]],"risk_free":0.01})";

TEST(Weigh, TakesAnEstimateFileAndGivenWeights) {
  const Folder folder;
  const auto estimate = folder.write("estimate.json", estimate_json);
  const auto weights = folder.write("held.csv", "asset,weight\nA,20%\nb,10%\nC,70%\n");
  const auto result = result_of("weigh --estimate " + estimate.string() + " --weights " + weights.string() +
                                " --aim minimum-variance --aim target-return=8.2% --aim equal");
  const auto& portfolios = result["portfolios"];
  ASSERT_EQ(portfolios.size(), 4u);
  EXPECT_EQ(portfolios[0]["aim"], "minimum-variance");
  EXPECT_NEAR(portfolios[1]["expected_return"].get<double>(), 0.082, 1e-14);
  EXPECT_NEAR(portfolios[2]["weights"]["A"].get<double>(), 1.0 / 3, 1e-15);
  // Variance 0.2^2 x 0.0025 + 0.1^2 x 0.01 + 0.7^2 x 0.04 + 2 x 0.1 x 0.7 x 0.004 = 0.02036; return 0.082.
  EXPECT_EQ(portfolios[3]["name"], "held");
  EXPECT_NEAR(portfolios[3]["volatility"].get<double>(), std::sqrt(0.02036), 1e-15);
  EXPECT_NEAR(portfolios[3]["sharpe"].get<double>(), (0.082 - 0.01) / std::sqrt(0.02036), 1e-13);
  EXPECT_LT(portfolios[1]["volatility"], portfolios[3]["volatility"]);
}

TEST(Weigh, OffersAimsByRiskAlone) {
  const auto result = result_of("weigh" + mandate +
                                " --aim utility=4 --aim maximum-diversification --aim inverse-volatility --aim "
                                "equal-risk-contribution");
  const auto& portfolios = result["portfolios"];
  ASSERT_EQ(portfolios.size(), 4u);
  EXPECT_EQ(portfolios[0]["aim"], "utility=4");
  EXPECT_TRUE(portfolios[1]["violations"].empty());
  EXPECT_FALSE(portfolios[2]["violations"].empty()) << "bills alone are over their limit";
  const auto described = result_of("describe" + mandate);
  const auto &inverse = portfolios[2]["weights"], &assets = described["assets"];
  for (std::size_t i = 1; i < 16; ++i) {
    const double product = inverse[assets[i]["asset"]].get<double>() * assets[i]["volatility"].get<double>();
    const double first = inverse[assets[0]["asset"]].get<double>() * assets[0]["volatility"].get<double>();
    EXPECT_NEAR(product / first, 1, 1e-9);
  }
  EXPECT_THAT(run_tool("weigh" + mandate + " --aim utility").err, HasSubstr("Write for example utility=4"));
}

TEST(Weigh, TheFrontierAndTheComparisonAgree) {
  const auto frontier = result_of("frontier" + mandate);
  const auto weighed = result_of("weigh" + mandate + " --aim maximum-sharpe");
  EXPECT_EQ(frontier["maximum_sharpe"]["weights"], weighed["portfolios"][0]["weights"]);
  EXPECT_FALSE(weighed["portfolios"][0]["binding"].empty());
  for (const auto& binding : weighed["portfolios"][0]["binding"])
    EXPECT_GE(binding["price_per_point"].get<double>(), 0);
}

TEST(Weigh, WritesTheOrdersThatLeadToOnePortfolio) {
  const Folder folder;
  const std::string held = " --current " + std::string(INCHTIDE_SOURCE) + "/demo/held.csv --wealth 40000000";
  const auto file = (folder / "orders.csv").string();
  const auto result = result_of("weigh" + mandate + held + " --aim maximum-sharpe --orders " + file);
  const auto& list = result["orders"];
  EXPECT_EQ(list["portfolio"], "maximum-sharpe");
  double value = list["cash_before"].get<double>();
  for (const auto& order : list["orders"]) {
    const double sign = order["side"] == "buy" ? -1 : 1;
    value += sign * order["value"].get<double>() - order["cost"].get<double>();
    EXPECT_GE(order["value"], 10'000) << "the mandate's smallest order";
    EXPECT_NEAR(order["units"].get<double>() * order["price"].get<double>(), order["value"], 1e-6);
  }
  EXPECT_NEAR(list["cash_after"], value, 1e-6);
  EXPECT_GE(list["cash_after"].get<double>(), 0.005 * list["wealth_after"].get<double>() - 1e-6);
  EXPECT_THAT(test::text_of(file), HasSubstr("Asset,Side,Units"));
  // More than one portfolio, or none to start from, is said.
  EXPECT_THAT(run_tool("weigh" + mandate + held + " --orders " + file).err, HasSubstr("there are 3 portfolios"));
  EXPECT_THAT(run_tool("weigh" + mandate + " --aim equal --orders " + file).err,
              HasSubstr("what is held now isn't known"));
  EXPECT_EQ(run_tool("weigh" + mandate + " --wealth 1000").code, 2);
  EXPECT_EQ(run_tool("weigh" + mandate + held + " --aim equal --orders " + (folder / "o.doc").string()).code, 1);
}

TEST(LimitsOnTags, HoldAndArePricedAndExplained) {
  const auto frontier = result_of("frontier" + mandate);
  const std::map<std::string, std::string> sectors = [] {
    std::map<std::string, std::string> of;
    std::istringstream file(text_of(demo + "/tags.csv"));
    std::string line, cell;
    std::getline(file, line);
    while (std::getline(file, line)) {
      std::istringstream cells(line);
      std::string code;
      std::getline(cells, code, ',');
      std::getline(cells, cell, ',');
      std::getline(cells, of[code], ',');
    }
    return of;
  }();
  for (const auto& corner : frontier["corners"]) {
    std::map<std::string, double> totals;
    for (const auto& [asset, weight] : corner["weights"].items()) {
      totals[sectors.at(asset)] += weight.get<double>();
      EXPECT_LE(weight.get<double>(), (sectors.at(asset) == "bonds" ? 0.35 : 0.15) + 1e-9) << asset;
    }
    EXPECT_GE(totals["bonds"], 0.15 - 1e-9);
    EXPECT_LE(totals["bonds"], 0.5 + 1e-9);
    EXPECT_LE(totals["abroad"], 0.2 + 1e-9);
    for (const auto& [sector, total] : totals) EXPECT_LE(total, (sector == "bonds" ? 0.5 : 0.3) + 1e-9) << sector;
  }
  // The price of a limit is what a point of loosening brings, to first order.
  const std::string weigh = "weigh" + mandate + " --aim minimum-variance --no-limits --limit ";
  const auto at = [&](const char* least) {
    return result_of(weigh + "'sector:power >= " + least + "%' --limit 'each in sector:power <= 25%'")["portfolios"][0];
  };
  const double slope = at("40.01")["volatility"].get<double>() - at("39.99")["volatility"].get<double>();
  double price = 0;
  const auto chosen = at("40");
  for (const auto& limit : chosen["binding"]) {
    if (limit["limit"] == "sector:power >= 40%") price = limit["price_per_point"];
  }
  EXPECT_GT(price, 0);
  EXPECT_NEAR(price, slope / 0.02, 1e-6);
  EXPECT_THAT(run_tool("frontier" + mandate).out, HasSubstr("sector:bonds off its least"));
  EXPECT_THAT(run_tool("weigh" + mandate + " --limit 'sector:bonds >= 60%'").err,
              HasSubstr("sector:bonds would have to be at least 60% and at most 50%"));
}

TEST(Frontier, ItsWeightsAreDrawnStacked) {
  const Folder folder;
  const auto file = (folder / "t.svg").string();
  ASSERT_EQ(run_tool("frontier" + mandate + " --quiet --figure transition:" + file).code, 0);
  EXPECT_THAT(text_of(file), AllOf(HasSubstr("Weights along the efficient frontier"), HasSubstr("HOLLBOND")));
  const auto short_file = (folder / "s.svg").string();
  ASSERT_EQ(
      run_tool("frontier" + mandate + " --no-limits --limit 'each >= -20%' --quiet --figure transition:" + short_file)
          .code,
      0);
  EXPECT_THAT(text_of(short_file), HasSubstr("Weight, stacked"));
}

TEST(Weigh, ExplainsWhatIsLeftOutAndWhereTheRiskIs) {
  const auto said = run_tool("weigh" + mandate);
  EXPECT_THAT(said.out,
              AllOf(HasSubstr("Where the variance comes from"), HasSubstr("Left out, and the expected return"),
                    HasSubstr("minimum-variance: returns don't count for this aim")));
  const auto portfolios = result_of("weigh" + mandate)["portfolios"];
  double shares = 0;
  for (const auto& [asset, share] : portfolios[1]["risk_shares"].items()) shares += share.get<double>();
  EXPECT_NEAR(shares, 1, 1e-12);
  EXPECT_EQ(portfolios[2]["effective_holdings"], 16);
  const auto out = portfolios[1]["left_out"][0];
  const std::string asset = out["asset"];
  const auto with = [&](double more) {
    const auto own = " --own " + asset + "=" + std::to_string(100 * (out["would_need"].get<double>() + more)) + "%";
    return result_of("weigh" + mandate + " --aim maximum-sharpe" + own)["portfolios"][0]["weights"].value(asset, 0.0);
  };
  EXPECT_GT(with(0.001), 1e-6);
  EXPECT_LT(with(-0.001), 1e-9);
}

TEST(LimitsOnTags, LookUpTheMandatesTagsForAnEstimateFileToo) {
  const Folder folder;
  const auto file = (folder / "e.json").string();
  ASSERT_EQ(run_tool("estimate" + mandate + " --draws 0 --quiet --json " + file).code, 0);
  const auto direct = result_of("weigh" + mandate + " --aim maximum-sharpe");
  const auto by_file = result_of("weigh" + mandate + " --aim maximum-sharpe --estimate " + file);
  EXPECT_NEAR(direct["portfolios"][0]["sharpe"].get<double>(), by_file["portfolios"][0]["sharpe"].get<double>(), 1e-9);
  const auto without = run_tool("weigh --estimate " + file + " --limit 'sector:power <= 10%'");
  EXPECT_EQ(without.code, 1);
  EXPECT_THAT(without.err, HasSubstr("there are no tags. Give a table of them (--tags)"));
}

}  // namespace
}  // namespace inchtide::test

// The command-line tool, run as a process on the demo data and on bad input.

#include <fmt/format.h>

#include <algorithm>
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

TEST(Inspect, ShowsWhatTheDemoPricesHold) {
  const auto said = run_tool("inspect" + mandate);
  EXPECT_EQ(said.code, 0);
  EXPECT_EQ(
      said.err,
      "inchtide: warning: BEACONET begins on 2020-02-03: 2.1 of 8.0 years are not used. Leaving short histories out "
      "keeps them (--short-histories leave-out)\n");
  EXPECT_THAT(said.out, AllOf(HasSubstr("What the prices hold"),
                              HasSubstr("MARROWGL is converted at the rate of the day, MRD -> HLC")));
  const auto result = result_of("inspect" + mandate);
  EXPECT_EQ(result["assets"].size(), 17u);
  const auto found = [&](const char* asset, const char* kind) {
    return std::ranges::any_of(result["findings"],
                               [&](const json& f) { return f["asset"] == asset && f["kind"] == kind; });
  };
  EXPECT_TRUE(found("OYSTERCO", "spike"));
  EXPECT_TRUE(found("DREDGECO", "holes"));
  EXPECT_TRUE(found("BEACONET", "short history"));
  EXPECT_TRUE(found("OYSTERCO", "holes"));  // the misprint that the mandate has dropped
  EXPECT_TRUE(found("BEACONET", "split"));
  EXPECT_TRUE(found("HOLLIN40", "volume"));
  EXPECT_FALSE(found("KELPFARM", "stale"));
  for (const auto& finding : result["findings"]) EXPECT_EQ(finding["severity"], "note") << finding;
}

TEST(Inspect, AMisprintIsKeptUnlessItsRemovalIsAskedFor) {
  const std::string prices =
      "describe --prices " + demo + "/prices/OYSTERCO.csv --every 1d --from 2021-05-03 --to 2021-05-31";
  EXPECT_GT(result_of(prices)["assets"][0]["best"].get<double>(), 8);
  EXPECT_LT(result_of(prices + " --drop-misprints")["assets"][0]["best"].get<double>(), 0.2);
}

TEST(Inspect, WithoutRatesAssetsInAnotherCurrencyAreLeftOutAndNamed) {
  const auto said = run_tool("inspect --prices " + demo + "/prices --tags " + demo + "/tags.csv --currency HLC");
  EXPECT_EQ(said.code, 0);
  EXPECT_THAT(said.err, HasSubstr("priced in another currency than HLC and no rates were given: MARROWGL (MRD), "
                                  "MARROWSH (MRD). Give rates (--rates)"));
  EXPECT_THAT(said.out, testing::Not(HasSubstr("MARROWGL")));
}

TEST(Inspect, TellsAPriceOnADayAndWhichDayItTook) {
  // 2024-05-05 was a Sunday (and a holiday): the last trading day before it was Friday the 3rd.
  const auto result = result_of("inspect" + mandate + " --on 2024-05-05 --assets KELPFARM,TIDEMILL");
  ASSERT_EQ(result["prices"].size(), 3u);
  EXPECT_EQ(result["prices"][0]["asset"], "KELPFARM");
  EXPECT_EQ(result["prices"][0]["day"], "2024-05-03");
  const auto file = text_of(demo + "/prices/KELPFARM.csv");
  const auto line =
      file.substr(file.find("2024-05-03"), file.find('\n', file.find("2024-05-03")) - file.find("2024-05-03"));
  const auto end = line.rfind(','), begin = line.rfind(',', end - 1);
  EXPECT_EQ(result["prices"][0]["price"].get<double>(), std::stod(line.substr(begin + 1, end - begin - 1)));
  EXPECT_THAT(run_tool("inspect" + mandate + " --on 2017-01-01").err,
              HasSubstr("The first price is that of AMBERFND on 2018-01-02"));
}

TEST(Inspect, DrawsWhat100Became) {
  const Folder folder;
  EXPECT_EQ(run_tool("inspect" + mandate + " --last 2y --quiet --figure rebased:" + (folder / "a.svg").string()).code,
            0);
  EXPECT_THAT(text_of(folder / "a.svg"), AllOf(HasSubstr("What 100 became"), HasSubstr("HOLLIN40")));
}

TEST(Inspect, WorksWithoutACommonDayWhenHolesMayStay) {
  const Folder folder;
  const auto apart =
      folder.write("apart.csv", "date,A,B\n2024-01-30,1,\n2024-01-31,1,\n2024-02-29,,2\n2024-03-28,,2\n");
  const std::string command = "inspect --align any --prices " + apart.string();
  EXPECT_EQ(run_tool(command).code, 0);
  const auto drawn = run_tool(command + " --figure rebased:" + (folder / "a.png").string());
  EXPECT_EQ(drawn.code, 1);
  EXPECT_THAT(drawn.err, HasSubstr("no day has a price of every asset, so they have no common start"));
  EXPECT_EQ(run_tool("inspect --prices " + apart.string()).code, 1);
}

TEST(Prices, AWideFileAndALongOneGiveTheSameFigures) {
  const Folder folder;
  const auto wide =
      folder.write("wide.csv", "date,A,B\n2024-01-31,10,20\n2024-02-29,11,19\n2024-03-28,12,21\n2024-04-30,11,22\n");
  const auto tall =
      folder.write("long.csv",
                   "date,asset,price\n2024-01-31,A,10\n2024-01-31,B,20\n2024-02-29,B,19\n2024-02-29,A,11\n"
                   "2024-03-28,A,12\n2024-03-28,B,21\n2024-04-30,B,22\n2024-04-30,A,11\n");
  EXPECT_EQ(result_of("frontier --prices " + wide.string()), result_of("frontier --prices " + tall.string()));
}

TEST(Describe, ForeignPricesAreConvertedDayByDay) {
  // Price x rate on the last day of each month on which the Marrow Exchange traded and a rate is at hand.
  std::map<std::string, double> rates, ends;
  std::istringstream rate_file(text_of(demo + "/rates/MRD.csv")), price_file(text_of(demo + "/prices/MARROWGL.csv"));
  std::string line;
  std::getline(rate_file, line);
  while (std::getline(rate_file, line)) rates[line.substr(0, 10)] = std::stod(line.substr(11));
  std::getline(price_file, line);
  while (std::getline(price_file, line)) {
    const auto end = line.rfind(','), begin = line.rfind(',', end - 1);
    const auto rate = std::prev(rates.upper_bound(line.substr(0, 10)));
    if (rate == rates.end()) continue;
    ends[line.substr(0, 7)] = std::stod(line.substr(begin + 1, end - begin - 1)) * rate->second;
  }
  double growth = ends.at("2024-12") / ends.at("2021-12");
  const auto result = result_of("describe" + mandate + " --assets MARROWGL,TIDEMILL --from 2021-12-01 --to 2024-12-31");
  EXPECT_NEAR(result["assets"][0]["mean_geometric"].get<double>(), std::pow(growth, 1.0 / 3) - 1, 1e-12);
}

TEST(Describe, AForeignBenchmarkIsConvertedLikeAnAsset) {
  const std::string window = " --from 2021-12-01 --to 2024-12-31 --align carry:5";
  const auto as_asset = result_of("describe" + mandate + " --assets MARROWGL,TIDEMILL" + window);
  const auto as_benchmark = result_of("describe" + mandate + " --assets TIDEMILL --benchmark MARROWGL" + window);
  EXPECT_NEAR(as_benchmark["benchmark"]["mean_geometric"].get<double>(),
              as_asset["assets"][0]["mean_geometric"].get<double>(), 1e-12);
  const auto said = run_tool("describe --prices " + demo + "/prices --tags " + demo +
                             "/tags.csv --currency HLC --assets TIDEMILL --benchmark MARROWGL");
  EXPECT_EQ(said.code, 1);
  EXPECT_THAT(said.err, HasSubstr("MARROWGL: no rates lead from MRD to HLC"));
}

TEST(Describe, ReturnsAfterAHoleAreCountedAndSaid) {
  const Folder folder;
  const auto prices = folder.write("holes.csv",
                                   "date,A,B\n2024-01-31,10,20\n2024-02-29,11,19\n2024-03-28,,21\n2024-04-30,12,22\n"
                                   "2024-05-31,13,23\n");
  const std::string command = "describe --align any --prices " + prices.string();
  const auto result = result_of(command);
  EXPECT_EQ(result["assets"][0]["long_returns"], 1);
  EXPECT_EQ(result["assets"][0]["observations"], 3);
  EXPECT_EQ(result["assets"][1]["long_returns"], 0);
  EXPECT_THAT(run_tool(command).out, HasSubstr("A: 1 return after a hole spans several periods, and counts as many"));
}

TEST(Describe, ShowsTheLowerSideAndTheSpreadOfReturns) {
  const Folder folder;
  const auto figure = (folder / "h.svg").string();
  const auto command = "describe" + mandate + " --returns log --denominator population --tail 10% --bins 9 --figure ";
  const auto said = run_tool(command + "histogram-KELPFARM:" + figure + " --wide");
  EXPECT_EQ(said.code, 0) << said.err;
  EXPECT_THAT(said.out, AllOf(HasSubstr("from monthly log returns"), HasSubstr("population figures (T)"),
                              HasSubstr("the worst 10% of"), HasSubstr("Downside deviation"), HasSubstr("Gap")));
  EXPECT_THAT(text_of(figure), AllOf(HasSubstr("KELPFARM: monthly log returns"), HasSubstr("normal, same mean")));
  const auto result = result_of(command + "growth:" + figure);
  EXPECT_THAT(text_of(figure), HasSubstr("Cumulative growth"));
  EXPECT_EQ(result["returns"], "log");
  EXPECT_EQ(result["denominator"], "T");
  EXPECT_EQ(result["histograms"].size(), 17u) << "the benchmark's too";
  const auto simple = result_of("describe" + mandate + " --figure bars:" + figure);
  EXPECT_THAT(text_of(figure), AllOf(HasSubstr("Return and risk per year"), HasSubstr("volatility")));
  for (std::size_t i = 0; i < 16; ++i) {
    const auto &log = result["assets"][i], &plain = simple["assets"][i];
    std::size_t counted = 0;
    for (const auto& count : result["histograms"][i]["counts"]) counted += count.get<std::size_t>();
    EXPECT_EQ(counted, log["observations"]);
    EXPECT_EQ(result["histograms"][i]["counts"].size(), 9u);
    EXPECT_NEAR(log["mean_geometric"].get<double>(), plain["mean_geometric"].get<double>(), 1e-12);
    EXPECT_NEAR(std::expm1(log["worst"].get<double>()), plain["worst"].get<double>(), 1e-12);
    EXPECT_LT(log["mean_arithmetic"], plain["mean_arithmetic"]);
  }
  EXPECT_THAT(run_tool("describe" + mandate + " --tail 0%").err,
              HasSubstr("tail: 0% is no share of the periods. Give more than 0% and at most 100% (--tail)"));
  EXPECT_EQ(run_tool("describe" + mandate + " --returns both").code, 2);
}

TEST(Describe, WithinTheDayTakesCloseOverOpen) {
  std::istringstream file(text_of(demo + "/prices/KELPFARM.csv"));
  std::string line, cell;
  std::getline(file, line);
  ASSERT_TRUE(line.starts_with("date,open,high,low,close")) << line;
  double sum = 0;
  int count = 0;
  while (std::getline(file, line)) {
    if (line < "2024-01-01" || line > "2024-12-32") continue;
    std::istringstream cells(line);
    std::vector<double> figures;
    std::getline(cells, cell, ',');
    while (std::getline(cells, cell, ',')) figures.push_back(cell.empty() ? NAN : std::stod(cell));
    if (std::isnan(figures[0]) || std::isnan(figures[3])) continue;
    sum += figures[3] / figures[0] - 1;
    ++count;
  }
  const std::string window =
      "describe --prices " + demo + "/prices --assets KELPFARM,TIDEMILL --from 2024-01-01 --to 2024-12-31";
  const auto result = result_of(window + " --within-day");
  EXPECT_EQ(result["assets"][0]["observations"], count);
  EXPECT_NEAR(result["assets"][0]["mean_arithmetic"].get<double>(), 252 * sum / count, 1e-12);
  EXPECT_THAT(run_tool(window + " --within-day").err, HasSubstr("what happens overnight isn't in them"));
  EXPECT_THAT(
      run_tool(window + " --within-day --every 1m").err,
      HasSubstr("they don't go with monthly ones. Leave the interval out: there is one return a day (--every)"));
}

TEST(Align, AcrossHolesReturnsSpanSeveralPeriodsAndItIsSaid) {
  const auto said =
      run_tool("frontier" + mandate + " --align any --every 1d --from 2021-06-01 --to 2021-12-31 --json -");
  EXPECT_EQ(said.code, 0) << said.err;
  EXPECT_THAT(said.err, HasSubstr("returns span several trading days, and count as many"));
  EXPECT_EQ(run_tool("frontier" + mandate + " --align most").code, 1);
}

// Month-end adjusted closes of an asset, read here without the library.
std::vector<double> month_ends(const std::string& asset, const std::string& from, const std::string& to) {
  std::istringstream file(text_of(demo + "/prices/" + asset + ".csv"));
  std::string line, month;
  std::vector<double> prices;
  std::getline(file, line);
  while (std::getline(file, line)) {
    const auto day = line.substr(0, 10);
    if (day < from || day > to) continue;
    std::size_t at = 0;
    for (int comma = 0; comma < 5; ++comma) at = line.find(',', at) + 1;
    if (day.substr(0, 7) != month) prices.push_back(0);
    month = day.substr(0, 7);
    prices.back() = std::stod(line.substr(at));
  }
  return prices;
}

TEST(Describe, AgreesWithFiguresWorkedFromTheFilesAlone) {
  const auto result = result_of("describe" + mandate + " --from 2021-01-01 --to 2024-12-31");
  for (const char* asset : {"KELPFARM", "HOLLBANK", "BEACONET"}) {
    const auto prices = month_ends(asset, "2021-01-01", "2024-12-31");
    ASSERT_EQ(prices.size(), 48u);
    long double mean = 0, squares = 0;
    for (std::size_t i = 1; i < prices.size(); ++i) mean += (prices[i] / prices[i - 1] - 1) / 47;
    for (std::size_t i = 1; i < prices.size(); ++i) squares += std::pow(prices[i] / prices[i - 1] - 1 - mean, 2.0L);
    const auto found = std::ranges::find(result["assets"], json(asset), [](const json& a) { return a["asset"]; });
    ASSERT_NE(found, result["assets"].end());
    const json& figures = *found;
    EXPECT_EQ(figures["observations"], 47);
    EXPECT_NEAR(figures["mean_arithmetic"].get<double>(), double(12 * mean), 1e-14);
    EXPECT_NEAR(figures["volatility"].get<double>(), double(std::sqrt(12 * squares / 46)), 1e-14);
    EXPECT_NEAR(figures["mean_geometric"].get<double>(), std::pow(prices.back() / prices.front(), 12.0 / 47) - 1,
                1e-13);
    EXPECT_LE(figures["max_drawdown"].get<double>(), 0);
  }
  EXPECT_EQ(result["benchmark"]["asset"], "HOLLIN40");
}

TEST(Describe, WorksWithoutAMandate) {
  const auto result =
      result_of("describe --prices " + demo + "/prices --assets TIDEMILL,kelpfarm --every 1w --last 3y");
  ASSERT_EQ(result["assets"].size(), 2u);
  EXPECT_NEAR(result["assets"][0]["observations"].get<double>(), 156, 2);
  EXPECT_TRUE(result["benchmark"].is_null());
}

TEST(Describe, AnUnfinishedLastPeriodIsDroppedAndSaid) {
  const auto said = run_tool("describe" + mandate + " --to 2024-05-15");
  EXPECT_EQ(said.code, 0);
  EXPECT_THAT(said.err, HasSubstr("The last month had not ended on 2024-05-15, so it is not used"));
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
  folder.write("disorder/A.csv", "date,close\n2024-02-29,10\n2024-01-31,10\n");
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
            "A.csv, line 3, column date: 2024-01-31 comes after a later day"},
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
        Bad{"TooShort", "describe --prices @/good --every 1y", "too few for one return"},
        Bad{"SplitOutside", "rehearse --prices @/good --split 2030-01-01", "leaves no prices on one side"},
        Bad{"BadCost", "rehearse --prices @/good --split 2024-04-01 --cost 10", "--cost: '10' is not a cost"},
        Bad{"BadSchedule", "rehearse --prices @/good --split 2024-04-01 --schedule 1x",
            "--schedule: '1x' is not a schedule"},
        Bad{"MissingEstimate", "weigh --estimate @/none.json", "/none.json: there is no such file"}),
    [](const auto& bad) { return bad.param.name; });

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

TEST(Warnings, ALimitOnAnAssetThatWasLeftOutIsPassedOver) {
  const auto said = run_tool("frontier" + mandate + " --assets TIDEMILL,FERRYLNK,HOLLBOND,KELPFARM,COLDQUAY,AMBERFND");
  EXPECT_EQ(said.code, 0) << said.err;
  EXPECT_THAT(said.err, HasSubstr("'BILLFUND >= 1%' is passed over: BILLFUND is not among the assets"));
}

TEST(DescribeCommand, WithinTheDayTooMisprintsAreDroppedWhereAsked) {
  const Folder folder;
  std::string rows = "date,open,close\n";
  for (int day = 1; day <= 12; ++day) {
    rows += fmt::format("2024-01-{:02},100,{}\n", day, day == 6 ? 1010 : day % 2 == 0 ? 101 : 99);
  }
  const auto file = folder.write("prices/A.csv", rows).parent_path().string();
  const auto call = "describe --within-day --prices " + file;
  EXPECT_NEAR(result_of(call)["assets"][0]["best"].get<double>(), 9.1, 1e-12);
  const auto dropped = result_of(call + " --drop-misprints")["assets"][0];
  EXPECT_NEAR(dropped["best"].get<double>(), 0.01, 1e-12);
  EXPECT_EQ(dropped["observations"], 11);
}

}  // namespace
}  // namespace inchtide::test

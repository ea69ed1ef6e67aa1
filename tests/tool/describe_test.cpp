// Prices and returns by the command-line tool, on the demo data.

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

// Its first table is of all the files, whatever window the others are of.
TEST(Inspect, SaysWhichWindowFollowsWhatTheFilesHold) {
  const auto cut = run_tool("inspect" + mandate + "--from 2024-01-02 --to 2024-06-28");
  EXPECT_THAT(cut.out, HasSubstr("This is all that there is; what follows is of 2024-01-02 to 2024-06-28\n"));
  EXPECT_THAT(run_tool("inspect" + mandate).out, testing::Not(HasSubstr("This is all that there is")));
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

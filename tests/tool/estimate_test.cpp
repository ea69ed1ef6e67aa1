// `estimate` as a process, and what the commands after it make of its file and its methods.

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "support/tool.hpp"

namespace inchtide::test {
namespace {

using nlohmann::json;
using testing::AllOf;
using testing::HasSubstr;

const std::string early = mandate + "--split 2023-01-01 ";

TEST(EstimateCommand, ItsFileGivesTheFrontierThatThePricesGive) {
  const Folder folder;
  const auto file = (folder / "estimate.json").string();
  for (const std::string methods : {"", "--covariance nonlinear --expected bayes-stein", "--covariance factors:3"}) {
    ASSERT_EQ(run_tool("estimate" + early + methods + " --draws 0 --quiet --json " + file).code, 0);
    const auto direct = result_of("frontier" + early + methods);
    const auto by_file = result_of("frontier --mandate " + demo + "/mandate.toml --estimate " + file);
    ASSERT_EQ(direct["corners"].size(), by_file["corners"].size()) << methods;
    for (const char* portfolio : {"minimum_variance", "maximum_sharpe"}) {
      for (const auto& [asset, weight] : direct[portfolio]["weights"].items()) {
        EXPECT_NEAR(by_file[portfolio]["weights"].value(asset, 0.0), weight.get<double>(), 1e-12) << asset;
      }
    }
  }
}

TEST(EstimateCommand, ShowsUncertaintyAndAdvice) {
  const auto said = run_tool("estimate" + early);
  EXPECT_EQ(said.code, 0);
  EXPECT_THAT(said.out, AllOf(HasSubstr("Standard error"), HasSubstr("Mean, low"), HasSubstr("Condition number"),
                              HasSubstr("lie within two standard errors of zero"), HasSubstr("denominator T-1")));
  const auto result = result_of("estimate" + early + "--seed 3 --draws 500");
  const auto& bands = result["bands"];
  EXPECT_EQ(bands["draws"], 500);
  EXPECT_EQ(bands["correlation_low"].size(), result["assets"].size());
  for (std::size_t i = 0; i < result["assets"].size(); ++i) {
    EXPECT_LT(bands["mean_low"][i], result["sample_means"][i]);
    EXPECT_GT(bands["mean_high"][i], result["sample_means"][i]);
    // By the definition of the standard error: s / sqrt(T), per year.
    EXPECT_NEAR(result["standard_errors"][i].get<double>(),
                std::sqrt(result["covariance"][i][i].get<double>() * 12 / result["observations"].get<double>()), 1e-12);
  }
  EXPECT_EQ(result, result_of("estimate" + early + "--seed 3 --draws 500 --threads 1")) << "the same bits";
}

TEST(EstimateCommand, MethodsStandSideBySide) {
  const auto said = run_tool("estimate" + early + "--compare --draws 0");
  EXPECT_THAT(said.out, AllOf(HasSubstr("Expected returns per year by method"), HasSubstr("bayes-stein"),
                              HasSubstr("market-model"), HasSubstr("Covariances by method"), HasSubstr("nonlinear")));
  const auto few = run_tool("estimate" + early + "--compare --draws 0 --last 6y --every 1y");
  EXPECT_THAT(few.err, HasSubstr("Not compared: bayes-stein"));
}

TEST(EstimateCommand, TheMandateChoosesMethodsOwnFiguresCapsAndViews) {
  const Folder folder;
  const auto file = folder.write("m.toml", "[universe]\nprices = \"" + demo +
                                               "/prices\"\nassets = [\"KELPFARM\", \"TIDEMILL\", \"HOLLBOND\"]\n" + R"(
[estimate]
expected = "views"
covariance = "constant-correlation"
denominator = "population"
risk_aversion = 4
implied_weights = "held.csv"
own = { HOLLBOND = "2.5%" }
caps = { TIDEMILL = "1%" }
[views.kelp]
says = "KELPFARM = 8%"
confidence = "100%"
)");
  folder.write("held.csv", "asset,weight\nKELPFARM,50%\nTIDEMILL,30%\nHOLLBOND,20%\n");
  const auto result = result_of("estimate --mandate " + file.string());
  EXPECT_EQ(result["assets"], (json{"HOLLBOND", "KELPFARM", "TIDEMILL"}));
  EXPECT_EQ(result["expected_return"][0], 0.025);
  EXPECT_NEAR(result["expected_return"][1].get<double>(), 0.08, 1e-14) << "a certain view";
  EXPECT_EQ(result["expected_return"][2], 0.01);
  EXPECT_EQ(result["own"], json{"HOLLBOND"});
  EXPECT_EQ(result["capped"], json{"TIDEMILL"});
  EXPECT_EQ(result["denominator"], "T");
  EXPECT_GT(result["covariance_intensity"], 0);
  const auto beaten = result_of("estimate --mandate " + file.string() + " --expected arithmetic --own KELPFARM=7%");
  EXPECT_EQ(beaten["expected_return"][1], 0.07);
}

TEST(EstimateCommand, ItsSheetForPeopleGivesTheSameFrontier) {
  const Folder folder;
  ASSERT_EQ(run_tool("estimate" + early + "--draws 0 --quiet --csv " + folder.path().string()).code, 0);
  const auto sheet = (folder / "estimate-file.csv").string();
  EXPECT_THAT(text_of(sheet), AllOf(HasSubstr("asset,expected return,volatility,AMBERFND"), HasSubstr("%")));
  const auto direct = result_of("frontier" + early);
  const auto by_sheet = result_of("frontier --mandate " + demo + "/mandate.toml --estimate " + sheet);
  for (const char* portfolio : {"minimum_variance", "maximum_sharpe"}) {
    EXPECT_NEAR(by_sheet[portfolio]["volatility"].get<double>(), direct[portfolio]["volatility"].get<double>(), 1e-10);
    EXPECT_NEAR(by_sheet[portfolio]["sharpe"].get<double>(), direct[portfolio]["sharpe"].get<double>(), 1e-10);
  }
}

TEST(EstimateCommand, TheSheetKeepsAllThatTheFileKeeps) {
  const Folder folder;
  const auto file = (folder / "e.json").string(), sheet = (folder / "estimate-file.csv").string();
  ASSERT_EQ(
      run_tool("estimate" + early + "--draws 0 --returns log --denominator population --risk-free 3% --quiet --json " +
               file + " --csv " + folder.path().string())
          .code,
      0);
  const auto of = [&](const std::string& from) {
    return result_of("weigh --estimate " + from + " --aim maximum-sharpe");
  };
  const auto by_file = of(file)["portfolios"][0], by_sheet = of(sheet)["portfolios"][0];
  for (const char* figure : {"expected_return", "volatility", "sharpe"}) {
    EXPECT_NEAR(by_sheet[figure].get<double>(), by_file[figure].get<double>(), 1e-10) << figure;
  }
  const auto frontier = result_of("frontier --estimate " + sheet);
  EXPECT_EQ(frontier["denominator"], "T");
  EXPECT_EQ(frontier["risk_free"], 0.03);
  EXPECT_EQ(frontier["observations"], result_of("frontier --estimate " + file)["observations"]);
  EXPECT_EQ(frontier["from"], "2020-02-28");
  const auto bad = folder.write("bad.csv", "asset,expected return,volatility,A\nA,5%,10%,1\n,risk-fre,2%,\n");
  EXPECT_THAT(run_tool("weigh --estimate " + bad.string()).err, HasSubstr("Did you mean 'risk-free'"));
}

TEST(EstimateCommand, AnOutsideEstimateClaimsNoDenominator) {
  const Folder folder;
  const auto file = folder.write("e.json", R"({"assets": ["A"], "expected_return": [0.05], "covariance": [[0.04]]})");
  EXPECT_THAT(run_tool("weigh --estimate " + file.string()).out,
              HasSubstr("which denominator its variances have isn't said"));
  EXPECT_TRUE(result_of("frontier --estimate " + file.string())["denominator"].is_null());
}

TEST(EstimateCommand, LogReturnsAreConvertedBeforeTheyMeetWeights) {
  const Folder folder;
  const auto file = (folder / "log.json").string();
  const auto log = result_of("estimate" + early + "--draws 0 --returns log");
  EXPECT_EQ(log["returns"], "log");
  ASSERT_EQ(run_tool("estimate" + early + "--draws 0 --returns log --quiet --json " + file).code, 0);
  for (const auto& from : {early + "--returns log", " --mandate " + demo + "/mandate.toml --estimate " + file}) {
    const auto said = run_tool("weigh" + from + " --aim equal --no-limits --json -");
    EXPECT_EQ(said.code, 0) << said.err;
    EXPECT_THAT(said.err, HasSubstr("E = exp(m + s/2) - 1"));
    const auto portfolio = json::parse(said.out)["result"]["portfolios"][0];
    const auto n = log["assets"].size();
    double expected = 0, variance = 0;
    std::vector<double> growth;
    for (std::size_t i = 0; i < n; ++i) {
      growth.push_back(std::exp(log["expected_return"][i].get<double>() + log["covariance"][i][i].get<double>() / 2));
      expected += (growth.back() - 1) / double(n);
    }
    for (std::size_t i = 0; i < n; ++i) {
      for (std::size_t j = 0; j < n; ++j) {
        variance += growth[i] * growth[j] * std::expm1(log["covariance"][i][j].get<double>()) / double(n * n);
      }
    }
    EXPECT_NEAR(portfolio["expected_return"].get<double>(), expected, 1e-12);
    EXPECT_NEAR(portfolio["volatility"].get<double>(), std::sqrt(variance), 1e-12);
  }
  EXPECT_THAT(run_tool("estimate" + early + "--returns log --expected geometric").err,
              HasSubstr("this method is for simple returns; the returns are log"));
}

TEST(EstimateCommand, BadInputIsNamed) {
  const auto complaint = [](const std::string& options) {
    const auto said = run_tool("estimate" + early + options);
    EXPECT_EQ(said.code, 1) << options;
    return said.err;
  };
  EXPECT_THAT(complaint("--covariance nonliner"), HasSubstr("Did you mean 'nonlinear'?"));
  EXPECT_THAT(complaint("--expected exponential:0"), HasSubstr("'0' is not a positive number. Give a half-life"));
  EXPECT_THAT(complaint("--expected views"), HasSubstr("views: there are none"));
  EXPECT_THAT(complaint("--own KELPFRM=3%"), HasSubstr("Did you mean 'KELPFARM'?"));
  EXPECT_THAT(complaint("--own KELPFARM=3"), HasSubstr("'3' has no % sign"));
  EXPECT_THAT(complaint("--from 2021-06-01 --every 1y"), HasSubstr("too few"));
  EXPECT_THAT(run_tool("frontier" + early + "--from 2022-01-01").err, HasSubstr("the sample covariance is singular"));
  const Folder folder;
  const auto contradicting = folder.write("m.toml", "[universe]\nprices = \"" + demo + "/prices\"\nassets = " +
                                                        "[\"KELPFARM\", \"TIDEMILL\"]\n[estimate]\n" +
                                                        "own = { KELPFARM = \"9%\" }\ncaps = { KELPFARM = \"5%\" }\n");
  EXPECT_THAT(run_tool("estimate --mandate " + contradicting.string()).err,
              HasSubstr("its own figure 9% is above its cap 5%"));
  const auto empty = folder.write("p.csv", "date,A,B\n2024-01-31,1,\n2024-02-29,2,\n2024-03-29,3,\n");
  const auto nothing = run_tool("estimate --prices " + empty.string());
  EXPECT_EQ(nothing.code, 1);
  EXPECT_THAT(nothing.err, AllOf(HasSubstr("p.csv"), HasSubstr("B")));
  const auto market =
      run_tool("estimate --prices " + demo + "/prices --assets KELPFARM,TIDEMILL --expected market-model");
  EXPECT_THAT(market.err, HasSubstr("market-model: there is no benchmark. Name one (--benchmark)"));
  EXPECT_EQ(run_tool("estimate" + early + "--denominator whole").code, 2);
}

TEST(Methods, ChangeTheWeightsOfTheCommandsThatFollow) {
  const auto weights = [](const std::string& methods) {
    return result_of("weigh" + early + "--aim minimum-variance --no-limits " + methods)["portfolios"][0]["weights"];
  };
  EXPECT_NE(weights(""), weights("--covariance scaled-identity"));
  const auto sharpe = [](const std::string& methods) {
    return result_of("weigh" + early + "--aim maximum-sharpe " + methods)["portfolios"][0]["weights"];
  };
  // An own figure of 40% makes an asset worth its whole limit of 15%.
  EXPECT_NEAR(sharpe("--own OYSTERCO=40%")["OYSTERCO"].get<double>(), 0.15, 1e-9);
  EXPECT_EQ(sharpe("").value("OYSTERCO", 0.0), 0);
}

}  // namespace
}  // namespace inchtide::test

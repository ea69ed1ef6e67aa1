// `relate` as a process.

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>
#include <random>
#include <sstream>

#include "inchtide/base/day.hpp"
#include "support/tool.hpp"

namespace inchtide::test {
namespace {

using nlohmann::json;
using testing::AllOf;
using testing::HasSubstr;

TEST(Relate, GivesTheWholeMatrixThatTheEstimateImplies) {
  const auto result = result_of("relate" + mandate);
  const auto estimate = result_of("estimate" + mandate + "--draws 0");
  ASSERT_EQ(result["assets"], estimate["assets"]);
  const auto& s = estimate["covariance"];
  double sum = 0;
  const auto n = result["assets"].size();
  for (std::size_t i = 0; i < n; ++i) {
    EXPECT_EQ(result["correlation"][i][i], 1);
    for (std::size_t j = 0; j < n; ++j) {
      const double r = s[i][j].get<double>() / std::sqrt(s[i][i].get<double>() * s[j][j].get<double>());
      EXPECT_NEAR(result["correlation"][i][j].get<double>(), r, 1e-9);
      EXPECT_EQ(result["correlation"][i][j], result["correlation"][j][i]);
      EXPECT_NEAR(result["covariance"][i][j].get<double>(), s[i][j].get<double>(), 1e-15);
      sum += i != j ? result["correlation"][i][j].get<double>() : 0;
    }
  }
  EXPECT_NEAR(result["average_correlation"].get<double>(), sum / double(n * (n - 1)), 1e-12);
  EXPECT_EQ(result["market_model"].size(), n);
  const auto population = result_of("relate" + mandate + "--denominator population");
  const double t = result["observations"];
  EXPECT_NEAR(population["covariance"][1][2].get<double>(), s[1][2].get<double>() * (t - 1) / t, 1e-15);
}

TEST(Relate, ShowsAveragesWindowsAndTheMarketModel) {
  const Folder folder;
  const auto said =
      run_tool("relate" + mandate + "--windows 4y,2y --order cluster --figure heat-2y:" + (folder / "h.svg").string());
  EXPECT_EQ(said.code, 0) << said.err;
  EXPECT_THAT(said.out, AllOf(HasSubstr("Average correlations"), HasSubstr("within sector power"), HasSubstr("last 2y"),
                              HasSubstr("Against HOLLIN40"), HasSubstr("Principal components")));
  EXPECT_THAT(said.out, HasSubstr("Pairs that changed most"));
  EXPECT_THAT(text_of(folder / "h.svg"), AllOf(HasSubstr("Correlations, last 2y"), HasSubstr("KELPFARM")));
  const auto given = result_of("relate" + mandate), clustered = result_of("relate" + mandate + "--order cluster");
  EXPECT_NE(given["assets"], clustered["assets"]);
  EXPECT_NEAR(given["average_correlation"].get<double>(), clustered["average_correlation"].get<double>(), 1e-12);
}

TEST(Relate, WritesChangesAndLoadingsThatAddUp) {
  const Folder folder;
  const auto result = result_of("relate" + mandate + "--windows 2y --csv " + folder.path().string());
  const auto rows_of = [&](const char* file) {
    std::vector<std::vector<std::string>> rows;
    std::istringstream lines(text_of(folder / file));
    for (std::string line; std::getline(lines, line);) {
      auto& cells = rows.emplace_back();
      std::istringstream words(line);
      for (std::string cell; std::getline(words, cell, ',');) cells.push_back(cell);
    }
    return rows;
  };
  const auto changes = rows_of("changes.csv");
  ASSERT_EQ(changes.size(), 11u);
  const auto& names = result["assets"];
  const auto place = [&](const std::string& code) {
    return std::size_t(std::ranges::find(names, json(code)) - names.begin());
  };
  double largest = 0;
  for (std::size_t i = 0; i < names.size(); ++i) {
    for (std::size_t j = 0; j < i; ++j) {
      largest = std::max(largest, std::abs(result["windows"][0]["correlation"][i][j].get<double>() -
                                           result["correlation"][i][j].get<double>()));
    }
  }
  EXPECT_NEAR(std::abs(std::stod(changes[1][4])), largest, 1e-12);
  const auto whole = result["correlation"][place(changes[1][0])][place(changes[1][1])].get<double>();
  EXPECT_NEAR(std::stod(changes[1][2]), whole, 1e-12);
  const auto loadings = rows_of("loadings.csv");
  double length = 0;
  for (std::size_t i = 1; i < loadings.size(); ++i) length += std::pow(std::stod(loadings[i][1]), 2);
  EXPECT_NEAR(length, 1, 1e-12);
}

TEST(Relate, AWindowIsTheSameAsLookingAtThatSpanAlone) {
  const auto beside = result_of("relate" + mandate + "--windows 2y")["windows"][0];
  const auto alone = result_of("relate" + mandate + "--last 2y");
  EXPECT_EQ(beside["correlation"], alone["correlation"]);
  EXPECT_EQ(beside["observations"], alone["observations"]);
  // Back from the last day that is looked at: the month ends of December 2023 (the 29th) to December 2024.
  const auto ended = result_of("relate" + mandate + "--to 2024-12-31 --windows 53w")["windows"][0];
  EXPECT_EQ(ended["observations"], 12);
  EXPECT_THAT(run_tool("relate" + mandate + "--windows 20y").err, HasSubstr("reaches before 2020-02-03"));
}

// Correlation of two columns of a CSV of returns, by the definition.
double correlation_of(const std::vector<double>& a, const std::vector<double>& b) {
  const auto n = double(a.size());
  long double ma = 0, mb = 0, aa = 0, bb = 0, ab = 0;
  for (std::size_t t = 0; t < a.size(); ++t) ma += a[t] / n, mb += b[t] / n;
  for (std::size_t t = 0; t < a.size(); ++t) {
    aa += (a[t] - ma) * (a[t] - ma), bb += (b[t] - mb) * (b[t] - mb), ab += (a[t] - ma) * (b[t] - mb);
  }
  return double(ab / std::sqrt(aa * bb));
}

TEST(Relate, PicksTheLeastRelatedAssets) {
  const auto result = result_of("relate" + mandate + "--pick 3");
  const auto& picked = result["least_related"];
  EXPECT_TRUE(picked["proven"]);
  const auto n = result["assets"].size();
  double least = 1e300;
  std::vector<std::string> best;
  for (std::size_t a = 0; a < n; ++a) {
    for (std::size_t b = a + 1; b < n; ++b) {
      for (std::size_t c = b + 1; c < n; ++c) {
        const auto& r = result["correlation"];
        const double sum = r[a][b].get<double>() + r[a][c].get<double>() + r[b][c].get<double>();
        if (sum >= least) continue;
        least = sum;
        best = {result["assets"][a], result["assets"][b], result["assets"][c]};
      }
    }
  }
  EXPECT_EQ(picked["assets"], json(best));
  EXPECT_NEAR(picked["sum"].get<double>(), least, 1e-12);
  EXPECT_THAT(run_tool("relate" + mandate + "--pick 3 --pick-absolute").out,
              AllOf(HasSubstr("The 3 of 16 assets that are least related"), HasSubstr("Proven")));
}

TEST(Relate, FollowsPairsOverTimeTheBenchmarkToo) {
  const Folder folder;
  const auto result = result_of("relate" + mandate + "--rolling 2y --pair TIDEMILL:KELPFARM --pair tidemill:hollin40 " +
                                "--figure rolling:" + (folder / "r.svg").string());
  ASSERT_EQ(result["rolling"].size(), 2u);
  EXPECT_EQ(result["rolling"][0]["window"], 24);
  EXPECT_EQ(result["rolling"][1]["b"], "HOLLIN40");
  EXPECT_THAT(text_of(folder / "r.svg"), HasSubstr("TIDEMILL and KELPFARM"));
  // The last window is the last two years looked at alone.
  const auto alone = result_of("relate" + mandate + "--assets TIDEMILL,KELPFARM --from 2023-12-29");
  EXPECT_NEAR(result["rolling"][0]["correlation"].back().get<double>(), alone["correlation"][0][1].get<double>(),
              1e-12);
  EXPECT_LT(result["rolling"][0]["low"].back(), result["rolling"][0]["correlation"].back());
  const auto by_model =
      result_of("relate" + mandate + "--from 2023-12-29 --assets TIDEMILL,KELPFARM")["market_model"][1];
  EXPECT_NEAR(std::pow(result["rolling"][1]["correlation"].back().get<double>(), 2),
              by_model["r_squared"].get<double>(), 1e-12);
}

TEST(Relate, ShowsWhatLastedAndWhatSpreadingDoes) {
  const auto said = run_tool("relate" + mandate + "--split 2023-01-01 --draws 200");
  EXPECT_THAT(said.out, AllOf(HasSubstr("How much of it lasted"), HasSubstr("correlations of pairs"),
                              HasSubstr("Volatility of equal weights in n"), HasSubstr("with HOLLIN40"),
                              HasSubstr("Bootstrap: 90% of 200 draws")));
  const auto result = result_of("relate" + mandate + "--split 2023-01-01 --draws 200");
  const auto before = result_of("describe" + mandate + "--to 2022-12-31"),
             after = result_of("describe" + mandate + "--from 2022-12-30");
  const auto& assets = result["stability"]["assets"];
  for (std::size_t i = 0; i < assets.size(); ++i) {
    ASSERT_EQ(assets[i]["asset"], before["assets"][i]["asset"]);
    EXPECT_NEAR(assets[i]["mean_before"].get<double>(), before["assets"][i]["mean_arithmetic"].get<double>(), 1e-12);
    EXPECT_NEAR(assets[i]["volatility_after"].get<double>(), after["assets"][i]["volatility"].get<double>(), 1e-12);
  }
  // Equal weights in all of them: the root of the mean of the whole covariance matrix.
  const auto equal = result_of("weigh" + mandate + "--aim equal --no-limits")["portfolios"][0];
  EXPECT_NEAR(result["diversification"]["expected"].back().get<double>(), equal["volatility"].get<double>(), 1e-12);
  for (std::size_t i = 0; i < assets.size(); ++i) {
    for (std::size_t j = 0; j < i; ++j) {
      EXPECT_LT(result["bands"]["correlation_low"][i][j], result["correlation"][i][j]);
      EXPECT_GT(result["bands"]["correlation_high"][i][j], result["correlation"][i][j]);
    }
  }
}

TEST(Relate, PairByPairEveryReturnCounts) {
  const Folder folder;
  std::string text = "date,A,B,C\n";
  std::vector<double> a{100}, b{100}, c{100};
  std::mt19937 random(5);
  std::normal_distribution<double> normal(0, 0.02);
  for (int t = 0; t < 40; ++t) {
    if (t > 0) {
      const double common = normal(random);
      a.push_back(a.back() * (1 + common + normal(random)));
      b.push_back(b.back() * (1 + common + normal(random)));
      c.push_back(c.back() * (1 - common + normal(random)));
    }
    const auto cell = [](double price) { return fmt::format("{:.17g}", price); };
    text += fmt::format("2024-{:02}-{:02},{},{},{}\n", 1 + t / 28, 1 + t % 28, cell(a.back()),
                        t < 25 ? cell(b.back()) : "", t >= 15 ? cell(c.back()) : "");
  }
  const auto prices = folder.write("p.csv", text).string();
  const auto result = result_of("relate --every 1d --pairwise --prices " + prices);
  const auto returns = [](const std::vector<double>& p, std::size_t begin, std::size_t end) {
    std::vector<double> r;
    for (std::size_t t = begin + 1; t < end; ++t) r.push_back(p[t] / p[t - 1] - 1);
    return r;
  };
  EXPECT_NEAR(result["correlation"][0][1].get<double>(), correlation_of(returns(a, 0, 25), returns(b, 0, 25)), 1e-12);
  EXPECT_NEAR(result["correlation"][0][2].get<double>(), correlation_of(returns(a, 15, 40), returns(c, 15, 40)), 1e-12);
  EXPECT_NEAR(result["correlation"][1][2].get<double>(), correlation_of(returns(b, 15, 25), returns(c, 15, 25)), 1e-12);
  EXPECT_EQ(result["observations"], 9);
  EXPECT_THAT(run_tool("relate --every 1d --pairwise --prices " + prices).out,
              HasSubstr("pair by pair, 9 to 39 returns"));
}

TEST(Relate, WhatNeverMovesIsNamedAndTheRestGoesOn) {
  const Folder folder;
  std::string text = "date,A,B,STILL\n";
  for (int t = 0; t < 20; ++t) text += fmt::format("2024-01-{:02},{},{},5\n", t + 1, 100 + t * t % 7, 50 + t * t % 5);
  const auto command = "relate --every 1d --prices " + folder.write("p.csv", text).string();
  const auto said = run_tool(command);
  EXPECT_EQ(said.code, 0) << said.err;
  EXPECT_THAT(said.err, HasSubstr("STILL never moves"));
  EXPECT_EQ(result_of(command)["correlation"][0][2], nullptr);
  EXPECT_EQ(result_of(command)["correlation"][2][2], 1);
  EXPECT_THAT(run_tool(command + " --pick 2").err, HasSubstr("least related: STILL never moves"));
  EXPECT_THAT(run_tool(command + " --order cluster").err, HasSubstr("STILL: it never moves"));
  EXPECT_THAT(run_tool("describe --every 1d --prices " + (folder / "p.csv").string()).err,
              HasSubstr("STILL: all its returns are the same"));
  EXPECT_THAT(run_tool("estimate --every 1d --draws 0 --prices " + (folder / "p.csv").string()).out,
              HasSubstr("STILL never moves over these returns, and counts as riskless"));
}

TEST(Relate, BadInputIsNamed) {
  const auto complaint = [](const std::string& options) {
    const auto said = run_tool("relate" + mandate + options);
    EXPECT_EQ(said.code, 1) << options;
    return said.err;
  };
  EXPECT_THAT(complaint("--pick 17"), HasSubstr("least related: 17 of 16 assets. Give a number from 1 to 16 (--pick)"));
  EXPECT_THAT(complaint("--pick 0"), HasSubstr("0 of 16 assets"));
  EXPECT_THAT(complaint("--split soon"), HasSubstr("--split"));
  const auto alone = run_tool("relate" + mandate + "--pair TIDEMILL:KELPFARM");
  EXPECT_EQ(alone.code, 2);
  EXPECT_THAT(alone.err, HasSubstr("--pair: it does nothing without --rolling"));
  EXPECT_THAT(complaint("--rolling 3y --pair TIDEMILL"), HasSubstr("'TIDEMILL' names no second asset"));
  EXPECT_THAT(complaint("--rolling 3y --pair TIDEMILL:KELPFRM"), HasSubstr("Did you mean 'KELPFARM'?"));
  EXPECT_THAT(complaint("--rolling 3y --pair TIDEMILL:tidemill"), HasSubstr("'TIDEMILL:tidemill' is one asset"));
  EXPECT_THAT(complaint("--rolling 9y"), HasSubstr("a window of 108 periods is longer than the 70 there are"));
  EXPECT_THAT(run_tool("relate" + mandate + "--split 2030-01-01").err,
              HasSubstr("Left out: stability: 70 returns before and 0 after are too few"));
  EXPECT_THAT(run_tool("relate" + mandate + "--last 30y").err, HasSubstr("The last 30y reach before 2020-02-03"));
  EXPECT_THAT(run_tool("relate" + mandate + "--assets TIDEMILL,KELPFARM,HOLLIN40").err,
              HasSubstr("HOLLIN40 is the benchmark and is compared with"));

  EXPECT_THAT(run_tool("relate" + mandate + "--order sektor").err, HasSubstr("Did you mean 'sector'?"));
  EXPECT_THAT(run_tool("relate" + mandate + "--by sektor").err, HasSubstr("Did you mean 'sector'?"));
  EXPECT_THAT(run_tool("relate" + mandate + "--windows lots").err, HasSubstr("'lots' is not an interval"));
  const auto one = run_tool("relate --prices " + demo + "/prices --assets KELPFARM");
  EXPECT_EQ(one.code, 1);
  EXPECT_THAT(one.err, HasSubstr("there is no pair of assets"));
}

TEST(Relate, SeveralIntervalsStandSideBySideAndEachIsTheOneAlone) {
  const auto several = result_of("relate --every 1m,1w,1d --pick 4" + mandate);
  ASSERT_EQ(several["intervals"].size(), 3u);
  std::vector<json> matrices;
  for (const auto& at : several["intervals"]) {
    const auto alone = result_of("relate --pick 4 --every " + at["every"].get<std::string>() + mandate);
    EXPECT_EQ(at["correlation"], alone["correlation"]) << at["every"];
    EXPECT_EQ(at["averages"], alone["averages"]);
    EXPECT_EQ(at["observations"], alone["observations"]);
    EXPECT_EQ(at["least_related"]["assets"], alone["least_related"]["assets"]);
    matrices.push_back(at["correlation"]);
  }
  EXPECT_NE(matrices[0], matrices[1]);
  EXPECT_NE(matrices[1], matrices[2]);
  EXPECT_EQ(several["correlation"], matrices[0]) << "the first is the study's own";
  const auto said = run_tool("relate --every 1d,1w" + mandate);
  EXPECT_THAT(said.out, AllOf(HasSubstr("daily  weekly"), HasSubstr("Pairs that differ most"),
                              HasSubstr("5 least related of weekly")));
}

TEST(Relate, IntervalsThatAreNoneAreNamed) {
  EXPECT_THAT(run_tool("relate --every 1d,1d" + mandate).err, HasSubstr("1d is there twice"));
  EXPECT_THAT(run_tool("relate --windows 2y,1y,2y" + mandate).err, HasSubstr("windows: 2y is there twice"));
  EXPECT_THAT(run_tool("relate --every 1d,soon" + mandate).err, HasSubstr("'soon' is not an interval"));
  EXPECT_EQ(run_tool("describe --every 1d,1w" + mandate).code, 1);
  // One that the history is too short for is left out, and said.
  const Folder folder;
  std::string weekly = "date,close\n", daily = weekly;
  for (int k = 0; k < 60; ++k) {
    const auto day = to_string(std::chrono::sys_days(std::chrono::year{2023} / 1 / 2) + std::chrono::days{k * 7});
    weekly += day + "," + std::to_string(50 + (k * 7) % 11) + "\n";
    daily += day + "," + std::to_string(20 + (k * 5) % 7) + "\n";
  }
  folder.write("p/A.csv", weekly);
  folder.write("p/B.csv", daily);
  const auto said = run_tool("relate --every 1w,1y --prices " + (folder / "p").string());
  EXPECT_EQ(said.code, 0) << said.err;
  EXPECT_THAT(said.err, HasSubstr("Left out"));
}

}  // namespace
}  // namespace inchtide::test

// The examples, run as a reader would, against figures worked out here from the files alone.

#include <Eigen/Core>
#include <cmath>
#include <functional>
#include <map>
#include <nlohmann/json.hpp>
#include <sstream>
#include <tuple>

#include "support/linear.hpp"
#include "support/process.hpp"

namespace inchtide::test {
namespace {

const std::string prices_folder = std::string(INCHTIDE_SOURCE) + "/demo/prices";

std::map<std::string, double> adjusted_closes(const std::string& asset) {
  std::istringstream file(text_of(prices_folder + "/" + asset + ".csv"));
  std::string line;
  std::map<std::string, double> prices;
  std::getline(file, line);
  while (std::getline(file, line)) {
    const auto end = line.rfind(','), begin = line.rfind(',', end - 1);
    prices[line.substr(0, 10)] = std::stod(line.substr(begin + 1, end - begin - 1));
  }
  return prices;
}

// The words of each line that an example printed.
std::map<std::string, std::vector<double>> figures_in(const std::string& text) {
  std::map<std::string, std::vector<double>> figures;
  std::istringstream lines(text);
  for (std::string line; std::getline(lines, line);) {
    std::istringstream words(line);
    std::string name;
    words >> name;
    for (double x; words >> x;) figures[name].push_back(x);
  }
  return figures;
}

// Simple returns from month's end to month's end, an asset a column.
Eigen::MatrixXd monthly_returns(const std::vector<std::string>& assets) {
  Eigen::MatrixXd returns(95, Eigen::Index(assets.size()));
  for (std::size_t i = 0; i < assets.size(); ++i) {
    std::map<std::string, double> months;  // the last price of each
    for (const auto& [day, price] : adjusted_closes(assets[i])) months[day.substr(0, 7)] = price;
    EXPECT_EQ(months.size(), 96u);
    int t = -1;
    double before = 0;
    for (const auto& [month, price] : months) {
      if (t >= 0) returns(t, Eigen::Index(i)) = price / before - 1;
      before = price;
      ++t;
    }
  }
  return returns;
}

TEST(ExampleFrontier, PrintsTheOptimaOfItsOwnEstimate) {
  const auto said = run(std::string(INCHTIDE_BIN) + "/example-frontier " + prices_folder);
  ASSERT_EQ(said.code, 0) << said.err;
  const std::vector<std::string> assets = {"TIDEMILL", "KELPFARM", "HOLLBOND", "AMBERFND"};
  const Eigen::MatrixXd returns = monthly_returns(assets);
  const Eigen::RowVectorXd mean = returns.colwise().mean();
  const Eigen::MatrixXd centred = returns.rowwise() - mean;
  const Eigen::MatrixXd covariance = 12.0 / 94 * product(centred.transpose(), centred);
  const Eigen::VectorXd m = 12 * mean.transpose();

  const auto figures = figures_in(said.out);
  Eigen::VectorXd least(4), best(4);
  for (int i = 0; i < 4; ++i) {
    const auto& row = figures.at(assets[std::size_t(i)]);
    least[i] = row[0];
    best[i] = row[1];
  }
  EXPECT_NEAR(figures.at("volatility")[0], std::sqrt(least.dot(covariance * least)), 2e-6);
  EXPECT_NEAR(figures.at("return")[1], m.dot(best), 2e-6);
  // No portfolio of a grid of 2% steps within the limits does better.
  const double variance = least.dot(covariance * least),
               sharpe = (m.dot(best) - 0.02) / std::sqrt(best.dot(covariance * best));
  for (int a = 0; a <= 25; ++a) {
    for (int b = 0; b <= 25; ++b) {
      for (int c = 5; c <= 25; ++c) {
        const int d = 50 - a - b - c;
        if (d < 0 || d > 25) continue;
        const Eigen::Vector4d w = Eigen::Vector4d(a, b, c, d) / 50;
        const double v = w.dot(covariance * w);
        ASSERT_GE(v, variance - 1e-8);
        ASSERT_LE((m.dot(w) - 0.02) / std::sqrt(v), sharpe + 1e-5);
      }
    }
  }
  EXPECT_NEAR(least.sum(), 1, 3e-6);
  EXPECT_LE(least.maxCoeff(), 0.5 + 1e-6);
  EXPECT_GE(best[2], 0.1 - 1e-6);
}

TEST(ExamplePositions, NoFewPositionsWithSoLittleTradingHaveLessRisk) {
  const auto said = run(std::string(INCHTIDE_BIN) + "/example-positions " + prices_folder);
  ASSERT_EQ(said.code, 0) << said.err;
  EXPECT_THAT(said.err, testing::HasSubstr("Proven"));
  const std::vector<std::string> assets = {"TIDEMILL", "KELPFARM", "HOLLBOND", "AMBERFND", "HARBREIT", "BILLFUND"};
  const Eigen::MatrixXd returns = monthly_returns(assets);
  const Eigen::MatrixXd centred = returns.rowwise() - returns.colwise().mean();
  const Eigen::MatrixXd covariance = 12.0 / 94 * product(centred.transpose(), centred);
  const auto turnover_of = [](const Eigen::VectorXd& w) { return (w.array() - 1.0 / 6).abs().sum() / 2; };

  const auto figures = figures_in(said.out);
  Eigen::VectorXd chosen = Eigen::VectorXd::Zero(6);
  int held = 0;
  for (std::size_t i = 0; i < assets.size(); ++i) {
    if (!figures.contains(assets[i])) continue;
    chosen[Eigen::Index(i)] = figures.at(assets[i])[0];
    EXPECT_GE(chosen[Eigen::Index(i)], 0.05 - 1e-6);
    ++held;
  }
  EXPECT_LE(held, 4);
  EXPECT_NEAR(chosen.sum(), 1, 3e-6);
  EXPECT_LE(turnover_of(chosen), 0.35 + 3e-6);
  EXPECT_NEAR(figures.at("turnover")[0], turnover_of(chosen), 3e-6);
  EXPECT_NEAR(figures.at("volatility")[0], std::sqrt(chosen.dot(covariance * chosen)), 3e-6);
  // Every choice in steps of 2.5%: at most 40%, none below 5%, at most four held.
  int tried = 0;
  Eigen::Matrix<double, 6, 1> w;
  const std::function<void(int, int, int)> fill = [&](int asset, int rest, int positions) {
    if (asset == 5) {
      if (rest > 16 || rest == 1 || (rest > 0 && positions == 4)) return;
      w[5] = rest / 40.0;
      if (turnover_of(w) > 0.35 + 1e-9) return;
      ++tried;
      ASSERT_GE(std::sqrt(w.dot(covariance * w)), figures.at("volatility")[0] - 3e-6);
      return;
    }
    for (int steps = 0; steps <= std::min(16, rest); ++steps) {
      if (steps == 1 || (steps > 0 && positions == 4)) continue;
      w[asset] = steps / 40.0;
      fill(asset + 1, rest - steps, positions + (steps > 0 ? 1 : 0));
    }
  };
  fill(0, 40, 0);
  EXPECT_GT(tried, 1000);
}

TEST(ExampleRehearsal, HoldingOnAgreesWithPriceRelatives) {
  const auto said = run(std::string(INCHTIDE_BIN) + "/example-rehearsal " + prices_folder);
  ASSERT_EQ(said.code, 0) << said.err;
  const auto figures = figures_in(said.out);
  const auto ferry = adjusted_closes("FERRYLNK"), bond = adjusted_closes("HOLLBOND");
  // Decided on 2022-12-30, bought on the next day with prices, at 15 bp.
  const auto bought = ferry.upper_bound("2022-12-30")->first;
  const double after = 100'000 / 1.0015;
  const double end =
      after * (0.6 * ferry.at("2025-12-31") / ferry.at(bought) + 0.4 * bond.at("2025-12-31") / bond.at(bought));
  EXPECT_NEAR(figures.at("never")[0], end, 2e-4);
  EXPECT_NEAR(figures.at("never")[1], 100'000 - after, 2e-4);
  EXPECT_NEAR(figures.at("never")[2], std::pow(end / 100'000, 365.25 / 1094) - 1, 2e-6);
  EXPECT_EQ(figures.at("never")[3], 2);
  // 35 month ends lie strictly between the first day and the last; each trades both assets on the day after.
  EXPECT_EQ(figures.at("1m")[3], 2 * 36);
  EXPECT_EQ(figures.at("1q")[3], 2 * 12);
  EXPECT_EQ(figures.at("1y")[3], 2 * 3);
  EXPECT_GT(figures.at("1m")[1], figures.at("1q")[1]);
}

// What a study's example printed: by run, its last wealth, costs and orders.
std::map<std::string, std::vector<double>> runs_in(const std::string& text) {
  std::map<std::string, std::vector<double>> runs;
  std::istringstream lines(text);
  for (std::string line; std::getline(lines, line);) {
    auto name = line.substr(0, 40);
    name.erase(name.find_last_not_of(' ') + 1);
    std::istringstream figures(line.substr(40));
    for (double x; figures >> x;) runs[name].push_back(x);
  }
  return runs;
}

TEST(ExampleStudy, IsWhatTheToolRehearses) {
  for (const char* file : {"/demo/mandate.toml", "/demo/whole-units.toml"}) {
    const auto mandate = INCHTIDE_SOURCE + std::string(file);
    const auto said = run(std::string(INCHTIDE_BIN) + "/example-study " + mandate);
    ASSERT_EQ(said.code, 0) << said.err;
    const auto runs = runs_in(said.out);
    const auto tool = run(std::string(INCHTIDE_BIN) + "/inchtide rehearse --mandate " + mandate + " --json -");
    const auto expected = nlohmann::json::parse(tool.out)["result"]["runs"];
    ASSERT_EQ(runs.size(), expected.size());
    for (const auto& one : expected) {
      const auto& figures = runs.at(one["name"]);
      EXPECT_NEAR(figures[0], one["net"].back().get<double>(), 1e-7);
      EXPECT_NEAR(figures[1], one["costs_paid"].get<double>(), 1e-3);
      EXPECT_EQ(figures[2], one["order_count"].get<double>());
    }
  }
}

TEST(ExampleGrid, IsWhatTheToolRehearses) {
  const auto mandate = std::string(INCHTIDE_SOURCE) + "/demo/mandate.toml";
  const auto said = run(std::string(INCHTIDE_BIN) + "/example-grid " + mandate);
  ASSERT_EQ(said.code, 0) << said.err;
  const auto words = " --mandate " + mandate + " --aim equal --json - ";
  const auto grid = run(std::string(INCHTIDE_BIN) + "/inchtide rehearse --baseline 1y --grid schedule=never,1m,1q,1y " +
                        "--grid cost-level=0,1,4 --grid estimator=sample --grid window=all --grid delay=1" + words);
  ASSERT_EQ(grid.code, 0) << grid.err;
  const auto result = nlohmann::json::parse(grid.out)["result"];
  const auto figures = figures_in(said.out);
  EXPECT_NEAR(figures.at("luck")[0], result["luck"]["p_value"].get<double>(), 1e-6);
  for (const auto& row : result["levels"]["rows"]) {
    const auto& printed = figures.at(row[0].get<std::string>());
    ASSERT_EQ(printed.size(), 6u) << said.out;  // level, growth, level, ...
    EXPECT_NEAR(printed[1], row[1].get<double>(), 1e-6);
    EXPECT_NEAR(printed[3], row[2].get<double>(), 1e-6);
    EXPECT_NEAR(printed[5], row[3].get<double>(), 1e-6);
  }
  const auto futures =
      run(std::string(INCHTIDE_BIN) + "/inchtide rehearse --schedule 1q --futures 50 --draws 0" + words);
  const auto growth = nlohmann::json::parse(futures.out)["result"]["futures"]["runs"][0]["growth_per_year"];
  EXPECT_NEAR(figures.at("futures")[0], growth["0.05"].get<double>(), 1e-6);
  EXPECT_NEAR(figures.at("futures")[2], growth["0.95"].get<double>(), 1e-6);
}

TEST(ExampleStudyWithoutFiles, HoldingEqualWeightsEndsAtTheMeanPriceRelative) {
  const auto said = run(std::string(INCHTIDE_BIN) + "/example-study-without-files");
  ASSERT_EQ(said.code, 0) << said.err;
  const auto runs = runs_in(said.out);
  ASSERT_EQ(runs.size(), 8u);
  // Bought on Monday 2024-01-01, weekday 520 from 2022-01-03 on, at 10 bp; the last is weekday 781, 2024-12-31.
  double relatives = 0;
  for (auto [climb, wave, pace] : {std::tuple{0.08, 0.10, 0.05}, {0.12, 0.15, 0.031}, {0.03, 0.02, 0.09}}) {
    const auto log_price = [&, climb = climb, wave = wave, pace = pace](double t) {
      return climb * t / 252 + wave * std::sin(pace * t);
    };
    relatives += std::exp(log_price(781) - log_price(520)) / 3;
  }
  EXPECT_NEAR(runs.at("equal, never")[0], 1'000'000 / 1.001 * relatives, 0.006);
  EXPECT_NEAR(runs.at("equal, never")[1], 1'000'000 - 1'000'000 / 1.001, 0.006);
}

TEST(Examples, FailWithAMessageWithoutTheirData) {
  for (const char* name : {"/example-frontier", "/example-positions", "/example-rehearsal", "/example-study"}) {
    const auto said = run(INCHTIDE_BIN + std::string(name) + " /nowhere");
    EXPECT_EQ(said.code, 1);
    EXPECT_THAT(said.err, testing::HasSubstr("there is no such file"));
  }
}

}  // namespace
}  // namespace inchtide::test

// The examples, run as a reader would, against figures worked out here from the files alone.

#include <Eigen/Core>
#include <cmath>
#include <map>
#include <sstream>

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

TEST(ExampleFrontier, PrintsTheOptimaOfItsOwnEstimate) {
  const auto said = run(std::string(INCHTIDE_BIN) + "/example-frontier " + prices_folder);
  ASSERT_EQ(said.code, 0) << said.err;
  const std::vector<std::string> assets = {"TIDEMILL", "KELPFARM", "HOLLBOND", "AMBERFND"};
  std::vector<std::map<std::string, double>> ends;  // the last price of each month
  for (const auto& asset : assets) {
    auto& months = ends.emplace_back();
    for (const auto& [day, price] : adjusted_closes(asset)) months[day.substr(0, 7)] = price;
  }
  ASSERT_EQ(ends[0].size(), 96u);
  Eigen::MatrixXd returns(95, 4);
  for (int i = 0; i < 4; ++i) {
    int t = -1;
    double before = 0;
    for (const auto& [month, price] : ends[std::size_t(i)]) {
      if (t >= 0) returns(t, i) = price / before - 1;
      before = price;
      ++t;
    }
  }
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
  EXPECT_NEAR(figures.at("never")[2], std::pow(end / 100'000, 365.25 / 1097) - 1, 2e-6);
  EXPECT_EQ(figures.at("never")[3], 2);
  // 35 month ends lie strictly between the first day and the last; each trades both assets on the day after.
  EXPECT_EQ(figures.at("1m")[3], 2 * 36);
  EXPECT_EQ(figures.at("1q")[3], 2 * 12);
  EXPECT_EQ(figures.at("1y")[3], 2 * 3);
  EXPECT_GT(figures.at("1m")[1], figures.at("1q")[1]);
}

TEST(Examples, FailWithAMessageWithoutTheirData) {
  for (const char* name : {"/example-frontier", "/example-rehearsal"}) {
    const auto said = run(INCHTIDE_BIN + std::string(name) + " /nowhere");
    EXPECT_EQ(said.code, 1);
    EXPECT_THAT(said.err, testing::HasSubstr("there is no such file"));
  }
}

}  // namespace
}  // namespace inchtide::test

#include "inchtide/prices/overlays.hpp"

#include <cmath>
#include <random>

#include "support/messages.hpp"

namespace inchtide {
namespace {

using testing::HasSubstr;

std::vector<double> walk(std::size_t rows, unsigned seed) {
  std::mt19937_64 random(seed);
  std::normal_distribution<double> normal;
  std::vector<double> prices{50};
  while (prices.size() < rows) prices.push_back(prices.back() * std::exp(0.01 * normal(random)));
  return prices;
}

std::size_t rows_without(const std::vector<double>& values) {
  std::size_t rows = 0;
  while (rows < values.size() && std::isnan(values[rows])) ++rows;
  return rows;
}

TEST(MovingAverage, OfAStraightLineLagsHalfItsLength) {
  std::vector<double> line;
  for (int t = 0; t < 40; ++t) line.push_back(3 + 2 * t);
  const auto mean = moving_average(line, 7);
  EXPECT_EQ(rows_without(mean), 6u);
  for (std::size_t t = 6; t < 40; ++t) EXPECT_NEAR(mean[t], line[t] - 2 * 3, 1e-12);
}

TEST(ExponentialAverage, IsTheWeightedSumOfAllThatWentBefore) {
  const auto x = walk(120, 1);
  const int k = 10;
  const auto average = exponential_average(x, k);
  EXPECT_EQ(rows_without(average), std::size_t(k - 1));
  // e_T = (1-a)^(T-s) e_s + a sum_j (1-a)^j x_{T-j}, summed directly in long double.
  const long double a = 2.0L / (k + 1);
  long double start = 0;
  for (int t = 0; t < k; ++t) start += x[std::size_t(t)] / static_cast<long double>(k);
  for (std::size_t t : {std::size_t(9), std::size_t(10), std::size_t(60), std::size_t(119)}) {
    long double sum = std::pow(1 - a, static_cast<long double>(t - 9)) * start;
    for (std::size_t j = 0; j + 9 < t; ++j) sum += a * std::pow(1 - a, static_cast<long double>(j)) * x[t - j];
    EXPECT_NEAR(average[t], double(sum), 1e-12 * double(sum));
  }
}

TEST(Bands, LieKDeviationsFromTheMean) {
  // Of 1, 2, 3, 4, 5 the mean is 3 and the variance with denominator 5 is 2.
  const auto bands = deviation_bands({1, 2, 3, 4, 5}, 5, 2);
  EXPECT_EQ(rows_without(bands.upper), 4u);
  EXPECT_DOUBLE_EQ(bands.middle[4], 3);
  EXPECT_DOUBLE_EQ(bands.upper[4], 3 + 2 * std::sqrt(2.0));
  EXPECT_DOUBLE_EQ(bands.lower[4], 3 - 2 * std::sqrt(2.0));
}

TEST(Macd, IsTheDifferenceOfTwoAveragesAndItsOwnAverage) {
  const auto x = walk(200, 2);
  const auto macd = convergence_divergence(x, 12, 26, 9);
  const auto fast = exponential_average(x, 12), slow = exponential_average(x, 26);
  EXPECT_EQ(rows_without(macd.line), 25u);
  EXPECT_EQ(rows_without(macd.signal), 33u);
  double first = 0;
  for (std::size_t t = 25; t < 34; ++t) first += (fast[t] - slow[t]) / 9;
  EXPECT_NEAR(macd.signal[33], first, 1e-13);
  for (std::size_t t = 33; t < x.size(); ++t) {
    EXPECT_DOUBLE_EQ(macd.line[t], fast[t] - slow[t]);
    EXPECT_DOUBLE_EQ(macd.difference[t], macd.line[t] - macd.signal[t]);
  }
  // On a constant series all three are nothing.
  const auto flat = convergence_divergence(std::vector<double>(60, 5.0), 12, 26, 9);
  EXPECT_EQ(flat.difference.back(), 0);
}

TEST(Momentum, OfSteadyGrowthIsThatGrowthCompounded) {
  std::vector<double> x;
  for (int t = 0; t < 30; ++t) x.push_back(100 * std::pow(1.01, t));
  const auto m = momentum(x, 10);
  EXPECT_EQ(rows_without(m), 10u);
  EXPECT_NEAR(m[10], std::pow(1.01, 10) - 1, 1e-14);
  EXPECT_NEAR(m[29], std::pow(1.01, 10) - 1, 1e-14);
}

TEST(Stochastic, SaysWhereTheCloseLiesInTheRange) {
  const std::vector<double> high{5, 6, 9, 8}, low{1, 3, 4, 5}, close{2, 5, 9, 5};
  const auto s = stochastic(high, low, close, 3, 2);
  EXPECT_EQ(rows_without(s.position), 2u);
  EXPECT_DOUBLE_EQ(s.position[2], 1);              // at the high of 1..9
  EXPECT_DOUBLE_EQ(s.position[3], (5 - 3) / 6.0);  // range 3..9
  EXPECT_DOUBLE_EQ(s.smoothed[3], (1 + 2 / 6.0) / 2);
  EXPECT_TRUE(std::isnan(stochastic({1, 1}, {1, 1}, {1, 1}, 2, 1).position[1])) << "a range that is a point";
}

TEST(Overlays, AreReadAsTheyAreWritten) {
  EXPECT_EQ(Overlay::parse("macd", "").text(), "macd:12:26:9");
  EXPECT_EQ(Overlay::parse("Bands:10:1.5", "").text(), "bands:10:1.5");
  const auto complaint = [](const char* text) { return test::message_of([&] { Overlay::parse(text, "--overlay"); }); };
  EXPECT_THAT(complaint("smaa:3"), HasSubstr("--overlay: there is no overlay 'smaa'. Did you mean 'sma'?"));
  EXPECT_THAT(complaint("sma:2.5"), HasSubstr("'2.5' is not a whole number of rows. Write it like sma:20"));
  EXPECT_THAT(complaint("sma:0"), HasSubstr("not a whole number"));
  EXPECT_THAT(complaint("sma:3:4"), HasSubstr("too many figures"));
  EXPECT_THAT(complaint("macd:26:12:9"), HasSubstr("the first average is the faster"));
}

TEST(Overlays, NeedEnoughRowsAndTheRightFields) {
  BarHistory bars{"KELPFARM"};
  bars.days = {Day{}, Day{std::chrono::days{1}}};
  bars.of(PriceField::close) = {1, 2};
  EXPECT_THAT(test::message_of([&] { lines_of(Overlay::parse("sma:3", ""), bars, PriceField::close); }),
              HasSubstr("KELPFARM: sma:3 needs 3 rows, there are 2"));
  EXPECT_THAT(test::message_of([&] { lines_of(Overlay::parse("stochastic:1:1", ""), bars, PriceField::close); }),
              HasSubstr("a stochastic needs high, low and close"));
  // Nine rows: what takes them all is drawn, what takes one more isn't.
  bars.days.edit().clear();
  for (int t = 0; t < 9; ++t) bars.days.edit().push_back(Day{std::chrono::days{t}});
  for (auto field : {PriceField::close, PriceField::high, PriceField::low})
    bars.of(field) = {1, 3, 2, 5, 4, 6, 8, 7, 9};
  for (const auto& pair : {std::pair{"sma:9", "sma:10"},
                           {"macd:2:5:5", "macd:2:5:6"},
                           {"macd:2:6:4", "macd:2:6:5"},
                           {"momentum:8", "momentum:9"},
                           {"stochastic:5:5", "stochastic:5:6"},
                           {"stochastic:7:3", "stochastic:8:3"},
                           {"bands:9:2", "bands:10:2"}}) {
    EXPECT_NO_THROW(lines_of(Overlay::parse(pair.first, ""), bars, PriceField::close)) << pair.first;
    EXPECT_THAT(test::message_of([&] { lines_of(Overlay::parse(pair.second, ""), bars, PriceField::close); }),
                HasSubstr("needs 10 rows, there are 9"))
        << pair.second;
  }
  EXPECT_EQ(lines_of(Overlay::parse("bands:2:1", ""), bars, PriceField::close)[1].name, "bands 2 1 upper");
}

}  // namespace
}  // namespace inchtide

#include <cmath>
#include <random>

#include "inchtide/base/errors.hpp"
#include "inchtide/returns/figures.hpp"
#include "inchtide/returns/return_table.hpp"
#include "support/messages.hpp"

namespace inchtide {
namespace {

using std::chrono::days;

const Day start = *parse_day("2024-01-31");

PriceTable table_of(const Eigen::MatrixXd& prices) {
  PriceTable table;
  for (Eigen::Index i = 0; i < prices.rows(); ++i) table.days.push_back(start + days{30 * i});
  for (Eigen::Index j = 0; j < prices.cols(); ++j) table.assets.push_back({"A" + std::to_string(j + 1), "HLC"});
  table.prices = prices;
  return table;
}

TEST(Returns, AreSimpleAndDatedAtTheirEnd) {
  const auto returns = simple_returns(table_of(Eigen::Vector3d(100, 110, 99)), {1, Unit::month});
  EXPECT_NEAR(returns.returns(0, 0), 0.1, 1e-15);
  EXPECT_NEAR(returns.returns(1, 0), -0.1, 1e-15);
  EXPECT_EQ(returns.days.front(), start + days{30});
  EXPECT_EQ(returns.start, start);
  EXPECT_EQ(returns.periods_per_year, 12);
}

TEST(Returns, ASingleRowOrPriceIsNamed) {
  EXPECT_THROW(simple_returns(table_of(Eigen::VectorXd::Ones(1)), {1, Unit::month}), InputError);
  EXPECT_THAT(test::message_of([] {
                simple_returns(table_of(Eigen::Vector3d(NAN, NAN, 99)), {1, Unit::month});
              }),
              testing::HasSubstr("A1: 1 monthly price is too few for one return"));
}

TEST(Returns, AfterAHoleReachBackToTheLastPriceAndSayHowFar) {
  Eigen::MatrixXd prices(5, 3);
  prices << 100, 50, NAN,  //
      110, NAN, NAN,       //
      121, 55, 10,         //
      133.1, 60.5, 11,     //
      NAN, NAN, NAN;
  const auto returns = simple_returns(table_of(prices), {1, Unit::month});
  EXPECT_EQ(returns.spans, (Eigen::MatrixXi(4, 3) << 1, 0, 0, 1, 2, 0, 1, 1, 1, 0, 0, 0).finished());
  EXPECT_NEAR(returns.returns(1, 1), 0.1, 1e-15);
  EXPECT_TRUE(std::isnan(returns.returns(0, 1)));
  // Only the third period has returns that span the same days for all three.
  EXPECT_THAT(returns.common_rows(), testing::ElementsAre(2u));
}

TEST(Figures, LeaveOutReturnsThatSpanSeveralPeriodsAndCountThem) {
  Eigen::VectorXd prices(6);
  prices << NAN, 100, 110, NAN, 55, 66;
  const auto f = figures_of(simple_returns(table_of(prices), {1, Unit::month}), 0);
  EXPECT_EQ(f.observations, 2u);
  EXPECT_EQ(f.long_returns, 1u);
  EXPECT_NEAR(f.mean_arithmetic, 12 * (0.1 + 0.2) / 2, 1e-14);
  EXPECT_NEAR(f.worst, 0.1, 1e-15);
  EXPECT_EQ(f.best_day, start + days{150});
  // The fall over the hole is a fall all the same.
  EXPECT_NEAR(f.max_drawdown, -0.5, 1e-15);
  EXPECT_EQ(f.max_drawdown_from, start + days{60});
  EXPECT_EQ(f.max_drawdown_to, start + days{120});
}

TEST(Figures, ByHand) {
  // Returns +10%, -10%, +20%: mean 6.667%, deviations 3.333%, -16.667%, 13.333%, the squares of which sum to 0.0466667;
  // divided by T-1 = 2 that is 0.0233333. The product of the growths is 1.188, to the power p/T = 4.
  const auto f = figures_of(simple_returns(table_of(Eigen::Vector4d(100, 110, 99, 118.8)), {1, Unit::month}), 0);
  EXPECT_EQ(f.observations, 3u);
  EXPECT_NEAR(f.mean_arithmetic, 12 * 0.2 / 3, 1e-14);
  EXPECT_NEAR(f.variance, 12 * 0.02333333333333333, 1e-14);
  EXPECT_NEAR(f.volatility, std::sqrt(12 * 0.02333333333333333), 1e-14);
  EXPECT_NEAR(f.mean_geometric, std::pow(1.188, 4) - 1, 1e-13);
  EXPECT_NEAR(f.standard_error, 12 * std::sqrt(0.02333333333333333 / 3), 1e-14);
  EXPECT_NEAR(f.worst, -0.1, 1e-15);
  EXPECT_EQ(f.worst_day, start + days{60});
  EXPECT_NEAR(f.best, 0.2, 1e-15);
  EXPECT_NEAR(f.max_drawdown, -0.1, 1e-15);
  EXPECT_EQ(f.max_drawdown_from, start + days{30});
  EXPECT_EQ(f.max_drawdown_to, start + days{60});
}

TEST(Figures, MomentsAgreeWithLongDoubleOnFatTails) {
  std::mt19937_64 random(5);
  std::student_t_distribution<double> draw(4);
  Eigen::VectorXd prices(500);
  prices[0] = 100;
  for (Eigen::Index i = 1; i < prices.size(); ++i) prices[i] = prices[i - 1] * (1 + 0.01 * std::tanh(draw(random)));
  const auto returns = simple_returns(table_of(prices), {1, Unit::day});
  const auto f = figures_of(returns, 0);
  long double mean = 0, second = 0, third = 0, fourth = 0, count = 499;
  for (double r : returns.returns.col(0)) mean += r / count;
  for (double r : returns.returns.col(0)) {
    const long double d = r - mean;
    second += d * d / count;
    third += d * d * d / count;
    fourth += d * d * d * d / count;
  }
  EXPECT_NEAR(f.skewness, double(third / std::pow(second, 1.5L)), 1e-12);
  EXPECT_NEAR(f.excess_kurtosis, double(fourth / (second * second) - 3), 1e-12);
  EXPECT_NEAR(f.variance / double(252 * second * count / (count - 1)), 1, 1e-13);
}

TEST(Figures, AConstantSeriesHasNoSkewnessAndNoVolatility) {
  const auto f = figures_of(simple_returns(table_of(Eigen::Vector4d(50, 50, 50, 50)), {1, Unit::month}), 0);
  EXPECT_EQ(f.volatility, 0);
  EXPECT_EQ(f.skewness, 0);
  EXPECT_EQ(f.max_drawdown, 0);
}

TEST(Figures, OneReturnIsTooFew) {
  EXPECT_THROW(figures_of(simple_returns(table_of(Eigen::Vector2d(1, 2)), {1, Unit::month}), 0), InputError);
}

}  // namespace
}  // namespace inchtide

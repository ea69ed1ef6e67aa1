#include <cmath>
#include <random>

#include "inchtide/base/errors.hpp"
#include "inchtide/returns/figures.hpp"
#include "inchtide/returns/return_table.hpp"

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

TEST(Returns, AHoleOrASingleRowIsNamed) {
  EXPECT_THROW(simple_returns(table_of(Eigen::VectorXd::Ones(1)), {1, Unit::month}), InputError);
  try {
    simple_returns(table_of(Eigen::Vector3d(100, NAN, 99)), {1, Unit::month});
    FAIL();
  } catch (const InputError& error) {
    EXPECT_THAT(error.what(), testing::HasSubstr("A1: no price on 2024-03-01"));
  }
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

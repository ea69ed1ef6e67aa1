#include <cmath>
#include <random>

#include "inchtide/base/errors.hpp"
#include "inchtide/returns/figures.hpp"
#include "inchtide/returns/histogram.hpp"
#include "inchtide/returns/return_table.hpp"
#include "support/messages.hpp"

namespace inchtide {
namespace {

using std::chrono::days;

const Day start = *parse_day("2024-01-31");

// The ends of months from January 2024 on.
Day month_end(int months) {
  const auto first =
      std::chrono::year_month{std::chrono::year{2024}, std::chrono::January} + std::chrono::months{months};
  return Day{first / std::chrono::last};
}

PriceTable table_of(const Eigen::MatrixXd& prices) {
  PriceTable table;
  for (Eigen::Index i = 0; i < prices.rows(); ++i) table.days.push_back(month_end(int(i)));
  for (Eigen::Index j = 0; j < prices.cols(); ++j) table.assets.push_back({"A" + std::to_string(j + 1), "HLC"});
  table.prices = prices;
  return table;
}

TEST(Returns, AreSimpleAndDatedAtTheirEnd) {
  const auto returns = simple_returns(table_of(Eigen::Vector3d(100, 110, 99)), {1, Unit::month});
  EXPECT_NEAR(returns.returns(0, 0), 0.1, 1e-15);
  EXPECT_NEAR(returns.returns(1, 0), -0.1, 1e-15);
  EXPECT_EQ(returns.days.front(), month_end(1));
  EXPECT_EQ(returns.start, start);
  EXPECT_EQ(returns.periods_per_year, 12);
}

TEST(Denominators, AreReadAsTheyAreWritten) {
  EXPECT_EQ(denominator_named("T-1"), Denominator::sample);
  EXPECT_EQ(denominator_named("T"), Denominator::population);
  EXPECT_FALSE(denominator_named("N"));
}

TEST(Benchmark, HasAReturnARowFiniteOrMissing) {
  const auto returns = simple_returns(table_of(Eigen::Vector4d(100, 110, 99, 100)), {1, Unit::month});
  EXPECT_NO_THROW(check_benchmark(returns, Eigen::Vector3d(0.1, NAN, 0.2)));
  EXPECT_THROW(check_benchmark(returns, Eigen::Vector3d(0.1, INFINITY, 0.2)), InputError);
  EXPECT_THAT(test::message_of([&] { check_benchmark(returns, Eigen::Vector2d(0.1, 0.2)); }),
              testing::HasSubstr("benchmark: 2 returns for 3 rows"));
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

TEST(Figures, AReturnOverSeveralPeriodsCountsAsMany) {
  Eigen::VectorXd prices(6);
  prices << NAN, 100, 110, NAN, 55, 66;
  const auto f = figures_of(simple_returns(table_of(prices), {1, Unit::month}), 0);
  // +10%, -50% over two, +20%: K = 4, m = -0.2 / 4 = -0.05; left are 0.15, -0.4, 0.25, K - sum k^2 / K = 4 - 6/4.
  EXPECT_EQ(f.observations, 3u);
  EXPECT_EQ(f.long_returns, 1u);
  EXPECT_NEAR(f.mean_arithmetic, 12 * -0.05, 1e-14);
  EXPECT_NEAR(f.variance, 12 * (0.15 * 0.15 + 0.4 * 0.4 + 0.25 * 0.25) / 2.5, 1e-14);
  EXPECT_NEAR(f.standard_error, 12 * std::sqrt((0.15 * 0.15 + 0.4 * 0.4 + 0.25 * 0.25) / 2.5 / 4), 1e-14);
  EXPECT_NEAR(f.mean_geometric, std::pow(0.66, 12.0 / 4) - 1, 1e-14);
  EXPECT_NEAR(f.worst, -0.5, 1e-15) << "nothing is left out";
  EXPECT_EQ(f.best_day, month_end(5));
  EXPECT_NEAR(f.max_drawdown, -0.5, 1e-15);
  EXPECT_EQ(f.max_drawdown_from, month_end(2));
  EXPECT_EQ(f.max_drawdown_to, month_end(4));
  FigureOptions population;
  population.denominator = Denominator::population;
  EXPECT_NEAR(figures_of(simple_returns(table_of(prices), {1, Unit::month}), 0, population).variance,
              12 * (0.15 * 0.15 + 0.4 * 0.4 + 0.25 * 0.25) / 4, 1e-14);
}

TEST(Returns, SpansAreTheCalendarsWhetherOrNotAnybodyHasAPrice) {
  PriceTable table;
  table.days = {month_end(0), month_end(3), month_end(4)};  // nobody has one in February and March
  table.assets = {{"A", "HLC"}};
  table.prices = Eigen::Vector3d(100, 130, 143);
  const auto returns = simple_returns(table, {1, Unit::month});
  EXPECT_EQ(returns.spans, Eigen::Vector2i(3, 1));
  EXPECT_NEAR(figures_of(returns, 0).mean_arithmetic, 12 * 0.4 / 4, 1e-14);
  table.days[1] = month_end(0) + days{40};  // the 11th of March
  table.days[2] = table.days[1] + days{2};
  EXPECT_THAT(test::message_of([&] {
                simple_returns(table, {1, Unit::month});
              }),
              testing::HasSubstr("2024-03-11 and 2024-03-13 lie in one month"));
}

TEST(Returns, BetweenCommonEndsNothingIsLost) {
  Eigen::MatrixXd prices(6, 2);
  prices << 100, NAN,  //
      110, 50,         //
      121, NAN,        //
      133.1, NAN,      //
      120, 25,         //
      126, 30;
  for (auto kind : {ReturnKind::simple, ReturnKind::log}) {
    const auto common = returns_of(table_of(prices), {1, Unit::month}, kind).at_common_ends();
    ASSERT_EQ(common.observations(), 2u);
    EXPECT_EQ(common.start, month_end(1));
    EXPECT_EQ(common.days, (std::vector<Day>{month_end(4), month_end(5)}));
    EXPECT_EQ(common.spans, (Eigen::MatrixXi(2, 2) << 3, 3, 1, 1).finished());
    const auto grown = [&](int row, int asset) {
      const double r = common.returns(row, asset);
      return kind == ReturnKind::simple ? 1 + r : std::exp(r);
    };
    EXPECT_NEAR(grown(0, 0), 120.0 / 110, 1e-14);
    EXPECT_NEAR(grown(0, 1), 0.5, 1e-15);
    EXPECT_NEAR(grown(1, 1), 1.2, 1e-15);
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
  EXPECT_EQ(f.worst_day, month_end(2));
  EXPECT_NEAR(f.best, 0.2, 1e-15);
  EXPECT_NEAR(f.max_drawdown, -0.1, 1e-15);
  EXPECT_EQ(f.max_drawdown_from, month_end(1));
  EXPECT_EQ(f.max_drawdown_to, month_end(2));
}

TEST(Figures, MomentsAgreeWithLongDoubleOnFatTails) {
  std::mt19937_64 random(5);
  std::student_t_distribution<double> draw(4);
  Eigen::VectorXd prices(500);
  prices[0] = 100;
  for (Eigen::Index i = 1; i < prices.size(); ++i) prices[i] = prices[i - 1] * (1 + 0.01 * std::tanh(draw(random)));
  auto table = table_of(prices);
  Day day = start;
  for (auto& of : table.days) {
    of = day;
    do day += days{1};
    while (std::chrono::weekday{day}.iso_encoding() > 5);
  }
  const auto returns = simple_returns(table, {1, Unit::day});
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

TEST(Returns, LogReturnsAddOverTime) {
  const auto returns = returns_of(table_of(Eigen::Vector4d(100, 110, 99, 118.8)), {1, Unit::month}, ReturnKind::log);
  EXPECT_EQ(returns.kind, ReturnKind::log);
  EXPECT_NEAR(returns.returns.col(0).sum(), std::log(1.188), 1e-15);
  const auto f = figures_of(returns, 0);
  EXPECT_EQ(f.kind, ReturnKind::log);
  EXPECT_NEAR(f.mean_arithmetic, 12 * std::log(1.188) / 3, 1e-14);
  // What a year grows by and the deepest fall are facts, whichever returns they are read from.
  const auto simple = figures_of(simple_returns(table_of(Eigen::Vector4d(100, 110, 99, 118.8)), {1, Unit::month}), 0);
  EXPECT_NEAR(f.mean_geometric, simple.mean_geometric, 1e-13);
  EXPECT_NEAR(f.max_drawdown, simple.max_drawdown, 1e-15);
}

TEST(Returns, WithinTheDayAreCloseOverOpen) {
  BarHistory a{"A"}, b{"B"};
  const std::vector<Day> of = {start, start + days{1}, start + days{2}};
  for (auto* bar : {&a, &b}) bar->days = of;
  a.of(PriceField::open) = {10, 20, 30};
  a.of(PriceField::close) = {11, 18, 30};
  b.of(PriceField::open) = {100, NAN, 100};
  b.of(PriceField::close) = {90, 90, 105};
  const auto returns = within_day_returns({a, b}, ReturnKind::simple);
  ASSERT_EQ(returns.observations(), 3u);
  EXPECT_NEAR(returns.returns(0, 0), 0.1, 1e-15);
  EXPECT_NEAR(returns.returns(1, 0), -0.1, 1e-15);
  EXPECT_TRUE(std::isnan(returns.returns(1, 1)));
  EXPECT_EQ(returns.spans(1, 1), 0);
  EXPECT_NEAR(returns.returns(2, 1), 0.05, 1e-15);
  EXPECT_EQ(returns.periods_per_year, 252);
  EXPECT_EQ(figures_of(returns, 1).observations, 2u);
  EXPECT_NEAR(within_day_returns({a}, ReturnKind::log).returns(1, 0), std::log(0.9), 1e-15);
  b.of(PriceField::open) = {100, NAN, NAN};
  EXPECT_THAT(test::message_of([&] {
                within_day_returns({a, b}, ReturnKind::simple);
              }),
              testing::HasSubstr("B: 1 days with an open and a close are too few"));
}

TEST(Figures, OfTheLowerSideByHand) {
  // Returns +10%, -10%, +20%, -5%. Below 0: squares 0.01 + 0.0025 over 4 returns. The worst half: -10% and -5%; the
  // worst 40% are 1.6 returns: -10% whole and 0.6 of -5%.
  Eigen::VectorXd prices(5);
  prices << 100, 110, 99, 118.8, 112.86;
  const auto returns = simple_returns(table_of(prices), {1, Unit::month});
  const auto f = figures_of(returns, 0, {Denominator::population, 0, 0.5});
  EXPECT_NEAR(f.downside_deviation, std::sqrt(12 * 0.0125 / 4), 1e-14);
  EXPECT_NEAR(f.expected_shortfall, -0.075, 1e-14);
  EXPECT_NEAR(figures_of(returns, 0, {{}, 0, 0.4}).expected_shortfall, (-0.1 - 0.6 * 0.05) / 1.6, 1e-14);
  EXPECT_NEAR(figures_of(returns, 0, {{}, 0, 1}).expected_shortfall, 0.15 / 4, 1e-14);
  EXPECT_NEAR(figures_of(returns, 0, {{}, 0.05, 0.5}).downside_deviation, std::sqrt(12 * (0.15 * 0.15 + 0.1 * 0.1) / 4),
              1e-14);
  // Deviations from the mean 3.75%: 6.25, -13.75, 16.25, -8.75 percent; their squares sum to 0.056875.
  EXPECT_NEAR(f.variance, 12 * 0.056875 / 4, 1e-14);
  EXPECT_NEAR(*f.coefficient_of_variation, std::sqrt(12 * 0.056875 / 4) / (12 * 0.0375), 1e-13);
  EXPECT_NEAR(f.autocorrelation, (-6.25 * 13.75 - 13.75 * 16.25 - 16.25 * 8.75) / 568.75, 1e-13);
  EXPECT_THROW(figures_of(returns, 0, {{}, 0, 0}), InputError);
  EXPECT_THROW(figures_of(returns, 0, {{}, 0, 1.1}), InputError);
}

TEST(Figures, RiskPerUnitOfReturnNeedsAPositiveReturn) {
  const auto f = figures_of(simple_returns(table_of(Eigen::Vector3d(100, 90, 85)), {1, Unit::month}), 0);
  EXPECT_FALSE(f.coefficient_of_variation);
}

// The public NIST univariate reference sets are built like these: 1,001 values, the first at the offset + 0.2, the
// others 0.1 below and above that in turn. In exact arithmetic the mean is offset + 0.2, the deviation 0.1, the lag-1
// autocorrelation -0.999.
struct Offset {
  double offset, deviation_digits, autocorrelation_digits;
};

class Digits : public testing::TestWithParam<Offset> {
 protected:
  Eigen::VectorXd values() const {
    Eigen::VectorXd x(1001);
    for (Eigen::Index i = 0; i < x.size(); ++i) {
      x[i] = GetParam().offset + (i == 0 ? 0.2 : i % 2 == 1 ? 0.1 : 0.3);
    }
    return x;
  }
};

// Digits that agree, as the logarithm of the relative error.
double digits(double found, long double right) {
  const auto error = std::abs((static_cast<long double>(found) - right) / right);
  return error == 0 ? 17 : double(-std::log10(error));
}

TEST_P(Digits, AgreeWithTheExactFiguresAsFarAsTheInputAllows) {
  const auto moments = moments_of(values());
  EXPECT_GT(digits(moments.mean, static_cast<long double>(GetParam().offset) + 0.2L), 14);
  EXPECT_GT(digits(std::sqrt(moments.variance(Denominator::sample)), 0.1L), GetParam().deviation_digits);
  EXPECT_GT(digits(moments.autocorrelation(), -0.999L), GetParam().autocorrelation_digits);
}

TEST_P(Digits, AgreeWithQuadArithmeticOnTheSameDoubles) {
  const auto x = values();
  __float128 mean = 0, second = 0, lagged = 0;
  for (double v : x) mean += v;
  mean /= 1001;
  for (Eigen::Index i = 0; i < x.size(); ++i) {
    const __float128 d = x[i] - mean;
    second += d * d;
    if (i > 0) lagged += d * (x[i - 1] - mean);
  }
  const auto moments = moments_of(x);
  EXPECT_GT(digits(moments.mean, static_cast<long double>(mean)), 15);
  EXPECT_GT(digits(moments.variance(Denominator::sample), static_cast<long double>(second / 1000)), 13);
  EXPECT_GT(digits(moments.autocorrelation(), static_cast<long double>(lagged / second)), 13);
}

INSTANTIATE_TEST_SUITE_P(Figures, Digits,
                         testing::Values(Offset{1, 14, 14}, Offset{1e6, 9.4, 12.2}, Offset{1e7, 8.2, 11}));

TEST(ReturnTable, WhoseSpansDoNotFitItsReturnsIsRefused) {
  ReturnTable good;
  for (int t = 1; t <= 3; ++t) good.days.push_back(Day{std::chrono::days{19000 + t}});
  good.start = Day{std::chrono::days{19000}};
  good.assets = {"TIDEMILL", "KELPFARM"};
  good.returns = Eigen::MatrixXd::Constant(3, 2, 0.01);
  good.spans = Eigen::MatrixXi::Ones(3, 2);
  EXPECT_NO_THROW(good.check());
  EXPECT_EQ(good.long_rows(), 0u);
  const auto refused = [&](int span, double value) {
    auto table = good;
    table.spans(1, 1) = span;
    table.returns(1, 1) = value;
    return test::message_of([&] { table.check(); });
  };
  EXPECT_EQ(refused(0, NAN), "nothing was thrown") << "there is none";
  EXPECT_EQ(refused(2, 0.01), "nothing was thrown") << "over two periods";
  EXPECT_THAT(refused(0, 0.01), testing::HasSubstr("KELPFARM"));
  EXPECT_THAT(refused(1, NAN), testing::HasSubstr("KELPFARM"));
  EXPECT_THAT(refused(1, INFINITY), testing::HasSubstr("KELPFARM"));
  EXPECT_THAT(refused(-1, 0.01), testing::HasSubstr("KELPFARM"));
  EXPECT_THAT(refused(-1, NAN), testing::HasSubstr("KELPFARM"));
  auto longer = good;
  longer.spans.row(2).setConstant(2);
  EXPECT_EQ(longer.long_rows(), 1u);
}

TEST(Growth, BeginsOnTheLastDayBeforeTheFirstReturn) {
  ReturnTable table;
  for (int t = 1; t <= 5; ++t) table.days.push_back(Day{std::chrono::days{19000 + t}});
  table.start = Day{std::chrono::days{19000}};
  table.assets = {"EARLY", "LATE"};
  table.returns = Eigen::MatrixXd::Constant(5, 2, 0.1);
  table.spans = Eigen::MatrixXi::Ones(5, 2);
  for (int t : {0, 1, 3}) table.spans(t, 1) = 0, table.returns(t, 1) = NAN;
  table.spans(4, 1) = 2;
  const auto early = growth_of(table, 0), late = growth_of(table, 1);
  EXPECT_EQ(early.days.front(), table.start);
  EXPECT_EQ(early.days.size(), 6u);
  EXPECT_THAT(late.days, testing::ElementsAre(table.days[1], table.days[2], table.days[4]));
  EXPECT_NEAR(late.values.back(), 1.21, 1e-15);
}

TEST(Histogram, FollowsTheRuleOfFreedmanAndDiaconis) {
  // 0..999: quartiles 249.75 and 749.25, so a width of 2 x 499.5 / 10 and 999 / 99.9 = 10 bins of 100.
  Eigen::VectorXd values(1000);
  for (Eigen::Index i = 0; i < values.size(); ++i) values[i] = double((i * 7) % 1000);
  const auto histogram = histogram_of(values);
  EXPECT_EQ(histogram.counts, std::vector<std::size_t>(10, 100));
  for (double unit : {0x1p-20, 0x1p-7, 0x1p13})
    EXPECT_EQ(histogram_of(unit * values).counts.size(), 10u) << "in any unit";
  EXPECT_EQ(histogram.edges.front(), 0);
  EXPECT_EQ(histogram.edges.back(), 999);
}

TEST(Histogram, CountsEveryValueOnceAndKnowsTheNormalShare) {
  std::mt19937_64 random(9);
  std::normal_distribution<double> normal(0.01, 0.05);
  Eigen::VectorXd values(4000);
  for (double& v : values) v = normal(random);
  for (int bins : {0, 1, 7, 40}) {
    const auto histogram = histogram_of(values, bins);
    std::size_t all = 0;
    double expected = 0, furthest = 0;
    for (std::size_t k = 0; k < histogram.counts.size(); ++k) {
      std::size_t counted = 0;
      const bool last = k + 1 == histogram.counts.size();
      for (double v : values) {
        counted += v >= histogram.edges[k] && (v < histogram.edges[k + 1] || (last && v <= histogram.edges[k + 1]));
      }
      EXPECT_EQ(histogram.counts[k], counted);
      all += histogram.counts[k];
      expected += histogram.normal_count(k);
      // Draws from a normal distribution: each count within five of its own standard deviations.
      furthest = std::max(furthest, std::abs(double(counted) - histogram.normal_count(k)) /
                                        std::sqrt(std::max(1.0, histogram.normal_count(k))));
    }
    EXPECT_EQ(all, 4000u);
    EXPECT_NEAR(expected, 4000, 12);  // the tails beyond the least and the greatest value
    EXPECT_LT(furthest, 5);
  }
  // The curve's area over a narrow bin is the bin's count.
  const auto fine = histogram_of(values, 200);
  EXPECT_NEAR(fine.normal_height((fine.edges[100] + fine.edges[101]) / 2) / fine.normal_count(100), 1, 1e-3);
}

TEST(Histogram, OfAConstantSeriesIsOneBin) {
  const auto histogram = histogram_of(Eigen::VectorXd::Constant(5, 0.25));
  EXPECT_EQ(histogram.counts, std::vector<std::size_t>{5});
  EXPECT_EQ(histogram.normal_count(0), 0);
  EXPECT_THROW(histogram_of(Eigen::VectorXd::Ones(1)), InputError);
  EXPECT_THROW(histogram_of(Eigen::VectorXd::Ones(3), -1), InputError);
}

TEST(Figures, OneReturnIsTooFew) {
  EXPECT_THROW(figures_of(simple_returns(table_of(Eigen::Vector2d(1, 2)), {1, Unit::month}), 0), InputError);
}

TEST(Figures, OfReturnsThatAllSpanTwoMonthsAreThoseOfTwoMonths) {
  // Every other month has a price. Per month: mean R / 2 and variance sum (R - 2m)^2 / (K - sum k^2 / K), K = 8.
  Eigen::VectorXd prices(9);
  prices << 100, NAN, 104, NAN, 99, NAN, 107, NAN, 110;
  const auto figures = figures_of(simple_returns(table_of(prices), {1, Unit::month})).front();
  const Eigen::Vector4d r(0.04, 99.0 / 104 - 1, 107.0 / 99 - 1, 110.0 / 107 - 1);
  const double mean = r.sum() / 8;
  EXPECT_NEAR(figures.mean_arithmetic, 12 * mean, 1e-14);
  EXPECT_NEAR(figures.volatility, std::sqrt(12 * (r.array() - 2 * mean).square().sum() / (8 - 16.0 / 8)), 1e-14);
}

}  // namespace
}  // namespace inchtide

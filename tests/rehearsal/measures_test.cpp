// What a run comes to, against figures by hand and formulas written out.

#include "inchtide/rehearsal/measures.hpp"

#include <cmath>
#include <random>

#include "rehearsal/plans.hpp"

namespace inchtide {
namespace {

using test::plan_of;
using test::rates;
using testing::HasSubstr;

/// One asset at these closes.
PriceTable closes(const std::vector<const char*>& days, const std::vector<double>& prices) {
  PriceTable table;
  for (const char* day : days) table.days.push_back(*parse_day(day));
  table.assets = {{"A", "HLC", PriceField::close}};
  table.prices = Eigen::Map<const Eigen::VectorXd>(prices.data(), Eigen::Index(prices.size()));
  return table;
}

/// Calendar days from 2024-01-01.
PriceTable daily(const std::vector<double>& prices) {
  auto table = closes({}, prices);
  for (std::size_t t = 0; t < prices.size(); ++t) {
    table.days.push_back(*parse_day("2024-01-01") + std::chrono::days{int(t)});
  }
  return table;
}

const Eigen::VectorXd all_in = Eigen::VectorXd::Ones(1);

TEST(SpansOfARun, AreChainedBetweenTheLastClosesOfTheirMonths) {
  const auto table = closes({"2023-12-28", "2023-12-29", "2024-01-15", "2024-01-31", "2024-02-01", "2024-02-29"},
                            {100, 110, 99, 122, 90, 100});
  const auto run = rehearse(table, plan_of(all_in, "never"), {1000, 0, 0});
  const auto months = months_of(run, 0);
  ASSERT_EQ(months.size(), 3u);
  EXPECT_EQ(months[0].year, 2023);
  EXPECT_EQ(months[0].month, 12u);
  EXPECT_NEAR(months[0].growth, 0.1, 1e-14);
  EXPECT_NEAR(months[1].growth, 122.0 / 110 - 1, 1e-14);
  EXPECT_NEAR(months[2].growth, 100.0 / 122 - 1, 1e-14);
  const auto years = years_of(run, 0);
  ASSERT_EQ(years.size(), 2u);
  EXPECT_EQ(years[1].month, 0u);
  EXPECT_NEAR(years[1].growth, 100.0 / 110 - 1, 1e-14);
  EXPECT_EQ(run.best_month.month, 1u);
  EXPECT_EQ(run.worst_month.month, 2u);
  EXPECT_EQ(run.best_year.year, 2023);
  EXPECT_EQ(run.worst_year.growth, years[1].growth);
}

TEST(UnderWaterTime, IsTheLongestFromAHighToItsRecovery) {
  const auto water = [](const std::vector<double>& prices) {
    return rehearse(daily(prices), plan_of(all_in, "never"), {1000, 0, 0}).under_water;
  };
  const auto back = water({10, 9, 10, 12, 11, 9, 12, 13, 12});
  EXPECT_EQ(back.days, 3);
  EXPECT_EQ(back.from, *parse_day("2024-01-04"));
  EXPECT_EQ(back.to, *parse_day("2024-01-07"));
  EXPECT_TRUE(back.recovered);
  const auto still = water({10, 9, 10, 12, 11, 9, 8, 11, 11.5});
  EXPECT_EQ(still.days, 5);
  EXPECT_FALSE(still.recovered);
  const auto never = water({10, 11, 11, 12});
  EXPECT_EQ(never.days, 0);
  EXPECT_TRUE(never.recovered);
}

/// Returns that hang together, from the row after the purchase on.
std::vector<double> hanging_together(int rows, double correlation, unsigned seed) {
  std::mt19937_64 random(seed);
  std::normal_distribution<double> normal;
  std::vector<double> prices{100, 100};
  double last = 0;
  for (int t = 0; t < rows; ++t) {
    last = correlation * last + 0.01 * normal(random);
    prices.push_back(prices.back() * (1.0005 + last));
  }
  return prices;
}

TEST(SharpeRatio, ItsErrorAllowsForReturnsThatHangTogether) {
  // Lo's eq. 16 written out: the gradient on the covariance matrix of mean and variance, summed over the lags.
  const auto prices = hanging_together(400, 0.4, 7);
  RehearsalOptions options{1000, 1, 0.03};
  options.rows_per_year = 252;
  const auto run = rehearse(daily(prices), plan_of(all_in, "never"), options);
  const int rows = 400, lags = int(std::floor(4 * std::pow(4.0, 2.0 / 9)));
  ASSERT_EQ(lags, 5);
  long double mean = 0, variance = 0;
  std::vector<long double> r;
  for (int t = 0; t < rows; ++t) r.push_back((long double)prices[std::size_t(t) + 2] / prices[std::size_t(t) + 1] - 1);
  for (auto x : r) mean += x / rows;
  for (auto x : r) variance += (x - mean) * (x - mean) / (rows - 1);
  const auto moment = [&](int which, int t) {
    return which == 0 ? r[std::size_t(t)] - mean : (r[std::size_t(t)] - mean) * (r[std::size_t(t)] - mean) - variance;
  };
  const long double sd = std::sqrt(variance), gradient[] = {1 / sd, -(mean - 0.03L / 252) / (2 * sd * variance)};
  long double squared = 0;
  for (int a = 0; a < 2; ++a) {
    for (int b = 0; b < 2; ++b) {
      long double covariance = 0;
      for (int lag = -lags; lag <= lags; ++lag) {
        for (int t = std::max(0, lag); t < std::min(rows, rows + lag); ++t) {
          covariance += (1 - std::abs(lag) / (lags + 1.0L)) * moment(a, t) * moment(b, t - lag) / rows;
        }
      }
      squared += gradient[a] * gradient[b] * covariance / rows;
    }
  }
  EXPECT_NEAR(run.sharpe_error_correlated, double(std::sqrt(252 * squared)), 1e-10);
  EXPECT_GT(run.sharpe_error_correlated, 1.2 * run.sharpe_error);
  const auto against_itself = rehearse(daily(hanging_together(400, -0.4, 7)), plan_of(all_in, "never"), options);
  EXPECT_LT(against_itself.sharpe_error_correlated, 0.85 * against_itself.sharpe_error);
}

TEST(Sortino, CountsWhatReturnsLackOfTheRiskFreeRate) {
  RehearsalOptions options{1000, 0, 0.252};
  options.rows_per_year = 252;  // a rate of 0.001 a row
  const auto run = rehearse(daily({100, 102, 101, 103, 103}), plan_of(all_in, "never"), options);
  const double r[] = {0.02, -1.0 / 102, 2.0 / 101, 0};
  const double mean = (r[0] + r[1] + r[2]) / 4, squares = (r[1] - 0.001) * (r[1] - 0.001) + 0.001 * 0.001;
  EXPECT_NEAR(run.sortino, (252 * mean - 0.252) / std::sqrt(252 * squares / 4), 1e-11);
  options.risk_free = 0;
  EXPECT_EQ(rehearse(daily({100, 102, 103, 105}), plan_of(all_in, "never"), options).sortino, 0) << "nothing lacks";
}

TEST(MoneyWeightedReturn, IsTheRateThatTheFlowsEarned) {
  const std::vector<const char*> days{"2024-01-01", "2024-12-31", "2025-12-31"};  // a year of 365 days each
  const auto rate = [&](const std::vector<double>& prices, double flow) {
    RehearsalOptions options{1000, 0, 0};
    options.flows = {{*parse_day("2024-12-31"), flow}};
    return rehearse(closes(days, prices), plan_of(all_in, "1y"), options).money_weighted;
  };
  const double per_year = 365.25 / 365;
  EXPECT_NEAR(*rate({10, 11, 12.1}, 0).rate, std::pow(1.1, per_year) - 1, 1e-12);
  EXPECT_NEAR(*rate({10, 11, 12.1}, 5000).rate, std::pow(1.1, per_year) - 1, 1e-12) << "the same each year";
  // 1,000 doubles, 2,000 more come and all halves: 1000 x^2 + 2000 x = 2000.
  EXPECT_NEAR(*rate({10, 20, 10}, 2000).rate, std::pow(-1 + std::sqrt(3.0), per_year) - 1, 1e-12);
  // 1,000 doubles, 1,500 go, the rest triples: 1000 x^2 - 1500 x = 1500.
  EXPECT_NEAR(*rate({10, 20, 60}, -1500).rate, std::pow(0.75 + std::sqrt(0.5625 + 1.5), per_year) - 1, 1e-12);
}

TEST(MoneyWeightedReturn, IsNoneWhereWhatWasTakenOutIsMoreThanAnyRatePays) {
  // All but 1 of 2,000 goes after a year: no rate below 99.9% leaves that much, and at that one the 1,000 that come
  // then would end far above what they did.
  RehearsalOptions options{1000, 0, 0};
  options.flows = {{*parse_day("2024-12-31"), -1999}, {*parse_day("2025-01-01"), 1000}};
  const auto run = rehearse(closes({"2024-01-01", "2024-12-31", "2025-01-01", "2025-12-31"}, {10, 20, 20, 8}),
                            plan_of(all_in, "1d"), options);
  EXPECT_FALSE(run.money_weighted.rate);
  EXPECT_THAT(run.money_weighted.why, HasSubstr("taken out"));
}

TEST(ImplementationShortfall, IsWhatPricesDidBeforeTheTradeAndItsCosts) {
  // Decided at 10 and bought at 11 with 1,000: at 10 the same units would have cost a eleventh less.
  auto table = daily({10, 11, 11, 11});
  const double years = 2 / 365.25;
  const auto bought = rehearse(table, plan_of(all_in, "never", rates(1, 10, 10)), {1000, 1, 0});
  EXPECT_NEAR(bought.trades[0].delay, bought.trades[0].orders[0].units, 1e-10);
  EXPECT_NEAR(bought.shortfall.delay, bought.trades[0].delay / 1000 / years, 1e-12);
  EXPECT_NEAR(bought.shortfall.costs, bought.costs_paid / 1000 / years, 1e-12);
  EXPECT_EQ(rehearse(table, plan_of(all_in, "never"), {1000, 0, 0}).shortfall.delay, 0);
  // What falls before it is bought is a gain, and so is not selling before it rises.
  table.prices << 10, 9, 9, 9;
  EXPECT_NEAR(rehearse(table, plan_of(all_in, "never"), {1000, 1, 0}).trades[0].delay, -1000.0 / 9, 1e-10);
}

TEST(ImplementationShortfall, CountsSplitsAndDividendsBetweenDecisionAndTrade) {
  // 2 for 1, and 0.5 on each old share: at the close of the decision a new share would have cost 5 and brought 0.25.
  auto table = daily({10, 5.5, 5.5});
  RehearsalOptions options{1100, 1, 0};
  options.actions = {{"A", table.days[1], 2, 0.5}};
  const auto run = rehearse(table, plan_of(all_in, "never"), options);
  EXPECT_NEAR(run.trades[0].delay, 200 * (5.5 - (10 - 0.5) / 2), 1e-10);
}

TEST(CostShares, SumToTheDifferenceOfLogGrowth) {
  const auto prices = hanging_together(300, 0.2, 11);
  auto table = daily(prices);
  table.assets.push_back({"B", "HLC", PriceField::close});
  table.prices.conservativeResize(Eigen::NoChange, 2);
  for (Eigen::Index t = 0; t < table.prices.rows(); ++t) table.prices(t, 1) = 20 + 3 * std::sin(double(t));
  AssetCosts costs;
  costs.buy.tiers = costs.sell.tiers = {{0, 20 * basis_point}};
  costs.buy.stamp_duty = 50 * basis_point;
  costs.custody = 0.0365;
  RehearsalOptions options{1000, 1, 0};
  options.flows = {{table.days[40], 300}, {table.days[90], -200}};
  const auto run = rehearse(table, plan_of(Eigen::Vector2d(0.6, 0.4), "1w", {costs, costs}), options);
  const double years = double((table.days.back() - table.days[1]).count()) / 365.25;
  double commission = 0, duty = 0;
  for (const auto& trade : run.trades) {
    const double log = std::log((trade.wealth_before + trade.flow) / trade.wealth_after) / years;
    commission += log * trade.cost.commission / trade.cost.total();
    duty += log * trade.cost.stamp_duty / trade.cost.total();
  }
  EXPECT_NEAR(run.cost_shares.trading.commission, commission, 1e-13);
  EXPECT_NEAR(run.cost_shares.trading.stamp_duty, duty, 1e-13);
  const double all = std::log(run.gross[run.gross.size() - 1] / run.gross[1]) - std::log1p(run.growth);
  EXPECT_NEAR(run.cost_shares.trading.total() + run.cost_shares.charges, all / years, 1e-13);
  // Brought back to all of the wealth each day: custody takes 0.0001 of the close before.
  options.flows.clear();
  const auto steady = rehearse(table, plan_of(Eigen::Vector2d(0.6, 0.4), "1d", {costs, costs}), options);
  double logs = 0;
  for (Eigen::Index t = 2; t < steady.net.size(); ++t) {
    logs += std::log1p(0.0001 * steady.net[t - 1] / steady.before[t]) / years;
  }
  EXPECT_NEAR(steady.cost_shares.charges, logs, 1e-9);
}

}  // namespace
}  // namespace inchtide

#include "inchtide/rehearsal/rehearsal.hpp"

#include <fmt/format.h>

#include <cmath>
#include <random>

#include "inchtide/base/errors.hpp"
#include "rehearsal/plans.hpp"
#include "support/messages.hpp"

namespace inchtide {
namespace {

using std::chrono::days;
using test::plan_of;
using test::rates;
using testing::HasSubstr;

// Weekdays from 2024-01-01 with random walks as prices.
PriceTable random_table(int rows, int assets, unsigned seed) {
  std::mt19937_64 random(seed);
  std::normal_distribution<double> normal;
  PriceTable table;
  for (Day day = *parse_day("2024-01-01"); int(table.days.size()) < rows; day += days{1}) {
    if (std::chrono::weekday{day}.iso_encoding() <= 5) table.days.push_back(day);
  }
  table.prices.resize(rows, assets);
  for (int i = 0; i < assets; ++i) {
    table.assets.push_back({"A" + std::to_string(i + 1), "HLC"});
    double price = 50 + 10 * i;
    for (int t = 0; t < rows; ++t) table.prices(t, i) = price *= 1 + 0.0003 * i + 0.015 * normal(random);
  }
  return table;
}

const Eigen::Vector3d mixed(0.5, 0.3, 0.2);

TEST(Schedule, LooksOnTheLastOrFirstTradingDay) {
  const auto table = random_table(70, 1, 1);  // 2024-01-01 to 2024-04-05
  const auto looked = [&](const char* text) {
    std::vector<std::string> result;
    const auto looks = Schedule::parse(text, "").looks(table.days);
    for (std::size_t i = 0; i < looks.size(); ++i) {
      if (looks[i]) result.push_back(to_string(table.days[i]));
    }
    return result;
  };
  using testing::ElementsAre;
  EXPECT_THAT(looked("never"), ElementsAre());
  EXPECT_THAT(looked("1m"), ElementsAre("2024-01-31", "2024-02-29", "2024-03-29"));
  EXPECT_THAT(looked("1m@first"), ElementsAre("2024-02-01", "2024-03-01", "2024-04-01"));
  EXPECT_THAT(looked("1q"), ElementsAre("2024-03-29"));
  EXPECT_THAT(looked("30d"), ElementsAre("2024-02-12", "2024-03-25"));
}

TEST(Schedule, APeriodIsOverWhenTheCalendarSaysSo) {
  const auto looks_last = [](const char* text, std::vector<const char*> texts) {
    std::vector<Day> given;
    for (const char* day : texts) given.push_back(*parse_day(day));
    return bool(Schedule::parse(text, "").looks(given).back());
  };
  // Friday the 29th is the last weekday of March 2024, Thursday the 28th is not.
  EXPECT_TRUE(looks_last("1m", {"2024-03-27", "2024-03-28", "2024-03-29"}));
  EXPECT_FALSE(looks_last("1m", {"2024-03-27", "2024-03-28"}));
  EXPECT_TRUE(looks_last("1w", {"2024-03-28", "2024-03-29"}));
  EXPECT_FALSE(looks_last("1w", {"2024-03-27", "2024-03-28"}));
  // Where there are prices on Saturdays, Saturday the 30th is not the last day either.
  EXPECT_FALSE(looks_last("1m", {"2024-03-23", "2024-03-29", "2024-03-30"}));
  EXPECT_TRUE(looks_last("1m", {"2024-03-23", "2024-03-30", "2024-03-31"}));
}

TEST(Rehearsal, WithoutADelayTradesNothingOnTheLastRowOfAPeriodThatIsNotOver) {
  PriceTable table;
  for (int d = 1; d <= 12; ++d) table.days.push_back(Day{std::chrono::year{2024} / 1 / d});
  table.assets = {{"A", "HLC"}, {"B", "HLC"}};
  table.prices = Eigen::MatrixXd::Constant(12, 2, 10);
  table.prices.col(1).tail(6).setConstant(20);
  table.prices(11, 1) = 40;
  const auto run = rehearse(table, plan_of(Eigen::Vector2d(0.5, 0.5), "1w"), {1000, 0, 0});
  ASSERT_EQ(run.trades.size(), 2u);  // prices end on a Friday, and there are some on weekends
  EXPECT_EQ(run.trades[1].traded, *parse_day("2024-01-07"));
}

TEST(Rehearsal, CountsItsRowsAYearAndNoOrdersByRounding) {
  // Weekly prices for three years; two halves that are both at 0.1 x price: nothing moves them apart but rounding.
  PriceTable table;
  for (int week = 0; week < 157; ++week)
    table.days.push_back(Day{std::chrono::year{2021} / 1 / 8} + std::chrono::days{7 * week});
  table.assets = {{"A", "HLC"}, {"B", "HLC"}};
  table.prices.resize(157, 2);
  for (int week = 0; week < 157; ++week) table.prices.row(week).setConstant(10 + 3 * std::sin(week));
  table.prices.col(1) *= 0.1;
  const auto run = rehearse(table, plan_of(Eigen::Vector2d(0.5, 0.5), "1d"), {1000, 1, 0});
  EXPECT_EQ(run.rows_per_year, 52);
  EXPECT_EQ(run.order_count, 2u);  // of the first purchase
  std::vector<double> returns;     // from the second row, on which it is bought
  for (int week = 2; week < 157; ++week) returns.push_back(table.prices(week, 0) / table.prices(week - 1, 0) - 1);
  double mean = 0, squares = 0;
  for (double r : returns) mean += r / 155;
  for (double r : returns) squares += (r - mean) * (r - mean);
  EXPECT_NEAR(run.volatility, std::sqrt(52 * squares / 154), 1e-12);
}

TEST(Schedule, RefusesWhatItCannotDo) {
  for (const char* text : {"",          "sometimes",     "1m@middle",    "0m",
                           "1m@0",      "1w@8",          "1m@-32",       "21d@21",
                           "21d@-1",    "21d@first",     "band:",        "band:5",
                           "band:0pp",  "band:-5pp",     "band:1000.5%", "band:1001pp",
                           "band::5pp", "+band:5pp",     "1q*band:5pp",  "1qband:5pp",
                           "band:5pp/", "band:5pp/gold", "1m:edge",      "never:edge",
                           "1m:half",   "1m:cap=10",     "1m:cap=0%",    "band:5pp:far",
                           "band:5pp:", "never+band:5pp"}) {
    EXPECT_THROW(Schedule::parse(text, "--schedule"), InputError) << text;
  }
}

TEST(Schedule, IsWrittenAsItIsRead) {
  for (const char* text :
       {"never", "1q@first", "1m@3", "1m@-3", "21d", "21d@7", "band:5pp", "band:20%", "band:sector:5pp",
        "band:2.5pp/cash", "1q+band:5pp", "1q|band:5pp", "1w@first|band:sector:20%/cash:edge:cap=10%", "1m:cap=7.5%",
        "band:5pp:half", "1q:after-costs"}) {
    EXPECT_EQ(Schedule::parse(text, "").text(), text);
  }
  EXPECT_EQ(Schedule::parse("1m@last", "").text(), "1m");
  EXPECT_EQ(Schedule::parse("1m@1", "").text(), "1m@first");
  EXPECT_TRUE(Schedule::parse("21d@0", "").same_as(Schedule::parse("21d", "")));
}

TEST(Schedule, CountsTheDaysOfAPeriodFromBothEnds) {
  // The market opens on Wednesday, 2024-01-03, and stops on Wednesday, 2024-03-27, two weekdays before the month's end.
  std::vector<Day> days;
  for (Day day = *parse_day("2024-01-03"); day <= *parse_day("2024-03-27"); day += std::chrono::days{1}) {
    const bool holiday = day == *parse_day("2024-02-01") || day == *parse_day("2024-02-28");
    if (std::chrono::weekday{day}.iso_encoding() <= 5 && !holiday) days.push_back(day);
  }
  const auto looked = [&](const char* text) {
    std::vector<std::string> result;
    const auto looks = Schedule::parse(text, "").looks(days);
    for (std::size_t i = 0; i < looks.size(); ++i) {
      if (looks[i]) result.push_back(to_string(days[i]));
    }
    return result;
  };
  using testing::ElementsAre;
  EXPECT_THAT(looked("1m@first"), ElementsAre("2024-02-02", "2024-03-01"));
  EXPECT_THAT(looked("1m@4"), ElementsAre("2024-01-04", "2024-02-07", "2024-03-06"));  // two weekdays before the first
  EXPECT_THAT(looked("1m@-1"), ElementsAre("2024-01-31", "2024-02-29"));
  EXPECT_THAT(looked("1m@-3"), ElementsAre("2024-01-29", "2024-02-26", "2024-03-27"));
  EXPECT_THAT(looked("1m@-2"), ElementsAre("2024-01-30", "2024-02-27"));
  EXPECT_THAT(looked("1m@23"), ElementsAre("2024-01-31"));  // the only month that has so many
  EXPECT_THAT(looked("20d@7"), ElementsAre("2024-01-12", "2024-02-12", "2024-03-12"));
}

TEST(Band, MeasuresPointsOrAShareOfTheTarget) {
  const auto points = *Schedule::parse("band:5pp", "").band, share = *Schedule::parse("band:20%", "").band;
  EXPECT_TRUE(points.is_outside(0.351, 0.3));
  EXPECT_TRUE(points.is_outside(0.249, 0.3));
  EXPECT_FALSE(points.is_outside(0.3 + 0.05 + 1e-14, 0.3)) << "rounding is not outside";
  EXPECT_TRUE(points.is_outside(0.06, 0));
  EXPECT_TRUE(share.is_outside(0.361, 0.3));
  EXPECT_FALSE(share.is_outside(0.359, 0.3));
  EXPECT_TRUE(share.is_outside(-0.13, -0.1));
  EXPECT_FALSE(share.is_outside(0.5, 0)) << "a share of nothing";
}

TEST(Rehearsal, WithoutCostsAndTradesIsTheWeightedSumOfPriceRelatives) {
  const auto table = random_table(300, 3, 7);
  const auto run = rehearse(table, plan_of(mixed, "never"), {1000, 1, 0});
  EXPECT_EQ(run.net[0], 1000);
  for (Eigen::Index t = 1; t < 300; ++t) {
    const double relatives = mixed.dot(table.prices.row(t).cwiseQuotient(table.prices.row(1)).transpose());
    ASSERT_NEAR(run.net[t] / (1000 * relatives), 1, 1e-13);
  }
  EXPECT_EQ(run.trades.size(), 1u);
  EXPECT_EQ(run.costs_paid, 0);
  EXPECT_NEAR(run.cost_per_year, 0, 1e-14);
}

TEST(Rehearsal, TheFirstPurchaseComesOutOfTheWealth) {
  // One asset at 25 bp: W + 0.0025 W = 1000.
  const auto table = random_table(10, 1, 2);
  const auto run = rehearse(table, plan_of(Eigen::VectorXd::Ones(1), "never", rates(1, 25, 10)), {1000, 1, 0});
  EXPECT_NEAR(run.trades[0].wealth_after, 1000 / 1.0025, 1e-10);
  EXPECT_NEAR(run.trades[0].cost.total(), 1000 - 1000 / 1.0025, 1e-10);
  EXPECT_NEAR(run.trades[0].turnover, 1, 1e-12);
  EXPECT_NEAR(run.gross[1], 1000, 1e-12);
}

TEST(Rehearsal, NothingDecidedDependsOnLaterPrices) {
  const auto table = random_table(260, 3, 9);
  const auto plan = plan_of(mixed, "1m", rates(3, 20, 20));
  const auto before = rehearse(table, plan, {});
  for (std::size_t changed : {30u, 100u, 200u}) {
    auto other = table;
    other.prices.bottomRows(Eigen::Index(table.rows() - changed)) *= 1.7;
    other.prices(Eigen::Index(changed), 1) *= 0.5;
    const auto after = rehearse(other, plan, {});
    for (std::size_t t = 0; t < changed; ++t) ASSERT_EQ(before.net[Eigen::Index(t)], after.net[Eigen::Index(t)]);
    for (std::size_t k = 0; k < before.trades.size(); ++k) {
      if (before.trades[k].traded >= table.days[changed]) continue;
      ASSERT_EQ(before.trades[k].orders.size(), after.trades[k].orders.size());
      for (std::size_t o = 0; o < before.trades[k].orders.size(); ++o) {
        EXPECT_EQ(before.trades[k].orders[o].units, after.trades[k].orders[o].units);
      }
      EXPECT_EQ(before.trades[k].decided, after.trades[k].decided);
    }
  }
}

TEST(Rehearsal, TradesTheChosenNumberOfDaysAfterItsDecision) {
  const auto table = random_table(100, 3, 9);
  for (int delay : {0, 1, 3}) {
    const auto run = rehearse(table, plan_of(mixed, "1m"), {1000, delay, 0});
    EXPECT_EQ(run.trades[0].decided, table.days[0]);
    EXPECT_EQ(run.trades[0].traded, table.days[std::size_t(delay)]);
    EXPECT_EQ(run.trades[1].decided, *parse_day("2024-01-31"));
    EXPECT_EQ(run.trades[1].traded, *parse_day(delay == 0 ? "2024-01-31" : delay == 1 ? "2024-02-01" : "2024-02-05"));
  }
}

TEST(Rehearsal, GrossIsNetWithEachDaysCostsLeftOut) {
  const auto table = random_table(260, 3, 5);
  const auto run = rehearse(table, plan_of(mixed, "1m", rates(3, 30, 30)), {1000, 1, 0});
  // Gross over net grows by wealth before over wealth after costs on each trading day, and on no other.
  double kept = 1;
  for (const auto& trade : run.trades) kept *= trade.wealth_after / trade.wealth_before;
  EXPECT_NEAR(run.net[259] / run.gross[259], kept, 1e-12);
  EXPECT_GT(run.cost_per_year, 0);
}

TEST(Rehearsal, MeasuresByHand) {
  // Bought at 100 on day 1, then 110, 99, 121: daily +10%, -10%, +22.22%, from the day of the purchase on.
  PriceTable table;
  for (const char* day : {"2024-01-01", "2024-01-02", "2024-01-03", "2024-01-04", "2026-01-01"}) {
    table.days.push_back(*parse_day(day));
  }
  table.assets = {{"A", "HLC"}};
  table.prices.resize(5, 1);
  table.prices << 100, 100, 110, 99, 121;
  const auto run = rehearse(table, plan_of(Eigen::VectorXd::Ones(1), "never"), {1000, 1, 0.03});
  const double years = 730 / 365.25;
  EXPECT_NEAR(run.growth, 0.21, 1e-14);
  EXPECT_NEAR(run.growth_per_year, std::pow(1.21, 1 / years) - 1, 1e-13);
  EXPECT_NEAR(run.max_drawdown, -0.1, 1e-14);
  EXPECT_EQ(run.max_drawdown_from, *parse_day("2024-01-03"));
  EXPECT_EQ(run.max_drawdown_to, *parse_day("2024-01-04"));
  const double r[] = {0.1, -0.1, 121.0 / 99 - 1};
  double mean = 0, squares = 0;
  for (double x : r) mean += x / 3;
  for (double x : r) squares += (x - mean) * (x - mean);
  const double rows = 4 / (731 / 365.25);  // as counted, a year
  EXPECT_NEAR(run.volatility, std::sqrt(rows * squares / 2), 1e-13);
  EXPECT_NEAR(run.sharpe, (rows * mean - 0.03) / std::sqrt(rows * squares / 2), 1e-12);
  const double s = run.sharpe / std::sqrt(rows);
  EXPECT_NEAR(run.sharpe_error, std::sqrt(rows * (1 + s * s / 2) / 3), 1e-13);
  EXPECT_NEAR(run.turnover_per_year, 1 / years, 1e-13);
  EXPECT_EQ(run.turnover_after_first, 0);
  EXPECT_EQ(run.order_count, 1u);
}

TEST(Rehearsal, SaysWhyItCannotRun) {
  const auto message = [](const PriceTable& table, const RehearsalPlan& plan, const RehearsalOptions& options) {
    try {
      rehearse(table, plan, options);
    } catch (const InputError& error) {
      return std::string(error.what());
    }
    return std::string("nothing was thrown");
  };
  const auto table = random_table(30, 3, 1);
  EXPECT_THAT(message(table, plan_of(Eigen::Vector2d(1, 0), "never", rates(3, 1, 1)), {}), HasSubstr("2 weights"));
  EXPECT_THAT(message(table, plan_of(mixed, "never", rates(3, 1, 1)), {1000, -1, 0}), HasSubstr("would look ahead"));
  EXPECT_THAT(message(table, plan_of(mixed, "never", rates(3, 1, 1)), {0, 1, 0}), HasSubstr("without wealth"));
  EXPECT_THAT(message(random_table(2, 3, 1), plan_of(mixed, "never", rates(3, 1, 1)), {}), HasSubstr("too few"));
  EXPECT_THAT(message(table, plan_of(Eigen::Vector3d(2, 2, -3), "never", rates(3, 2000, 2000)), {}),
              HasSubstr("could eat all wealth"));
  auto rising = table;
  rising.prices.col(0) = Eigen::VectorXd::LinSpaced(30, 100, 1000);
  rising.prices.col(1).setConstant(10);
  EXPECT_THAT(message(rising, plan_of(Eigen::Vector3d(-1, 2, 0), "never", rates(3, 0, 0)), {}),
              HasSubstr("all wealth is lost"));
}

TEST(Rehearsal, WithinALongerHistoryIsTheRunOfItsRowsAlone) {
  auto table = random_table(300, 5, 11);
  for (const bool hole : {false, true}) {
    if (hole) table.prices(170, 2) = NAN;
    const auto rows_alone = table.between(table.days[40], std::nullopt);
    for (const char* schedule : {"1m", "band:2pp", "band:10%", "1q|band:3pp"}) {
      for (const int delay : {0, 2}) {
        RehearsalOptions options{1000, delay, 0};
        options.track_targets = true;
        const auto plan = plan_of(Eigen::VectorXd::Constant(5, 0.19), schedule, rates(5, 20, 10));
        const auto alone = rehearse(rows_alone, plan, options);
        options.first_row = 40;
        const auto run = rehearse(table, plan, options);
        ASSERT_EQ(run.days, alone.days);
        EXPECT_EQ(run.net, alone.net) << schedule << " " << hole;
        EXPECT_EQ(run.gross, alone.gross);
        EXPECT_EQ(run.paper, alone.paper);
        EXPECT_EQ(run.trades.size(), alone.trades.size());
        EXPECT_TRUE(run.net.allFinite());
      }
    }
  }
}

TEST(Rehearsal, WhatTakesAllWealthIsNamedWithItsRunAndDay) {
  auto table = random_table(30, 1, 1);
  table.prices.setConstant(10);
  const auto message = [&](const RehearsalPlan& plan, const RehearsalOptions& options) {
    return test::message_of([&] { (void)rehearse(table, plan, options); });
  };
  auto plan = plan_of(Eigen::VectorXd::Ones(1), "5d", rates(1, 0, 0));
  plan.name = "short-lived";
  RehearsalOptions options{1000, 1, 0};
  for (const std::size_t row : {std::size_t(12), std::size_t(29)}) {  // between, and on the last row
    options.flows = {{table.days[row], -1000}};
    const auto on = fmt::format("rehearsal 'short-lived', {}: ", to_string(table.days[row]));
    EXPECT_THAT(message(plan, options), HasSubstr(on + "all wealth is lost: 0 is left. Take less out"));
  }
  // What it costs to raise the last of it is not there.
  options.flows = {{table.days[29], -999.5}};
  plan.terms.costs = rates(1, 20, 20);
  EXPECT_THAT(message(plan, options), HasSubstr("all wealth is lost"));
  // A fee above all there is: by the ledger, on the row of the first purchase.
  options.flows.clear();
  plan.terms.costs = rates(1, 0, 0);
  plan.terms.costs[0].buy.fee = 1001;
  EXPECT_THAT(message(plan, options), HasSubstr(fmt::format("rehearsal 'short-lived', {}: costs: they could reach all",
                                                            to_string(table.days[1]))));
}

}  // namespace
}  // namespace inchtide

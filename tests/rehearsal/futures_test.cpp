// Days of the past drawn anew.

#include "inchtide/rehearsal/futures.hpp"

#include <gmock/gmock.h>

#include <cmath>
#include <random>

#include "support/messages.hpp"
#include "support/walks.hpp"

namespace inchtide {
namespace {

using test::day;
using test::message_of;
using testing::HasSubstr;

PriceTable three_assets(Eigen::Index rows) {
  PriceTable table;
  table.assets = {{"TIDEMILL"}, {"KELPFARM"}, {"HOLLBOND"}};
  table.prices.resize(rows, 3);
  std::mt19937 random(5);
  std::normal_distribution<double> step(0, 0.01);
  for (Eigen::Index t = 0; t < rows; ++t) {
    table.days.push_back(day("2020-01-01") + std::chrono::days{t});
    const double together = step(random);
    for (Eigen::Index i = 0; i < 3; ++i) {
      const double moved = std::exp((i == 2 ? -0.5 : 1.0) * together + step(random) / 2 + 0.0002 * double(i));
      table.prices(t, i) = (t == 0 ? 10.0 * double(i + 1) : table.prices(t - 1, i)) * moved;
    }
  }
  return table;
}

TEST(Futures, EveryDrawnDayIsARealOneOfAllAssets) {
  const auto table = three_assets(300);
  const auto known = day_relatives(table.prices);
  ASSERT_EQ(known.relatives.rows(), 299);
  for (std::size_t draw = 0; draw < 20; ++draw) {
    const auto history = drawn_history(table, known.relatives, 4, 11, draw);
    const auto rows = drawn_rows(299, 299, 4, 11, draw);
    EXPECT_EQ(history.days, table.days);
    EXPECT_EQ(history.prices.row(0), table.prices.row(0));
    for (std::size_t t = 0; t < rows.size(); ++t) {
      const auto at = Eigen::Index(t), real = Eigen::Index(rows[t]);
      const Eigen::RowVectorXd moved = history.prices.row(at + 1).cwiseQuotient(history.prices.row(at));
      const Eigen::RowVectorXd then = table.prices.row(real + 1).cwiseQuotient(table.prices.row(real));
      EXPECT_LT((moved - then).cwiseAbs().maxCoeff(), 1e-14);
    }
  }
}

TEST(Futures, GoOnFromAFirstPriceOfEachAsset) {
  const auto whole = three_assets(30);
  const auto known = day_relatives(whole.prices);
  for (Eigen::Index i = 0; i < 3; ++i) {
    auto table = whole;
    table.prices(0, i) = std::nan("");
    EXPECT_THAT(message_of([&] { (void)drawn_history(table, known.relatives, 4, 11, 0); }),
                testing::AllOf(HasSubstr(table.assets[std::size_t(i)].code), HasSubstr("it has no price there")));
  }
}

TEST(Futures, DaysWithoutAllPricesAreNotDrawn) {
  auto table = three_assets(30);
  table.prices(7, 1) = table.prices(20, 2) = table.prices(21, 0) = std::nan("");
  const auto known = day_relatives(table.prices);
  for (const auto row : known.rows) {
    EXPECT_TRUE(row != 7 && row != 8 && row != 20 && row != 21 && row != 22) << row;
  }
  EXPECT_EQ(known.rows.size(), 29u - 5);
  table.prices.col(0).setConstant(std::nan(""));
  EXPECT_THAT(message_of([&] { (void)day_relatives(table.prices); }), HasSubstr("on no two days"));
}

// Blocks: the day after is the next real one unless a block begins, which happens once in so many days.
TEST(Futures, BlocksAreAsLongOnAverageAsAskedAndGoRoundTheEnd) {
  for (const double block : {1.0, 5.0, 40.0}) {
    std::size_t goes_on = 0, all = 0, round = 0;
    for (std::size_t draw = 0; draw < 200; ++draw) {
      const auto rows = drawn_rows(500, 750, block, 3, draw);
      ASSERT_EQ(rows.size(), 750u);
      for (std::size_t t = 1; t < rows.size(); ++t, ++all) {
        ASSERT_LT(rows[t], 500u);
        goes_on += rows[t] == (rows[t - 1] + 1) % 500;
        round += rows[t] == 0 && rows[t - 1] == 499;
      }
    }
    const double expected = (1 - 1 / block) + 1 / block / 500, share = double(goes_on) / double(all);
    EXPECT_NEAR(share, expected, 5 * std::sqrt(expected * (1 - expected) / double(all)) + 1e-12) << block;
    EXPECT_TRUE(block == 1 || round > 0);
  }
}

TEST(Futures, MeansVariancesAndCorrelationsAreThoseOfThePast) {
  const auto table = three_assets(400);
  const Eigen::MatrixXd logs = day_relatives(table.prices).relatives.array().log();
  const Eigen::RowVectorXd mean = logs.colwise().mean();
  const Eigen::MatrixXd off = logs.rowwise() - mean, covariance = off.transpose() * off / double(logs.rows());
  const int draws = 400;
  Eigen::RowVectorXd drawn_mean = Eigen::RowVectorXd::Zero(3);
  Eigen::MatrixXd drawn_covariance = Eigen::MatrixXd::Zero(3, 3);
  for (int draw = 0; draw < draws; ++draw) {
    const auto history = drawn_history(table, logs.array().exp().matrix(), 3, 1, std::size_t(draw));
    const Eigen::MatrixXd moved = day_relatives(history.prices).relatives.array().log();
    drawn_mean += moved.colwise().mean() / draws;
    const Eigen::MatrixXd away = moved.rowwise() - mean;
    drawn_covariance += away.transpose() * away / double(moved.rows()) / draws;
  }
  const double rows = double(logs.rows()) * draws;
  for (Eigen::Index i = 0; i < 3; ++i) {
    EXPECT_NEAR(drawn_mean[i], mean[i], 5 * std::sqrt(3 * covariance(i, i) / rows)) << i;
    for (Eigen::Index j = 0; j < 3; ++j) {
      const double scale = std::sqrt(covariance(i, i) * covariance(j, j));
      EXPECT_NEAR(drawn_covariance(i, j) / scale, covariance(i, j) / scale, 5 * std::sqrt(3 * 4 / rows)) << i << j;
    }
  }
}

TEST(Futures, SharesAndQuantilesAreCountedByHand) {
  const Eigen::VectorXd figures = Eigen::VectorXd::LinSpaced(21, -10, 10);  // every whole number
  const auto below = share_below(figures, -4.5);
  EXPECT_DOUBLE_EQ(below.share, 6.0 / 21);
  EXPECT_DOUBLE_EQ(below.error, std::sqrt(6.0 * 15 / 21 / 21 / 21));
  EXPECT_EQ(share_below(figures, -10).share, 0);
  const auto told = quantiles_of(figures);
  ASSERT_EQ(told.size(), 5);
  EXPECT_DOUBLE_EQ(told[0], -9);
  EXPECT_DOUBLE_EQ(told[1], -5);
  EXPECT_DOUBLE_EQ(told[2], 0);
  EXPECT_DOUBLE_EQ(told[4], 9);
}

TEST(Futures, RefuseWhatCannotBeDrawn) {
  auto table = three_assets(30);
  const auto relatives = day_relatives(table.prices).relatives;
  const auto drawn = [&](const Eigen::MatrixXd& from, double block) {
    return message_of([&] { (void)drawn_history(table, from, block, 1, 0); });
  };
  EXPECT_THAT(drawn(relatives.leftCols(2), 2), HasSubstr("those of other assets"));
  EXPECT_THAT(drawn(relatives, 0.5), HasSubstr("nothing can be drawn"));
  EXPECT_THAT(drawn(relatives.topRows(0), 2), HasSubstr("nothing can be drawn"));
  table.prices(0, 1) = std::nan("");
  EXPECT_THAT(drawn(relatives, 2), testing::AllOf(HasSubstr("KELPFARM, 2020-01-01"), HasSubstr("no price there")));
}

}  // namespace
}  // namespace inchtide

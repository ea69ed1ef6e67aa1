// What of the best run's edge is luck: against draws gone through row by row, formulas written out, published figures,
// and how often it is taken for more than luck where there is nothing else.

#include "inchtide/rehearsal/luck.hpp"

#include <gmock/gmock.h>

#include <cmath>
#include <numeric>
#include <random>

#include "inchtide/base/draws.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/rehearsal/rehearsal.hpp"
#include "rehearsal/plans.hpp"
#include "support/messages.hpp"
#include "support/rounds.hpp"

namespace inchtide {
namespace {

using test::message_of;
using testing::HasSubstr;
using Row = std::vector<long double>;

struct Tried {
  Eigen::MatrixXd runs;
  Eigen::VectorXd baseline;
};

/// Runs that share a market and differ by noise of their own, with these edges a row.
Tried tried_of(unsigned seed, int rows, const std::vector<double>& edges) {
  std::mt19937_64 random(seed);
  std::normal_distribution<double> normal;
  Tried tried{Eigen::MatrixXd(rows, Eigen::Index(edges.size())), Eigen::VectorXd(rows)};
  Eigen::VectorXd own = Eigen::VectorXd::Zero(Eigen::Index(edges.size()));
  for (int t = 0; t < rows; ++t) {
    const double market = 0.01 * normal(random);
    tried.baseline[t] = market + 0.002 * normal(random);
    for (Eigen::Index k = 0; k < own.size(); ++k) {
      own[k] = 0.5 * own[k] + 0.003 * normal(random);  // it hangs together
      tried.runs(t, k) = market + own[k] + edges[std::size_t(k)];
    }
  }
  return tried;
}

LuckOptions options_of(int draws, double block) {
  LuckOptions options;
  options.draws = draws;
  options.block = block;
  return options;
}

/// Mean, mean square, and from them the Sharpe ratio and how it moves with either.
struct Moments {
  explicit Moments(const Row& x) {
    for (auto v : x) mean += v, square += v * v;
    mean /= (long double)(x.size());
    square /= (long double)(x.size());
    const auto variance = square - mean * mean, deviation = std::sqrt(variance);
    sharpe = mean / deviation;
    by_mean = square / (variance * deviation);
    by_square = -mean / (2 * variance * deviation);
  }
  /// Of one row.
  [[nodiscard]] long double moved(long double v) const { return by_mean * (v - mean) + by_square * (v * v - square); }
  long double mean = 0, square = 0, sharpe = 0, by_mean = 0, by_square = 0;
};

Row column(const Eigen::VectorXd& x) {
  return {x.begin(), x.end()};
}

/// Bartlett's weights over this many lags, on the delta method's series.
long double error_of(const Row& a, const Row& b, int lags) {
  const Moments of_a(a), of_b(b);
  Row d;
  for (std::size_t t = 0; t < a.size(); ++t) d.push_back(of_a.moved(a[t]) - of_b.moved(b[t]));
  long double sum = 0;
  for (int lag = -lags; lag <= lags; ++lag) {
    const auto weight = 1 - std::abs((long double)(lag)) / (lags + 1);
    for (std::size_t t = std::size_t(std::abs(lag)); t < d.size(); ++t)
      sum += weight * d[t] * d[t - std::size_t(std::abs(lag))];
  }
  return std::sqrt(sum) / (long double)(a.size());
}

/// One draw of a run and the baseline, row by row.
long double drawn(const Row& a, const Row& b, const std::vector<std::vector<std::size_t>>& blocks) {
  Row drawn_a, drawn_b;
  for (const auto& block : blocks) {
    for (const auto t : block) drawn_a.push_back(a[t]), drawn_b.push_back(b[t]);
  }
  const Moments of_a(drawn_a), of_b(drawn_b), was_a(a), was_b(b);
  long double squares = 0;
  for (const auto& block : blocks) {
    long double sum = 0;
    for (const auto t : block) sum += of_a.moved(a[t]) - of_b.moved(b[t]);
    squares += sum * sum;
  }
  const auto error = std::sqrt(squares) / (long double)(a.size());
  return ((of_a.sharpe - of_b.sharpe) - (was_a.sharpe - was_b.sharpe)) / error;
}

std::vector<std::vector<std::size_t>> blocks_of(std::uint64_t seed, std::uint64_t draw, double length,
                                                std::size_t rows) {
  RandomDraw random(seed, draw);
  std::vector<std::vector<std::size_t>> blocks;
  for (std::size_t t = 0; t < rows; ++t) {
    if (t > 0 && random.uniform() >= 1 / length) {
      blocks.back().push_back((blocks.back().back() + 1) % rows);
    } else {
      blocks.push_back({random.below(rows)});
    }
  }
  return blocks;
}

TEST(Luck, IsWhatDrawsGoneThroughRowByRowSay) {
  const std::vector<double> edges{0.0004, 0, 0.0009, -0.0005};
  for (const double block : {1.0, 4.0, 17.5}) {
    const int runs = block == 4 ? 3 : 4;  // an odd number and an even one
    const auto tried = tried_of(11, 180, {edges.begin(), edges.begin() + runs});
    const auto options = options_of(150, block);
    const auto luck = luck_of(tried.runs, tried.baseline, options);
    const auto base = column(tried.baseline);
    std::vector<long double> figures;
    for (Eigen::Index k = 0; k < runs; ++k) {
      const auto run = column(tried.runs.col(k));
      const auto difference = Moments(run).sharpe - Moments(base).sharpe;
      const auto error = error_of(run, base, int(std::lround(block)));
      const auto& one = luck.runs[std::size_t(k)];
      EXPECT_NEAR(one.difference, double(difference), 1e-12);
      EXPECT_NEAR(one.error, double(error), 1e-12);
      figures.push_back(difference / error);
    }
    // How many draws' largest of these runs reach a figure.
    const auto reached = [&](const std::vector<std::size_t>& runs, long double figure) {
      int count = 0;
      for (int draw = 0; draw < options.draws; ++draw) {
        const auto blocks = blocks_of(options.seed, std::uint64_t(draw), block, 180);
        long double largest = -1e9;
        for (auto k : runs) largest = std::max(largest, drawn(column(tried.runs.col(Eigen::Index(k))), base, blocks));
        count += largest >= figure;
      }
      return (1.0 + count) / (1 + options.draws);
    };
    std::vector<std::size_t> order{0, 1, 2, 3};
    order.resize(std::size_t(runs));
    std::ranges::sort(order, std::greater{}, [&](std::size_t k) { return figures[k]; });
    ASSERT_EQ(*luck.best, order[0]);
    double least = 0;
    for (auto left = order; !left.empty(); left.erase(left.begin())) {
      least = std::max(least, reached(left, figures[left[0]]));
      EXPECT_DOUBLE_EQ(luck.runs[left[0]].p_value, least) << block << ", " << left[0];
    }
    EXPECT_DOUBLE_EQ(luck.p_value, reached(order, figures[order[0]]));
    EXPECT_EQ(luck.block, block);
    ASSERT_EQ(luck.others.size(), 2u);
    EXPECT_EQ(luck.others[0].block, std::max(1.0, block / 2));
    EXPECT_EQ(luck.others[1].block, 2 * block);
    if (20 * block > 180) continue;  // too few blocks to test at by itself
    EXPECT_DOUBLE_EQ(luck.others[1].p_value, luck_of(tried.runs, tried.baseline, options_of(150, 2 * block)).p_value);
  }
}

TEST(LuckOfMeans, IsWhatDrawsGoneThroughRowByRowSay) {
  for (const std::size_t runs : {1u, 2u, 5u, 9u}) {
    const auto tried = tried_of(unsigned(20 + runs), 150, std::vector<double>(runs, 0.0001));
    for (const double block : {1.0, 6.5, 150.0}) {
      const auto options = options_of(130, block);
      std::vector<Row> beyond;
      Row means;
      for (std::size_t k = 0; k < runs; ++k) {
        beyond.push_back(column(tried.runs.col(Eigen::Index(k)) - tried.baseline));
        means.push_back(std::accumulate(beyond[k].begin(), beyond[k].end(), 0.0L) / 150);
      }
      const auto best = std::ranges::max_element(means) - means.begin();
      int reached = 0;
      for (int draw = 0; draw < 130; ++draw) {
        Row drawn(runs, 0);
        for (const auto& rows : blocks_of(options.seed, std::uint64_t(draw), block, 150)) {
          for (const auto t : rows) {
            for (std::size_t k = 0; k < runs; ++k) drawn[k] += beyond[k][t] / 150;
          }
        }
        long double largest = -1;
        for (std::size_t k = 0; k < runs; ++k) largest = std::max(largest, drawn[k] - means[k]);
        reached += largest >= means[std::size_t(best)];
      }
      const auto luck = luck_of_means(tried.runs, tried.baseline, options);
      EXPECT_EQ(luck.best, std::size_t(best));
      EXPECT_NEAR(luck.difference, double(means[std::size_t(best)]), 1e-15);
      EXPECT_DOUBLE_EQ(luck.p_value, (1.0 + reached) / 131) << runs << ", " << block;
    }
  }
}

// More risk of the same: its mean is above for that alone, its Sharpe ratio is not.
TEST(LuckOfMeans, TakesRiskForAnEdgeWhichSharpeRatiosDoNot) {
  auto tried = tried_of(15, 900, {0, 0});
  tried.baseline.array() += 0.001;
  tried.runs.col(0) = 1.5 * tried.baseline + 0.05 * (tried.runs.col(0) - tried.runs.col(1));
  const auto luck = luck_of_means(tried.runs, tried.baseline, options_of(300, 0));
  EXPECT_EQ(luck.best, 0u);
  EXPECT_LT(luck.p_value, 0.05);
  EXPECT_GT(luck_of(tried.runs, tried.baseline, options_of(300, 0)).p_value, 0.2);
  EXPECT_EQ(luck_of_means(tried.baseline, tried.baseline, options_of(300, 0)).p_value, 1) << "the baseline itself";
  EXPECT_THAT(message_of([&] { (void)luck_of_means(tried.runs.leftCols(0), tried.baseline); }), HasSubstr("no run"));
}

TEST(LuckOfMeans, ARunThatDiffersOnFewDaysDoesNotSetTheBlocksOfTheOthers) {
  auto tried = tried_of(13, 600, {0, 0, 0});
  const auto before = luck_of_means(tried.runs.leftCols(2), tried.baseline, options_of(50, 0));
  tried.runs.col(2) = tried.baseline;
  for (int t = 300; t < 360; ++t) tried.runs(t, 2) -= 0.02 * t / 300;
  EXPECT_EQ(luck_of_means(tried.runs, tried.baseline, options_of(50, 0)).block, before.block);
}

TEST(Luck, RunsFarBehindDoNotCountWhereItIsRecentred) {
  const auto tried = tried_of(5, 500, {0.0003, 0.0002});
  const auto alone = luck_of(tried.runs, tried.baseline, options_of(400, 5));
  Tried more = tried;
  more.runs.conservativeResize(500, 12);
  for (int k = 2; k < 12; ++k) more.runs.col(k) = tried_of(unsigned(90 + k), 500, {-0.004}).runs.col(0);
  const auto beside = luck_of(more.runs, tried.baseline, options_of(400, 5));
  EXPECT_EQ(beside.p_value_recentred, alone.p_value_recentred);
  EXPECT_GT(beside.p_value, beside.p_value_recentred);
  EXPECT_EQ(alone.p_value_recentred, alone.p_value) << "none is far behind";
}

TEST(Luck, AnEdgeIsFoundAndThreadsChangeNothing) {
  const auto tried = tried_of(7, 800, {0, 0.0012, 0, 0});
  auto options = options_of(500, 0);
  options.threads = 1;
  const auto luck = luck_of(tried.runs, tried.baseline, options);
  EXPECT_EQ(*luck.best, 1u);
  EXPECT_LT(luck.p_value, 0.01);
  EXPECT_GT(luck.runs[0].p_value, 0.05);
  EXPECT_GE(luck.block, 1);
  options.threads = 2;
  const auto again = luck_of(tried.runs, tried.baseline, options);
  for (std::size_t k = 0; k < 4; ++k) EXPECT_EQ(again.runs[k].p_value, luck.runs[k].p_value);
  options.seed = 2;
  EXPECT_NE(luck_of(tried.runs, tried.baseline, options).runs[0].p_value, luck.runs[0].p_value);
}

TEST(Luck, RunsThatCannotBeToldApartAreNotTested) {
  auto tried = tried_of(3, 300, {0, 0, 0});
  tried.runs.col(0) = tried.baseline;
  tried.runs.col(1) = tried.baseline * 2;  // the same ratio on any draw
  tried.runs.col(2) = tried.baseline;
  tried.runs.block(100, 2, 40, 1).array() += 0.001;  // 40 rows of 5 in a block
  const auto luck = luck_of(tried.runs, tried.baseline, options_of(100, 5));
  EXPECT_EQ(luck.runs[0].beside, Beside::same);
  EXPECT_EQ(luck.runs[1].beside, Beside::same);
  EXPECT_EQ(luck.runs[2].beside, Beside::too_few);
  EXPECT_FALSE(luck.best);
  EXPECT_EQ(luck.p_value, 1);
  EXPECT_EQ(luck.distinct, 3u) << "twice the baseline is another run, and the baseline itself none";
  tried.runs.block(140, 2, 10, 1).array() += 0.001;
  EXPECT_EQ(luck_of(tried.runs, tried.baseline, options_of(100, 5)).runs[2].beside, Beside::tested);
}

TEST(Luck, OfRunsThatAreTheSameButForRoundingTheFirstIsBest) {
  auto tried = tried_of(6, 300, {0, 0.001, 0.001});
  for (const double rounding : {1e-15, -1e-15}) {
    tried.runs.col(2) = tried.runs.col(1) * (1 + rounding);
    tried.runs.col(2).array() += rounding;
    const auto luck = luck_of(tried.runs, tried.baseline, options_of(100, 5));
    EXPECT_EQ(luck.best, 1u) << rounding;
    EXPECT_NE(luck.runs[1].sharpe, luck.runs[2].sharpe);
  }
}

TEST(Luck, ARunThatDiffersOnFewDaysDoesNotSetTheBlocksOfTheOthers) {
  auto tried = tried_of(13, 600, {0, 0, 0});
  const auto before = luck_of(tried.runs.leftCols(2), tried.baseline, options_of(50, 0));
  tried.runs.col(2) = tried.baseline;
  for (int t = 300; t < 360; ++t) tried.runs(t, 2) += 0.02 * t / 300;  // it hangs together for long
  const auto beside = luck_of(tried.runs, tried.baseline, options_of(50, 0));
  EXPECT_EQ(beside.block, before.block);
  EXPECT_EQ(beside.p_value, before.p_value);
  EXPECT_EQ(beside.runs[2].beside, Beside::too_few);
}

TEST(Luck, TheDeflatedSharpeRatioIsThePublishedOne) {
  // Bailey & Lopez de Prado 2014, their numerical example: 2.5 a year over 1,250 days, skew -3, kurtosis 10, 100 tries
  // whose yearly ratios have the variance 1/2.
  const auto deflated = deflated_sharpe(2.5 / std::sqrt(250.0), -3, 10, 1250, 100, std::sqrt(0.5 / 250));
  EXPECT_NEAR(deflated.expected_best, 0.1132, 5e-5);
  EXPECT_NEAR(deflated.probability, 0.9004, 5e-5);
  EXPECT_EQ(deflated_sharpe(0.1, 0, 3, 1000, 1, 0.02).expected_best, 0) << "one try is no choice";
}

TEST(Luck, TriesThatWereNotRehearsedDeflateToo) {
  const auto tried = tried_of(9, 600, {0.0003, 0.0001, -0.0002, 0.0002});
  auto options = options_of(50, 5);
  const auto few = luck_of(tried.runs, tried.baseline, options);
  options.tried = 995;
  const auto many = luck_of(tried.runs, tried.baseline, options);
  EXPECT_EQ(few.tries, 5);
  EXPECT_EQ(many.tries, 1000);
  EXPECT_LT(many.deflated->probability, few.deflated->probability);
  EXPECT_EQ(many.p_value, few.p_value) << "what isn't there can't be drawn";
  // The runs share a market: they count for fewer.
  EXPECT_LT(few.deflated_correlated->tries, few.tries);
  // By the definition: the mean of all pairs' correlations.
  Eigen::MatrixXd all(600, 5);
  all << tried.runs, tried.baseline;
  all.rowwise() -= all.colwise().mean().eval();
  double sum = 0;
  for (int i = 0; i < 5; ++i) {
    for (int j = 0; j < i; ++j) sum += all.col(i).normalized().dot(all.col(j).normalized()) / 10;
  }
  EXPECT_NEAR(few.deflated_correlated->tries, sum + (1 - sum) * 5, 1e-12);
}

// Of an autoregression r(k) = phi^k the length is (2 phi / (1 - phi^2))^(2/3) T^(1/3).
TEST(UsualBlock, IsNearItsClosedFormOfAnAutoregression) {
  const int rows = 20'000;
  double sum = 0;
  for (unsigned seed = 0; seed < 20; ++seed) {
    std::mt19937_64 random(seed);
    std::normal_distribution<double> normal;
    Eigen::VectorXd series(rows);
    double at = 0;
    for (auto& x : series) x = at = 0.5 * at + normal(random);
    sum += usual_block(series) / 20;
  }
  EXPECT_NEAR(sum, std::pow(1 / 0.75, 2.0 / 3) * std::cbrt(rows), 3);
}

/// Politis & White (2004) with the correction of 2009, written out: the first lag after which K in a row are within the
/// noise, twice it as the width of a window that is flat to its middle, and the length from what is left within.
double block_by_the_paper(const std::vector<double>& x) {
  const auto rows = (long double)(x.size());
  long double mean = 0;
  for (double v : x) mean += v / rows;
  const auto r = [&](long lag) {
    long double sum = 0;
    for (std::size_t t = std::size_t(lag); t < x.size(); ++t)
      sum += (x[t] - mean) * (x[t - std::size_t(lag)] - mean) / rows;
    return sum;
  };
  const long in_a_row = std::max(5L, long(std::ceil(std::sqrt(std::log10(rows)))));
  const long most = std::min(long(std::ceil(std::sqrt(rows))) + in_a_row, long(x.size()) - 1);
  long last = 0;
  for (long lag = 1, quiet = 0; lag <= most && quiet < in_a_row; ++lag) {
    quiet = std::abs(r(lag)) < 2 * std::sqrt(std::log10(rows) / rows) * r(0) ? quiet + 1 : 0;
    if (quiet == 0) last = lag;
  }
  const long width = std::min(2 * last, most);
  long double g = 0, spectrum = r(0);
  for (long lag = 1; lag <= width; ++lag) {
    const long double at = (long double)(lag) / (long double)(width), weight = at <= 0.5L ? 1 : 2 * (1 - at);
    g += 2 * weight * (long double)(lag)*r(lag);
    spectrum += 2 * weight * r(lag);
  }
  const long double length = std::cbrt(2 * g * g / (2 * spectrum * spectrum)) * std::cbrt(rows);
  return double(std::max(1.0L, std::min(length, std::min(3 * std::sqrt(rows), rows / 3))));
}

TEST(Blocks, AreAsLongAsThePaperHasThem) {
  std::mt19937_64 random(41);
  std::normal_distribution<double> normal;
  int capped = 0;
  for (int round = 0; round < 200; ++round) {
    std::vector<double> x(std::size_t(12 + random() % 900));
    const double stays = 0.95 - 0.27 * double(random() % 8), rises = round % 5 == 0 ? double(random() % 3) : 0;
    double now = 0;
    for (auto& v : x) v = now = (rises > 0 ? 1 : stays) * now + rises + normal(random);
    const double length = block_by_the_paper(x);
    EXPECT_NEAR(usual_block(Eigen::Map<const Eigen::VectorXd>(x.data(), Eigen::Index(x.size()))), length, 1e-9 * length)
        << round;
    capped += length == std::min(3 * std::sqrt(double(x.size())), double(x.size()) / 3);
  }
  EXPECT_GT(capped, 5);
}

TEST(UsualBlock, IsShortOfNoiseAndNeverBeyondItsBounds) {
  std::mt19937_64 random(4);
  std::normal_distribution<double> normal;
  Eigen::VectorXd noise(2000), trend(400);
  for (auto& x : noise) x = normal(random);
  EXPECT_LE(usual_block(noise), 5);
  for (const int rows : {6, 20, 60, 400}) {
    trend.setLinSpaced(rows, 0, 1);
    EXPECT_LE(usual_block(trend), std::min(3 * std::sqrt(double(rows)), rows / 3.0));
    EXPECT_GT(usual_block(trend), rows / 20.0);
  }
  EXPECT_EQ(usual_block(Eigen::VectorXd::Ones(50)), 1);
}

TEST(Luck, SaysWhatCannotBe) {
  const auto tried = tried_of(1, 100, {0, 0});
  const auto said = [&](const Eigen::MatrixXd& runs, const Eigen::VectorXd& baseline, const LuckOptions& options) {
    return message_of([&] { (void)luck_of(runs, baseline, options); });
  };
  EXPECT_THAT(said(tried.runs.topRows(3), tried.baseline.head(3), {}), HasSubstr("3 rows of returns are too few"));
  EXPECT_THAT(said(tried.runs.topRows(1), tried.baseline.head(1), {}), HasSubstr("1 row of returns is too few"));
  EXPECT_THAT(said(tried.runs.topRows(50), tried.baseline, {}), HasSubstr("runs have 50 rows and the baseline 100"));
  auto holes = tried;
  holes.runs(3, 1) = std::nan("");
  EXPECT_THAT(said(holes.runs, holes.baseline, {}), HasSubstr("a return is no number"));
  holes.runs.col(1).setConstant(0.01);
  EXPECT_THAT(said(holes.runs, holes.baseline, {}), HasSubstr("run 2 of 3 doesn't move"));
  EXPECT_THAT(said(tried.runs, tried.baseline, options_of(0, 5)), HasSubstr("0 draws"));
  EXPECT_THAT(said(tried.runs, tried.baseline, options_of(10, 0.5)), HasSubstr("blocks of 0.5 rows"));
}

/// Three years of a market in which no price says anything of the next.
PriceTable without_any_edge(unsigned seed) {
  std::mt19937_64 random(seed);
  std::normal_distribution<double> normal;
  PriceTable table;
  table.prices.resize(757, 4);
  Eigen::RowVectorXd price = Eigen::RowVectorXd::Constant(4, 100);
  for (int t = 0; t < 757; ++t) {
    table.days.push_back(*parse_day("2020-01-01") + std::chrono::days{t});
    table.prices.row(t) = price;
    const double market = normal(random);
    for (double& p : price) p *= 1 + 0.01 * (0.6 * market + normal(random));
  }
  for (const char* code : {"A", "B", "C", "D"}) table.assets.push_back({code, "HLC", PriceField::close});
  return table;
}

// No schedule has an edge there, and one would be taken for better than the quarterly one in 5 of 100.
TEST(Luck, IsTakenForMoreInAboutFiveOfAHundredWhereThereIsNothingElse) {
  const int nulls = test::rounds(2000) == 2000 ? 2000 : 60;
  int found = 0;
  for (int null = 0; null < nulls; ++null) {
    const auto table = without_any_edge(unsigned(4000 + null));
    Eigen::MatrixXd runs(755, 9);
    const auto returns = [&](const char* schedule) {
      RehearsalPlan plan;
      plan.weights = Eigen::VectorXd::Constant(4, 0.25);
      plan.schedule = Schedule::parse(schedule, "test");
      RehearsalOptions options;
      options.track_targets = false;
      return returns_of(rehearse(table, plan, options), 1);
    };
    Eigen::Index at = 0;
    for (const char* schedule : {"never", "5d", "10d", "21d", "126d", "252d", "band:2pp", "band:5pp", "band:10%"}) {
      runs.col(at++) = returns(schedule);
    }
    found += luck_of(runs, returns("63d"), options_of(199, 0)).p_value <= 0.05;
  }
  const double share = double(found) / nulls, around = nulls == 2000 ? 0.0 : 0.05;  // of 60: 4 standard errors wide
  EXPECT_GE(share, std::max(0.0, 0.04 - around));
  EXPECT_LE(share, 0.08 + around);
}

}  // namespace
}  // namespace inchtide

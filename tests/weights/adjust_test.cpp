// Weights moved inside limits, rounded, mixed by tag, swept; blends; costs; draws and clouds.

#include "inchtide/weights/adjust.hpp"
#include "inchtide/frontier/cloud.hpp"

#include <fmt/format.h>

#include <cmath>
#include <random>

#include "inchtide/base/errors.hpp"
#include "inchtide/weights/allocation.hpp"
#include "inchtide/weights/sensitivity.hpp"
#include "inchtide/weights/weight_list.hpp"
#include "support/five.hpp"
#include "support/limits.hpp"
#include "support/messages.hpp"
#include "support/problems.hpp"
#include "support/returns.hpp"
#include "support/rounds.hpp"

namespace inchtide {
namespace {

using test::limits_of;
using test::message_of;
using testing::HasSubstr;

const auto& assets = test::five;

// ---- moved inside ---------------------------------------------------------------------------------------------------

TEST(NearestWithin, CapsInClosedForm) {
  // 60% is cut to 40%; the rest is shared equally by those with room.
  const auto bounds = bounds_of(limits_of({"each <= 40%"}), assets);
  const Eigen::VectorXd from = (Eigen::VectorXd(5) << 0.6, 0.1, 0.1, 0.1, 0.1).finished();
  const Eigen::VectorXd expected = (Eigen::VectorXd(5) << 0.4, 0.15, 0.15, 0.15, 0.15).finished();
  EXPECT_LT((nearest_within(bounds, from) - expected).cwiseAbs().maxCoeff(), 1e-12);
}

TEST(NearestWithin, NoRandomWeightsWithinLieNearer) {
  const auto bounds =
      bounds_of(limits_of({"sector:power <= 30%", "each <= 35%", "KELPFARM >= 5%"}), assets, test::tags_of_five());
  const auto frontier = trace_frontier(test::estimate_of_five(), bounds);
  const Eigen::VectorXd from = Eigen::VectorXd::Constant(5, 0.2);
  const Eigen::VectorXd moved = nearest_within(bounds, from);
  EXPECT_NEAR(moved.sum(), 1, 1e-12);
  EXPECT_NEAR(moved[0] + moved[1], 0.3, 1e-12);
  const Eigen::MatrixXd others = random_portfolios(frontier, 2000, 3);
  for (Eigen::Index c = 0; c < others.cols(); ++c) {
    EXPECT_GE((others.col(c) - from).norm(), (moved - from).norm() - 1e-12);
  }
}

// ---- rounding, mixes, sweeps ----------------------------------------------------------------------------------------

TEST(Rounding, KeepsTheSumAndGivesStepsToTheLargestRemainders) {
  const Eigen::VectorXd w = (Eigen::VectorXd(4) << 0.333, 0.333, 0.334, 0.0).finished();
  const Eigen::VectorXd expected = (Eigen::VectorXd(4) << 0.33, 0.33, 0.34, 0).finished();
  EXPECT_LT((rounded_to(w, 0.01) - expected).cwiseAbs().maxCoeff(), 1e-15);
  const Eigen::VectorXd exact = (Eigen::VectorXd(3) << 0.15, 0.29, 0.56).finished();
  EXPECT_LT((rounded_to(exact, 0.01) - exact).cwiseAbs().maxCoeff(), 1e-15) << "whole already";
  std::mt19937_64 random(92);
  for (int round = 0; round < test::rounds(200); ++round) {
    Eigen::VectorXd any(7);
    for (auto& weight : any) weight = double(random() % 1000) - 100;
    any /= any.sum();
    const Eigen::VectorXd rounded = rounded_to(any, 0.05);
    EXPECT_NEAR(rounded.sum(), 1, 1e-9);
    EXPECT_LE((rounded - any).cwiseAbs().maxCoeff(), 0.05 + 1e-9);
  }
  EXPECT_THAT(message_of([&] { rounded_to(w, 0); }), HasSubstr("Give for example 1%"));
}

TEST(Mixes, AreEqualWithinEachPart) {
  const Eigen::VectorXd expected = (Eigen::VectorXd(5) << 0.2, 0.2, 0.2, 0.2, 0.2).finished();
  EXPECT_LT(
      (mixed_weights("sector:bonds=40%, rest=60%", assets, test::tags_of_five()) - expected).cwiseAbs().maxCoeff(),
      1e-15);
  const Eigen::VectorXd single = (Eigen::VectorXd(5) << 0.15, 0.15, 0, 0, 0.7).finished();
  EXPECT_LT(
      (mixed_weights("billfund=70%,sector:power=30%", assets, test::tags_of_five()) - single).cwiseAbs().maxCoeff(),
      1e-15);
  const auto complaint = [](const char* text) {
    return message_of([&] { mixed_weights(text, assets, test::tags_of_five()); });
  };
  EXPECT_THAT(complaint("sector:bonds=40%"), HasSubstr("its parts sum to 40%"));
  EXPECT_THAT(complaint("sector:bonds=40%, HOLLBOND=60%"), HasSubstr("HOLLBOND is in two parts"));
  EXPECT_THAT(complaint("sector:bond=40%, rest=60%"), HasSubstr("no asset is in 'sector:bond'. Did you mean 'bonds'?"));
  EXPECT_THAT(complaint("sectr:bonds=40%, rest=60%"), HasSubstr("Did you mean 'sector'?"));
  EXPECT_THAT(complaint("HOLBOND=40%, rest=60%"), HasSubstr("Did you mean 'HOLLBOND'?"));
  EXPECT_THAT(complaint("sector:bonds, rest=60%"), HasSubstr("'sector:bonds' has no weight"));
  EXPECT_THAT(complaint("sector:bonds=40, rest=60%"), HasSubstr("%"));
}

TEST(Sweep, RunsFromOneAssetToTheOther) {
  const auto estimate = test::estimate_of_five();
  const auto points = sweep(estimate, 0, 3, 0.25, 0.01);
  ASSERT_EQ(points.size(), 5u);
  EXPECT_EQ(points.front().first, 0);
  EXPECT_EQ(points.back().first, 1);
  EXPECT_NEAR(points.front().volatility, std::sqrt(estimate.covariance.variance(3)), 1e-15);
  Eigen::VectorXd w = Eigen::VectorXd::Zero(5);
  w[0] = 0.75;
  w[3] = 0.25;
  EXPECT_NEAR(points[3].volatility, std::sqrt(estimate.covariance.portfolio_variance(w)), 1e-14);
  EXPECT_NEAR(points[3].sharpe, (0.75 * 0.09 + 0.25 * 0.03 - 0.01) / points[3].volatility, 1e-12);
  EXPECT_EQ(sweep(estimate, 0, 1, 0.3, 0).back().first, 1) << "the last step is as long as is left";
  EXPECT_THAT(message_of([&] { sweep(estimate, 0, 1, 0, 0); }), HasSubstr("Give 0.1% to 100%"));
}

// ---- blends and the lower half --------------------------------------------------------------------------------------

TEST(Blends, LieOnTheCapitalMarketLine) {
  const auto estimate = test::estimate_of_five();
  const auto frontier = trace_frontier(estimate, Limits{});
  const auto best = frontier.maximum_sharpe(0.01);
  const auto half = choose(frontier, Aim{Aim::Kind::blend_volatility, best.portfolio.volatility / 2}, 0.01);
  EXPECT_LT((half.weights - best.portfolio.weights / 2).cwiseAbs().maxCoeff(), 1e-14);
  EXPECT_NEAR(half.sharpe, best.sharpe, 1e-12);
  const double far = 0.01 + 1.5 * (best.portfolio.expected_return - 0.01);
  const Aim beyond{Aim::Kind::blend_return, far};
  EXPECT_THAT(message_of([&] { choose(frontier, beyond, 0.01); }), HasSubstr("Allow borrowing"));
  ChoiceOptions options;
  options.borrowing = true;
  const auto borrowed = choose(frontier, beyond, 0.01, options);
  EXPECT_NEAR(borrowed.weights.sum(), 1.5, 1e-12);
  // With the interest on what is borrowed the whole returns what was asked for.
  EXPECT_NEAR(borrowed.expected_return, far, 1e-12);
}

// ---- what trading costs ---------------------------------------------------------------------------------------------

LimitFacts trading_from(const Eigen::VectorXd& current, double rate) {
  LimitFacts facts;
  facts.current = current;
  facts.costs = TradingCosts{
      current, {Eigen::VectorXd::Constant(current.size(), rate), Eigen::VectorXd::Constant(current.size(), rate)}, 1};
  return facts;
}

TEST(TradingCosts, ComeOffBudgetAndReturn) {
  const auto estimate = test::estimate_of_five();
  const Eigen::VectorXd now = Eigen::VectorXd::Constant(5, 0.2);
  const auto facts = trading_from(now, 0.01);
  const auto frontier = trace_frontier(estimate, Limits{}, facts);
  const auto found = frontier.at_lambda(0.3);
  const double cost = 0.01 * (found.weights - now).cwiseAbs().sum();
  EXPECT_NEAR(found.weights.sum(), 1 - cost, 1e-12);
  EXPECT_NEAR(found.expected_return, estimate.expected_return.dot(found.weights) - cost, 1e-14);
  EXPECT_TRUE(found.certificate.holds());
  // No costs: the plain answer.
  const auto plain = trace_frontier(estimate, Limits{}).at_lambda(0.3);
  const auto free_of_cost = trace_frontier(estimate, Limits{}, trading_from(now, 0)).at_lambda(0.3);
  EXPECT_LT((plain.weights - free_of_cost.weights).cwiseAbs().maxCoeff(), 1e-10);
}

TEST(TradingCosts, AnswersBeatEveryNeighbour) {
  // The aim itself, without any of the solver's algebra: move between two assets, pay, compare.
  const auto estimate = test::estimate_of_five();
  const Eigen::VectorXd now = (Eigen::VectorXd(5) << 0.5, 0, 0.2, 0.3, 0).finished();
  const auto facts = trading_from(now, 0.004);
  const auto frontier = trace_frontier(estimate, Limits{}, facts);
  const double lambda = 0.25;
  const auto found = frontier.at_lambda(lambda);
  const auto objective = [&](const Eigen::VectorXd& w) {
    const double net = estimate.expected_return.dot(w) - 0.004 * (w - now).cwiseAbs().sum();
    return estimate.covariance.portfolio_variance(w) / 2 - lambda * net;
  };
  const auto paid_for = [&](Eigen::VectorXd w, Eigen::Index to) {  // what is left goes into one asset
    for (int k = 0; k < 60; ++k) w[to] += (1 - 0.004 * (w - now).cwiseAbs().sum() - w.sum()) * 0.9;
    return w;
  };
  int tried = 0;
  for (Eigen::Index i = 0; i < 5; ++i) {
    for (Eigen::Index j = 0; j < 5; ++j) {
      for (double step : {1e-2, 1e-3, 1e-4}) {
        Eigen::VectorXd w = found.weights;
        w[i] -= step;
        w = paid_for(w, j);
        if (i == j || w.minCoeff() < 0) continue;
        EXPECT_GE(objective(w), objective(found.weights) - 1e-12);
        ++tried;
      }
    }
  }
  EXPECT_GT(tried, test::rare(10));
}

TEST(TradingCosts, SmallGainsAreNotTradedFor) {
  const auto estimate = test::estimate_of_five();
  const auto best = trace_frontier(estimate, Limits{}).at_lambda(0.3).weights;
  Eigen::VectorXd near = best;  // a little off the best weights: trading costs more than it brings
  near[0] -= 0.002;
  near[3] += 0.002;
  const auto kept = trace_frontier(estimate, Limits{}, trading_from(near, 0.02)).at_lambda(0.3);
  EXPECT_LT((kept.weights - near).cwiseAbs().maxCoeff(), 1e-9);
}

// ---- draws --------------------------------------------------------------------------------------------------------

TEST(WeightsFor, PutsEachWhereItsAssetIs) {
  EXPECT_EQ(weights_for(assets, {"held", {"kelpfarm", "TIDEMILL"}, {0.3, 0.7}, ""}),
            (Eigen::VectorXd(5) << 0.7, 0, 0.3, 0, 0).finished());
  EXPECT_THAT(message_of([] {
                weights_for(assets, {"held", {"KELPFARM"}, {0.3, 0.7}, ""});
              }),
              HasSubstr("weights: 2 weights for 1 codes"));
  EXPECT_THAT(message_of([] {
                weights_for(assets, {"held", {"KELPFARM", "kelpfarm"}, {0.3, 0.7}, ""});
              }),
              HasSubstr("kelpfarm comes twice"));
}

/// Between two of the sorted values by its distance.
double quantile_of(std::vector<double> values, double at) {
  std::ranges::sort(values);
  const double place = at * double(values.size() - 1);
  const auto below = std::size_t(place);
  if (below + 1 == values.size()) return values.back();
  return values[below] + (place - double(below)) * (values[below + 1] - values[below]);
}

TEST(Sensitivity, BandsAreQuantilesOfWhatEachDrawSays) {
  std::mt19937_64 random(95);
  std::normal_distribution<double> normal;
  Eigen::MatrixXd x(48, 4);
  for (Eigen::Index i = 0; i < 4; ++i) {
    for (Eigen::Index t = 0; t < 48; ++t)
      x(t, i) = 0.004 + 0.002 * double(i) + (0.02 + 0.01 * double(i)) * normal(random);
  }
  const auto returns = test::table_of(x);
  std::vector<Estimate> drawn;
  const auto estimator = [&](const ReturnTable& some, const Eigen::VectorXd&) {
    auto estimate = sample_estimate(some);
    if (some.returns != x) drawn.push_back(estimate);
    return estimate;
  };
  const auto limits = limits_of({"each <= 70%"});
  BootstrapOptions options;
  options.draws = 31;
  options.threads = 1;
  options.coverage = 0.8;
  const auto said = sensitivity(returns, estimator, limits, {}, {Aim{Aim::Kind::minimum_variance, 0}}, 0, options);
  ASSERT_EQ(drawn.size(), 31u);
  std::vector<Frontier> frontiers;
  for (const auto& estimate : drawn) frontiers.push_back(trace_frontier(estimate, limits));
  const auto& bands = said.portfolios[0];
  for (Eigen::Index i = 0; i < 4; ++i) {
    std::vector<double> weights;
    for (const auto& frontier : frontiers) weights.push_back(frontier.minimum_variance().weights[i]);
    EXPECT_NEAR(bands.low[i], quantile_of(weights, 0.1), 1e-12);
    EXPECT_NEAR(bands.high[i], quantile_of(weights, 0.9), 1e-12);
    EXPECT_NEAR(bands.held[i], double(std::ranges::count_if(weights, [](double w) { return w > 1e-6; })) / 31, 1e-12);
  }
  // At evenly spaced volatilities of the frontier as it was, where half of the draws' frontiers reach.
  const auto as_it_was = trace_frontier(sample_estimate(returns), limits);
  const double least = as_it_was.corners().back().volatility, most = as_it_was.corners().front().volatility;
  ASSERT_GT(said.frontier.size(), 5u);
  const double step = said.frontier[1].volatility - said.frontier[0].volatility;
  EXPECT_NEAR((most - least) / step, std::round((most - least) / step), 1e-9);
  const auto returns_at = [&](double volatility) {
    std::vector<double> reached;
    for (const auto& frontier : frontiers) {
      const auto& corners = frontier.corners();
      if (corners.back().volatility > volatility || corners.front().volatility < volatility) continue;
      reached.push_back(frontier.at_volatility(volatility).expected_return);
    }
    return reached;
  };
  const auto expect_of_those_that_reach_it = [&](const FrontierBand& at) {
    const auto reached = returns_at(at.volatility);
    ASSERT_EQ(std::size_t(at.draws), reached.size());
    EXPECT_GE(reached.size(), 16u);
    EXPECT_NEAR(at.low, quantile_of(reached, 0.1), 1e-10);
    EXPECT_NEAR(at.middle, quantile_of(reached, 0.5), 1e-10);
    EXPECT_NEAR(at.high, quantile_of(reached, 0.9), 1e-10);
  };
  for (const auto& at : said.frontier) {
    EXPECT_NEAR((at.volatility - least) / step, std::round((at.volatility - least) / step), 1e-9);
    expect_of_those_that_reach_it(at);
  }
  int in_all = 0, skipped = 0;
  for (int k = 0; k <= std::lround((most - least) / step); ++k) {
    const double volatility = least + k * step;
    const bool has_band = std::ranges::any_of(
        said.frontier, [&](const FrontierBand& at) { return std::abs(at.volatility - volatility) < step / 2; });
    if (k == std::lround((most - least) / step)) continue;  // at the end rounding tells draws apart
    EXPECT_EQ(has_band, returns_at(volatility).size() >= 16) << k;
    ++in_all;
    skipped += has_band ? 0 : 1;
  }
  EXPECT_EQ(in_all, 40);
  EXPECT_GT(skipped, 0);
  // Draws that are all riskier than the history itself reach none of the least volatilities, and all of the others.
  const auto riskier = [&](const ReturnTable& some, const Eigen::VectorXd&) {
    auto estimate = sample_estimate(some);
    if (some.returns != x) estimate.covariance = Covariance::dense(1.5 * estimate.covariance.matrix());
    return estimate;
  };
  const auto late = sensitivity(returns, riskier, limits, {}, {}, 0, options).frontier;
  ASSERT_GT(late.size(), 5u);
  EXPECT_GT(late.front().volatility, least + step / 2);
  // A ceiling on volatility ends many draws: they are all there at it, not those alone that rounding leaves above.
  const auto ceiling = fmt::format("volatility <= {}%", 50 * (least + most));
  const auto below = sensitivity(returns, estimator, limits_of({"each <= 70%", ceiling}), {}, {}, 0, options).frontier;
  ASSERT_GT(below.size(), 5u);
  EXPECT_NEAR(below.back().volatility, (least + most) / 2, 1e-9);
  for (const auto& at : below) expect_of_those_that_reach_it(at);
}

TEST(Sensitivity, BandsHoldTheDrawsAndDoNotDependOnThreads) {
  std::mt19937_64 random(94);
  std::normal_distribution<double> normal;
  Eigen::MatrixXd x(60, 5);
  for (Eigen::Index i = 0; i < 5; ++i) {
    for (Eigen::Index t = 0; t < 60; ++t) x(t, i) = 0.004 + 0.002 * double(i) + 0.03 * normal(random);
  }
  const auto returns = test::table_of(x);
  const auto estimator = [](const ReturnTable& drawn, const Eigen::VectorXd&) { return sample_estimate(drawn); };
  const auto limits = limits_of({"each <= 60%"});
  const std::vector<Aim> aims{Aim{Aim::Kind::minimum_variance, 0}, Aim{Aim::Kind::maximum_sharpe, 0}};
  BootstrapOptions options;
  options.draws = 60;
  options.threads = 1;
  const auto one = sensitivity(returns, estimator, limits, {}, aims, 0, options);
  options.threads = 2;
  const auto two = sensitivity(returns, estimator, limits, {}, aims, 0, options);
  ASSERT_EQ(one.portfolios.size(), 2u);
  const auto& least = one.portfolios[0];
  EXPECT_EQ(least.average, two.portfolios[0].average);
  EXPECT_EQ(least.draws, 60);
  EXPECT_NEAR(least.average.sum(), 1, 1e-9);
  EXPECT_TRUE((least.low.array() <= least.high.array() + 1e-15).all());
  EXPECT_TRUE((least.held.array() >= 0).all() && (least.held.array() <= 1).all());
  EXPECT_LT((least.weights - trace_frontier(sample_estimate(returns), limits).minimum_variance().weights).norm(),
            1e-12);
  ASSERT_FALSE(one.frontier.empty());
  for (const auto& at : one.frontier) {
    EXPECT_LE(at.low, at.middle);
    EXPECT_LE(at.middle, at.high);
    EXPECT_GE(at.draws, 30);
  }
  // Half of the draws lie within the quartiles, on either side of the middle.
  options.coverage = 0.5;
  for (const auto& at : sensitivity(returns, estimator, limits, {}, aims, 0, options).frontier) {
    EXPECT_GT(at.middle, at.low);
    EXPECT_GT(at.high, at.middle);
  }
  options.coverage = BootstrapOptions().coverage;
  // A history that is the same over and over leaves nothing to luck: blocks of the whole of it only turn it around.
  BootstrapOptions whole = options;
  whole.block = 1e9;
  const auto turned = sensitivity(returns, estimator, limits, {}, aims, 0, whole);
  EXPECT_LT((turned.portfolios[0].high - turned.portfolios[0].low).maxCoeff(), 1e-9);
}

}  // namespace
}  // namespace inchtide

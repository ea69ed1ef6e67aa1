// What a study shows at each stage, on values alone.

#include <gmock/gmock.h>

#include <cmath>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/frontier/tracked.hpp"
#include "inchtide/study/description.hpp"
#include "inchtide/study/estimation.hpp"
#include "inchtide/study/inspection.hpp"
#include "inchtide/study/relations.hpp"
#include "inchtide/study/tracing.hpp"
#include "support/messages.hpp"
#include "support/walks.hpp"

namespace inchtide {
namespace {

using test::day;
using test::message_of;
using test::three;
using test::walk;
using testing::ElementsAre;
using testing::HasSubstr;
using testing::IsEmpty;
using testing::SizeIs;

Settings against_bonds() {
  Settings settings;
  settings.benchmark = "HOLLBOND";
  settings.risk_free = 0.01;
  return settings;
}

TEST(StudyInspection, HasBarsOfASingleAssetAndNoGrowthWithoutACommonDay) {
  Settings settings;
  settings.align = AlignPolicy::parse("any", "here");
  settings.short_histories = ShortHistories::keep;
  Sources sources;
  sources.bars = {walk("TIDEMILL", 1, day("2018-01-01"), day("2019-12-31")), walk("KELPFARM", 2, day("2020-01-01"))};
  const auto apart = inspection_of(universe_of(sources, settings, Purpose::looking), settings);
  EXPECT_FALSE(apart.growth || apart.rebased);
  EXPECT_THAT(apart.bars, IsEmpty());

  settings.assets = {"KELPFARM"};
  const auto universe = universe_of(sources, settings, Purpose::looking);
  InspectionOptions how;
  how.every = Interval{1, Unit::month};
  how.overlays = {Overlay::parse("sma:3", "here")};
  const auto alone = inspection_of(universe, settings, how);
  ASSERT_THAT(alone.bars, SizeIs(1));
  EXPECT_THAT(inspection_of(universe, settings).bars, SizeIs(1)) << "of a single asset, without overlays too";
  Settings both;
  both.assets = {"KELPFARM", "HOLLBOND"};
  const auto two = universe_of(three(), both, Purpose::looking);
  EXPECT_THAT(inspection_of(two, both).bars, IsEmpty()) << "bars of several lie on each other";
  EXPECT_THAT(inspection_of(two, both, how).bars, SizeIs(2)) << "overlays are asked for";
  const auto& bars = alone.bars.front();
  ASSERT_THAT(bars.overlays, SizeIs(1));
  const auto& closes = bars.bars.of(PriceField::close);
  const auto& mean = bars.overlays[0].lines[0].values;
  ASSERT_EQ(mean.size(), closes.size());
  EXPECT_NEAR(mean.back(), (closes.end()[-1] + closes.end()[-2] + closes.end()[-3]) / 3, 1e-12);
  EXPECT_NEAR(alone.rebased->prices(0, 0), 100, 1e-12);
  EXPECT_NEAR(1 + alone.growth->prices(alone.growth->prices.rows() - 1, 0), closes.back() / closes.front(), 1e-12);
}

TEST(StudyInspection, PricesOnADayCostNoOtherItsPrice) {
  Sources sources;
  sources.bars = {walk("TIDEMILL", 1), walk("KELPFARM", 2, day("2020-01-01"))};
  Settings settings;
  const auto universe = universe_of(sources, settings, Purpose::looking);
  const auto on = inspection_of(universe, settings, {.on = day("2019-05-05")}).on.value();
  ASSERT_THAT(on.prices, SizeIs(1));
  EXPECT_EQ(on.prices[0].asset, "TIDEMILL");
  EXPECT_EQ(on.prices[0].taken, day("2019-05-03"));  // the 5th was a Sunday
  EXPECT_THAT(on.without, ElementsAre(HasSubstr("KELPFARM")));
  EXPECT_THAT(message_of([&] { (void)inspection_of(universe, settings, {.on = day("2001-01-01")}); }),
              HasSubstr("The first price is that of TIDEMILL on 2018-01-01"));
}

TEST(StudyDescription, KeepsTheBenchmarkApartAndGrowsAsThePricesDid) {
  const auto settings = against_bonds();
  const auto universe = universe_of(three(), settings);
  const auto description = description_of(universe, settings);
  ASSERT_THAT(description.figures, SizeIs(2));
  EXPECT_EQ(description.benchmark.value().asset, "HOLLBOND");
  EXPECT_THAT(description.histograms, SizeIs(3));
  const auto& growth = description.growth;
  const auto price_on = [&](Day on) {
    const auto& bars = universe.bars[0];
    const auto row = std::ranges::find(bars.days, on) - bars.days.begin();
    return bars.of(PriceField::close)[std::size_t(row)];
  };
  EXPECT_NEAR(1 + growth.prices(growth.prices.rows() - 1, 0),
              price_on(growth.days.back()) / price_on(growth.days.front()), 1e-12);
  EXPECT_THAT(message_of([&] { (void)description_of(universe, settings, {.tail = 1.5}); }),
              HasSubstr("150% is no share of the periods"));
}

TEST(StudyRelations, BandsAreThoseOfTheReturnsInTheirOrder) {
  Settings settings;
  auto sources = three();
  sources.bars.push_back(sources.bars[0]);
  sources.bars.back().asset = "TWINMILL";
  const auto universe = universe_of(sources, settings);
  RelationsOptions how;
  how.order = "cluster";
  how.bands = BootstrapOptions{.draws = 60, .seed = 4};
  const auto relations = relations_of(universe, settings, how);
  auto options = *how.bands;
  options.correlations = true;
  const auto bands = bootstrap_bands(study_returns(universe, settings).assets, options);
  const auto& assets = relations.correlation.assets;
  ASSERT_NE(assets, universe.assets) << "twins stand side by side";
  for (std::size_t i = 0; i < assets.size(); ++i) {
    for (std::size_t j = 0; j < assets.size(); ++j) {
      const auto a = Eigen::Index(*find_name(assets[i], universe.assets)),
                 b = Eigen::Index(*find_name(assets[j], universe.assets));
      EXPECT_EQ(relations.bands->correlation_low(Eigen::Index(i), Eigen::Index(j)), bands.correlation_low(a, b));
      EXPECT_EQ(relations.bands->correlation_high(Eigen::Index(i), Eigen::Index(j)), bands.correlation_high(a, b));
    }
  }
}

TEST(StudyRelations, TakeTheirOrderWindowsAndPairsFromTheWhole) {
  const auto settings = against_bonds();
  auto sources = three();
  sources.bars.push_back(walk("MARROWSH", 4));
  auto& twin = sources.bars.emplace_back(sources.bars[0]);  // moves as TIDEMILL does
  twin.asset = "TWINMILL";
  const auto universe = universe_of(sources, settings);
  RelationsOptions how;
  how.windows = {Interval{2, Unit::year}};
  how.order = "cluster";
  how.pick = 2;
  how.rolling = Interval{1, Unit::year};
  const auto relations = relations_of(universe, settings, how);
  const auto& assets = relations.correlation.assets;
  const auto at = [&](const char* code) { return std::ranges::find(assets, code) - assets.begin(); };
  EXPECT_EQ(std::abs(at("TIDEMILL") - at("TWINMILL")), 1) << "twins stand side by side";
  EXPECT_NEAR(relations.correlation.matrix(at("TIDEMILL"), at("TWINMILL")), 1, 1e-12);
  ASSERT_THAT(relations.windows, SizeIs(1));
  EXPECT_EQ(relations.windows[0].correlation.assets, assets);
  EXPECT_EQ(relations.windows[0].correlation.observations, 24u);
  EXPECT_EQ(relations.averages.back().of, "with HOLLBOND");
  ASSERT_THAT(relations.rolling, SizeIs(2));  // the most and the least related
  EXPECT_EQ(relations.rolling[0].a + relations.rolling[0].b, "TIDEMILLTWINMILL");
  EXPECT_EQ(relations.rolling[0].window, 12u);
  ASSERT_TRUE(relations.least_related && relations.market && relations.components && relations.stability);
  const auto& members = relations.least_related->members;
  const double least = relations.correlation.matrix(Eigen::Index(members[0]), Eigen::Index(members[1]));
  for (const auto& pair : pairs_of(relations.correlation)) EXPECT_GE(pair.correlation, least);
  EXPECT_THAT(message_of([&] { (void)relations_of(universe, settings, {.pick = 5}); }), HasSubstr("5 of 4 assets"));
}

/// Pair by pair the benchmark is one of a pair like any other: whatever asset is young or comes first.
TEST(StudyRelations, PairByPairTheBenchmarkCountsOverAllThatTheTwoHave) {
  auto sources = three();
  sources.bars.push_back(walk("MARROWSH", 4));
  sources.bars[0] = walk("TIDEMILL", 1, day("2021-01-04"));
  test::take_out(sources.bars[1], day("2019-05-01"), day("2019-06-30"));
  auto settings = against_bonds();
  settings.pairwise = true;
  settings.short_histories = ShortHistories::keep;
  settings.align = AlignPolicy::parse("any", "here");
  RelationsOptions how;
  how.rolling = Interval{1, Unit::year};
  how.pairs = {{"MARROWSH", "HOLLBOND"}, {"KELPFARM", "HOLLBOND"}};
  how.windows = {Interval{4, Unit::year}};
  how.bands = BootstrapOptions{.draws = 60, .seed = 4};
  const auto relations = relations_of(universe_of(sources, settings), settings, how);
  // Of an asset alone beside the benchmark nothing is pair by pair.
  double sum = 0, sum_of_window = 0;
  ASSERT_TRUE(relations.market);
  for (const auto& model : *relations.market) {
    auto plain = against_bonds();
    plain.assets = {model.asset};
    const auto universe = universe_of(sources, plain);
    const auto returns = study_returns(universe, plain);
    const auto alone = market_models(returns.assets, returns.benchmark, 0.01).front();
    EXPECT_EQ(model.observations, alone.observations) << model.asset;
    EXPECT_NEAR(model.beta, alone.beta, 1e-12) << model.asset;
    EXPECT_NEAR(model.alpha, alone.alpha, 1e-12) << model.asset;
    sum += alone.correlation;
    plain.last = Interval{4, Unit::year};
    const auto recent = study_returns(universe_of(sources, plain), plain);
    sum_of_window += correlations_with(recent.assets, recent.benchmark)[0];
    if (model.asset == "TIDEMILL") continue;
    const auto rolled = std::ranges::find(relations.rolling, model.asset, &RollingCorrelation::a);
    EXPECT_EQ(rolled->days.front(), day("2019-01-31")) << "the first year of the two";
    EXPECT_EQ(rolled->days.back(), day("2023-12-29"));
  }
  EXPECT_NEAR(relations.averages.back().mean, sum / 3, 1e-12);
  EXPECT_EQ(relations.averages.back().of, "with HOLLBOND");
  EXPECT_NEAR(relations.windows[0].averages.back().mean, sum_of_window / 3, 1e-12);
  EXPECT_FALSE(relations.bands);
  EXPECT_THAT(test::texts_of(relations.warnings),
              testing::IsSupersetOf({HasSubstr("are of the 35 returns that all assets have, of 71"),
                                     HasSubstr("Bands of correlations are left out")}));
}

TEST(StudyRelations, AtOtherIntervalsTheLeastRelatedOfUpToFortyAreFound) {
  for (const std::size_t count : {std::size_t(40), std::size_t(41)}) {
    Sources sources;
    for (std::size_t k = 0; k < count; ++k) {
      sources.bars.push_back(walk("KELP" + std::to_string(k), unsigned(k), day("2018-01-01"), day("2021-12-31")));
    }
    const auto universe = universe_of(sources, {});
    RelationsOptions how;
    how.intervals = {Interval{1, Unit::month}};
    how.search.should_stop = [] { return true; };
    const auto relations = relations_of(universe, {}, how);
    ASSERT_EQ(relations.intervals.size(), 1u);
    EXPECT_EQ(relations.intervals[0].least_related.has_value(), count == 40);
  }
}

TEST(StudyEstimation, ComparesMethodsAndSaysWhatHasNoAnswer) {
  const auto settings = against_bonds();
  const auto universe = universe_of(three(), settings);
  const auto estimation = estimation_of(universe, three(), settings, day("2022-01-01"), {.compare = true});
  EXPECT_FALSE(estimation.bands);
  EXPECT_EQ(estimation.expected.front().method, "arithmetic");
  EXPECT_EQ(estimation.expected.front().expected_return, estimation.estimated.estimate.expected_return);
  const auto& sample = estimation.covariances.front();
  const auto& estimate = estimation.estimated.estimate;
  const Eigen::MatrixXd s = estimate.covariance.matrix();
  EXPECT_NEAR(sample.equal_weights_volatility, std::sqrt(s.sum() / 4), 1e-14);
  EXPECT_NEAR(sample.mean_correlation, s(0, 1) / std::sqrt(s(0, 0) * s(1, 1)), 1e-14);
  EXPECT_LT(estimate.to.value(), day("2022-01-01"));
  bool said = false;
  for (const auto& warning : estimation.warnings) said = said || warning.lead == "Not compared";
  EXPECT_TRUE(said) << "three factors of two assets";
  const auto methods = [&](const auto& list, const char* method) {
    return std::ranges::any_of(list, [&](const auto& one) { return one.method == method; });
  };
  EXPECT_TRUE(methods(estimation.expected, "exponential:36")) << "a half-life of three years of months";
  EXPECT_TRUE(methods(estimation.covariances, "exponential:36"));
}

TEST(StudyEstimation, HasBandsOfCorrelationsUpToSixtyAssets) {
  for (const std::size_t count : {std::size_t(60), std::size_t(61)}) {
    Sources sources;
    for (std::size_t k = 0; k < count; ++k) {
      sources.bars.push_back(walk("KELP" + std::to_string(k), unsigned(k), day("2018-01-01"), day("2018-12-31")));
    }
    const Settings settings;
    const auto universe = universe_of(sources, settings);
    const EstimationOptions how{.bands = BootstrapOptions{.draws = 5}};
    const auto estimation = estimation_of(universe, sources, settings, std::nullopt, how);
    EXPECT_EQ(estimation.bands->correlation_low.size() > 0, count == 60) << count;
  }
}

TEST(StudyEstimation, OnePeriodLeftOutIsSaidToo) {
  auto settings = against_bonds();
  settings.methods.expected = ExpectedMethod::parse("market-model", "");
  auto sources = three();
  sources.bars[2] = walk("HOLLBOND", 3, day("2018-02-05"));  // its first return is a month later than the others'
  const auto universe = universe_of(sources, settings);
  EXPECT_THAT(test::texts_of(estimation_of(universe, sources, settings, std::nullopt, {}).warnings),
              testing::IsSupersetOf({HasSubstr("1 of 71 periods are left out"),
                                     HasSubstr("HOLLBOND has a return beside 70 of the 71 of the assets")}));
}

TEST(StudyInspection, BarsOfAdjustedClosesAreAtTheirLevel) {
  Sources sources;
  sources.bars = {walk("TIDEMILL", 1)};
  auto& bars = sources.bars[0];
  for (double close : bars.of(PriceField::close)) {
    bars.of(PriceField::adjusted_close).push_back(close / 2);
    bars.of(PriceField::high).push_back(close * 1.01);
    bars.of(PriceField::low).push_back(close * 0.99);
    bars.of(PriceField::open).push_back(close);
  }
  const auto close = bars.of(PriceField::close).back();
  for (const bool adjusted : {true, false}) {
    Settings settings;
    settings.fields.preferred = adjusted ? PriceField::adjusted_close : PriceField::close;
    const auto looked = inspection_of(universe_of(sources, settings, Purpose::looking), settings).bars.at(0).bars;
    EXPECT_NEAR(looked.of(PriceField::high).back(), 1.01 * close / (adjusted ? 2 : 1), 1e-12);
    EXPECT_NEAR(looked.of(PriceField::low).back(), 0.99 * close / (adjusted ? 2 : 1), 1e-12);
  }
}

TEST(StudyEstimation, SaysHowManyPeriodsAreLeftOut) {
  auto settings = against_bonds();
  settings.methods.expected = ExpectedMethod::parse("market-model", "");
  const auto said = [&](const Sources& sources) {
    const auto universe = universe_of(sources, settings);
    return test::texts_of(estimation_of(universe, sources, settings, std::nullopt, {}).warnings);
  };
  EXPECT_THAT(said(three()), testing::Not(testing::Contains(HasSubstr("left out"))));
  // Of months in which the benchmark has no price the returns go, and the one after them spans several.
  struct Gap {
    const char *from, *to;
    int months;
  };
  for (const auto& [begins, ends, months] :
       {Gap{"2019-05-01", "2019-05-31", 1}, Gap{"2019-05-01", "2019-06-30", 2}, Gap{"2018-02-01", "2018-02-28", 1}}) {
    auto sources = three();
    test::take_out(sources.bars[2], day(begins), day(ends));
    EXPECT_THAT(said(sources),
                testing::Contains(HasSubstr(std::to_string(months + 1) + " of 71 periods are left out")));
  }
}

TEST(StudyTracing, LeavesLimitsOnPositionsToTheChoiceAndSaysSo) {
  for (const char* limit : {"holdings <= 2", "held >= 10%"}) {
    Settings settings;
    const auto universe = universe_of(three(), settings);
    const auto plain = tracing_of(basis_of(universe, three(), settings), {});
    settings.limits = {Limit::parse(limit)};
    const auto tracing = tracing_of(basis_of(universe, three(), settings), {});
    EXPECT_THAT(test::texts_of(tracing.warnings),
                testing::Contains(HasSubstr(std::string("The frontier is traced without '") + limit)));
    ASSERT_TRUE(tracing.least && tracing.best) << limit;
    EXPECT_EQ(tracing.least->weights, plain.least->weights) << limit;
    EXPECT_EQ(tracing.best->weights, plain.best->weights) << limit;
  }
}

TEST(StudyTracing, NothingWithinATrackingErrorMayBeatTheRate) {
  auto settings = against_bonds();
  auto sources = three();
  sources.bars.push_back(walk("MARROWSH", 4));
  settings.limits = {Limit::parse("tracking-error <= 20%")};
  const auto universe = universe_of(sources, settings);
  const auto first = tracing_of(basis_of(universe, sources, settings), {});
  const double within = first.tracked.front().portfolio.expected_return;
  const double beyond = first.frontier.corners().front().expected_return;
  ASSERT_LT(within, beyond - 1e-3) << "the ceiling keeps the highest return out";
  settings.risk_free = (within + beyond) / 2;
  const auto tracing = tracing_of(basis_of(universe, sources, settings), {});
  EXPECT_TRUE(tracing.least);
  EXPECT_FALSE(tracing.best);
  EXPECT_THAT(test::texts_of(tracing.warnings), testing::Contains(HasSubstr("There is no maximum-Sharpe portfolio")));
}

/// Each draw is estimated as the history was: by the same methods, log returns converted, the benchmark drawn along.
TEST(StudyTracing, DrawsAreEstimatedAsTheHistoryWas) {
  auto settings = against_bonds();
  auto sources = three();
  sources.bars.push_back(walk("MARROWSH", 4));
  TracingOptions how;
  how.draws = BootstrapOptions{.draws = 40, .block = 1e9, .seed = 3};  // the whole of it, turned around
  const auto drawn = [&] {
    const auto universe = universe_of(sources, settings);
    return tracing_of(basis_of(universe, sources, settings), how);
  };
  for (const char* method : {"arithmetic", "market-model"}) {
    for (const auto kind : {ReturnKind::simple, ReturnKind::log}) {
      settings.methods.expected = ExpectedMethod::parse(method, "");
      settings.returns = kind;
      if (kind == ReturnKind::log && settings.methods.expected.kind == ExpectedMethod::Kind::market_model) continue;
      const auto tracing = drawn();
      EXPECT_EQ(tracing.drawn->left_out, 0) << method;
      EXPECT_THAT(test::texts_of(tracing.warnings), testing::Contains(HasSubstr("draws hardly differ")));
      ASSERT_FALSE(tracing.drawn->frontier.empty());
      for (const auto& at : tracing.drawn->frontier) {  // turned around it promises what it did
        const double promised = tracing.frontier.at_volatility(at.volatility).expected_return;
        EXPECT_NEAR(at.low, promised, 1e-7) << method;
        EXPECT_NEAR(at.high, promised, 1e-7) << method;
      }
    }
  }
  // Within a tracking error, beside a covariance that isn't the sample's.
  settings = against_bonds();
  settings.limits = {Limit::parse("tracking-error <= 20%")};
  settings.methods.covariance = CovarianceMethod::parse("constant-correlation", "");
  const auto tracing = drawn();
  EXPECT_TRUE(tracing.drawn->frontier.empty());
  const auto& least = tracing.drawn->portfolios.front();
  EXPECT_EQ(least.draws, 40);
  EXPECT_LT((least.high - least.low).cwiseAbs().maxCoeff(), 1e-6);
  EXPECT_LT((least.average - tracing.least->weights).cwiseAbs().maxCoeff(), 1e-6);
  EXPECT_THAT(test::texts_of(tracing.warnings), testing::Contains(HasSubstr("Over draws of the history the weights")));
}

TEST(StudyTracing, HasTheCeilingThePortfoliosAndTheLowerHalf) {
  auto settings = against_bonds();
  auto sources = three();
  sources.bars.push_back(walk("MARROWSH", 4));
  settings.limits = {Limit::parse("tracking-error <= 20%")};
  const auto universe = universe_of(sources, settings);
  const auto basis = basis_of(universe, sources, settings);
  TracingOptions how;
  how.lower_half = true;
  how.cloud = 50;
  const auto tracing = tracing_of(basis, how);
  ASSERT_TRUE(tracing.least);
  EXPECT_LE(tracing.least->tracking_error.value(), 0.2 + 1e-9);
  ASSERT_EQ(tracing.tracking_errors.size(), tracing.frontier.corners().size());
  ASSERT_THAT(tracing.tracked, SizeIs(21));
  const TrackedFrontier within(basis.estimate, bounds_of(basis.limits, basis.estimate.assets, basis.facts),
                               *basis.facts.benchmark);
  EXPECT_NEAR(tracing.tracked.front().portfolio.expected_return, within.most_return(), 1e-9);
  EXPECT_NEAR(tracing.tracked.back().portfolio.expected_return, within.least_return(), 1e-9);
  for (const auto& point : tracing.tracked) {
    EXPECT_LE(point.tracking_error, 0.2 + 1e-9);
    EXPECT_GE(point.portfolio.expected_return, tracing.tracked.back().portfolio.expected_return - 1e-12);
  }
  const auto bottom = tracing.frontier.risk_and_return(tracing.frontier.corners().size() - 1, basis.risk_free);
  ASSERT_FALSE(tracing.lower_line.empty());
  EXPECT_NEAR(tracing.lower_line.front().volatility, bottom.volatility, 1e-9);
  for (const auto& point : tracing.lower_line) EXPECT_LE(point.expected_return, bottom.expected_return + 1e-9);
  for (std::size_t k = 1; k < tracing.lower_line.size(); ++k) {
    EXPECT_LE(tracing.lower_line[k].expected_return, tracing.lower_line[k - 1].expected_return + 1e-15) << "downward";
  }
  EXPECT_NEAR(tracing.lower_line.back().expected_return, tracing.lower_half.back().expected_return, 1e-15);
  ASSERT_THAT(tracing.cloud, SizeIs(50));
  for (const auto& point : tracing.cloud) EXPECT_GE(point.volatility, bottom.volatility - 1e-9);
  EXPECT_EQ(tracing.chosen().size(), tracing.best ? 2u : 1u);

  how.draws = BootstrapOptions{};
  const auto given = basis_of(basis.estimate, {}, {});
  EXPECT_THAT(message_of([&] { (void)tracing_of(given, how); }), HasSubstr("holds no returns to draw from"));
}

}  // namespace
}  // namespace inchtide

// What no figure can come of is refused where it comes in: sizes that don't fit, and figures that are no numbers.

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <limits>

#include "inchtide/base/day.hpp"
#include "inchtide/base/range.hpp"
#include "inchtide/estimate/bootstrap.hpp"
#include "inchtide/estimate/estimators.hpp"
#include "inchtide/estimate/rolling.hpp"
#include "inchtide/estimate/shrinkage.hpp"
#include "inchtide/frontier/cloud.hpp"
#include "inchtide/frontier/holdings.hpp"
#include "inchtide/frontier/single.hpp"
#include "inchtide/frontier/tracked.hpp"
#include "inchtide/prices/actions.hpp"
#include "inchtide/prices/currency.hpp"
#include "inchtide/prices/findings.hpp"
#include "inchtide/prices/lookup.hpp"
#include "inchtide/prices/overlays.hpp"
#include "inchtide/rehearsal/rehearsal.hpp"
#include "inchtide/relations/correlation.hpp"
#include "inchtide/relations/diversification.hpp"
#include "inchtide/relations/market_model.hpp"
#include "inchtide/relations/repair.hpp"
#include "inchtide/relations/stability.hpp"
#include "inchtide/relations/subset.hpp"
#include "inchtide/returns/figures.hpp"
#include "inchtide/returns/histogram.hpp"
#include "inchtide/weights/adjust.hpp"
#include "inchtide/weights/allocation.hpp"
#include "inchtide/weights/sensitivity.hpp"
#include "support/messages.hpp"

namespace inchtide::doors {
namespace {

using Eigen::Vector2d;
using Eigen::Vector3d;

constexpr double nan = std::numeric_limits<double>::quiet_NaN();
constexpr double infinity = std::numeric_limits<double>::infinity();

// Passes where an InputError, and nothing else, is thrown.
template <typename Action>
testing::AssertionResult refuses(Action action) {
  try {
    action();
  } catch (const InputError& error) {
    const std::string text = error.what();
    const bool says_what_to_do = text.find(": ") != std::string::npos && text.find(". ") != std::string::npos;
    if (says_what_to_do) return testing::AssertionSuccess();
    return testing::AssertionFailure() << "it only says: " << text;
  } catch (const std::exception& error) {
    return testing::AssertionFailure() << "another error: " << error.what();
  }
  return testing::AssertionFailure() << "nothing was thrown";
}

#define EXPECT_REFUSED(...) EXPECT_TRUE(refuses([&] { (void)(__VA_ARGS__); })) << #__VA_ARGS__

Estimate two_assets() {
  Estimate estimate;
  estimate.assets = {"HOLLBOND", "HOLLBANK"};
  estimate.expected_return = Vector2d(0.03, 0.08);
  estimate.covariance = Covariance::dense(Vector2d(0.0025, 0.04).asDiagonal());
  return estimate;
}

PriceTable three_days() {
  PriceTable table;
  for (int d : {2, 3, 4}) table.days.push_back(Day{std::chrono::year{2024} / 1 / d});
  table.assets = {{"TIDEMILL", "HLC", PriceField::close}, {"KELPFARM", "HLC", PriceField::close}};
  table.prices.resize(3, 2);
  table.prices << 10, 20, 11, 19, 12, 21;
  return table;
}

ReturnTable returns_table() {
  ReturnTable table;
  table.assets = {"TIDEMILL", "KELPFARM"};
  table.returns.resize(8, 2);
  for (int t = 0; t < 8; ++t) {
    table.days.push_back(Day{std::chrono::year{2024} / 1 / (t + 3)});
    table.returns.row(t) << 0.01 * std::sin(t), 0.02 * std::cos(2 * t);
  }
  table.start = table.days.front() - std::chrono::days{1};
  table.spans = Eigen::MatrixXi::Ones(8, 2);
  return table;
}

TEST(Doors, BoundsFitTheirEstimate) {
  const auto estimate = two_assets();
  EXPECT_REFUSED(trace_frontier(estimate, Bounds::long_only(3)));
  EXPECT_REFUSED(trace_frontier(estimate, Bounds::long_only(0)));
  EXPECT_REFUSED(single_portfolio(estimate, Bounds::long_only(3)));
  EXPECT_REFUSED(choose_holdings(estimate, Bounds::long_only(1), {}));
  EXPECT_REFUSED(trace_lower_half(estimate, Bounds::long_only(1)));
  EXPECT_REFUSED(nearest_within(Bounds::long_only(1), Vector2d(0.5, 0.5)));
  EXPECT_REFUSED(violations_of(Bounds::long_only(1), estimate.assets, Vector2d(0.5, 0.5)));
  const auto broken = [&](auto breaks) {
    auto bounds = Bounds::long_only(2);
    bounds.limits = {Limit::parse("each <= 60%")};
    breaks(bounds);
    for (const auto& refused :
         {refuses([&] { trace_frontier(estimate, bounds); }), refuses([&] { single_portfolio(estimate, bounds); }),
          refuses([&] { choose_holdings(estimate, bounds, {}); }),
          refuses([&] { certify(estimate.covariance, estimate.expected_return, bounds, Vector2d(0.5, 0.5), 0); }),
          refuses(
              [&] { bound_prices(estimate.covariance, estimate.expected_return, bounds, Vector2d(0.5, 0.5), 0); })}) {
      if (!refused) return refused;
    }
    return testing::AssertionSuccess();
  };
  EXPECT_TRUE(broken([](Bounds& b) { b.upper[0] = nan; }));
  EXPECT_TRUE(broken([](Bounds& b) { b.lower[1] = -infinity; }));
  EXPECT_TRUE(broken([](Bounds& b) { b.budget = nan; }));
  EXPECT_TRUE(broken([](Bounds& b) { b.upper_limit[0] = 1; }));
  EXPECT_TRUE(broken([](Bounds& b) { b.lower_limit.pop_back(); }));
  EXPECT_TRUE(broken([](Bounds& b) { b.budget_limit = -2; }));
  EXPECT_TRUE(broken([](Bounds& b) { b.rows.push_back({-1, "three", Vector3d(1, 1, 1), 0, 1}); }));
  EXPECT_TRUE(broken([](Bounds& b) { b.rows.push_back({-1, "no number", Vector2d(1, nan), 0, 1}); }));
  EXPECT_TRUE(broken([](Bounds& b) { b.rows.push_back({-1, "no end", Vector2d(1, 0), nan, 1}); }));
  EXPECT_TRUE(broken([](Bounds& b) { b.rows.push_back({7, "of no limit", Vector2d(1, 0), 0, 1}); }));
  EXPECT_TRUE(broken([](Bounds& b) { b.rows.push_back({-1, "above", Vector2d(1, 0), infinity, infinity}); }));
  EXPECT_TRUE(broken([](Bounds& b) {
    b.rows.push_back({-1, "bent", Vector2d(0, 0), -infinity, 1});
    b.rows.back().bend = Vector2d(1, 1);  // and nowhere to bend at
  }));
  EXPECT_TRUE(broken([](Bounds& b) { b.volatility = LimitFigure{nan, -1}; }));
  EXPECT_TRUE(broken([](Bounds& b) {
    b.costs = TradingCosts{Vector3d::Zero(), {Vector3d::Zero(), Vector3d::Zero()}, 1};
  }));
  EXPECT_TRUE(broken([](Bounds& b) {
    b.costs = TradingCosts{Vector2d::Zero(), {Vector2d(0, nan), Vector2d::Zero()}, 1};
  }));
  EXPECT_TRUE(broken([](Bounds& b) {
    b.costs = TradingCosts{Vector2d::Zero(), {Vector2d::Zero(), Vector2d::Zero()}, 0};
  }));
}

TEST(Doors, LimitsMadeAsStructsAreLikeThoseThatAreRead) {
  const auto made = [](auto change) {
    auto limit = Limit::parse("HOLLBOND <= 60%", "cap");
    change(limit);
    return refuses([&] { (void)bounds_of({limit}, two_assets().assets); });
  };
  EXPECT_TRUE(made([](Limit& l) { l.upper = nan; }));
  EXPECT_TRUE(made([](Limit& l) { l.upper.reset(); }));
  EXPECT_TRUE(made([](Limit& l) { l.terms.clear(); }));
  EXPECT_TRUE(made([](Limit& l) { l.terms[0].factor = nan; }));
  EXPECT_TRUE(made([](Limit& l) { l.kind = Limit::Kind::budget; }));
  EXPECT_TRUE(made([](Limit& l) { l.kind = Limit::Kind::gross, l.upper.reset(), l.lower = 1; }));
  EXPECT_REFUSED(trace_frontier(two_assets(), Limits{Limit{}}));
  EXPECT_REFUSED(violations_of(Limits{}, two_assets().assets, Vector2d(nan, 1)));
  EXPECT_REFUSED(violations_of(Limits{}, two_assets().assets, Vector3d(0, 0, 1)));
  LimitFacts facts;
  facts.current = Vector3d(0, 0, 1);
  EXPECT_REFUSED(bounds_of({}, two_assets().assets, facts));
  facts.current = Vector2d(nan, 1);
  EXPECT_REFUSED(trace_frontier(two_assets(), Limits{}, facts));
  EXPECT_REFUSED(turnover_between(Vector2d(0, 1), Vector3d(0, 0, 1)));
}

TEST(Doors, BenchmarksHaveTheSizeOfTheirAssets) {
  const auto estimate = two_assets();
  const BenchmarkRisk other{Vector3d(0.01, 0.01, 0.01), 0.02}, no_number{Vector2d(0.01, nan), 0.02};
  for (const auto& benchmark : {other, no_number, BenchmarkRisk{Vector2d(0, 0), nan}}) {
    LimitFacts facts;
    facts.benchmark = benchmark;
    EXPECT_REFUSED(bounds_of({Limit::parse("tracking-error <= 4%")}, estimate.assets, facts));
    EXPECT_REFUSED(trace_frontier(estimate, Bounds::long_only(2), facts));
    EXPECT_REFUSED(evaluate(estimate, {}, Vector2d(0.5, 0.5), "half", 0, facts));
    EXPECT_REFUSED(least_tracking_error(estimate, Bounds::long_only(2), benchmark));
    EXPECT_REFUSED(benchmark.tracking_error(estimate.covariance, Vector2d(0.5, 0.5)));
    auto bounds = Bounds::long_only(2);
    EXPECT_REFUSED(TrackedFrontier(estimate, bounds, BenchmarkRisk{Vector2d(0, 0), 0.01}));  // no ceiling
    bounds.tracking_error = LimitFigure{0.1, -1};
    EXPECT_REFUSED(TrackedFrontier(estimate, bounds, benchmark));
    HoldingsOptions options;
    options.benchmark = benchmark;
    EXPECT_REFUSED(choose_holdings(estimate, bounds, options));
  }
  auto ceiling = Bounds::long_only(2);
  ceiling.tracking_error = LimitFigure{0.1, -1};
  const auto without = trace_frontier(estimate, ceiling);
  for (auto kind : {Aim::Kind::equal, Aim::Kind::minimum_variance, Aim::Kind::minimum_tracking_error}) {
    EXPECT_REFUSED(choose(without, {kind, 0}, 0));
  }
  EXPECT_REFUSED(violations_of(ceiling, estimate.assets, Vector2d(0, 1), {}, &estimate.covariance));
  EXPECT_REFUSED(BenchmarkRisk::of_weights(estimate.covariance, Vector3d(0, 0, 1)));
  EXPECT_REFUSED(benchmark_risk(returns_table(), Eigen::VectorXd::Zero(7), Denominator::sample));
  EXPECT_REFUSED(benchmark_beside(estimate.covariance, returns_table(), Eigen::VectorXd::Zero(7)));
  EXPECT_REFUSED(benchmark_beside(Covariance::dense(Eigen::MatrixXd::Identity(7, 7)), returns_table(),
                                  Eigen::VectorXd::Zero(returns_table().returns.rows())));
  EXPECT_REFUSED(correlations_with(returns_table(), Eigen::VectorXd::Zero(9)));
  EXPECT_REFUSED(market_models(returns_table(), Eigen::VectorXd::Zero(9), 0));
  EstimateOptions by_market;
  by_market.expected.kind = ExpectedMethod::Kind::market_model;
  EXPECT_REFUSED(estimate_by(returns_table(), by_market, Eigen::VectorXd::Zero(3)));
}

TEST(Doors, RatesAndTargetsAreNumbers) {
  const auto estimate = two_assets();
  const auto frontier = trace_frontier(estimate, Limits{});
  for (double wrong : {nan, infinity}) {
    EXPECT_REFUSED(frontier.maximum_sharpe(wrong));
    EXPECT_REFUSED(frontier.why_no_maximum_sharpe(wrong));
    EXPECT_REFUSED(frontier.at_return(wrong));
    EXPECT_REFUSED(frontier.at_volatility(wrong));
    EXPECT_REFUSED(frontier.at_lambda(wrong));
    EXPECT_REFUSED(single_portfolio(estimate, Bounds::long_only(2), wrong));
    EXPECT_REFUSED(certify(estimate.covariance, estimate.expected_return, Bounds::long_only(2), Vector2d(0, 1), wrong));
    EXPECT_REFUSED(certify(estimate.covariance, estimate.expected_return, Bounds::long_only(2), Vector2d(wrong, 1), 0));
    EXPECT_REFUSED(estimate.covariance.portfolio_variance(Vector2d(wrong, 1)));
    EXPECT_REFUSED(evaluate(estimate, {}, Vector2d(0.5, 0.5), "half", wrong));
    EXPECT_REFUSED(evaluate(estimate, {}, Vector2d(0.5, wrong), "half", 0));
    for (auto kind : {Aim::Kind::minimum_variance, Aim::Kind::equal, Aim::Kind::maximum_sharpe, Aim::Kind::utility,
                      Aim::Kind::target_return, Aim::Kind::blend_return, Aim::Kind::maximum_diversification}) {
      EXPECT_REFUSED(choose(frontier, {kind, 0.05}, wrong));
    }
    for (auto kind : {Aim::Kind::target_return, Aim::Kind::target_volatility, Aim::Kind::utility,
                      Aim::Kind::blend_return, Aim::Kind::blend_volatility}) {
      EXPECT_REFUSED(choose(frontier, {kind, wrong}, 0.01));
    }
    EXPECT_REFUSED(sweep(estimate, 0, 1, 0.1, wrong));
    EXPECT_REFUSED(rounded_to(Vector2d(wrong, 1), 0.01));
    EXPECT_REFUSED(nearest_within(Bounds::long_only(2), Vector2d(wrong, 1)));
    HoldingsOptions options;
    options.lambda = wrong;
    EXPECT_REFUSED(choose_holdings(estimate, Bounds::long_only(2), options));
  }
  EXPECT_REFUSED(choose(frontier, {Aim::Kind::utility, 0}, 0.01));
  EXPECT_REFUSED(single_portfolio(estimate, Bounds::long_only(2), 0, Vector3d(0, 0, 1)));
  EXPECT_REFUSED(frontier.corner(frontier.corners().size()));
  EXPECT_REFUSED(frontier.weights(frontier.corners().size()));
  EXPECT_REFUSED(sweep(estimate, 0, 2, 0.1, 0));
  EXPECT_REFUSED(random_portfolios(frontier, -1, 1));
  EXPECT_REFUSED(finite(nan, "a figure"));
}

TEST(Doors, CovariancesFitWhatTheyAreMultipliedBy) {
  const auto covariance = two_assets().covariance;
  EXPECT_REFUSED(covariance.product(Vector3d(0, 0, 1)));
  EXPECT_REFUSED(covariance.portfolio_variance(Vector3d(0, 0, 1)));
  EXPECT_REFUSED(covariance.block({0, 2}));
  EXPECT_REFUSED(covariance.block({-1}));
  EXPECT_REFUSED(Covariance::dense(Eigen::MatrixXd::Constant(2, 2, nan)));
  EXPECT_REFUSED(Covariance::dense(Eigen::MatrixXd::Zero(2, 3)));
  EXPECT_REFUSED(diversification_curve(Covariance{}, 0, 1));
}

TEST(Doors, TablesOfPricesAreWhatTheySay) {
  const auto broken = [](auto breaks) {
    auto table = three_days();
    breaks(table);
    for (const auto& refused :
         {refuses([&] { table.check(); }), refuses([&] {
            (void)returns_of(table, {1, Unit::day}, ReturnKind::simple);
          }),
          refuses([&] {
            (void)period_ends(table, {1, Unit::day});
          }),
          refuses([&] { (void)rebased(table); }), refuses([&] { (void)cumulative_growth(table); }), refuses([&] {
            RehearsalPlan plan;
            plan.weights = Vector2d(0.5, 0.5);
            (void)rehearse(table, plan, {});
          })}) {
      if (!refused) return refused;
    }
    return testing::AssertionSuccess();
  };
  EXPECT_TRUE(broken([](PriceTable& t) { t.days.pop_back(); }));
  EXPECT_TRUE(broken([](PriceTable& t) { t.assets.pop_back(); }));
  EXPECT_TRUE(broken([](PriceTable& t) { std::swap(t.days[0], t.days[1]); }));
  EXPECT_TRUE(broken([](PriceTable& t) { t.days[1] = t.days[0]; }));
  EXPECT_TRUE(broken([](PriceTable& t) { t.assets[1].code = "tidemill"; }));
  EXPECT_TRUE(broken([](PriceTable& t) { t.assets[1].code = ""; }));
  EXPECT_TRUE(broken([](PriceTable& t) { t.prices(1, 1) = -3; }));
  EXPECT_TRUE(broken([](PriceTable& t) { t.prices(1, 1) = 0; }));
  EXPECT_TRUE(broken([](PriceTable& t) { t.prices(2, 0) = infinity; }));
  EXPECT_TRUE(broken([](PriceTable& t) { t.numbers = {0, 1}; }));
  EXPECT_TRUE(broken([](PriceTable& t) { t.numbers = {0, 2, 2}; }));
  EXPECT_NO_THROW(three_days().check());
  EXPECT_REFUSED(period_ends(PriceTable{}, {1, Unit::month}));
}

TEST(Doors, TablesOfReturnsAreWhatTheySay) {
  const auto broken = [](auto breaks) {
    auto table = returns_table();
    breaks(table);
    const Eigen::VectorXd benchmark = Eigen::VectorXd::LinSpaced(table.returns.rows(), -0.01, 0.02);
    for (const auto& refused :
         {refuses([&] { table.check(); }), refuses([&] { (void)sample_estimate(table); }),
          refuses([&] { (void)correlation_of(table); }), refuses([&] { (void)pairwise_correlation(table); }),
          refuses([&] { (void)correlations_with(table, benchmark); }),
          refuses([&] { (void)market_models(table, benchmark, 0); }), refuses([&] { (void)stability_of(table); }),
          refuses([&] { (void)rolling_correlation(table, 0, 1, 4); }), refuses([&] { (void)figures_of(table); }),
          refuses([&] { (void)growth_of(table, 1); }), refuses([&] { (void)bootstrap_bands(table, {}); }),
          refuses([&] { (void)benchmark_risk(table, benchmark, Denominator::sample); }), refuses([&] {
            (void)sensitivity(table,
                              [](const ReturnTable& drawn, const Eigen::VectorXd&) { return sample_estimate(drawn); },
                              {}, {}, {}, 0, {});
          })}) {
      if (!refused) return refused;
    }
    return testing::AssertionSuccess();
  };
  EXPECT_TRUE(broken([](ReturnTable& t) { t.days.pop_back(); }));
  EXPECT_TRUE(broken([](ReturnTable& t) { t.spans.resize(8, 1); }));
  EXPECT_TRUE(broken([](ReturnTable& t) { t.spans.resize(0, 0); }));
  EXPECT_TRUE(broken([](ReturnTable& t) { t.assets.pop_back(); }));
  EXPECT_TRUE(broken([](ReturnTable& t) { t.ends = {1, 2}; }));
  EXPECT_TRUE(broken([](ReturnTable& t) { t.returns(3, 1) = nan; }));  // with a span of 1
  EXPECT_TRUE(broken([](ReturnTable& t) { t.returns(3, 1) = infinity; }));
  EXPECT_TRUE(broken([](ReturnTable& t) { t.spans(3, 1) = -1; }));
  EXPECT_TRUE(broken([](ReturnTable& t) { t.periods_per_year = nan; }));
  EXPECT_TRUE(broken([](ReturnTable& t) { t.periods_per_year = 0; }));
  for (double wrong : {nan, infinity, -infinity}) {
    auto holed = returns_table();
    holed.returns(3, 1) = wrong;
    EXPECT_THAT(test::message_of([&] { sample_estimate(holed); }),
                testing::HasSubstr("KELPFARM: the return up to 2024-01-06 is"));
  }
  const auto table = returns_table();
  EXPECT_REFUSED(figures_of(table, 2));
  EXPECT_REFUSED(growth_of(table, -1));
  EXPECT_REFUSED(rolling_correlation(table, 0, 2, 4));
  FigureOptions options;
  options.target = nan;
  EXPECT_REFUSED(figures_of(table, options));
  options = {.tail = nan};
  EXPECT_REFUSED(figures_of(table, options));
}

TEST(Doors, MethodsTakeNumbers) {
  const auto table = returns_table();
  const auto with = [&](auto set) {
    EstimateOptions options;
    set(options);
    return refuses([&] { (void)estimate_by(table, options, Eigen::VectorXd::LinSpaced(8, -0.01, 0.02)); });
  };
  using Expected = ExpectedMethod::Kind;
  EXPECT_TRUE(with([](auto& o) { o.risk_free = nan; }));
  EXPECT_TRUE(with([](auto& o) { o.premium = infinity; }));
  EXPECT_TRUE(with([](auto& o) { o.risk_aversion = nan; }));
  EXPECT_TRUE(with([](auto& o) { o.implied_weights = Vector2d(nan, 1); }));
  EXPECT_TRUE(with([](auto& o) { o.expected = {Expected::implied}, o.implied_weights = Vector3d(0, 0, 1); }));
  EXPECT_TRUE(with([](auto& o) { o.expected = {Expected::exponential, nan}; }));
  EXPECT_TRUE(with([](auto& o) { o.expected = {Expected::exponential, 0}; }));
  EXPECT_TRUE(with([](auto& o) { o.covariance = {CovarianceMethod::Kind::exponential, -1}; }));
  EXPECT_TRUE(with([](auto& o) { o.covariance = {CovarianceMethod::Kind::factors, 0, 0}; }));
  EXPECT_TRUE(with([](auto& o) { o.covariance = {CovarianceMethod::Kind::factors, 0, 3}; }));
  EXPECT_TRUE(with([](auto& o) { o.own["tidemill"] = nan; }));
  EXPECT_TRUE(with([](auto& o) { o.caps["tidemill"] = nan; }));
  EXPECT_TRUE(with([](auto& o) { o.expected = {Expected::views}, o.views = {{"v", {{"TIDEMILL", 1}}, nan, 0.5}}; }));
  EXPECT_TRUE(with([](auto& o) { o.expected = {Expected::views}, o.views = {{"v", {{"TIDEMILL", nan}}, 0.1, 0.5}}; }));
  EXPECT_TRUE(with([](auto& o) { o.expected = {Expected::views}, o.views = {{"v", {{"TIDEMILL", 1}}, 0.1, nan}}; }));
  const auto draws = [&](auto set) {
    BootstrapOptions options;
    set(options);
    return refuses([&] { (void)bootstrap_bands(table, options); });
  };
  EXPECT_TRUE(draws([](auto& o) { o.block = nan; }));
  EXPECT_TRUE(draws([](auto& o) { o.coverage = nan; }));
  EXPECT_TRUE(draws([](auto& o) { o.draws = -1; }));
  const Eigen::MatrixXd holed = Eigen::MatrixXd::Constant(4, 2, nan);
  EXPECT_REFUSED(shrink_to_constant_correlation(holed, 3));
  EXPECT_REFUSED(shrink_to_scaled_identity(Eigen::MatrixXd::Zero(4, 2), 0));
  EXPECT_REFUSED(shrink_to_one_factor(Eigen::MatrixXd::Zero(0, 2), 3));
  EXPECT_REFUSED(nonlinear_shrinkage(holed));
  EXPECT_REFUSED(principal_factors(Eigen::MatrixXd::Zero(2, 3), 1));
  EXPECT_REFUSED(principal_factors(Eigen::MatrixXd::Constant(2, 2, nan), 1));
  EXPECT_REFUSED(RollingMoments(holed, 2));
  EXPECT_REFUSED(nearest_correlation(Eigen::MatrixXd::Constant(2, 2, nan)));
  EXPECT_REFUSED(nearest_correlation(Eigen::MatrixXd::Zero(2, 3)));
  EXPECT_REFUSED(least_related(Eigen::MatrixXd::Zero(2, 3), 1));
  EXPECT_REFUSED(least_related(Eigen::MatrixXd::Constant(2, 2, nan), 1));
  EXPECT_REFUSED(rank_correlation(Vector2d(1, 2), Vector3d(1, 2, 3)));
  EXPECT_REFUSED(fisher_interval(1.5, 20));
  EXPECT_REFUSED(moments_of(Vector2d(1, nan)));
  EXPECT_REFUSED(moments_of(Eigen::VectorXd()));
  EXPECT_REFUSED(histogram_of(Vector2d(1, nan)));
  EXPECT_REFUSED(histogram_of(Vector2d(1, 2), -1));
}

TEST(Doors, HistoriesAreWhatTheySay) {
  const auto day = [](int d) { return Day{std::chrono::year{2024} / 1 / d}; };
  PriceHistory history{"KELPFARM", "HLC", PriceField::close, {day(2), day(3), day(4)}, {10, nan, 12}};
  EXPECT_REFUSED(find_spikes(history));
  EXPECT_REFUSED(drop_spikes(history));
  EXPECT_REFUSED(align({history}, {}));
  EXPECT_REFUSED(adjusted_by(history, {}));
  EXPECT_REFUSED(convert(history, "MRD", {}, 3));
  EXPECT_REFUSED(price_on(history, day(3)));
  history.prices = {10, 11};
  EXPECT_REFUSED(price_on(history, day(4)));
  EXPECT_REFUSED(find_spikes(history));
  EXPECT_REFUSED(align({history}, {}));
  history.prices = {10, 11, 12};
  EXPECT_REFUSED(find_spikes(history, nan));
  EXPECT_REFUSED(adjusted_by(history, {{"KELPFARM", day(3), nan, 0}}));
  EXPECT_REFUSED(adjusted_by(history, {{"KELPFARM", day(3), 1, nan}}));
  EXPECT_REFUSED(convert(history, "MRD", {{"HLC", "MRD", {day(2), day(3)}, {1.0}}}, 3));
  EXPECT_REFUSED(findings_across({history}, {}));
  BarHistory bars{"KELPFARM"};
  bars.days = {day(2), day(3), day(4)};
  bars.of(PriceField::close) = {10, 11};
  EXPECT_REFUSED(bars.history(PriceField::close));
  EXPECT_REFUSED(bars_every(bars, {1, Unit::week}));
  EXPECT_REFUSED(findings_in(bars, PriceField::close, false));
  EXPECT_REFUSED(at_adjusted_level(bars));
  EXPECT_REFUSED(bars.rows_with(PriceField::close));
  EXPECT_REFUSED(bars.on_days({day(2), day(4)}));
  EXPECT_REFUSED(bars.between(day(2), day(4)));
  EXPECT_REFUSED(lines_of(Overlay::parse("sma:2", "here"), bars, PriceField::close));
  EXPECT_REFUSED(within_day_returns({bars}, ReturnKind::simple));
  EXPECT_REFUSED(moving_average({1, 2, 3}, 0));
  EXPECT_REFUSED(exponential_average({1, 2, 3}, -1));
  EXPECT_REFUSED(momentum({1, 2, 3}, 0));
  EXPECT_REFUSED(deviation_bands({1, 2, 3}, 2, nan));
  EXPECT_REFUSED(convergence_divergence({1, 2, 3}, 0, 2, 1));
  EXPECT_REFUSED(stochastic({1, 2}, {1, 2, 3}, {1, 2, 3}, 2, 1));
}

TEST(Doors, RehearsalsTakeNumbers) {
  const auto with = [](auto set) {
    RehearsalPlan plan;
    plan.weights = Vector2d(0.5, 0.5);
    plan.terms.costs.resize(2);
    RehearsalOptions options;
    set(plan, options);
    return refuses([&] { (void)rehearse(three_days(), plan, options); });
  };
  EXPECT_TRUE(with([](auto& plan, auto&) { plan.weights = Vector3d(0, 0, 1); }));
  EXPECT_TRUE(with([](auto& plan, auto&) { plan.weights[0] = nan; }));
  EXPECT_TRUE(with([](auto& plan, auto&) { plan.terms.costs[0].buy.half_spread = nan; }));
  EXPECT_TRUE(with([](auto& plan, auto&) { plan.terms.costs[1].sell.tiers = {{0, -0.1}}; }));
  EXPECT_TRUE(with([](auto& plan, auto&) { plan.terms.costs.resize(1); }));
  EXPECT_TRUE(with([](auto&, auto& options) { options.wealth = nan; }));
  EXPECT_TRUE(with([](auto&, auto& options) { options.wealth = infinity; }));
  EXPECT_TRUE(with([](auto&, auto& options) { options.risk_free = nan; }));
  EXPECT_TRUE(with([](auto&, auto& options) { options.delay = -1; }));
  for (const double wrong : {nan, infinity, -1.0}) {
    EXPECT_TRUE(with([&](auto& plan, auto&) { plan.terms.smallest_order = wrong; })) << wrong;
    EXPECT_TRUE(with([&](auto& plan, auto&) { plan.terms.cash_floor = wrong; })) << wrong;
    EXPECT_TRUE(with([&](auto& plan, auto&) { plan.terms.lots = {1, wrong}; })) << wrong;
    EXPECT_TRUE(with([&](auto& plan, auto&) { plan.terms.costs[0].buy.fee = wrong; })) << wrong;
    EXPECT_TRUE(with([&](auto& plan, auto&) { plan.terms.costs[0].sell.least = wrong; })) << wrong;
    EXPECT_TRUE(with([&](auto& plan, auto&) { plan.terms.costs[0].sell.impact = wrong; })) << wrong;
    EXPECT_TRUE(with([&](auto& plan, auto&) { plan.terms.costs[0].custody = wrong; })) << wrong;
    EXPECT_TRUE(with([&](auto&, auto& options) { options.withholding = wrong; })) << wrong;
  }
  EXPECT_TRUE(with([](auto& plan, auto&) { plan.terms.lots = {1, 0}; }));
  EXPECT_TRUE(with([](auto&, auto& options) { options.cash_rate = nan; }));
  EXPECT_TRUE(with([](auto&, auto& options) { options.flows = {{three_days().days[0], nan}}; }));
  const auto trades = [](Ledger ledger, const Destination& destination, const TradingDay& day, std::size_t costs) {
    return refuses([&] { (void)ledger.trade(destination, day, {std::vector<AssetCosts>(costs)}); });
  };
  const Ledger ledger{Vector2d(0, 0), 1};
  EXPECT_FALSE(trades(ledger, {Vector2d(0, 1)}, {{}, {}, Vector2d(1, 1)}, 2));
  EXPECT_TRUE(trades(ledger, {Vector3d(0, 0, 1)}, {{}, {}, Vector2d(1, 1)}, 2));
  EXPECT_TRUE(trades(ledger, {Vector2d(0, 1)}, {{}, {}, Vector2d(1, nan)}, 2));
  EXPECT_TRUE(trades(ledger, {Vector2d(0, 1)}, {{}, {}, Vector2d(1, 1), nan}, 2));
  EXPECT_TRUE(trades(ledger, {Vector2d(0, 1)}, {{}, {}, Vector2d(1, 1)}, 1));
}

TEST(Doors, IntervalsAndSchedulesAreValidOrCannotBeMade) {
  EXPECT_REFUSED(Interval{0, Unit::month});
  EXPECT_REFUSED(Interval{-1, Unit::day});
  EXPECT_REFUSED(Interval{20000, Unit::year});
  EXPECT_REFUSED(Interval{1, Unit::day}.period_of(Day{}));
  EXPECT_EQ(Interval{}.text(), "1m");
  const Schedule monthly{.every = Interval{1, Unit::month}};
  EXPECT_EQ(monthly.text(), "1m");
  const std::vector<Day> month_end{Day{std::chrono::year{2024} / 1 / 30}, Day{std::chrono::year{2024} / 1 / 31}};
  EXPECT_TRUE(monthly.looks(month_end).back());  // and not `never`, silently
  EXPECT_EQ(Schedule{}.text(), "never");
  static_assert(!std::is_default_constructible_v<Bounds> && !std::is_default_constructible_v<Frontier>);
}

}  // namespace
}  // namespace inchtide::doors

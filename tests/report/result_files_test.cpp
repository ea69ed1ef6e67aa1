// What the commands write as JSON comes back as the library's own values.

#include "inchtide/exchange/result_files.hpp"

#include <cmath>

#include "inchtide/base/errors.hpp"
#include "inchtide/report/rehearsal.hpp"
#include "inchtide/report/weights.hpp"
#include "support/messages.hpp"
#include "support/process.hpp"

namespace inchtide {
namespace {

using test::Folder;
using test::message_of;
using testing::HasSubstr;

/// Five assets, some of which have the same figures up to a factor; held now in equal parts.
Basis sample_basis() {
  Estimate estimate;
  estimate.assets = {"TIDEMILL", "KELPFARM", "HOLLBOND", "HOLLBANK", "MARROWSH"};
  estimate.expected_return = Eigen::VectorXd{{0.07, 0.09, 0.03, 0.06, 0.02}};
  Eigen::MatrixXd factors(5, 2);
  factors << 0.1, 0.02, 0.2, -0.05, 0.01, 0.03, 0.12, 0.1, 0.05, 0.15;
  estimate.covariance = Covariance::dense(factors * factors.transpose() + 0.002 * Eigen::MatrixXd::Identity(5, 5));
  Settings settings;
  settings.risk_free = 0.01;
  settings.limits = {Limit::parse("KELPFARM <= 20%"), Limit::parse("HOLLBANK = 15%"), Limit::parse("each <= 40%")};
  settings.costs = {CostClass::parse("10bp", "here")};
  Sources sources;
  sources.current = WeightList{"now", estimate.assets, {0.2, 0.2, 0.2, 0.2, 0.2}};
  return basis_of(estimate, sources, settings);
}

void expect_equal(const Eigen::VectorXd& a, const Eigen::VectorXd& b) {
  ASSERT_EQ(a.size(), b.size());
  EXPECT_TRUE((a.array() == b.array()).all()) << a.transpose() << " and " << b.transpose();
}

void expect_equal(const BindingLimit& a, const BindingLimit& b) {
  EXPECT_EQ(a.limit, b.limit);
  EXPECT_EQ(a.text, b.text);
  EXPECT_EQ(a.per_unit, b.per_unit);
  EXPECT_EQ(a.loosening, b.loosening);
  EXPECT_EQ(a.tightening, b.tightening);
  EXPECT_EQ(a.raising, b.raising);
  EXPECT_EQ(a.lowering, b.lowering);
}

void expect_equal(const Allocation& a, const Allocation& b) {
  EXPECT_EQ(a.name, b.name);
  EXPECT_EQ(a.aim, b.aim);
  EXPECT_EQ(a.assets, b.assets);
  expect_equal(a.weights, b.weights);
  expect_equal(a.risk_shares, b.risk_shares);
  EXPECT_EQ(a.expected_return, b.expected_return);
  EXPECT_EQ(a.volatility, b.volatility);
  EXPECT_EQ(a.sharpe, b.sharpe);
  EXPECT_EQ(a.average_volatility, b.average_volatility);
  EXPECT_EQ(a.net_return, b.net_return);
  EXPECT_EQ(a.net_sharpe, b.net_sharpe);
  EXPECT_EQ(a.tracking_error, b.tracking_error);
  EXPECT_EQ(a.turnover, b.turnover);
  EXPECT_EQ(a.trading_cost, b.trading_cost);
  ASSERT_EQ(a.binding.size(), b.binding.size());
  for (std::size_t k = 0; k < a.binding.size(); ++k) expect_equal(a.binding[k], b.binding[k]);
  ASSERT_EQ(a.left_out.size(), b.left_out.size());
  for (std::size_t k = 0; k < a.left_out.size(); ++k) {
    EXPECT_EQ(a.left_out[k].asset, b.left_out[k].asset);
    EXPECT_EQ(a.left_out[k].expected_return, b.left_out[k].expected_return);
    EXPECT_EQ(a.left_out[k].would_need, b.left_out[k].would_need);
  }
  ASSERT_EQ(a.violations.size(), b.violations.size());
  for (std::size_t k = 0; k < a.violations.size(); ++k) {
    EXPECT_EQ(a.violations[k].limit, b.violations[k].limit);
    EXPECT_EQ(a.violations[k].asset, b.violations[k].asset);
    EXPECT_EQ(a.violations[k].by, b.violations[k].by);
    EXPECT_EQ(a.violations[k].figure, b.violations[k].figure);
  }
  ASSERT_EQ(a.certificate.has_value(), b.certificate.has_value());
  if (a.certificate) {
    EXPECT_EQ(a.certificate->worst(), b.certificate->worst());
  }
  EXPECT_EQ(a.proven, b.proven);
  EXPECT_EQ(a.notes, b.notes);
}

TEST(ResultFiles, GivePortfoliosBack) {
  const auto basis = sample_basis();
  auto before_costs = basis.facts;
  before_costs.costs_count = false;
  const auto frontier = trace_frontier(basis.estimate, basis.limits, before_costs);
  Portfolios portfolios;
  for (const char* aim : {"minimum-variance", "maximum-sharpe", "target-volatility=9%", "maximum-diversification",
                          "utility=4", "equal", "blend-return=3%"}) {
    portfolios.all.push_back(choose(frontier, Aim::parse(aim, "here"), basis.risk_free));
  }
  portfolios.all.push_back(evaluate(basis.estimate, basis.limits, Eigen::VectorXd{{0.5, 0.5, 0, 0, 0}}, "mine",
                                    basis.risk_free, basis.facts));
  bool equality = false, violated = false, no_room = false;
  for (const auto& one : portfolios.all) {
    violated = violated || !one.violations.empty();
    for (const auto& limit : one.binding) {
      equality = equality || limit.raising;
      no_room = no_room || (limit.tightening && std::isinf(*limit.tightening));
    }
  }
  ASSERT_TRUE(equality && violated) << "the cases that are hard to write";

  const Folder folder;
  const auto file = folder / "weigh.json";
  folder.write("weigh.json", to_json(report::weigh_chapter(portfolios, basis, nullptr, {}, {.estimate = "some.json"})));
  const auto back = exchange::read_allocations(file);
  ASSERT_EQ(back.size(), portfolios.all.size());
  for (std::size_t k = 0; k < back.size(); ++k) expect_equal(back[k], portfolios.all[k]);
}

TEST(ResultFiles, GivePricesWithoutRoomBack) {
  auto basis = sample_basis();
  Allocation full = evaluate(basis.estimate, {}, Eigen::VectorXd::Constant(5, 0.2), "full", 0.01);
  const double none = std::numeric_limits<double>::infinity();
  full.binding = {{"a", "each <= 20%", false, 0.5, none, std::nullopt, std::nullopt},
                  {"b", "HOLLBANK = 20%", false, 0.0, std::nullopt, -none, -0.25},
                  {"c", "average yield >= 3", true, 0.125, std::nullopt, std::nullopt, std::nullopt},
                  {"d", "holdings <= 5", false, std::nullopt, std::nullopt, std::nullopt, std::nullopt}};
  auto proven = full, stopped = full;
  proven.proven = true;
  stopped.proven = false;
  Portfolios portfolios;
  portfolios.all = {full, proven, stopped};
  const Folder folder;
  folder.write("weigh.json", to_json(report::weigh_chapter(portfolios, basis, nullptr, {}, {.estimate = "some.json"})));
  const auto back = exchange::read_allocations(folder / "weigh.json");
  ASSERT_EQ(back.size(), 3u);
  for (std::size_t k = 0; k < back.size(); ++k) expect_equal(back[k], portfolios.all[k]);
}

TEST(ResultFiles, GiveRunsBack) {
  PriceTable table;
  std::vector<Day> days;
  for (int day = 0; day < 60; ++day) days.push_back(*parse_day("2024-01-01") + std::chrono::days{3 * day});
  table.days = days;
  table.assets = {{"TIDEMILL", "HLC", PriceField::close}, {"KELPFARM", "HLC", PriceField::close}};
  table.prices.resize(60, 2);
  for (int t = 0; t < 60; ++t) table.prices.row(t) << 100 + 10 * std::sin(t), 50 + t % 7;
  RehearsalPlan plan{"even", "given", Eigen::Vector2d(0.5, 0.4)};
  plan.schedule = Schedule::parse("1m", "here");
  plan.terms.costs = asset_costs({CostClass::of("all", 10, 20), CostClass::of("KELPFARM", 20, 10)}, table.codes(), {});
  for (auto& costs : plan.terms.costs) {
    costs.buy.fee = 1;
    costs.buy.stamp_duty = costs.sell.conversion = 0.0005;
    costs.sell.half_spread = 0.0002;
    costs.buy.own = [](double value) { return 1e-6 * value; };
  }
  Runs runs;
  runs.all = {rehearse(table, plan, {})};
  const auto& run = runs.all.front();
  ASSERT_GT(run.trades.size(), 3u);

  Universe universe;
  universe.prices = table;
  Settings settings;
  settings.split = table.days.front();
  const Folder folder;
  const auto chapter = report::rehearse_chapter(runs, sample_basis(), universe, {}, settings, {});
  folder.write("rehearse.json", to_json(chapter));
  const auto back = exchange::read_rehearsals(folder / "rehearse.json").at(0);
  EXPECT_EQ(back.name + back.schedule + back.aim, run.name + run.schedule + run.aim);
  EXPECT_EQ(back.days, run.days);
  expect_equal(back.net, run.net);
  expect_equal(back.gross, run.gross);
  EXPECT_EQ(back.growth, run.growth);
  EXPECT_EQ(back.growth_per_year, run.growth_per_year);
  EXPECT_EQ(back.volatility, run.volatility);
  EXPECT_EQ(back.sharpe, run.sharpe);
  EXPECT_EQ(back.max_drawdown, run.max_drawdown);
  EXPECT_EQ(back.max_drawdown_from, run.max_drawdown_from);
  EXPECT_EQ(back.turnover_per_year, run.turnover_per_year);
  EXPECT_EQ(back.cost_per_year, run.cost_per_year);
  EXPECT_EQ(back.costs_paid, run.costs_paid);
  EXPECT_EQ(back.costs, run.costs);
  EXPECT_EQ(back.sharpe_error, run.sharpe_error);
  EXPECT_EQ(back.turnover_after_first, run.turnover_after_first);
  EXPECT_EQ(back.order_count, run.order_count);
  ASSERT_EQ(back.trades.size(), run.trades.size());
  for (std::size_t k = 0; k < run.trades.size(); ++k) {
    const auto &a = back.trades[k], &b = run.trades[k];
    EXPECT_EQ(a.decided, b.decided);
    EXPECT_EQ(a.traded, b.traded);
    EXPECT_EQ(a.wealth_before, b.wealth_before);
    EXPECT_EQ(a.wealth_after, b.wealth_after);
    EXPECT_EQ(a.cost, b.cost);
    EXPECT_EQ(a.turnover, b.turnover);
    ASSERT_EQ(a.orders.size(), b.orders.size());
    for (std::size_t i = 0; i < a.orders.size(); ++i) {
      EXPECT_EQ(back.assets[std::size_t(a.orders[i].asset)], run.assets[std::size_t(b.orders[i].asset)]);
      EXPECT_EQ(a.orders[i].units, b.orders[i].units);
      EXPECT_EQ(a.orders[i].price, b.orders[i].price);
      EXPECT_EQ(a.orders[i].value, b.orders[i].value);
      EXPECT_EQ(a.orders[i].cost, b.orders[i].cost);
    }
  }
}

TEST(ResultFiles, OfAnotherKindAreNamedWithWhatIsMissing) {
  const Folder folder;
  const auto said = [&](const std::string& text) {
    folder.write("a.json", text);
    return message_of([&] { (void)exchange::read_allocations(folder / "a.json"); });
  };
  EXPECT_THAT(said("{\n\n]"), HasSubstr("a.json, line 3: it is not JSON"));
  EXPECT_THAT(said("{}"), HasSubstr("it holds no portfolios. Give the JSON of weigh"));
  EXPECT_THAT(said(R"({"inputs": {"assets": ["A"]}, "result": {"portfolios": [{"name": "x", "aim": "given"}]}})"),
              HasSubstr("field weights: it is missing"));
  EXPECT_THAT(
      said(R"({"inputs": {"assets": ["A"]}, "result": {"portfolios": [{"aim": "equal", "weights": {"B": 1}}]}})"),
      HasSubstr("'B' is none of its assets"));
  EXPECT_THAT(said(R"({"inputs": {"assets": ["A"]}, "result": {"portfolios": [{"aim": "best", "weights": {}}]}})"),
              HasSubstr("'best' is not an aim"));
  EXPECT_THAT(said(R"({"inputs": {"assets": ["A"]}, "result": {"portfolios": [7]}})"), HasSubstr("is no object"));
}

}  // namespace
}  // namespace inchtide

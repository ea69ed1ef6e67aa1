// Rehearsals against a slow ledger of the tests' own, on random mandates.

#include <fmt/format.h>

#include <cmath>
#include <optional>
#include <random>

#include "inchtide/base/errors.hpp"
#include "inchtide/rehearsal/walk.hpp"
#include "rehearsal/drawn.hpp"
#include "rehearsal/slow_ledger.hpp"
#include "rehearsal/slow_measures.hpp"
#include "support/rounds.hpp"

namespace inchtide {
namespace {

using test::Draw;
using test::Drawn;

std::string words(const Drawn& drawn) {
  const auto& options = drawn.options;
  return fmt::format(
      "{}, {} assets, delay {}, {} flows, {} lots, {} actions, {} ends, smallest {}, floor {}, fixed at the look {}, "
      "estimates {}, weights {}, wealth {}, impact {}",
      drawn.plan.schedule.text(), drawn.table.assets.size(), options.delay, options.flows.size(),
      drawn.plan.terms.lots.size(), options.actions.size(), options.ends.size(), drawn.plan.terms.smallest_order,
      drawn.plan.terms.cash_floor, options.size == RehearsalOptions::Size::decision, drawn.plan.estimation.has_value(),
      drawn.plan.weights.sum(), options.wealth, options.traded_value.size());
}

bool is_near(double value, long double expected, long double scale) {
  return std::abs(value - expected) <= 1e-12L * std::max(std::abs(expected), scale);
}

void expect_equal(const Rehearsal& run, const slow::SlowRun& slow, const Drawn& drawn) {
  const long double wealth = slow.before[0];
  for (std::size_t t = 0; t < drawn.table.rows(); ++t) {
    const auto at = Eigen::Index(t);
    ASSERT_TRUE(is_near(run.before[at], slow.before[t], 0))
        << "row " << t << ": " << run.before[at] << ", " << double(slow.before[t]);
    ASSERT_TRUE(is_near(run.flow[at], slow.flow[t], wealth)) << t;
    ASSERT_TRUE(is_near(run.net[at], slow.net[t], 0))
        << "row " << t << ": " << run.net[at] << ", " << double(slow.net[t]);
    ASSERT_TRUE(is_near(run.gross[at], slow.gross[t], 0)) << t;
  }
  ASSERT_EQ(run.trades.size(), slow.trades.size());
  for (std::size_t k = 0; k < run.trades.size(); ++k) {
    const auto& trade = run.trades[k];
    const auto& expected = slow.trades[k];
    ASSERT_EQ(trade.decided, drawn.table.days[expected.decided]);
    ASSERT_EQ(trade.traded, drawn.table.days[expected.traded]);
    ASSERT_TRUE(is_near(trade.cost.total(), expected.cost, wealth));
    ASSERT_TRUE(is_near(trade.turnover, expected.turnover, 1));
    std::size_t orders = 0;
    for (const auto units : expected.units) orders += units != 0;
    ASSERT_EQ(trade.orders.size(), orders);
    for (const auto& order : trade.orders) {
      ASSERT_TRUE(is_near(order.units * order.price, expected.units[std::size_t(order.asset)] * order.price, wealth));
    }
  }
  EXPECT_TRUE(is_near(run.costs_paid, slow.cost, wealth));
  EXPECT_TRUE(is_near(run.running.custody, slow.custody, wealth));
  EXPECT_TRUE(is_near(run.running.borrowing, slow.borrowing, wealth));
  EXPECT_TRUE(is_near(run.running.interest, slow.interest, wealth));
  EXPECT_TRUE(is_near(run.running.dividends, slow.dividends, wealth));
  EXPECT_TRUE(is_near(run.running.haircuts, slow.haircuts, wealth));
}

/// What it measures of its own series, whichever way it adds them up.
void expect_measured(const Rehearsal& run, const RehearsalOptions& options) {
  const auto slow = slow::measures_of(run, options);
  const auto near = [](double value, long double expected, double scale, const char* name) {
    if (!std::isfinite(double(expected))) return;  // of rows that all are one
    EXPECT_NEAR(value, double(expected), 1e-11 * std::max(scale, std::abs(double(expected)))) << name;
  };
  near(run.growth, slow.growth, 1, "growth");
  near(run.mean_per_year, slow.mean, 1, "mean");
  near(run.volatility, slow.volatility, 1, "volatility");
  near(run.sharpe, slow.sharpe, 1, "sharpe");
  near(run.sortino, slow.sortino, 1, "sortino");
  near(run.sharpe_error, slow.sharpe_error, 1, "its error");
  near(run.sharpe_error_correlated, slow.correlated_error, 1, "its correlated error");
  near(run.max_drawdown, slow.max_drawdown, 1, "drawdown");
  near(run.tracking_to_targets, slow.tracking, 1, "tracking");
}

TEST(Reference, AgreesWithASlowLedgerOnRandomMandates) {
  int compared = 0, refused = 0;
  for (int round = 0; round < test::rounds(2000); ++round) {
    auto drawn = Draw(unsigned(round)).all();
    std::optional<Rehearsal> run;
    try {
      run = rehearse(drawn.table, drawn.plan, drawn.options);
    } catch (const InputError&) {
      ++refused;  // costs that reach the wealth, schedules that never look within so few rows, wealth that is lost
      continue;
    }
    ++compared;
    const auto slow = slow::SlowLedger(drawn.table, drawn.plan, drawn.options).run();
    expect_equal(*run, slow, drawn);
    expect_measured(*run, drawn.options);
    EXPECT_FALSE(testing::Test::HasFailure()) << "round " << round << ": " << words(drawn);
    if (testing::Test::HasFailure()) return;
  }
  EXPECT_GT(compared, 3 * refused);
}

TEST(Reference, AgreesWithAPathAndItsCostsAsWithTheLedger) {
  int paths = 0, shrunk = 0, closed = 0;
  for (int round = 0; round < test::rounds(2000); ++round) {
    auto drawn = Draw(unsigned(30000 + round)).plain();
    drawn.options.keep_weights = true;
    Rehearsal run;
    try {
      const Walk walk(drawn.table, drawn.plan, drawn.options);
      auto state = walk.begin();
      const bool path = state.scaled.has_value();
      walk.go_on(state, drawn.table.rows());
      paths += path;
      closed += path && !state.scaled;
      run = walk.finish(state);
    } catch (const InputError&) {
      continue;  // it never looks within so few rows
    }
    for (const auto& trade : run.trades) shrunk += trade.shrunk < 1;
    const auto slow = slow::SlowLedger(drawn.table, drawn.plan, drawn.options).run();
    expect_equal(run, slow, drawn);
    expect_measured(run, drawn.options);
    // A flow of nothing keeps a walk off its path.
    drawn.options.flows = {{drawn.table.days.back(), 0}};
    const auto by_ledger = rehearse(drawn.table, drawn.plan, drawn.options);
    EXPECT_LT((run.weights - by_ledger.weights).cwiseAbs().maxCoeff(), 1e-12);
    EXPECT_LT((run.end.units - by_ledger.end.units).cwiseAbs().maxCoeff(), 1e-12 * run.end.units.cwiseAbs().sum());
    EXPECT_NEAR(run.end.cash, by_ledger.end.cash, 1e-12 * run.net[0]);
    EXPECT_NEAR(run.shortfall.delay, by_ledger.shortfall.delay, 1e-11);
    EXPECT_NEAR(run.tracking_to_targets, by_ledger.tracking_to_targets, 1e-10);
    EXPECT_EQ(run.log.size(), by_ledger.log.size());
    EXPECT_EQ(run.pending.has_value(), by_ledger.pending.has_value());
    EXPECT_EQ(run.order_count, by_ledger.order_count);
    EXPECT_FALSE(testing::Test::HasFailure()) << "round " << round << ": " << words(drawn);
    if (testing::Test::HasFailure()) return;
  }
  EXPECT_GT(paths, test::rare(1200));
  EXPECT_GT(closed, test::rare(200)) << "from where an asset is closed, the ledger walks";
  EXPECT_GT(shrunk, test::rare(300)) << "purchases turned";
}

TEST(Walk, CutAtAnyRowEqualsTheOneRun) {
  for (int round = 0; round < test::rounds(600); ++round) {
    auto drawn = round % 2 == 0 ? Draw(unsigned(5000 + round)).all() : Draw(unsigned(5000 + round)).plain();
    drawn.options.keep_weights = true;
    std::optional<Rehearsal> run;
    try {
      run = rehearse(drawn.table, drawn.plan, drawn.options);
    } catch (const InputError&) {
      continue;
    }
    const Walk walk(drawn.table, drawn.plan, drawn.options);
    for (const std::size_t cut : {1, 7, 20, 31, 59, round}) {
      auto state = walk.begin();
      walk.go_on(state, cut % drawn.table.rows());
      auto saved = state;
      walk.go_on(state, drawn.table.rows());  // what it goes on with doesn't change what was saved
      walk.go_on(saved, drawn.table.rows());
      const auto pieces = walk.finish(saved);
      ASSERT_EQ(pieces.net, run->net) << round << ", " << cut;
      ASSERT_EQ(pieces.gross, run->gross);
      ASSERT_EQ(pieces.paper, run->paper);
      ASSERT_EQ(pieces.weights, run->weights);
      ASSERT_EQ(pieces.trades.size(), run->trades.size());
      ASSERT_EQ(pieces.log.size(), run->log.size());
      for (const auto figure : {&Rehearsal::sharpe, &Rehearsal::sharpe_error_correlated, &Rehearsal::sortino,
                                &Rehearsal::max_drawdown, &Rehearsal::tracking_to_targets}) {
        ASSERT_EQ(pieces.*figure, (*run).*figure) << round << ", " << cut;
      }
      ASSERT_EQ(pieces.end.units, run->end.units);
    }
  }
}

/// The same with rows of history before it, on other days and at other prices.
Drawn with_history(Drawn drawn, int rows, unsigned seed) {
  std::mt19937_64 random(seed);
  std::normal_distribution<double> normal(0, 0.05);
  auto& table = drawn.table;
  std::vector<Day> days;
  for (int t = rows; t > 0; --t) days.push_back(table.days.front() - std::chrono::days{t});
  days.insert(days.end(), table.days.begin(), table.days.end());
  Eigen::MatrixXd prices(Eigen::Index(days.size()), table.prices.cols());
  for (Eigen::Index i = 0; i < prices.cols(); ++i) {
    for (int t = 0; t < rows; ++t) prices(t, i) = 20 * std::exp(normal(random));
  }
  prices.bottomRows(table.prices.rows()) = table.prices;
  table.days = std::move(days);
  table.prices = std::move(prices);
  drawn.options.first_row = std::size_t(rows);
  return drawn;
}

TEST(Rehearsal, HistoryBeforeItsFirstRowMovesNothingThatDoesNotLookBack) {
  int compared = 0, trades = 0;
  for (int round = 0; round < test::rounds(600); ++round) {
    auto drawn = round % 2 == 0 ? Draw(unsigned(8000 + round)).all() : Draw(unsigned(8000 + round)).plain();
    if (drawn.plan.estimation || drawn.options.traded_value.size() > 0) continue;  // these look back
    drawn.options.keep_weights = true;
    drawn.options.rows_per_year = 252;
    const auto longer = with_history(drawn, 1 + round % 40, unsigned(round));
    std::optional<Rehearsal> run, with;
    try {
      run = rehearse(drawn.table, drawn.plan, drawn.options);
    } catch (const InputError&) {
      EXPECT_THROW((void)rehearse(longer.table, longer.plan, longer.options), InputError) << words(drawn);
      continue;
    }
    with = rehearse(longer.table, longer.plan, longer.options);
    ASSERT_EQ(with->days, run->days) << words(drawn);
    ASSERT_EQ(with->net, run->net) << words(drawn);
    ASSERT_EQ(with->gross, run->gross);
    ASSERT_EQ(with->paper, run->paper);
    ASSERT_EQ(with->weights, run->weights);
    ASSERT_EQ(with->end.units, run->end.units);
    ASSERT_EQ(with->log.size(), run->log.size());
    ASSERT_EQ(with->trades.size(), run->trades.size());
    for (std::size_t k = 0; k < run->trades.size(); ++k) {
      ASSERT_EQ(with->trades[k].decided, run->trades[k].decided);
      ASSERT_EQ(with->trades[k].cost, run->trades[k].cost);
    }
    ++compared;
    trades += int(run->trades.size());
  }
  EXPECT_GT(compared, test::rare(300));
  EXPECT_GT(trades, test::rare(1500));
}

TEST(Rehearsal, ValuesAtTheLastPriceBeforeItsFirstRow) {
  PriceTable table;
  for (int t = 0; t < 12; ++t) table.days.push_back(*parse_day("2024-01-01") + std::chrono::days{t});
  table.assets = {{"A", "HLC", PriceField::close}, {"B", "HLC", PriceField::close}};
  table.prices = Eigen::MatrixXd::Constant(12, 2, 10);
  table.prices(3, 1) = 8;
  table.prices(4, 1) = table.prices(5, 1) = table.prices(6, 1) = NAN;
  RehearsalOptions options{1000, 0, 0};
  options.first_row = 5;
  options.start = Ledger{Eigen::Vector2d(50, 40), 0};
  RehearsalPlan plan;
  plan.weights = Eigen::Vector2d(0.5, 0.5);
  plan.schedule = Schedule::parse("never", "");
  const auto run = rehearse(table, plan, options);
  EXPECT_EQ(run.before[0], 50 * 10 + 40 * 8) << "B's last price is two rows before";
  ASSERT_EQ(run.trades.size(), 1u);
  EXPECT_EQ(run.trades[0].traded, table.days[7]) << "it waits until B is open";
  EXPECT_EQ(run.net[2], 50 * 10 + 40 * 10);
}

/// What a row's prices, splits included, did to what was held at the close before.
long double price_gains(const Drawn& drawn, const WalkState& before, const WalkState& after) {
  const auto row = before.row;
  long double gains = 0;
  for (Eigen::Index i = 0; i < before.ledger.units.size(); ++i) {
    const long double units = before.ledger.units[i];
    if (units == 0) continue;
    long double split = 1;
    for (const auto& action : drawn.options.actions) {
      const bool today = row > 0 && action.ex_day > drawn.table.days[row - 1] && action.ex_day <= drawn.table.days[row];
      if (today && action.asset == drawn.table.assets[std::size_t(i)].code) split *= action.split;
    }
    gains += units * (split * after.last_price[i] - before.last_price[i]);
  }
  return gains;
}

TEST(Rehearsal, LosesAndMakesNoMoney) {
  // Wealth = start + flows + price gains + dividends + interest - costs - fees - haircuts, at every close.
  int rows = 0;
  for (int round = 0; round < test::rounds(10'000); ++round) {
    const auto drawn = Draw(unsigned(20'000 + round)).all();
    try {
      const Walk walk(drawn.table, drawn.plan, drawn.options);
      auto state = walk.begin();
      long double wealth = state.net, gross = state.net;
      while (state.row < drawn.table.rows()) {
        const auto before = state;
        walk.go_on(state, state.row + 1);
        const auto &was = before.so_far.running, &is = state.so_far.running;
        const auto move = [&](long double amount) {
          wealth += amount;
          gross += std::abs(amount);
        };
        move(is.flows - was.flows);
        move(price_gains(drawn, before, state));
        move(is.dividends - was.dividends);
        move(is.interest - was.interest);
        move(was.custody - is.custody);
        move(was.borrowing - is.borrowing);
        move(was.haircuts - is.haircuts);
        for (std::size_t k = before.so_far.trades.size(); k < state.so_far.trades.size(); ++k) {
          move(-(long double)(state.so_far.trades[k].cost.total()));
        }
        ASSERT_NEAR(double((state.net - wealth) / gross), 0, 1e-12) << "round " << round << ", row " << before.row;
        ++rows;
      }
    } catch (const InputError&) {
      continue;  // as above
    }
  }
  EXPECT_GT(rows, test::rounds(10'000) * 20);
}

TEST(Rehearsal, DecidesNothingByWhatComesLater) {
  int compared = 0;
  for (int round = 0; round < test::rounds(2000); ++round) {
    const auto drawn = Draw(unsigned(40'000 + round)).all();
    if (drawn.plan.estimation) continue;  // its function holds the prices of its own; see the study's test
    auto other = drawn;
    const auto changed = Eigen::Index(drawn.table.rows() * std::size_t(1 + round % 7) / 8);
    for (Eigen::Index t = changed; t < other.table.prices.rows(); ++t) {
      for (Eigen::Index i = 0; i < other.table.prices.cols(); ++i)
        other.table.prices(t, i) *= 1 + 0.01 * double((t + i) % 9);
      if (other.options.traded_value.size() > 0) other.options.traded_value.row(t) *= 3;
    }
    const auto up_to_change = [&](const Drawn& which) -> std::optional<WalkState> {
      try {
        const Walk walk(which.table, which.plan, which.options);
        auto state = walk.begin();
        walk.go_on(state, std::size_t(changed));
        return state;
      } catch (const InputError&) {
        return std::nullopt;
      }
    };
    const auto a = up_to_change(drawn), b = up_to_change(other);
    ASSERT_EQ(a.has_value(), b.has_value());
    if (!a) continue;
    ++compared;
    ASSERT_EQ(a->net, b->net) << round;
    ASSERT_EQ(a->ledger.units, b->ledger.units);
    ASSERT_EQ(a->ledger.cash, b->ledger.cash);
    ASSERT_EQ(a->decision.has_value(), b->decision.has_value());
    if (a->decision) {
      ASSERT_EQ(a->decision->units, b->decision->units);
    }
    ASSERT_EQ(a->so_far.log.size(), b->so_far.log.size());
  }
  EXPECT_GT(compared, test::rounds(2000) / 2);
}

}  // namespace
}  // namespace inchtide

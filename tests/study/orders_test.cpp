#include "inchtide/study/orders.hpp"

#include <gmock/gmock.h>

#include <algorithm>
#include <cmath>
#include <utility>

#include "inchtide/base/errors.hpp"
#include "inchtide/study/runs.hpp"
#include "support/messages.hpp"

namespace inchtide {
namespace {

using test::message_of;
using testing::HasSubstr;

/// Two assets whose last closes are 20 and 50; the first's adjusted closes are half of its closes.
struct Held {
  Sources sources;
  Settings settings;
  Held() {
    for (const char* code : {"TIDEMILL", "HOLLBOND"}) {
      BarHistory bars{code};
      std::vector<Day> days;
      const bool first = code[0] == 'T';
      for (int week = 0; week < 150; ++week) {
        days.push_back(*parse_day("2021-01-08") + std::chrono::days{7 * week});
        const double close = week == 149 ? (first ? 20 : 50) : 30 + week * (first ? 3 : 5) % 7;
        bars.of(PriceField::close).push_back(close);
        if (first) bars.of(PriceField::adjusted_close).push_back(close / 2);
      }
      bars.days = DayList(std::move(days));
      sources.bars.push_back(std::move(bars));
    }
    sources.current = WeightList{"held", {"TIDEMILL", "HOLLBOND"}, {0.7, 0.2}};
    settings.wealth = 10'000;
  }
  OrderList to(double first, double second) const {
    const auto universe = universe_of(sources, settings);
    const auto basis = basis_of(universe, sources, settings);
    return orders_to(universe, basis, evaluate(basis.estimate, {}, Eigen::Vector2d(first, second), "aim", 0), settings);
  }
};

TEST(Orders, LeadFromWhatIsHeldAtClosesAndPayForThemselves) {
  Held held;
  held.settings.costs = {CostClass::parse("100bp", "")};
  const auto list = held.to(0.5, 0.5);
  // W + 1% of (7000 - W/2) + 1% of (W/2 - 2000) = 10000, so W = 9950: 101.25 units of 20 are sold, 59.5 of 50 bought.
  ASSERT_EQ(list.orders.size(), 2u);
  EXPECT_NEAR(list.wealth_after, 9950, 1e-9);
  EXPECT_EQ(list.orders[0].asset, "TIDEMILL");
  EXPECT_EQ(list.orders[0].price, 20) << "its close, not its adjusted close";
  EXPECT_NEAR(list.orders[0].units, -(7000 - 4975) / 20.0, 1e-9);
  EXPECT_NEAR(list.orders[1].units, (4975 - 2000) / 50.0, 1e-9);
  EXPECT_NEAR(list.cash_after, 0, 1e-8);
  EXPECT_NEAR(list.cash_before, 1000, 1e-9);
  EXPECT_NEAR(list.orders[1].weight_after, 0.5, 1e-12);
  EXPECT_NEAR(list.orders[1].weight_before, 0.2, 1e-12);
  EXPECT_EQ(list.orders[1].price_day, held.sources.bars[0].days.back());
}

TEST(Orders, KeepLotsTheSmallestOrderAndTheFloorOfCash) {
  Held held;
  held.settings.lots = {{"all", 10}};
  held.settings.cash_floor = 0.02;
  const auto list = held.to(0.5, 0.5);
  for (const auto& order : list.orders) EXPECT_EQ(std::fmod(std::abs(order.units), 10), 0);
  EXPECT_GE(list.cash_after, 0.02 * list.wealth_after);
  held.settings.lots.clear();
  held.settings.smallest_order = 2500;
  const auto large = held.to(0.5, 0.5);
  ASSERT_EQ(large.orders.size(), 1u);
  EXPECT_EQ(large.orders[0].asset, "HOLLBOND");
  EXPECT_LT(large.shrunk, 1) << "what wasn't sold isn't there to buy with";
  EXPECT_NEAR(large.cash_after, 0.02 * large.wealth_after, 1e-8);
}

TEST(Orders, InLotsAreWholeWhereWhatIsHeldIs) {
  Held held;
  held.settings.lots = {{"all", 1}};
  for (int units = 1; units < 200; ++units) {
    held.settings.wealth = 20.0 * units + 50 * 37 + 123.45;
    held.sources.current->weights = {20 * units / held.settings.wealth, 50 * 37 / held.settings.wealth};
    const auto sold = held.to(0, 0.5);
    ASSERT_FALSE(sold.orders.empty());
    EXPECT_EQ(sold.orders[0].units, -units);
    for (const auto& order : sold.orders) EXPECT_EQ(order.units, std::round(order.units)) << units;
  }
}

TEST(Orders, SayByHowMuchWeightsAreMadeSmallerForTheFloorOfCash) {
  Held held;
  held.settings.cash_floor = 0.02;
  const auto whole = held.to(0.5, 0.5);
  EXPECT_NEAR(whole.scaled, 0.98, 1e-15);
  EXPECT_NEAR(whole.orders[0].weight_after, 0.49, 1e-12);
  EXPECT_NEAR(whole.cash_after, 200, 1e-9);
  EXPECT_EQ(whole.shortfall, 0);
  for (int step = 0; step < 200; ++step) {  // whatever the last bits
    held.settings.cash_floor = 0.001 + 0.0007 * step;
    held.settings.costs = {CostClass::parse(std::to_string(step % 50) + "bp", "")};
    EXPECT_EQ(held.to(0.3 + 0.002 * step, 0.6).shortfall, 0) << step;
  }
  held.settings.costs.clear();
  held.settings.cash_floor = 0.02;
  EXPECT_EQ(held.to(0.5, 0.48).scaled, 1) << "the floor is left already";
  EXPECT_NEAR(held.to(0.5, 0.7).scaled, 0.98 / 1.2, 1e-15) << "borrowed weights leave it too";
  held.settings.cash_floor = 0;
  EXPECT_EQ(held.to(0.5, 0.7).scaled, 1) << "there is no floor";
}

TEST(Orders, WithoutACloseOnTheDayAreAtTheAdjustedOneWhereThatWillDo) {
  Held held;
  held.sources.bars[0].of(PriceField::close).back() = NAN;
  const auto list = held.to(0.5, 0.5);
  EXPECT_EQ(list.orders.at(0).price, 10) << "the adjusted close of the day";
  EXPECT_EQ(list.orders.at(0).price_day, held.sources.bars[0].days.back());
  held.settings.lots = {{"all", 1}};
  EXPECT_THAT(message_of([&] { (void)held.to(0.5, 0.5); }), HasSubstr("only an adjusted close"));
}

TEST(Orders, SayWhatIsMissing) {
  Held held;
  held.sources.current.reset();
  EXPECT_THAT(message_of([&] { (void)held.to(0.5, 0.5); }), HasSubstr("what is held now isn't known"));
  held.sources.current = WeightList{"held", {"HOLLBOND"}, {1.0}};
  held.sources.bars[0].of(PriceField::close).clear();
  held.settings.lots = {{"all", 1}};
  EXPECT_THAT(message_of([&] { (void)held.to(0.5, 0.5); }), HasSubstr("only an adjusted close"));
}

TEST(Holdings, AreWorthTheirUnitsAtTheLastClosesAndTheirCash) {
  Held held;
  const auto universe = universe_of(held.sources, held.settings);
  const auto valued = value_of({{"hollbond", "TIDEMILL"}, {30, 100}, 500}, universe);
  EXPECT_NEAR(valued.wealth, 30 * 50 + 100 * 20 + 500, 1e-9) << "closes, not adjusted closes";
  EXPECT_NEAR(valued.weights.weights[0], 1500.0 / 4000, 1e-12);
  EXPECT_EQ(valued.weights.assets[0], "HOLLBOND");
  // At an earlier day, by what was known on it.
  const auto& bars = held.sources.bars[1];
  EXPECT_NEAR(value_of({{"HOLLBOND"}, {2}, 0}, universe, bars.days[10]).wealth, 2 * bars.of(PriceField::close)[10],
              1e-9);
}

TEST(Holdings, SayWhatCannotBeValued) {
  Held held;
  const auto universe = universe_of(held.sources, held.settings);
  const auto said = [&](const HoldingList& list) { return message_of([&] { (void)value_of(list, universe); }); };
  EXPECT_THAT(said({{"HOLBOND"}, {1}, 0, "held.csv"}), HasSubstr("held.csv: no asset of the study has the code"));
  EXPECT_THAT(said({{"HOLBOND"}, {1}, 0, ""}), HasSubstr("HOLLBOND"));
  EXPECT_THAT(said({{"HOLLBOND"}, {-1}, 20, ""}), HasSubstr("worth -30 in all"));
  EXPECT_THAT(said({{"HOLLBOND"}, {1, 2}, 20, ""}), HasSubstr("2 units for 1 codes"));
  auto adjusted = held;
  adjusted.sources.bars[0].of(PriceField::close).clear();
  const auto alone = universe_of(adjusted.sources, adjusted.settings);
  EXPECT_THAT(message_of([&] { (void)value_of({{"TIDEMILL"}, {1}, 0}, alone); }), HasSubstr("only an adjusted close"));
  held.sources.held = HoldingList{{"TIDEMILL"}, {1}, 0, "held.csv"};
  EXPECT_THAT(message_of([&] { (void)held.to(0.5, 0.5); }),
              HasSubstr("held.csv: what is held is given as units and as weights"));
  held.sources.current.reset();
  const auto estimate = basis_of(universe, {}, held.settings).estimate;
  EXPECT_THAT(message_of([&] { (void)basis_of(estimate, held.sources, held.settings); }),
              HasSubstr("an estimate has no prices to make weights of them"));
}

/// Sd of the returns of the last closes, and the mean of what was traded on these days.
std::pair<double, double> trailing_by_hand(const BarHistory& bars, std::size_t days = 21) {
  const auto& close = bars.of(PriceField::close);
  const auto& volume = bars.of(PriceField::volume);
  const auto end = close.size(), first = end - days;
  const double count = double(days);
  double mean = 0, squares = 0, money = 0;
  for (auto t = first + 1; t < end; ++t) mean += (close[t] / close[t - 1] - 1) / (count - 1);
  for (auto t = first + 1; t < end; ++t) squares += std::pow(close[t] / close[t - 1] - 1 - mean, 2) / (count - 2);
  for (auto t = first; t < end; ++t) money += close[t] * volume[t] / count;
  return {std::sqrt(squares), money};
}

// What is traded a day, and how prices moved, is known: an order that pays impact says so.
TEST(Orders, PayImpactByWhatIsTradedADay) {
  Held held;
  for (auto& bars : held.sources.bars) {
    const bool first = bars.asset == "TIDEMILL";
    for (int week = 0; week < 150; ++week) bars.of(PriceField::volume).push_back((first ? 900 : 400) + 10 * (week % 4));
  }
  held.settings.costs = {CostClass::parse("0bp", "")};
  held.settings.costs[0].buy.impact = held.settings.costs[0].sell.impact = 0.3;
  const auto list = held.to(0.5, 0.5);
  ASSERT_EQ(list.orders.size(), 2u);
  double paid = 0;
  for (const auto& order : list.orders) {
    const auto [sd, money] = trailing_by_hand(held.sources.bars[order.asset == "TIDEMILL" ? 0 : 1]);
    const double value = std::abs(order.value);
    EXPECT_NEAR(order.cost.impact, 0.3 * sd * std::sqrt(value / money) * value, 1e-9) << order.asset;
    EXPECT_GT(order.cost.impact, 1);
    paid += order.cost.impact;
  }
  EXPECT_NEAR(list.wealth_after, 10'000 - paid, 1e-8);
  held.sources.bars[1].of(PriceField::volume).clear();
  EXPECT_THAT(message_of([&] { (void)held.to(0.5, 0.5); }),
              HasSubstr("HOLLBOND: it has no closes with volumes, which impact hangs on"));
}

TEST(Orders, ImpactHangsOnDaysOfWhatIsTradedNotOfTheBenchmark) {
  Held held;
  for (auto& bars : held.sources.bars) bars.of(PriceField::volume).assign(bars.days.size(), 400);
  // The last asset alone has a price in the middle of the last week, the benchmark alone on the day after.
  const auto add = [](BarHistory& bars, const char* text, double close) {
    std::vector<Day> days(bars.days.begin(), bars.days.end());
    days.insert(days.end() - 1, *parse_day(text));
    bars.days = DayList(std::move(days));
    auto& closes = bars.of(PriceField::close);
    closes.insert(closes.end() - 1, close);
    bars.of(PriceField::volume).insert(bars.of(PriceField::volume).end() - 1, 700);
  };
  auto index = held.sources.bars[1];
  index.asset = "HOLLIN40";
  add(index, "2023-11-16", 48);
  add(held.sources.bars[1], "2023-11-15", 47);
  held.sources.bars.push_back(index);
  held.settings.benchmark = "HOLLIN40";
  held.settings.costs = {CostClass::parse("0bp", "")};
  held.settings.costs[0].buy.impact = held.settings.costs[0].sell.impact = 0.3;
  const auto list = held.to(0.5, 0.5);
  const auto order = std::ranges::find(list.orders, "HOLLBOND", &OrderLine::asset);
  ASSERT_NE(order, list.orders.end());
  const auto [sd, money] = trailing_by_hand(held.sources.bars[1]);
  EXPECT_NEAR(order->cost.impact, 0.3 * sd * std::sqrt(order->value / money) * order->value, 1e-9);
}

TEST(Orders, ImpactNeedsVolumesOfWhatPaysItAlone) {
  Held held;
  held.settings.costs = {CostClass::parse("0bp", ""), {"TIDEMILL"}};
  held.settings.costs[1].buy.impact = held.settings.costs[1].sell.impact = 0.3;
  auto& volumes = held.sources.bars[0].of(PriceField::volume);
  volumes.assign(150, 400);
  for (const auto& order : held.to(0.5, 0.5).orders) EXPECT_EQ(order.cost.impact > 0, order.asset == "TIDEMILL");
  std::fill(volumes.end() - 20, volumes.end(), 0.0);
  EXPECT_GT(held.to(0.5, 0.5).cost.impact, 0) << "of the one day that is left";
  std::fill(volumes.end() - 21, volumes.end(), 0.0);
  EXPECT_THAT(message_of([&] { (void)held.to(0.5, 0.5); }),
              HasSubstr("TIDEMILL: nothing is known to have been traded in the 21 days up to 2023-11-17"));
}

TEST(Orders, ACloseBelowOneIsAPrice) {
  Held held;
  held.sources.bars[0].of(PriceField::close).back() = 0.5;
  held.sources.bars[0].of(PriceField::adjusted_close).back() = 0.25;
  const auto list = held.to(0.5, 0.5);
  EXPECT_EQ(list.orders.at(0).price, 0.5) << "the close, not the adjusted one";
}

TEST(Orders, InLotsAreWholeOfManyUnitsToo) {
  Held held;
  held.settings.lots = {{"all", 1}};
  int inexact = 0;
  for (int step = 0; step < 50; ++step) {  // the more units, the less of a unit rounding leaves exact
    const double units = 3'333'333'301.0 + 77 * step;
    held.settings.wealth = (20 * units + 50 * 37) * (1.3 + 0.01 * step);
    held.sources.current->weights = {20 * units / held.settings.wealth, 50 * 37 / held.settings.wealth};
    const auto sold = held.to(0, 0.5);
    EXPECT_EQ(sold.orders.at(0).units, -units) << step;
    EXPECT_EQ(sold.orders.at(0).weight_after, 0) << step << ": no dust is left";
    inexact += held.sources.current->weights[0] * held.settings.wealth / 20 != units;
  }
  EXPECT_GT(inexact, 0);
}

TEST(Orders, ImpactOfFewerDaysThanItsWindowIsOfThose) {
  Held held;
  for (auto& bars : held.sources.bars) {
    bars = bars.between(bars.days[150 - 12], std::nullopt);
    bars.of(PriceField::volume).assign(12, 500);
  }
  held.settings.every = Interval{1, Unit::week};
  held.settings.costs = {CostClass::parse("0bp", "")};
  held.settings.costs[0].buy.impact = held.settings.costs[0].sell.impact = 0.3;
  for (const auto& order : held.to(0.5, 0.5).orders) {
    const auto [sd, money] = trailing_by_hand(held.sources.bars[order.asset == "TIDEMILL" ? 0 : 1], 12);
    const double value = std::abs(order.value);
    EXPECT_NEAR(order.cost.impact, 0.3 * sd * std::sqrt(value / money) * value, 1e-9) << order.asset;
  }
}

// Weights know of no amounts: what hangs on them is left out of net returns, and that is said.
TEST(Orders, NetReturnsSayWhatOfTheCostsTheyLeaveOut) {
  Held held;
  const auto warned = [&] {
    const auto universe = universe_of(held.sources, held.settings);
    const auto basis = basis_of(universe, held.sources, held.settings);
    return testing::Value(test::texts_of(basis.warnings), testing::Contains(HasSubstr("Net returns count")));
  };
  EXPECT_FALSE(warned()) << "there are no costs";
  held.settings.costs = {CostClass::parse("10bp", "")};
  EXPECT_FALSE(warned());
  held.settings.costs[0].sell.least = 50;
  EXPECT_TRUE(warned());
}

// A program that gives units gets what a program that values them itself gets, on the day that it stands on.
TEST(Holdings, AreTheUnitsThatOrdersAndRehearsalsBeginFrom) {
  Held held;
  held.sources.current.reset();
  held.sources.held = HoldingList{{"TIDEMILL", "HOLLBOND"}, {100, 30}, 500, ""};
  held.settings.start_from_current = true;
  held.settings.aims = {Aim::parse("equal", "")};
  held.settings.schedules = {Schedule::parse("never", "")};
  const auto& bars = held.sources.bars;
  for (const std::size_t row : {std::size_t(149), std::size_t(100)}) {
    const Day day = bars[0].days[row];
    std::optional<Day> before;
    if (row != 149) before = day + std::chrono::days{1};
    held.settings.split = before;
    const double first = bars[0].of(PriceField::close)[row], second = bars[1].of(PriceField::close)[row];
    const double worth = 100 * first + 30 * second + 500;
    const auto universe = universe_of(held.sources, held.settings);
    const auto basis = basis_of(universe, held.sources, held.settings, before);
    EXPECT_NEAR(wealth_of(basis, held.settings), worth, 1e-9);
    EXPECT_THAT(test::texts_of(basis.warnings), testing::Contains(HasSubstr("cash of 500 among it")));
    const auto portfolios = portfolios_of(basis, held.sources, held.settings);
    const auto list = orders_to(universe, basis, portfolios.all.front(), held.settings);
    EXPECT_NEAR(list.cash_before, 500, 1e-9);
    for (const auto& order : list.orders) {
      const bool is_first = order.asset == "TIDEMILL";
      EXPECT_EQ(order.price_day, day);
      EXPECT_NEAR(order.units, worth / 2 / (is_first ? first : second) - (is_first ? 100 : 30), 1e-9);
    }
    if (!before) continue;
    const auto runs = runs_of(universe, basis, portfolios, held.sources, held.settings);
    EXPECT_NEAR(runs.all[0].net[0], worth, 1e-9);
  }
}

}  // namespace
}  // namespace inchtide

// Rehearsals that begin on a day on which an asset is closed, and trades that go round it.

#include <gmock/gmock.h>

#include "inchtide/study/runs.hpp"
#include "support/messages.hpp"
#include "support/rehearsed.hpp"
#include "support/walks.hpp"

namespace inchtide {
namespace {

using test::day;
using test::Rehearsed;
using test::texts_of;
using testing::Contains;
using testing::HasSubstr;
using testing::Not;

/// Three assets held equally from the split on, free of costs; TIDEMILL is closed when the walk begins.
Rehearsed closed_at_first() {
  Rehearsed one;
  test::take_out(one.sources.bars[0], day("2021-12-30"), day("2022-01-04"));
  one.settings.align.kind = AlignPolicy::Kind::any;
  one.settings.aims = {Aim::parse("equal", "")};
  one.settings.schedules = {Schedule::parse("never", "")};
  one.settings.costs.clear();
  return one;
}

/// The last close up to a day.
double close_of(const BarHistory& bars, const char* text) {
  const auto after = std::ranges::upper_bound(bars.days, day(text)) - bars.days.begin();
  return bars.of(PriceField::close)[std::size_t(after - 1)];
}

TEST(ClosedAtFirst, AnAssetThatIsClosedWhenTheWalkBeginsIsWaitedFor) {
  const auto one = closed_at_first();
  const auto runs = one.runs();
  const auto& run = runs.all.front();
  ASSERT_EQ(run.days.front(), day("2021-12-31"));
  ASSERT_EQ(run.trades.size(), 1u);
  EXPECT_EQ(run.trades[0].traded, day("2022-01-05")) << "the first day on which all three are open";
  double growth = 0;
  for (const auto& bars : one.sources.bars) growth += close_of(bars, "2023-12-29") / close_of(bars, "2022-01-05") / 3;
  EXPECT_NEAR(run.growth, growth - 1, 1e-12);
}

TEST(ClosedAtFirst, EqualWeightsBesideTheOthersHaveAlsoWhatIsClosedWhenTheWalkBegins) {
  auto one = closed_at_first();
  const auto alone = one.runs();
  one.settings.aims = {Aim::parse("minimum-variance", "")};
  const auto runs = one.runs();
  ASSERT_EQ(runs.all.size(), 2u);
  EXPECT_EQ(runs.all[1].aim, "equal");
  EXPECT_EQ(runs.all[1].net, alone.all[0].net);
}

TEST(ClosedAtFirst, SayWhichAssetTradesWentRound) {
  Rehearsed one;
  one.settings.align.kind = AlignPolicy::Kind::any;
  one.settings.aims = {Aim::parse("equal", "")};
  one.settings.schedules = {Schedule::parse("never", ""), Schedule::parse("1m", "")};
  test::take_out(one.sources.bars[0], day("2021-12-20"), day("2022-03-15"));
  const auto runs = one.runs();
  // The first purchase of both goes round it on the day after the split; the ends of January and February once more.
  EXPECT_THAT(texts_of(runs.warnings),
              Contains(HasSubstr("TIDEMILL: closed for more than 5 days when trades were due on 2022-01-03 and 2 days "
                                 "more, which went round it: equal, never and 1 run more stayed off its target")));
  EXPECT_EQ(runs.all[0].end.units[0], 0) << "it never looks again";
  EXPECT_GT(runs.all[1].end.units[0], 0);
  test::take_out(one.sources.bars[1], day("2022-06-27"), day("2022-06-30"));  // a holiday is waited for
  EXPECT_THAT(texts_of(one.runs().warnings), Not(Contains(HasSubstr("KELPFARM"))));
}

TEST(ClosedAtFirst, WhatIsHeldAndClosedWhenTheWalkBeginsCountsAtItsLastPrice) {
  auto one = closed_at_first();
  one.settings.start_from_current = true;
  one.settings.wealth = 1000;
  one.sources.current = WeightList{"held", {"TIDEMILL", "KELPFARM"}, {0.5, 0.5}};
  one.settings.aims.clear();
  one.settings.mixes = {"TIDEMILL=50%, KELPFARM=50%"};
  const auto run = one.runs().all.front();
  EXPECT_NEAR(run.net[0], 1000, 1e-9);
  const auto grown = [&](std::size_t asset, const char* to) {
    const auto& bars = one.sources.bars[asset];
    return close_of(bars, to) / close_of(bars, "2021-12-31");
  };
  EXPECT_NEAR(run.net[2], 500 + 500 * grown(1, "2022-01-04"), 1e-9);
  // A split on a closed day: the units are those of after it.
  auto& closes = one.sources.bars[0].of(PriceField::close);
  for (std::size_t t = 0; t < closes.size() && one.sources.bars[0].days[t] < day("2021-12-30"); ++t) closes[t] *= 2;
  one.sources.actions = {{"TIDEMILL", day("2021-12-30"), 2, 0}};
  const auto split = one.runs().all.front();
  EXPECT_NEAR(split.net[0], 1000, 1e-9);
  EXPECT_NEAR(split.net[2], run.net[2], 1e-9);
  EXPECT_NEAR(split.growth, run.growth, 1e-12);
}

TEST(ClosedAtFirst, WhatIsHeldAndWantedIsNotTouchedWhereOneIsClosed) {
  auto one = closed_at_first();
  one.settings.start_from_current = true;
  one.settings.delay = 0;
  one.sources.current = WeightList{"held", {"TIDEMILL", "KELPFARM", "HOLLBOND"}, {0.2, 0.3, 0.5}};
  one.settings.aims.clear();
  one.settings.mixes = {"TIDEMILL=20%, KELPFARM=30%, HOLLBOND=50%"};
  const auto later = one.runs().all.front();
  double growth = 0;
  for (std::size_t i = 0; i < 3; ++i) {
    const auto& bars = one.sources.bars[i];
    growth += one.sources.current->weights[i] * close_of(bars, "2023-12-29") / close_of(bars, "2021-12-31");
  }
  EXPECT_NEAR(later.growth, growth - 1, 1e-12) << "what is held is what is wanted, so nothing is traded";
}

}  // namespace
}  // namespace inchtide

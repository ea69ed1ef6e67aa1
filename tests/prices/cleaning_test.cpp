// Splits and dividends, short histories, and what stands out.

#include <cmath>
#include <random>

#include "inchtide/prices/actions.hpp"
#include "inchtide/prices/findings.hpp"
#include "inchtide/prices/price_table.hpp"
#include "support/messages.hpp"

namespace inchtide {
namespace {

using testing::ElementsAre;
using testing::HasSubstr;

Day nth(int d) {
  return Day{std::chrono::days{19000 + d}};
}

PriceHistory closes(std::vector<double> prices, int first = 0) {
  std::vector<Day> days;
  for (std::size_t i = 0; i < prices.size(); ++i) days.push_back(nth(first + int(i)));
  return {"BEACONET", "HLC", PriceField::close, days, std::move(prices)};
}

TEST(Actions, TheAdjustedReturnIsWhatAHolderHad) {
  // A holder of one share at 100: a dividend of 4 and a 3:1 split on the same ex-day, then 33 a share. He has three
  // shares and 4 in cash put back at the close before: the return over the ex-day is 3 x 33 / (100 - 4) - 1.
  const auto adjusted = adjusted_by(closes({98, 100, 33, 34}), {{"beaconet", nth(2), 3, 4}});
  const auto& p = adjusted.history.prices;
  EXPECT_NEAR(p[2] / p[1], 3 * 33 / 96.0, 1e-14);
  EXPECT_NEAR(p[1] / p[0], 100 / 98.0, 1e-14);
  EXPECT_EQ(p[3], 34);
  EXPECT_EQ(adjusted.history.field, PriceField::adjusted_close);
  EXPECT_THAT(adjusted.splits, ElementsAre(nth(2)));
  EXPECT_EQ(adjusted.dividends, 1u);
}

TEST(Actions, SeveralMultiplyAndOthersAreLeftAlone) {
  const auto adjusted = adjusted_by(closes({80, 40, 41, 20}), {{"BEACONET", nth(1), 2, 0},
                                                               {"BEACONET", nth(3), 2, 0},
                                                               {"BEACONET", nth(0), 5, 0},
                                                               {"BEACONET", nth(9), 5, 0},
                                                               {"KELPFARM", nth(2), 7, 0}});
  EXPECT_THAT(adjusted.history.prices, ElementsAre(20, 20, 20.5, 20));
  EXPECT_THAT(adjusted.splits, ElementsAre(nth(1), nth(3)));
  EXPECT_EQ(adjusted.out_of_range, 2u);
}

TEST(Actions, ThatCannotBeAreNamed) {
  const auto complaint = [](CorporateAction action) {
    return test::message_of([&] { adjusted_by(closes({10, 11}), {action}); });
  };
  EXPECT_THAT(complaint({"BEACONET", nth(1), 0, 0}), HasSubstr("BEACONET, 2022-01-09: a split of 0"));
  EXPECT_THAT(complaint({"BEACONET", nth(1), 1, 10}),
              HasSubstr("the dividend 10 is not below the close before it, 10"));
  EXPECT_THAT(complaint({"BEACONET", nth(1), 1, -1}), HasSubstr("a dividend of -1"));
}

std::vector<PriceHistory> long_and_short() {
  auto whole = closes(std::vector<double>(200, 5.0));
  auto brief = closes(std::vector<double>(120, 6.0), 80);
  whole.asset = "WHOLE";
  brief.asset = "BRIEF";
  return {whole, brief};
}

/// What each choice is said to leave of a long and a short history is what aligning leaves.
void expect_foretold(const std::vector<PriceHistory>& histories, const AlignPolicy& policy) {
  for (const auto& effect : effects_on_rows(histories, policy)) {
    auto chosen = policy;
    chosen.keep_short_histories = effect.choice == ShortHistories::keep;
    auto kept = histories;
    if (effect.choice == ShortHistories::leave_out) kept.pop_back();
    const auto table = align(kept, chosen).table;
    EXPECT_EQ(effect.rows, table.rows());
    EXPECT_EQ(effect.complete_rows, std::size_t(table.prices.array().isFinite().rowwise().all().count()));
  }
}

TEST(ShortHistories, EachChoiceSaysWhatItLeaves) {
  const auto histories = long_and_short();
  EXPECT_THAT(short_histories(histories), ElementsAre(1u));
  EXPECT_TRUE(short_histories(histories, 80).empty());
  const auto effects = effects_on_rows(histories, {});
  ASSERT_EQ(effects.size(), 3u);
  EXPECT_EQ(effects[0].rows, 120u);
  EXPECT_EQ(effects[0].from, nth(80));
  EXPECT_EQ(effects[1].rows, 200u);
  EXPECT_THAT(effects[1].left_out, ElementsAre("BRIEF"));
  EXPECT_EQ(effects[2].rows, 200u);
  EXPECT_EQ(effects[2].complete_rows, 120u);
  for (auto kind : {AlignPolicy::Kind::common, AlignPolicy::Kind::any, AlignPolicy::Kind::carry}) {
    expect_foretold(histories, {kind});
  }
}

TEST(ShortHistories, KeptOnesHaveHolesOnlyOutsideTheirSpan) {
  auto histories = long_and_short();
  auto& days = histories[1].days.edit();
  days.erase(days.begin() + 50);  // a hole within: that row goes even when short histories are kept
  histories[1].prices.pop_back();
  AlignPolicy policy;
  policy.keep_short_histories = true;
  const auto aligned = align(histories, policy);
  EXPECT_EQ(aligned.table.rows(), 199u);
  EXPECT_TRUE(std::isnan(aligned.table.prices(79, 1)));
  EXPECT_EQ(aligned.table.prices(80, 1), 6);
}

TEST(ShortHistories, AreNamedByTheirChoice) {
  EXPECT_EQ(parse_short_histories("Leave-Out", ""), ShortHistories::leave_out);
  EXPECT_EQ(to_string(ShortHistories::keep), "keep");
  EXPECT_THAT(test::message_of([] { parse_short_histories("shrten", "--short-histories"); }),
              HasSubstr("--short-histories: there is no choice 'shrten'. Did you mean 'shorten'?"));
}

BarHistory noisy(std::size_t rows, unsigned seed) {
  std::mt19937_64 random(seed);
  std::normal_distribution<double> normal;
  BarHistory bars{"FERRYLNK", "HLC"};
  std::vector<Day> days;
  double price = 50;
  for (std::size_t t = 0; t < rows; ++t) {
    days.push_back(nth(int(t)));
    price *= std::exp(0.01 * normal(random));
    bars.of(PriceField::close).push_back(price);
    bars.of(PriceField::volume).push_back(1000);
  }
  bars.days = days;
  return bars;
}

std::vector<std::string> kinds_in(const BarHistory& bars, PriceField used = PriceField::close) {
  std::vector<std::string> kinds;
  for (const auto& finding : findings_in(bars, used, false)) kinds.push_back(finding.kind);
  return kinds;
}

void scale_from(BarHistory& bars, PriceField field, std::size_t row, double by) {
  for (std::size_t t = row; t < bars.days.size(); ++t) bars.of(field)[t] *= by;
}

TEST(Findings, NormalReturnsHaveNone) {
  for (unsigned seed = 1; seed <= 20; ++seed) EXPECT_TRUE(kinds_in(noisy(500, seed)).empty()) << seed;
}

TEST(Findings, ASplitThatTheVolumeConfirmsIsAWarning) {
  auto bars = noisy(300, 3);
  scale_from(bars, PriceField::close, 150, 0.5);
  scale_from(bars, PriceField::volume, 150, 2);
  const auto findings = findings_in(bars, PriceField::close, false);
  ASSERT_EQ(findings.size(), 1u);
  EXPECT_EQ(findings[0].kind, "split");
  EXPECT_EQ(findings[0].severity, Severity::warning);
  EXPECT_EQ(findings[0].notice.where.day, nth(150));
  EXPECT_THAT(findings[0].notice.problem, HasSubstr("like a 2:1 split, and the volume moves with it"));
  // A reverse split of ten into one.
  auto reverse = noisy(300, 4);
  scale_from(reverse, PriceField::close, 150, 10);
  scale_from(reverse, PriceField::volume, 150, 0.1);
  EXPECT_THAT(findings_in(reverse, PriceField::close, false)[0].notice.problem, HasSubstr("1:10 split"));
}

TEST(Findings, HalvingWithTheSameVolumeIsAJumpAndNotASplit) {
  auto bars = noisy(300, 5);
  scale_from(bars, PriceField::close, 150, 0.5);
  const auto findings = findings_in(bars, PriceField::close, false);
  ASSERT_EQ(findings.size(), 1u);
  EXPECT_EQ(findings[0].kind, "jump");
  EXPECT_EQ(findings[0].severity, Severity::warning);
}

TEST(Findings, ASplitThatOnlyTheCloseShowsIsToldByTheAdjustedClose) {
  auto bars = noisy(300, 6);
  bars.of(PriceField::adjusted_close) = bars.of(PriceField::close);
  scale_from(bars, PriceField::close, 150, 1 / 3.0);
  const auto with_adjusted = findings_in(bars, PriceField::adjusted_close, false);
  ASSERT_EQ(with_adjusted.size(), 1u);
  EXPECT_EQ(with_adjusted[0].severity, Severity::note);
  EXPECT_THAT(with_adjusted[0].notice.problem, HasSubstr("a 3:1 split"));
  const auto with_close = findings_in(bars, PriceField::close, false);
  ASSERT_EQ(with_close.size(), 1u) << "not a jump as well";
  EXPECT_EQ(with_close[0].severity, Severity::warning);
  EXPECT_TRUE(with_close[0].notice.offers(Means::price_field));
}

TEST(Findings, AMisprintIsNoJumpAndNoSplit) {
  auto bars = noisy(300, 7);
  bars.of(PriceField::close)[100] *= 10;
  EXPECT_THAT(kinds_in(bars), ElementsAre("spike"));
  EXPECT_EQ(findings_in(bars, PriceField::close, true)[0].severity, Severity::note) << "dropped as asked";
}

TEST(Findings, AMisprintOfAFewDaysIsNoPairOfSplits) {
  for (double factor : {1.5, 2.0, 3.0, 10.0, 1 / 1.6, 0.5, 0.1}) {
    for (std::size_t days : {1u, 2u, 3u}) {
      auto bars = noisy(300, 7);
      const auto clean = bars.of(PriceField::close);
      for (std::size_t t = 100; t < 100 + days; ++t)
        bars.of(PriceField::close)[t] *= factor * (factor > 1 ? 1.02 : 0.98);
      const auto kinds = kinds_in(bars);
      EXPECT_EQ(kinds, std::vector<std::string>(days, "spike")) << factor << " for " << days;
      // What is doubtful is never dropped.
      auto history = bars.history(PriceField::close);
      const auto dropped = drop_spikes(history);
      const bool certain = factor >= 3 || factor <= 1 / 3.0;
      EXPECT_EQ(dropped.size(), certain ? days : 0u) << factor;
      for (const auto& finding : findings_in(bars, PriceField::close, true)) {
        EXPECT_EQ(finding.severity, certain ? Severity::note : Severity::warning) << factor;
      }
    }
  }
}

TEST(Findings, OverMonthsAPriceMayDoubleAndComeBack) {
  auto bars = noisy(60, 3);
  std::vector<Day> months;
  for (std::size_t t = 0; t < bars.days.size(); ++t) months.push_back(nth(0) + std::chrono::days{30 * long(t)});
  bars.days = months;
  scale_from(bars, PriceField::close, 20, 2.0);
  scale_from(bars, PriceField::close, 22, 0.5);
  scale_from(bars, PriceField::close, 40, 1 / 3.0);
  for (const auto& kind : kinds_in(bars)) EXPECT_THAT(kind, testing::AnyOf("jump")) << "neither split nor misprint";
  EXPECT_TRUE(find_spikes(bars.history(PriceField::close)).empty());
}

TEST(Findings, SplitsUpToFiftyToOne) {
  for (double ratio : {6.0, 8.0, 25.0, 50.0, 1 / 7.0, 1 / 40.0}) {
    auto bars = noisy(300, 11);
    scale_from(bars, PriceField::close, 150, 1 / ratio);
    scale_from(bars, PriceField::volume, 150, ratio);
    EXPECT_THAT(kinds_in(bars), ElementsAre("split")) << ratio;
  }
}

TEST(Findings, AChangeOfUnitIsToldFromAJump) {
  for (double factor : {100.0, 0.01, 1000.0, 0.001}) {
    auto bars = noisy(300, 11);
    scale_from(bars, PriceField::close, 150, factor);
    const auto findings = findings_in(bars, PriceField::close, false);
    ASSERT_EQ(findings.size(), 1u) << factor;
    EXPECT_EQ(findings[0].kind, "unit");
    EXPECT_EQ(findings[0].severity, Severity::warning);
    EXPECT_EQ(findings[0].notice.where.day, nth(150));
    EXPECT_THAT(findings[0].notice.problem,
                HasSubstr(factor > 500 || factor < 0.005 ? "of which 1000 make" : "of which 100 make"));
  }
  // For a week in hundredths, and back.
  auto week = noisy(300, 12);
  scale_from(week, PriceField::close, 150, 100);
  scale_from(week, PriceField::close, 155, 0.01);
  EXPECT_THAT(kinds_in(week), ElementsAre("unit", "unit"));
  auto neither = noisy(300, 13);
  scale_from(neither, PriceField::close, 150, 300);
  EXPECT_THAT(kinds_in(neither), ElementsAre("jump"));
}

TEST(Findings, WeekendsThatWereFilledIn) {
  auto bars = noisy(300, 14);
  const auto is_weekend = [&](std::size_t t) { return std::chrono::weekday{bars.days[t]}.iso_encoding() > 5; };
  ASSERT_TRUE(kinds_in(bars).empty()) << "an asset that trades every day";
  for (std::size_t t = 1; t < bars.days.size(); ++t) {
    if (is_weekend(t)) bars.of(PriceField::close)[t] = bars.of(PriceField::close)[t - 1];
  }
  const auto findings = findings_in(bars, PriceField::close, false);
  ASSERT_EQ(findings.size(), 1u);
  EXPECT_EQ(findings[0].kind, "weekends");
  std::size_t weekends = 0, first = 0;
  for (std::size_t t = 1; t < bars.days.size(); ++t) {
    if (is_weekend(t) && weekends++ == 0) first = t;
  }
  EXPECT_EQ(findings[0].notice.where.day, nth(int(first)));
  EXPECT_THAT(findings[0].notice.problem,
              HasSubstr(std::to_string(weekends) + " of " + std::to_string(weekends) + " prices of Saturdays"));
}

TEST(Findings, SmallPricesKeepTheirFigures) {
  auto bars = noisy(300, 15);
  scale_from(bars, PriceField::close, 0, 0.00001);
  bars.of(PriceField::close)[100] *= 10;
  const auto findings = findings_in(bars, PriceField::close, false);
  ASSERT_EQ(findings.size(), 1u);
  const double price = bars.of(PriceField::close)[100];
  ASSERT_LT(price, 0.1);
  EXPECT_THAT(findings[0].notice.problem, testing::Not(HasSubstr("0.00 "))) << price;
  const auto words = findings[0].notice.problem;
  EXPECT_NEAR(std::stod(words), price, 0.005 * price) << words;
}

TEST(Findings, StaleRunsAndDaysWithoutVolume) {
  auto bars = noisy(300, 8);
  for (std::size_t t = 41; t < 46; ++t) bars.of(PriceField::close)[t] = bars.of(PriceField::close)[40];
  for (std::size_t t = 41; t < 46; ++t) bars.of(PriceField::volume)[t] = 0;
  const auto findings = findings_in(bars, PriceField::close, false);
  ASSERT_EQ(findings.size(), 2u);
  EXPECT_EQ(findings[0].kind, "stale");
  EXPECT_EQ(findings[0].notice.where.day, nth(40));
  EXPECT_THAT(findings[0].notice.problem, HasSubstr("on 6 trading days in a row"));
  EXPECT_EQ(findings[1].kind, "volume");
  EXPECT_THAT(findings[1].notice.problem, HasSubstr("no volume on 5 days"));
  FindingRules patient;
  patient.stale_rows = 7;
  EXPECT_EQ(findings_in(bars, PriceField::close, false, patient).size(), 1u);
}

TEST(Findings, AcrossAssetsNameHolesAndShortHistories) {
  auto histories = long_and_short();
  auto& days = histories[0].days.edit();
  days.erase(days.begin() + 100);
  histories[0].prices.pop_back();
  const auto findings = findings_across(histories, coverage_of(histories));
  ASSERT_EQ(findings.size(), 2u);
  EXPECT_EQ(findings[0].kind, "holes");
  EXPECT_EQ(findings[0].notice.where.day, nth(100));
  EXPECT_EQ(findings[1].kind, "short history");
  EXPECT_EQ(findings[1].notice.where.asset, "BRIEF");
}

TEST(Findings, AMisprintHidesNoLaterSplit) {
  auto bars = noisy(300, 3);
  for (const std::size_t from : {std::size_t(100), std::size_t(200)}) {
    scale_from(bars, PriceField::close, from, 0.5);
    scale_from(bars, PriceField::volume, from, 2);
  }
  bars.of(PriceField::close)[50] *= 5;
  const auto findings = findings_in(bars, PriceField::close, false);
  std::vector<Day> splits;
  for (const auto& finding : findings) {
    if (finding.kind == "split") splits.push_back(*finding.notice.where.day);
  }
  EXPECT_THAT(splits, ElementsAre(nth(100), nth(200)));
}

TEST(ShortHistories, CarriedPricesCountAmongTheCompleteRows) {
  auto histories = long_and_short();
  // A hole of two days in the middle of the long one.
  auto& whole = histories[0];
  std::vector<Day> days(whole.days.begin(), whole.days.end());
  days.erase(days.begin() + 100, days.begin() + 102);
  whole.days = DayList(days);
  whole.prices.resize(days.size());
  const AlignPolicy carry{AlignPolicy::Kind::carry, 5};
  expect_foretold(histories, carry);
  for (const auto& effect : effects_on_rows(histories, carry)) {
    EXPECT_EQ(effect.complete_rows, effect.choice == ShortHistories::leave_out ? 198u : 120u);
  }
}

}  // namespace
}  // namespace inchtide

// The basis of a study, on values alone: what it is an estimate of, and that nothing looks ahead.

#include <gmock/gmock.h>

#include <map>

#include "inchtide/base/errors.hpp"
#include "inchtide/prices/periods.hpp"
#include "inchtide/study/runs.hpp"
#include "support/messages.hpp"
#include "support/walks.hpp"

namespace inchtide {
namespace {

using test::day;
using test::message_of;
using test::texts_of;
using test::three;
using test::walk;
using testing::AllOf;
using testing::Contains;
using testing::ElementsAre;
using testing::HasSubstr;
using testing::IsEmpty;
using testing::Not;

TEST(StudyBasis, NothingOnTheSplitOrAfterItCounts) {
  const auto split = day("2022-01-03");
  Settings settings;
  settings.benchmark = "HOLLBOND";
  for (auto every : {Interval{1, Unit::month}, Interval{1, Unit::week}, Interval{1, Unit::day}}) {
    settings.every = every;
    const auto sources = three();
    auto changed = sources;
    for (auto& bars : changed.bars) {
      for (std::size_t row = 0; row < bars.days.size(); ++row) {
        if (bars.days[row] >= split) bars.of(PriceField::close)[row] *= 1.5 + 0.1 * std::sin(double(row));
      }
    }
    const auto one = basis_of(universe_of(sources, settings), sources, settings, split);
    const auto other = basis_of(universe_of(changed, settings), changed, settings, split);
    EXPECT_EQ(one.estimate.expected_return, other.estimate.expected_return);
    EXPECT_EQ(one.estimate.covariance.matrix(), other.estimate.covariance.matrix());
    EXPECT_EQ(one.facts.benchmark->variance, other.facts.benchmark->variance);
    // And what comes before does count.
    const auto later = basis_of(universe_of(changed, settings), changed, settings, day("2023-01-02"));
    EXPECT_NE(one.estimate.expected_return, later.estimate.expected_return);
  }
}

TEST(StudyBasis, SaysWhatShortHistoriesThatAreKeptCostAll) {
  auto sources = three();
  Settings settings;
  settings.short_histories = ShortHistories::keep;
  settings.align = AlignPolicy::parse("any", "here");
  const auto warnings = [&] { return texts_of(study_returns(universe_of(sources, settings), settings).warnings); };
  sources.bars[1] = walk("KELPFARM", 2, day("2018-02-05"));
  EXPECT_THAT(warnings(), IsEmpty()) << "a month is not worth a word";
  sources.bars[1] = walk("KELPFARM", 2, day("2020-03-10"));
  EXPECT_THAT(warnings(), ElementsAre(AllOf(HasSubstr("KELPFARM has prices from 2020-03-31 on: 26 of 71 months"),
                                            HasSubstr("(leave-out)"))));
  sources.bars[0] = walk("TIDEMILL", 1, day("2018-01-01"), day("2020-05-29"));
  EXPECT_THAT(warnings(), ElementsAre(HasSubstr("TIDEMILL has prices up to 2020-05-29: 69 of 71 months")));
  sources.bars[0] = walk("TIDEMILL", 1, day("2018-01-01"), day("2020-03-10"));
  EXPECT_THAT(message_of(warnings), AllOf(HasSubstr("KELPFARM has prices from 2020-03-31 on"),
                                          HasSubstr("TIDEMILL has prices up to 2020-03-31: there is no month")));
  settings.short_histories = ShortHistories::leave_out;
  EXPECT_THAT(warnings(), IsEmpty());
}

/// What comes first among assets that are young, have holes and end early has no say in the figures of the others.
TEST(StudyBasis, TheOrderOfAssetsChangesNothing) {
  auto sources = three();
  sources.bars.push_back(walk("MARROWSH", 4, day("2019-03-11")));
  test::take_out(sources.bars[0], day("2020-05-20"), day("2020-07-10"));
  test::take_out(sources.bars[1], day("2019-12-30"), day("2019-12-31"));
  Settings settings;
  settings.short_histories = ShortHistories::keep;
  settings.align = AlignPolicy::parse("any", "here");
  settings.split = day("2022-01-03");
  settings.reestimate = Schedule::parse("1q", "");
  settings.estimate_over = Interval::parse("30m", "");
  settings.aims = {Aim::parse("minimum-variance", "")};
  settings.schedules = {Schedule::parse("1m", "")};
  settings.costs = {CostClass::parse("20bp", "")};
  settings.limits = {Limit::parse("each <= 40%")};
  std::map<std::string, double> expected;
  double wealth = 0;
  for (int order = 0; order < 4; ++order) {
    const auto universe = universe_of(sources, settings);
    const auto basis = basis_of(universe, sources, settings, settings.split);
    const auto runs = runs_of(universe, basis, portfolios_of(basis, sources, settings), sources, settings);
    const auto& run = runs.all.front();
    EXPECT_FALSE(run.marked);
    for (std::size_t i = 0; i < basis.estimate.assets.size(); ++i) {
      const auto at = Eigen::Index(i);
      for (const auto& [what, figure] : {std::pair{"expected ", basis.estimate.expected_return[at]},
                                         {"variance ", basis.estimate.covariance.variance(at)},
                                         {"last target ", run.targets.back()[at]}}) {
        const auto [known, is_new] = expected.emplace(what + basis.estimate.assets[i], figure);
        EXPECT_NEAR(known->second, figure, 1e-9) << what << basis.estimate.assets[i];
      }
    }
    const double end = run.net[run.net.size() - 1];
    if (order == 0) wealth = end;
    EXPECT_NEAR(end / wealth, 1, 1e-9);
    std::rotate(sources.bars.begin(), sources.bars.begin() + 1, sources.bars.end());
  }
}

TEST(StudyBasis, IsTheEstimateOfTheReturnsOfTheWindow) {
  // The same by the stages, one by one.
  const auto sources = three();
  Settings settings;
  settings.from = day("2019-01-01");
  settings.risk_free = 0.01;
  const auto basis = basis_of(universe_of(sources, settings), sources, settings);
  std::vector<PriceHistory> histories;
  for (const auto& bars : sources.bars) histories.push_back(bars.history(PriceField::close));
  const Interval monthly{1, Unit::month};
  const auto prices = align_common(histories).table.between(settings.from, std::nullopt);
  const auto estimate = sample_estimate(simple_returns(period_ends(prices, monthly).table, monthly));
  EXPECT_EQ(basis.estimate.expected_return, estimate.expected_return);
  EXPECT_EQ(basis.estimate.covariance.matrix(), estimate.covariance.matrix());
  EXPECT_EQ(basis.risk_free, 0.01);
}

TEST(StudyBasis, LogReturnsBecomeSimpleOnes) {
  const auto sources = three();
  Settings settings;
  settings.returns = ReturnKind::log;
  const auto universe = universe_of(sources, settings);
  const auto basis = basis_of(universe, sources, settings);
  EXPECT_EQ(basis.estimate.returns, ReturnKind::simple);
  const auto logs = estimate_by(study_returns(universe, settings).assets, {}).estimate;
  const double m = logs.expected_return[0], s = logs.covariance.variance(0);
  EXPECT_NEAR(basis.estimate.expected_return[0], std::exp(m + s / 2) - 1, 1e-14);
  EXPECT_THAT(texts_of(basis.warnings), ElementsAre(HasSubstr("The estimate is of log returns")));
}

TEST(StudyBasis, ABenchmarkStandsBesideLogReturnsToo) {
  const auto sources = three();
  Settings settings;
  settings.benchmark = "HOLLBOND";
  const auto missed_by = [&](ReturnKind kind) {
    settings.returns = kind;
    const auto basis = basis_of(universe_of(sources, settings), sources, settings);
    return basis.facts.benchmark.value().tracking_error(basis.estimate.covariance, Eigen::Vector2d(0.5, 0.5));
  };
  // Of the same prices: a month's simple and log returns differ by half the square.
  EXPECT_NEAR(missed_by(ReturnKind::log) / missed_by(ReturnKind::simple), 1, 0.1);
  settings.returns = ReturnKind::log;
  settings.limits = {Limit::parse("tracking-error <= 21.5%")};
  const auto basis = basis_of(universe_of(sources, settings), sources, settings);
  const auto chosen = portfolios_of(basis, sources, settings).all.front();
  EXPECT_NEAR(chosen.tracking_error.value(), 0.215, 1e-9) << "minimum variance would miss it by more";
}

TEST(StudyBasis, FiguresOfWhatIsLeftOutArePassedOverAndSaid) {
  const auto sources = three();
  Settings settings;
  settings.assets = {"TIDEMILL", "KELPFARM"};
  settings.methods.expected = ExpectedMethod::parse("views", "");
  settings.methods.views = {View::parse("KELPFARM = 4%", "kelp", 0.5)};
  const auto basis_by = [&] { return basis_of(universe_of(sources, settings), sources, settings); };
  const auto plain = basis_by();
  settings.methods.own = {{"hollbond", 0.02}};
  settings.methods.caps = {{"hollbond", 0.03}};
  settings.methods.views.push_back(View::parse("HOLLBOND - TIDEMILL = 1%", "bonds", 0.5));
  const auto basis = basis_by();
  EXPECT_EQ(basis.estimate.expected_return, plain.estimate.expected_return);
  for (const char* said : {"The own expected return of 2% is passed over: HOLLBOND is not among the assets",
                           "The greatest expected return of 3% is passed over: HOLLBOND is not among the assets",
                           "View 'bonds' is passed over: HOLLBOND is not among the assets"}) {
    EXPECT_THAT(texts_of(basis.warnings), Contains(said));
  }
}

TEST(StudyBasis, LimitsOnWhatIsLeftOutArePassedOverAndAddedOnesAreNot) {
  const auto sources = three();
  Settings settings;
  settings.assets = {"TIDEMILL", "KELPFARM"};
  settings.limits = {Limit::parse("HOLLBOND <= 10%", "bonds"), Limit::parse("each <= 80%")};
  const auto with_bonds = [&](const Settings& how) {
    auto all = sources;
    all.tags = Tags{{"currency"}, {"HOLLBOND"}, {{""}}};
    return basis_of(universe_of(all, how), all, how);
  };
  const auto basis = with_bonds(settings);
  ASSERT_EQ(basis.limits.size(), 1u);
  EXPECT_THAT(texts_of(basis.warnings),
              Contains("Limit bonds 'HOLLBOND <= 10%' is passed over: HOLLBOND is not among the assets"));
  settings.limits = {Limit::parse("KELPFRAM <= 10%")};
  EXPECT_EQ(with_bonds(settings).limits.size(), 1u) << "what nobody knows is not passed over: choosing will name it";
  settings.limits = {Limit::parse("HOLLBOND <= 10%", "bonds"), Limit::parse("each <= 80%")};
  auto added = settings;
  std::swap(added.limits, added.added_limits);
  EXPECT_EQ(with_bonds(added).limits.size(), 2u) << "choosing portfolios will name it";
}

}  // namespace
}  // namespace inchtide
